"""What is done at a setup and its turn, in order, from what it has: for paper and for the page at the machine."""
