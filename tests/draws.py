"""How many random draws a test makes: fewer by default, all of them with ``LEDGECLIFF_ALL_DRAWS=1``."""

from __future__ import annotations

import os

ALL = bool(os.environ.get("LEDGECLIFF_ALL_DRAWS"))


def draws(few: int, every: int) -> int:
    return every if ALL else few
