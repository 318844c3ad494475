"""A job against the register: whose code it uses, and whether what stands there was found for it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ..findings.base import Finding
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
        elif entry.value is not None and not _found_for_it(entry, use):
            found = entry.found_for.words() if entry.found_for is not None else "nobody known"
            yield Finding(
                "OFFSET_STALE",
                "hazard",
                setup.name,
                f"{setup.name}: {entry.code} still holds a value that was found for {found}.",
                "Find it again before anything runs, or forget the value in the register.",
            )


def values_for(job: Job, entries: Iterable[Entry]) -> dict[str, Value]:
    """What the control holds, by code, when this very job runs: values that were found for another are left out."""
    uses = {setup.offset: use_of(job, setup) for setup in job.setups}
    return {
        entry.code: entry.value
        for entry in entries
        if entry.value is not None and entry.code in uses and _found_for_it(entry, uses[entry.code])
    }


def _found_for_it(entry: Entry, use: Use) -> bool:
    """A fixture that stays has its value for whatever it holds."""
    if entry.found_for is not None and entry.found_for.is_for(use):
        return True
    return bool(entry.resident) and entry.resident == use.fixture
