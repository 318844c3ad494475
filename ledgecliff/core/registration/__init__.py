"""Registration: what makes the part's second side line up with its first (docs/methods/turns.md)."""
