"""What can be added to a setup at one feature, each thing tried on a copy, and why another cannot."""
