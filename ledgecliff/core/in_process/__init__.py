"""In-process stock: what is left of the blank after every operation, held against part and volumes."""
