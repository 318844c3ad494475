"""What dates and signs: the time of this computer, and who is logged in at it."""

from __future__ import annotations

import getpass
import socket
from datetime import UTC, datetime

from ledgecliff.core.rehearsal.results import Rehearsal
from ledgecliff.core.rehearsal.worlds import Worlds
from ledgecliff.sheets.about import About
from ledgecliff.sheets.wanted import Paper


def now() -> str:
    return datetime.now(UTC).astimezone().isoformat(timespec="seconds")


def this_moment() -> str:
    """Finely enough that of two entries the later one is told."""
    return datetime.now(UTC).astimezone().isoformat(timespec="microseconds")


def who() -> str:
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return "unknown"


def zoned(at: str) -> str:
    """A time as it is told, with this computer's zone where it has none."""
    time = datetime.fromisoformat(at)
    return at if time.tzinfo is not None else time.astimezone().isoformat()


def workstation() -> str:
    """What this computer is called."""
    return socket.gethostname() or "unknown"


def about_now(
    state: str, rehearsal: Rehearsal | None = None, worlds: Worlds | None = None, paper: Paper = "A4"
) -> About:
    """What a sheet written now says of itself."""
    return About(now()[:16].replace("T", " "), who(), state, rehearsal, worlds, paper=paper)
