"""Run files: one JSON document each, read strictly and written whole; and the jobs they name, by their checksums."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.run import RUN_FORMAT, RUN_VERSION, Run

from .atomic import write_atomic
from .plain_documents import document_text, is_document, names_document, parse_document, read_plain


def is_run(plain: object) -> bool:
    return is_document(plain, RUN_FORMAT)


def names_a_run(path: Path) -> bool:
    """Whether a file says that it is a run; one that cannot be read says nothing."""
    return names_document(path, RUN_FORMAT)


def run_text(run: Run) -> str:
    """The run as JSON: the same run gives the same bytes."""
    return document_text(run)


def parse_run(plain: object, name: str) -> Run:
    """Raises InvalidValueError that names the field and what would be right."""
    return parse_document(Run, plain, name, RUN_FORMAT, RUN_VERSION, "run")


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


def checksum_where_there(path: Path | None) -> str:
    """Nothing for a job that was never saved, or whose file is gone."""
    try:
        return "" if path is None else checksum_of(path)
    except InvalidValueError:
        return ""
