"""What else a job could do to place its sides, each tried on a copy of it, with what it costs and brings."""
