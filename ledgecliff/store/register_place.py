"""Where the offset register is; known without what reads it, which is slow to import."""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs

#: Names another file than the user's own, or a database that a shop shares, as a URL of SQLAlchemy's.
PLACE = "LEDGECLIFF_REGISTER"


def register_place() -> Path | str:
    """Where the shop's register is: a file, or the URL of a database."""
    named = os.environ.get(PLACE, "")
    return place_of(named) if named else Path(platformdirs.user_data_dir("ledgecliff")) / "register.db"


def place_of(text: str) -> Path | str:
    """A file by its name, or the URL of a database; a URL is never taken for a folder."""
    return text if "://" in text else Path(text)


def is_there(place: Path | str) -> bool:
    """Whether a register has been begun there; a shared one is taken to be."""
    return isinstance(place, str) or place.is_file()
