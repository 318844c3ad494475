"""What the record says against a plan: notes on what a setup uses, and what drifts there."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from ..finding import Finding
from ..model.job import Job
from ..plain_text import one_line
from ..quantities import said_signed
from .drift import drift_of
from .entries import Kind, RecordEntry, Subject, standing
from .figures import figure_findings, lot_of
from .subjects import subjects_of_setup

#: Kinds of entries that hold numbers of a fixture, and what is looked at of an offset from what was expected.
DRIFTING: tuple[Kind, ...] = ("touch", "measured", "mark")
_OFF = " off"
#: Of these a note is said once, not in every setup.
_OF_THE_JOB = ("job", "machine")


def subjects_used(job: Job) -> list[Subject]:
    """Everything that any setup of the job uses, each once."""
    lot = lot_of(job.stock)
    used = [each for setup in job.setups for each in subjects_of_setup(job, setup)]
    return list(dict.fromkeys([*used, *([] if lot is None else [lot])]))


def record_findings(job: Job, entries: Sequence[RecordEntry]) -> tuple[Finding, ...]:
    """Of entries about what the job uses, their corrections among them."""
    notes = [each for each in standing(entries) if each.kind == "note"]
    found = [*_notes(job, notes), *_drifts(job, entries), *figure_findings(job, entries)]
    return tuple({finding.key: finding for finding in found}.values())


def _notes(job: Job, notes: Sequence[RecordEntry]) -> Iterator[Finding]:
    for setup in job.setups:
        used = {(each.kind, each.id): each for each in subjects_of_setup(job, setup)}
        for note in notes:
            pinned = [used[each.kind, each.id] for each in note.on if (each.kind, each.id) in used]
            if not pinned:
                continue
            on = ", ".join(f"{each.kind} {each.name}" for each in pinned)
            at = "" if all(each.kind in _OF_THE_JOB for each in pinned) else setup.name
            yield Finding(
                "RECORD_NOTE", "note", at, f"Note on {on} ({note.by}, {note.at[:10]}): {one_line(note.what)}",
                "Look at it before this is used; withdraw the note in the record once it does not hold any more.",
                about=note.id,
            )  # fmt: skip


def _drifts(job: Job, entries: Sequence[RecordEntry]) -> Iterator[Finding]:
    """A fixture of which the newest value has jumped out of what it did before."""
    for setup in job.setups:
        for fixture in subjects_of_setup(job, setup):
            if fixture.kind != "fixture":
                continue
            mine = [each for each in entries if each.is_about("fixture", fixture.id)]
            for number in _numbers(mine):
                found = drift_of(mine, number)
                if not found.jumps or found.jumps[-1].index != len(found.values) - 1 or found.limits is None:
                    continue
                newest, limits = found.values[-1], found.limits
                yield Finding(
                    "FIXTURE_DRIFTS", "warning", setup.name,
                    f"{fixture.name}: '{number}' was {said_signed(newest.value)} on {newest.at[:10]}, "
                    f"{found.jumps[-1].why}; it used to be {said_signed(limits.low)} to {said_signed(limits.high)}.",
                    "Look for a chip, a loose clamp or a blow, find the fixture again, and mark in the record what has "
                    "changed.", about=f"{fixture.id} {number}",
                )  # fmt: skip


def _numbers(entries: Iterable[RecordEntry]) -> list[str]:
    """Those that say how far something was off where it was expected, and what was measured by hand."""
    return sorted({
        name for each in entries for name in each.numbers if name.endswith(_OFF) or each.kind == "measured"
    })  # fmt: skip
