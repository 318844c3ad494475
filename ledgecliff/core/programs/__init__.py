"""Programs for the control, written from text profiles that a shop can copy and edit."""
