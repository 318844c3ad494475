"""What meets what: the first contact of a stylus along a move, by exact distances."""
