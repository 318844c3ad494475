"""Finding a work offset by hand: readings typed as the control shows them, and the tape that works it out of them."""
