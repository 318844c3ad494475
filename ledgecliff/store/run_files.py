"""Run files: one JSON document each, read strictly and written whole; and the jobs they name, by their checksums."""

from __future__ import annotations

import hashlib
import json
import os
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.run import RUN_FORMAT, RUN_VERSION, Run

from .atomic import write_atomic
from .job_files import LARGEST_BYTES, first_problem


def run_text(run: Run) -> str:
    """The run as JSON: the same run gives the same bytes."""
    return json.dumps(run.model_dump(mode="json"), indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def read_plain(path: Path) -> Any:
    """What a JSON file says.  Raises InvalidValueError where it cannot be read."""
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise InvalidValueError(str(path), "is too large to be a run; give a run or a file of tasks")
        return json.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError, RecursionError) as error:
        raise InvalidValueError(str(path), f"cannot be read: {error}; give a run or a file of tasks as JSON") from error


def is_run(plain: object) -> bool:
    return isinstance(plain, dict) and plain.get("format") == RUN_FORMAT


def names_a_run(path: Path) -> bool:
    """Whether a file says that it is a run; one that cannot be read says nothing."""
    try:
        return is_run(read_plain(path))
    except InvalidValueError:
        return False


def parse_run(plain: object, name: str) -> Run:
    """Raises InvalidValueError that names the field and what would be right."""
    if not is_run(plain):
        raise InvalidValueError(name, f"is no run: its format is not '{RUN_FORMAT}'; give a run document")
    assert isinstance(plain, dict), "a run is an object"
    version = plain.get("version")
    if isinstance(version, int) and version > RUN_VERSION:
        raise InvalidValueError(name, f"is of version {version}; open it with a newer Ledgecliff")
    try:
        return Run.model_validate(plain)
    except ValidationError as error:
        raise InvalidValueError(name, first_problem(error).replace("the job:", "the run:")) from None


def read_run(path: Path) -> Run:
    """Raises InvalidValueError."""
    return parse_run(read_plain(path), path.name)


def write_run(run: Run, path: Path) -> None:
    """Raises WriteError."""
    write_atomic(path, run_text(run))


def job_path(run_file: Path, job_file: Path) -> str:
    """Where a job's file lies, as seen from the run's own."""
    return Path(os.path.relpath(job_file.resolve(), run_file.resolve().parent)).as_posix()


def checksum_of(path: Path) -> str:
    """Of a job's file.  Raises InvalidValueError where that cannot be read."""
    try:
        return hashlib.sha256(path.read_bytes()).hexdigest()
    except OSError as error:
        raise InvalidValueError(str(path), f"cannot be read: {error.strerror}; say where it lies now") from error
