"""New identities, drawn by chance."""

from __future__ import annotations

import secrets


def new_id() -> str:
    """An id that nothing else has (``core.model.identity``)."""
    return secrets.token_hex(6)
