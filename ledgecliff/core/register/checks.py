"""A job against the register: whose code it uses, and whether what stands there was found for it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping

from ..finding import Finding
from ..model.job import Job
from ..model.machine import Machine
from ..model.setup import Setup
from .allocation import use_of
from .entries import Entry, Use, Value

#: What controls hold, by the machine's id and the code.
PresentValues = Mapping[tuple[str, str], Value]


def check_offsets(job: Job, entries: Iterable[Entry], machine: Machine | None = None) -> Iterator[Finding]:
    """One finding at most for each setup that goes over the ``machine`` whose ``entries`` these are, the job's first
    where none is named."""
    by_code = {entry.code: entry for entry in entries}
    for setup, code, use in _uses_on(job, machine):
        entry = by_code.get(code)
        if entry is None:
            continue
        if entry.use is not None and not entry.use.is_for(use) and not use.takes_turns_with(entry.use):
            yield Finding(
                "OFFSET_TAKEN",
                "error",
                setup.name,
                f"{_whose(setup, use)} keeps its zero in {entry.code}, which the register keeps for "
                f"{entry.use.words()}.",
                "Take another code for one of them, or release it there if that job is done.",
                about=use.place,
            )
        elif entry.resident and entry.resident != use.fixture:
            yield Finding(
                "OFFSET_TAKEN",
                "error",
                setup.name,
                f"{_whose(setup, use)} keeps its zero in {entry.code}, which stays with the {entry.resident}.",
                "Take another code for it.",
                about=use.place,
            )
        elif entry.value is not None and entry.found_for is not None and _of_another_side(use, entry.found_for):
            yield Finding(
                "OFFSET_OTHER_SIDE",
                "note",
                setup.name,
                f"{setup.name}: {entry.code} holds the zero of {entry.found_for.setup} now, which is not good for it.",
                "Find it again once it is clamped, before anything runs.",
            )
        elif entry.value is not None and not entry.was_found_for(use):
            yield Finding(
                "OFFSET_STALE",
                "hazard",
                setup.name,
                f"{_whose(setup, use)}: {entry.code} still holds a value that was found for {_found_for(entry, use)}.",
                "Find it again before anything runs, or forget the value in the register.",
                about=use.place,
            )


def values_for(job: Job, entries: Iterable[Entry], machine: Machine | None = None) -> dict[tuple[str, str], Value]:
    """What the control of a machine holds when this very job runs: values that were found for another are left out."""
    uses: dict[str, list[Use]] = {}
    for _, code, use in _uses_on(job, machine):
        uses.setdefault(code, []).append(use)
    return {
        ((machine or job.machine).id, entry.code): entry.value
        for entry in entries
        # Of setups that share a code, one's value is not the others'.
        if entry.value is not None and entry.code in uses and all(map(entry.was_found_for, uses[entry.code]))
    }


def _of_another_side(use: Use, found_for: Use) -> bool:
    return use.takes_turns_with(found_for) and not found_for.is_for(use)


def _uses_on(job: Job, machine: Machine | None) -> Iterator[tuple[Setup, str, Use]]:
    """Every offset of the setups on a machine: its code, and what it is kept for."""
    for setup in job.setups:
        if setup.machine == (machine or job.machine).id:
            yield setup, setup.offset, use_of(job, setup)
            for kept in setup.pattern.codes if setup.pattern is not None else ():
                yield setup, kept.offset, use_of(job, setup, kept.key)


def _whose(setup: Setup, use: Use) -> str:
    return f"{setup.name}, {use.instance}" if use.instance else setup.name


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
