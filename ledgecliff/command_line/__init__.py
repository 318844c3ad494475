"""The same work without a window."""
