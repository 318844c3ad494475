"""Job files: one JSON document each, read strictly and written whole.

The model is referenced by a path relative to the job file and by its checksum.
"""

from __future__ import annotations

import hashlib
import json
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from ledgecliff.core.changing import field_path, path_words, problem_words
from ledgecliff.core.errors import JobFileError
from ledgecliff.core.model.job import FORMAT, VERSION, Job

from .atomic import write_atomic
from .migrations import migrated

#: A job is text about one part; anything larger is not one.
LARGEST_BYTES = 20_000_000


def job_text(job: Job) -> str:
    """The job as JSON: the same job gives the same bytes."""
    return json.dumps(job.model_dump(mode="json"), indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def job_checksum(job: Job) -> str:
    """Of the text that its file has, as soon as it is saved."""
    return hashlib.sha256(job_text(job).encode("utf-8")).hexdigest()


def read_job(path: Path) -> Job:
    """The job in a file.  Raises JobFileError that names the file, the field and what would be right."""
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise JobFileError(f"'{path.name}' is too large to be a job file.")
        text = path.read_text(encoding="utf-8")
    except FileNotFoundError:
        raise JobFileError(f"'{path}' does not exist.") from None
    except UnicodeDecodeError:
        raise JobFileError(f"'{path.name}' is not a text file, so it is no job file.") from None
    except OSError as error:
        raise JobFileError(f"'{path}' cannot be read: {error.strerror}.") from None
    return parse_job(text, path.name)


def parse_job(text: str, name: str) -> Job:
    """The job in ``text``; ``name`` stands for the file in messages."""
    try:
        data = json.loads(text, parse_constant=_refuse_constant)
    except RecursionError:
        raise JobFileError(f"'{name}' is nested too deeply to be a job file.") from None
    except json.JSONDecodeError as error:
        ended = " It looks cut off." if error.pos >= len(text.rstrip()) - 1 else ""
        raise JobFileError(
            f"'{name}' is not a whole JSON document: {error.msg} in line {error.lineno}.{ended} "
            "Use a backup or an earlier copy."
        ) from None
    except ValueError as error:
        raise JobFileError(f"'{name}': {error}") from None
    _check_header(data, name)
    try:
        return Job.model_validate(migrated(data))
    except ValidationError as error:
        raise JobFileError(f"'{name}': {first_problem(error)}") from None


def write_job(job: Job, path: Path) -> None:
    write_atomic(path, job_text(job))


def _refuse_constant(constant: str) -> None:
    raise ValueError(f"it holds {constant}, which is no number; every length must be finite.")


def _check_header(data: Any, name: str) -> None:
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise JobFileError(f"'{name}' is not a Ledgecliff job: its format is not '{FORMAT}'.")
    version = data.get("version")
    if isinstance(version, int) and version > VERSION:
        raise JobFileError(
            f"'{name}' is of version {version}; this program reads up to {VERSION}. Open it with a newer Ledgecliff."
        )


def first_problem(error: ValidationError) -> str:
    """The first wrong field by its path, what is wrong, what it holds, and how many more there are."""
    problems = error.errors(include_url=False)
    first = problems[0]
    where = path_words(field_path(tuple(first["loc"]))) or "the job"
    held = first.get("input")
    shown = repr(held) if isinstance(held, (int, float, str, bool)) else ""
    holds = f" (it is {shown[:40]}{'…' if len(shown) > 40 else ''})" if shown else ""
    what = {
        "extra_forbidden": "is not a field this program knows; remove it or correct its name",
        "missing": "is missing; add it",
    }.get(first["type"], problem_words(first["msg"]))
    more = f" {len(problems) - 1} more fields are wrong." if len(problems) > 1 else ""
    return f"{where}: {what}{holds}.{more}"
