"""The lenses: what stands beside the drawing for each step of the work."""
