"""Where the shop's database is; known without what reads it, which is slow to import."""

from __future__ import annotations

import hashlib
import json
import os
from pathlib import Path

import platformdirs

#: Names another file than the user's own, or a database that a shop shares, as a URL of SQLAlchemy's.
PLACE = "LEDGECLIFF_REGISTER"


def register_place() -> Path | str:
    """Where the shop's database is: a file, or the URL of a shared one that was joined."""
    named = os.environ.get(PLACE, "") or joined()
    return place_of(named) if named else own_file()


def own_file() -> Path:
    """The database of this workstation alone."""
    return Path(platformdirs.user_data_dir("ledgecliff")) / "register.db"


def joined_file() -> Path:
    """Says which shared shop was joined."""
    return Path(platformdirs.user_config_dir("ledgecliff")) / "shop-place.json"


def joined() -> str:
    """The URL of the shared shop that was joined, without its password; nothing where none was."""
    try:
        said = json.loads(joined_file().read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return ""
    url = said.get("url") if isinstance(said, dict) else None
    return url if isinstance(url, str) else ""


def place_of(text: str) -> Path | str:
    """A file by its name, or the URL of a database; a URL is never taken for a folder."""
    return text if "://" in text else Path(text)


def is_there(place: Path | str) -> bool:
    """Whether a register has been begun there; a shared one is taken to be."""
    return isinstance(place, str) or place.is_file()


def waiting_file(place: Path | str) -> Path:
    """Where entries of this workstation wait for a database: for each another file, so that none is sent elsewhere."""
    of = hashlib.sha256(str(place).encode()).hexdigest()[:12]
    return Path(platformdirs.user_data_dir("ledgecliff")) / f"waiting-{of}.db"
