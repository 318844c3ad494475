"""Jobs opened lately, newest first, in the user's configuration folder."""

from __future__ import annotations

import contextlib
import json
from pathlib import Path

import platformdirs

from ledgecliff.core.errors import LedgecliffError

from .atomic import write_atomic

_MOST = 10


def _file() -> Path:
    return Path(platformdirs.user_config_dir("ledgecliff")) / "recent.json"


def recent_jobs() -> list[Path]:
    """Those that still exist; a damaged list counts as empty."""
    try:
        names = json.loads(_file().read_text(encoding="utf-8"))
        return [Path(name) for name in names if isinstance(name, str) and Path(name).is_file()]
    except (OSError, ValueError, TypeError):
        return []


def remember_job(path: Path) -> None:
    """Puts ``path`` first.  That it cannot be remembered is no reason to stop anyone."""
    path = path.resolve()
    names = [str(path), *(str(other) for other in recent_jobs() if other != path)][:_MOST]
    with contextlib.suppress(OSError, LedgecliffError):
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_atomic(_file(), json.dumps(names, indent=1))
