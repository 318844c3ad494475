"""Turns between two setups as planned: what registers each, how far off it may lie, and what tells a wrong one."""
