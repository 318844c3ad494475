"""Speed and size, printed as tables; never asserted.  Run with ``./run bench``."""
