"""A job against the register: whose code it uses, and whether what stands there was found for it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ..finding import Finding
from ..model.job import Job
from .allocation import use_of
from .entries import Entry, Use, Value


def check_offsets(job: Job, entries: Iterable[Entry]) -> Iterator[Finding]:
    """One finding at most for each setup."""
    by_code = {entry.code: entry for entry in entries}
    for setup in job.setups:
        entry, use = by_code.get(setup.offset), use_of(job, setup)
        if entry is None:
            continue
        if entry.use is not None and not entry.use.is_for(use):
            yield Finding(
                "OFFSET_TAKEN",
                "error",
                setup.name,
                f"{setup.name} keeps its zero in {entry.code}, which the register keeps for {entry.use.words()}.",
                "Take another code for one of them, or release it there if that job is done.",
            )
        elif entry.resident and entry.resident != use.fixture:
            yield Finding(
                "OFFSET_TAKEN",
                "error",
                setup.name,
                f"{setup.name} keeps its zero in {entry.code}, which stays with the {entry.resident}.",
                "Take another code for it.",
            )
        elif entry.value is not None and not entry.was_found_for(use):
            yield Finding(
                "OFFSET_STALE",
                "hazard",
                setup.name,
                f"{setup.name}: {entry.code} still holds a value that was found for {_found_for(entry, use)}.",
                "Find it again before anything runs, or forget the value in the register.",
            )


def values_for(job: Job, entries: Iterable[Entry]) -> dict[str, Value]:
    """What the control holds, by code, when this very job runs: values that were found for another are left out."""
    uses = {setup.offset: use_of(job, setup) for setup in job.setups}
    return {
        entry.code: entry.value
        for entry in entries
        if entry.value is not None and entry.code in uses and entry.was_found_for(uses[entry.code])
    }


def _found_for(entry: Entry, use: Use) -> str:
    """In words, also where the setup is called the same."""
    found = entry.found_for
    if found is None:
        return "the fixture, on which this zero does not lie" if entry.resident else "nobody known"
    if not found.is_for(use):
        return found.words()
    if not found.meaning:
        return f"{found.words()} before it was kept what the number means"
    return (
        f"{found.words()} with another zero, orientation, hold, stock or part: by a copy of the job, or before a change"
    )
