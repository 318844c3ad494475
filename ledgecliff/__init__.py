"""Ledgecliff: plans setups, turns and work coordinate systems of multi-side parts."""

__version__ = "0.14.0"
