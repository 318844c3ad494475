"""Recovery copies: unsaved work that survives a killed program or a power cut.

While a job is changed and unsaved, its window keeps one copy in the user's state folder.  Saving
or closing removes it; what is found there at the next start belongs to a program that died.
"""

from __future__ import annotations

import json
import os
import uuid
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from ledgecliff.core.errors import JobFileError
from ledgecliff.core.model.job import Job

from .atomic import write_atomic
from .job_files import job_text, parse_job


def recovery_folder() -> Path:
    return Path(platformdirs.user_state_dir("ledgecliff")) / "recovery"


@dataclass(frozen=True)
class Recovered:
    """A copy left behind: its job, the file it came from (None when never saved), and the copy."""

    job: Job
    origin: Path | None
    model_folder: Path
    copy: Path


class RecoveryCopy:
    """The copy of one window."""

    def __init__(self) -> None:
        self._path = recovery_folder() / f"{os.getpid()}-{uuid.uuid4().hex[:8]}.json"

    def keep(self, job: Job, origin: Path | None, model_folder: Path) -> None:
        """Writes or replaces the copy.  Raises WriteError."""
        self._path.parent.mkdir(parents=True, exist_ok=True)
        record = {
            "process": os.getpid(),
            "origin": str(origin) if origin else None,
            "model_folder": str(model_folder),
            "job": json.loads(job_text(job)),
        }
        write_atomic(self._path, json.dumps(record))

    def drop(self) -> None:
        self._path.unlink(missing_ok=True)


def left_behind() -> list[Recovered]:
    """Copies whose program runs no more, newest first.  Unreadable ones are left where they are."""
    found = []
    paths = recovery_folder().glob("*.json") if recovery_folder().is_dir() else []
    for path in sorted(paths, key=lambda path: -path.stat().st_mtime):
        try:
            record = json.loads(path.read_text(encoding="utf-8"))
            if _is_running(int(record["process"])):
                continue
            job = parse_job(json.dumps(record["job"]), path.name)
            origin = Path(record["origin"]) if record["origin"] else None
            found.append(Recovered(job, origin, Path(record["model_folder"]), path))
        except (OSError, ValueError, KeyError, TypeError, JobFileError):
            continue
    return found


def _is_running(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
