"""What a fix has changed, in words."""

from __future__ import annotations

from ..changing import path_words, value_at
from ..finding import Fix
from ..model.job import Job
from ..quantities import said_unsigned


def said_changes(before: Job, after: Job, fix: Fix) -> str:
    """Each value that was and is, with lengths to be spelled; a change with no single value to show by its name."""
    told = []
    for path, _ in fix.changes:
        old, new = _word(value_at(before, path)), _word(value_at(after, path))
        if old == new and old:
            continue
        name = _named(before, path)
        told.append(f"{name} {old} → {new}" if old and new else f"{name} is another one")
    return "; ".join(told)


def _named(job: Job, path: tuple[str | int, ...]) -> str:
    """A path as a person would say it, a setup by its name."""
    if len(path) > 2 and path[0] == "setups" and isinstance(path[1], int):
        return f"{job.setups[path[1]].name}, {path_words(path[2:])}"
    if len(path) > 3 and path[0] == "machines":
        return path_words(path[2:])
    return path_words(path)


def _word(value: object) -> str:
    """Empty for what is no single value."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return said_unsigned(value)
    return str(value) if isinstance(value, str | int) else ""
