"""Probing: which touches find a setup's zero, and whether each of them can work."""
