"""Recovery copies: unsaved work that survives a killed program or a power cut.

While a job is changed and unsaved, its window keeps one copy in the user's state folder, and holds a lock beside
it.  Saving or closing removes both; the system frees the lock of a program that dies, whatever runs later under
its number.  What is found there with its lock free belongs to nobody.
"""

from __future__ import annotations

import fcntl
import json
import os
import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import platformdirs

from ledgecliff.core.errors import JobFileError
from ledgecliff.core.model.job import Job

from .atomic import WriteError, write_atomic
from .job_files import job_text, parse_job


def recovery_folder() -> Path:
    return Path(platformdirs.user_state_dir("ledgecliff")) / "recovery"


@dataclass(frozen=True)
class Recovered:
    """A copy left behind: its job, the file it came from (None when never saved), the copy, and since when (s).

    ``by_hand`` is what was typed of touch-offs, as JSON values.
    """

    job: Job
    origin: Path | None
    model_folder: Path
    copy: Path
    kept_at: float
    by_hand: Mapping[str, Any]

    def discard(self) -> None:
        self.copy.unlink(missing_ok=True)
        _lock_of(self.copy).unlink(missing_ok=True)


class RecoveryCopy:
    """The copy of one window."""

    def __init__(self) -> None:
        self._path = recovery_folder() / f"{os.getpid()}-{uuid.uuid4().hex[:8]}.json"
        self._lock: int | None = None

    def keep(self, job: Job, origin: Path | None, model_folder: Path, by_hand: Mapping[str, Any] | None = None) -> None:
        """Writes or replaces the copy.  Raises WriteError."""
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            if self._lock is None:
                self._lock = os.open(_lock_of(self._path), os.O_CREAT | os.O_RDWR, 0o600)
                fcntl.flock(self._lock, fcntl.LOCK_EX)
        except OSError as error:
            raise WriteError(f"'{self._path.parent}' cannot be written: {error.strerror}") from error
        record = {
            "process": os.getpid(),
            "origin": str(origin) if origin else None,
            "model_folder": str(model_folder),
            "job": json.loads(job_text(job)),
            "by_hand": dict(by_hand or {}),
        }
        write_atomic(self._path, json.dumps(record))

    def drop(self) -> None:
        self._path.unlink(missing_ok=True)
        if self._lock is not None:
            os.close(self._lock)
            self._lock = None
        _lock_of(self._path).unlink(missing_ok=True)


def left_behind() -> list[Recovered]:
    """Copies whose program runs no more, newest first.  Unreadable ones are left where they are."""
    found = []
    paths = recovery_folder().glob("*.json") if recovery_folder().is_dir() else []
    for path in sorted(paths, key=lambda path: -path.stat().st_mtime):
        try:
            record = json.loads(path.read_text(encoding="utf-8"))
            if _is_held(path, int(record["process"])):
                continue
            job = parse_job(json.dumps(record["job"]), path.name)
            origin = Path(record["origin"]) if record["origin"] else None
            by_hand = record.get("by_hand")  # copies up to 0.8.0 have none
            found.append(
                Recovered(
                    job, origin, Path(record["model_folder"]), path, path.stat().st_mtime,
                    by_hand if isinstance(by_hand, dict) else {},
                )
            )  # fmt: skip
        except (OSError, ValueError, KeyError, TypeError, JobFileError):
            continue
    return found


def _lock_of(copy: Path) -> Path:
    return copy.with_suffix(".lock")


def _is_held(copy: Path, process: int) -> bool:
    """Whether the program that keeps a copy still runs."""
    try:
        lock = os.open(_lock_of(copy), os.O_RDWR)
    except FileNotFoundError:
        return _runs_as_ours(process)
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    finally:
        os.close(lock)
    return False


def _runs_as_ours(process: int) -> bool:
    """Of copies without a lock, as versions up to 0.6.0 kept them: by the number, and what runs under it now."""
    try:
        return b"ledgecliff" in Path(f"/proc/{process}/cmdline").read_bytes()
    except OSError:
        return False
