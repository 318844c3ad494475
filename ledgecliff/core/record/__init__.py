"""What was measured and done, entry by entry: nothing is overwritten, a correction names what it corrects."""
