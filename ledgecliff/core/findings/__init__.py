"""Findings: what is wrong with a plan, why, what it would cost and what mends it."""
