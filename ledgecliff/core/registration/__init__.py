"""Registration: what makes the part's second side line up with its first (handbook chapter 4)."""
