"""The error budget: how far features cut in different setups may be off each other, and what makes them so."""
