"""A backlog as a document: what is taken into it, frozen and done, and its loads in words."""
