"""Files: jobs, part models, recovery copies and what was open last."""
