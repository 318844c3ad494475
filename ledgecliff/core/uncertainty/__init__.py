"""How uncertain sources add up: propagation, coverage, and Monte Carlo (JCGM 100 and 101)."""
