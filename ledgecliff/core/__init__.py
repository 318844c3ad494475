"""The work itself: no window, no clock, no file paths; the same input gives the same result."""
