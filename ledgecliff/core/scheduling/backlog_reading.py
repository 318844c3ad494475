"""A backlog as a table: one job a line (docs/run-files.md)."""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Iterable, Sequence

from ..errors import InvalidValueError
from ..plain_text import harmless_cell, plain_cell
from .backlog import BacklogJob, Step
from .problem import Tool, tool_words

#: No more jobs are split, and none is longer (minutes).
_MOST, _LONGEST = 500, 100_000.0
_COLUMNS = ("name", "kind", "stations", "offsets", "tools", "minutes", "due_h", "steps", "load")
_NEEDED = ("name", "kind")


def read_backlog(text: str) -> tuple[BacklogJob, ...]:
    """Raises InvalidValueError that names line and column, what is wrong and what to do."""
    head = text.lstrip("\ufeff").splitlines()[:1]
    if not head or not head[0].strip():
        raise InvalidValueError("backlog", f"is empty; begin with a line of headings: {', '.join(_COLUMNS)}")
    apart = max(";\t,", key=head[0].count)
    rows = csv.DictReader(io.StringIO(text.lstrip("\ufeff")), delimiter=apart, skipinitialspace=True)
    columns = [name.strip().lower() for name in rows.fieldnames or ()]
    unknown = [name for name in columns if name not in _COLUMNS]
    lacking = [name for name in _NEEDED if name not in columns]
    if unknown or lacking:
        what = f"no column '{lacking[0]}'" if lacking else f"a column '{unknown[0]}' that is not known"
        raise InvalidValueError("backlog, line 1", f"has {what}; the headings are {', '.join(_COLUMNS)}")
    jobs: list[BacklogJob] = []
    for row in rows:
        cells = {
            (name or "").strip().lower(): plain_cell(cell.strip())
            for name, cell in row.items()
            if isinstance(cell, str)
        }
        if None in row:
            raise InvalidValueError(
                f"backlog, line {rows.line_num}", "has more cells than headings; quote what has commas"
            )
        if any(cells.values()):
            jobs.append(_job(cells, rows.line_num, apart != ","))
        if len({job.name for job in jobs}) < len(jobs):
            raise InvalidValueError(f"backlog, line {rows.line_num}", f"'{jobs[-1].name}' is there twice; rename one")
    if not jobs or len(jobs) > _MOST:
        raise InvalidValueError("backlog", f"has {len(jobs)} jobs; give 1 to {_MOST}")
    return tuple(jobs)


def _job(cells: dict[str, str], line: int, decimal_comma: bool) -> BacklogJob:
    def where(column: str) -> str:
        return f"backlog, line {line}, {column}"

    def number(column: str, text: str, least: float = 0.0) -> float:
        try:
            value = float(text.replace(",", ".") if decimal_comma else text)
        except ValueError:
            raise InvalidValueError(where(column), f"'{text}' is no number; write one such as 45") from None
        if not math.isfinite(value) or not least <= value <= _LONGEST:
            raise InvalidValueError(where(column), f"'{text}' is not from {least:g} to {_LONGEST:g}; correct it")
        return value

    def count(column: str) -> int:
        value = number(column, cells.get(column) or "1", 1.0)
        if value != int(value) or value > 1000:
            raise InvalidValueError(where(column), f"'{cells[column]}' is no whole number up to 1000; correct it")
        return int(value)

    for column in _NEEDED:
        if not cells.get(column) or len(cells[column]) > 200:
            raise InvalidValueError(where(column), "is missing; write 1 to 200 letters")
    if bool(cells.get("steps")) == bool(cells.get("minutes")):
        raise InvalidValueError(where("minutes"), "say minutes and tools, or steps such as '12 T1 T2 | wait 60 | 8 T3'")
    if cells.get("steps"):
        steps = steps_of(cells["steps"], where("steps"))
    else:
        steps = (Step(number("minutes", cells["minutes"]), _tools(cells.get("tools", ""))),)
    due = number("due_h", cells["due_h"]) * 60.0 if cells.get("due_h") else None
    load = count("load") - 1 if cells.get("load") else None
    return BacklogJob(cells["name"], cells["kind"], steps, count("stations"), count("offsets"), due, load)


def _number(text: str) -> float:
    """Raises ValueError."""
    value = float(text.replace(",", "."))
    if not math.isfinite(value) or not 0.0 <= value <= _LONGEST:
        raise ValueError
    return value


def steps_of(text: str, where: str) -> tuple[Step, ...]:
    """Such as ``12 T1 T2 | wait 60 | 8 T3``.  Raises InvalidValueError that names the part that is wrong."""
    found, wait = list[Step](), 0.0
    for part in text.split("|"):
        words = part.split()
        try:
            if len(words) == 2 and words[0] == "wait":
                wait += _number(words[1])
                continue
            if not words or words[0] == "wait":
                raise ValueError
            found.append(Step(_number(words[0]), _tools(" ".join(words[1:])), wait))
        except ValueError:
            why = (
                f"'{part.strip()}' is neither minutes with tools nor a wait; write such as '12 T1 T2 | wait 60 | 8 T3'"
            )
            raise InvalidValueError(where, why) from None
        wait = 0.0
    if wait or not found:
        raise InvalidValueError(where, "end with a wait that nothing follows; take it out, or say what comes after")
    return tuple(found)


def steps_words(steps: Sequence[Step]) -> str:
    """As ``steps_of`` reads them."""
    parts = list[str]()
    for step in steps:
        parts += [f"wait {step.wait:g}"] if step.wait else []
        parts.append(" ".join([f"{step.minutes:g}", *map(tool_words, step.tools)]))
    return " | ".join(parts)


def backlog_table(jobs: Iterable[BacklogJob]) -> str:
    """A table that ``read_backlog`` reads."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(("name", "kind", "stations", "offsets", "steps", "due_h", "load"))
    for job in jobs:
        due = "" if job.due is None else f"{job.due / 60.0:.6g}"
        load = "" if job.load is None else str(job.load + 1)
        cells = (job.name, job.kind, str(job.stations), str(job.offsets), steps_words(job.steps), due, load)
        writer.writerow([harmless_cell(cell) for cell in cells])
    return out.getvalue()


def _tools(text: str) -> tuple[Tool, ...]:
    return tuple(dict.fromkeys(word for word in re.split(r"[\s,;+/]+", text) if word))


def read_stations(text: str) -> dict[str, int]:
    """Stations by kind, such as ``vise 2, plate 1``.  Raises InvalidValueError."""
    found: dict[str, int] = {}
    for words in text.split(","):
        kind, _, count = words.strip().rpartition(" ")
        if not kind or not count.isdecimal() or kind in found:
            raise InvalidValueError(
                "stations", f"'{words.strip()}' is no kind with its number; write 'vise 2, plate 1'"
            )
        found[kind] = int(count)
    return found
