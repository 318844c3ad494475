"""The first article: what the drawing asks of each feature, what was measured of it, and whether that passes."""
