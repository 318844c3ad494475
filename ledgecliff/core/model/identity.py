"""Identity: what a job, a setup, a machine is, whatever people call it.

An id is never shown and never edited.  It is drawn by chance where something new is made (``store.identity``); where
it must follow from what is there already, as in a file of an older version, it is worked out from that.
"""

from __future__ import annotations

import hashlib
from typing import Annotated

from pydantic import Field

#: Twelve hexadecimal digits.
Id = Annotated[str, Field(pattern=r"^[0-9a-f]{12}$")]


def derived_id(*parts: str) -> str:
    """The id that follows from ``parts``: the same for the same, another for any other."""
    return hashlib.sha256("\x1f".join(parts).encode()).hexdigest()[:12]
