"""The same setup at many stations: where they lie, and each of them worked out."""
