"""Setup sheets: the plan on paper."""
