"""The record in rows and words."""

from __future__ import annotations

from collections.abc import Mapping

from .drift import Drift
from .entries import Kind, RecordEntry, SubjectKind

#: What entries of a kind are called.
KIND_WORDS: Mapping[Kind, str] = {
    "offset": "offset written", "touch": "touched", "measured": "measured", "tape": "touched off by hand",
    "rehearsal": "rehearsed", "ticked": "ticked off", "release": "released", "override": "overridden", "note": "note",
    "mark": "mark",
}  # fmt: skip
#: So many numbers and names are told in a row, of what it is about that which says most first.
_FEW = 2
_SAYS_MOST: tuple[SubjectKind, ...] = (
    "feature", "instance", "run", "fixture", "setup", "job", "tool", "batch", "thing", "offset", "station", "probe",
    "machine",
)  # fmt: skip


def row_of(entry: RecordEntry) -> tuple[str, ...]:
    """When, what it is, in words, numbers, about what, who."""
    on = sorted(entry.on, key=lambda subject: _SAYS_MOST.index(subject.kind))
    about = list(dict.fromkeys(subject.name or subject.id for subject in on))
    numbers = [f"{name} {value:g}" for name, value in entry.numbers.items()]
    kind = KIND_WORDS[entry.kind]
    if entry.corrects is not None:
        kind += ", withdrawn" if entry.withdrawn else ", corrected"
    return (entry.at[:16].replace("T", " "), kind, entry.what, _few(numbers), _few(about), entry.by)


def _few(words: list[str]) -> str:
    shown = ", ".join(words[:_FEW])
    return shown if len(words) <= _FEW else f"{shown} and {len(words) - _FEW} more"


def entry_words(entry: RecordEntry) -> list[str]:
    """All of an entry."""
    where = f" at {entry.workstation}" if entry.workstation else ""
    said = [f"{KIND_WORDS[entry.kind]}, {entry.at}, {entry.by}{where}"]
    if entry.corrects is not None:
        said.append(f"In place of {entry.corrects}{', which is withdrawn' if entry.withdrawn else ''}.")
    said += [entry.what] if entry.what else []
    said += [f"{subject.kind}: {subject.name or subject.id}" for subject in entry.on]
    said += [f"{name}  {value:g}" for name, value in entry.numbers.items()]
    said += [f"{name}: {value}" for name, value in entry.data.items() if value not in ("", None, [], {})]
    return said


def drift_words(found: Drift) -> list[str]:
    """What a number against time says."""
    if found.limits is None:
        lacking = f"{found.lacking} value{'s' if found.lacking != 1 else ''} more"
        return [f"{len(found.values)} values. No limits yet: {lacking} since the last mark are needed."]
    limits, values = found.limits, found.values
    jumps = ", ".join(f"{values[jump.index].at[:16].replace('T', ' ')} ({jump.why})" for jump in found.jumps)
    within = f"limits {limits.low:+.4f} to {limits.high:+.4f} of its own scatter"
    said = [f"{len(values)} values; mean {limits.mean:+.4f}, {within}."]
    said += [f"Jumps: {jumps}."] if jumps else []
    return [*said, *([found.proposal] if found.proposal else [])]
