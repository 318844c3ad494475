"""A release: what went to the machine, sealed, and how it differs from what is there now."""
