"""Rehearsing a plan: its programs run on the simulated machine against a true world, and what comes of it."""
