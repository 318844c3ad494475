"""A simulated machine: reads program text word by word and touches true solids with a true ball."""
