"""Which code each setup of a job should have: its own if it has one, its fixture's, the planned one, or a free one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..changing import set_value
from ..errors import RegisterError
from ..model.job import Job, fixture_words
from ..model.machine import Machine
from ..model.pattern import KeptIn
from ..model.setup import Setup
from ..model.stations import IndexAngle, Station
from ..patterns.instances import code_key, keys_of
from ..patterns.places import places_of, station_at
from ..places import station_of
from ..programs.targets import writable_codes
from .entries import Entry, Use, claimed
from .meaning import follows_from_fixture, meaning_of

#: A setup's number, and which of its offsets: empty for its own, else what of its pattern it is kept for.
Wanted = tuple[int, str]


@dataclass(frozen=True)
class Allocation:
    """``why`` says in words how it was chosen; ``planned`` is what the job has now, empty where it has none.  ``key``
    is what of a setup's pattern it is for, empty for the setup's own offset."""

    setup: int
    use: Use
    code: str
    planned: str
    why: str
    key: str = ""

    @property
    def changes(self) -> bool:
        return self.code != self.planned


def use_of(job: Job, setup: Setup, key: str = "") -> Use:
    """Of a setup's own offset, or of the one that is kept for something of its pattern."""
    machine = job.machine_of(setup)
    fixture = fixture_words(machine, setup)[1]
    name, at = _instance(job, setup, key)
    return Use(
        job=job.title,
        setup=setup.name,
        instance=name,
        fixture=fixture,
        meaning=meaning_of(job, setup, at),
        of_fixture=follows_from_fixture(setup, machine.fixture_at(setup.station)),
        job_id=job.id,
        setup_id=setup.id,
        one_for_all=job.codes == "one for all",
        place=key,
    )


def _instance(job: Job, setup: Setup, key: str) -> tuple[str, tuple[Station, tuple[IndexAngle, ...]] | None]:
    """What the first place is called that an offset is kept for, and its station; nothing for the setup's own."""
    pattern = setup.pattern
    if pattern is None or not key:
        return "", None
    master = station_of(job.machine_of(setup), setup)
    place = next((each for each in places_of(pattern) if code_key(pattern, each) == key), None)
    if place is None:
        return key, None
    index = setup.index if place.face is None else place.face.index
    shift = None if pattern.school == "own each" else np.zeros(3)
    words = f"instance {place.name}" if pattern.school == "own each" else f"instances from {place.name} on"
    return words, (station_at(pattern, place, master, shift), index)


def _wanted(job: Job, machine: Machine) -> dict[Wanted, Use]:
    """Every offset that setups on a machine keep zeros in: their own first."""
    mine = [(k, setup) for k, setup in enumerate(job.setups) if setup.machine == machine.id]
    uses = {(k, ""): use_of(job, setup) for k, setup in mine}
    for k, setup in mine:
        if setup.pattern is not None:
            keys = keys_of(setup.pattern, setup.pattern.school)[1:]
            uses |= {(k, key): use_of(job, setup, key) for key in keys}
    return uses


def _planned(job: Job, wanted: Wanted) -> str:
    setup = job.setups[wanted[0]]
    return setup.offset if not wanted[1] or setup.pattern is None else setup.pattern.code(wanted[1]) or ""


def allocate(job: Job, entries: Sequence[Entry], machine: Machine | None = None) -> tuple[Allocation, ...]:
    """A code for every setup that goes over a ``machine`` (the job's first where none is named), and for all that their
    patterns need, each one that programs can write: none for two, or where the job keeps one through all its setups,
    the same for all.

    ``entries`` are the machine's, in the order codes are given out.  Raises RegisterError when there are too few.
    """
    machine = machine or job.machine
    uses = _wanted(job, machine)
    codes = {code.code for code in writable_codes(machine)}
    if job.codes == "one for all":
        return _the_same_for_all(job, uses, [entry for entry in entries if entry.code in codes])
    given: dict[Wanted, tuple[str, str]] = {}
    # One wish after the other, so that no setup gets by chance what another has, or is planned on.
    for wish in (_its_own, _its_fixtures, _as_planned, _a_free_one):
        for wanted, use in uses.items():
            taken = {code for code, _ in given.values()}
            left = [entry for entry in entries if entry.code not in taken and entry.code in codes]
            if wanted not in given and (offer := wish(_planned(job, wanted), use, left)) is not None:
                given[wanted] = offer
    missing = len(uses) - len(given)
    if missing:
        raise _too_few(job, missing)
    return tuple(
        Allocation(wanted[0], use, given[wanted][0], _planned(job, wanted), given[wanted][1], wanted[1])
        for wanted, use in uses.items()
    )


def _the_same_for_all(job: Job, uses: dict[Wanted, Use], entries: Sequence[Entry]) -> tuple[Allocation, ...]:
    """Kept through all setups, each station by itself."""
    given: dict[str, tuple[str, str]] = {}
    for key in dict.fromkeys(key for _, key in uses):
        taken = {code for code, _ in given.values()}
        left = [entry for entry in entries if entry.code not in taken]
        mine = {wanted: use for wanted, use in uses.items() if wanted[1] == key}
        offers = (
            wish(_planned(job, wanted), use, left)
            for wish in (_its_own, _its_fixtures, _as_planned, _a_free_one)
            for wanted, use in mine.items()
        )
        offer = next((each for each in offers if each is not None), None)
        if offer is None:
            raise _too_few(job, 1)
        given[key] = offer
    return tuple(
        Allocation(k, use, given[key][0], _planned(job, (k, key)), f"kept through all setups; {given[key][1]}", key)
        for (k, key), use in uses.items()
    )


def _too_few(job: Job, missing: int) -> RegisterError:
    return RegisterError(
        job.title,
        f"{missing} more work offset{'s are' if missing > 1 else ' is'} needed and none is free; "
        "release those of jobs that are done",
    )


def claims(entries: Sequence[Entry], allocations: Sequence[Allocation]) -> tuple[Entry, ...]:
    """What is to be written so that every setup has its code; one that setups take turns with goes to the first of
    them, unless one of them has it.  Raises RegisterError."""
    now = {entry.code: entry for entry in entries}
    written: dict[str, Entry] = {}
    for each in allocations:
        entry = now[each.code]
        has_it = entry.use is not None and any(entry.use == other.use for other in allocations)
        if not has_it and each.code not in written:
            written[each.code] = claimed(entry, each.use, entries)
    return tuple(written.values())


Offer = tuple[str, str]


def _its_own(_planned: str, use: Use, left: Sequence[Entry]) -> Offer | None:
    own = next((entry for entry in left if entry.use is not None and entry.use.is_for(use)), None)
    return None if own is None else (own.code, "has it already")


def _its_fixtures(_planned: str, use: Use, left: Sequence[Entry]) -> Offer | None:
    resident = next((entry for entry in left if entry.resident == use.fixture and entry.use is None), None)
    return None if resident is None else (resident.code, f"stays with the {use.fixture}")


def _as_planned(planned: str, _use: Use, left: Sequence[Entry]) -> Offer | None:
    found = next((entry for entry in left if entry.is_free and entry.code == planned), None)
    return None if found is None else (found.code, "as planned")


def _a_free_one(_planned: str, _use: Use, left: Sequence[Entry]) -> Offer | None:
    """One without an old value first: nothing of another job can be run on it by mistake."""
    free = [entry for entry in left if entry.is_free]
    best = next((entry for entry in free if entry.value is None), next(iter(free), None))
    return None if best is None else (best.code, "free")


def allocated(job: Job, allocations: Sequence[Allocation]) -> Job:
    """The job with the codes it was given."""
    for each in allocations:
        if not each.changes:
            continue
        pattern = job.setups[each.setup].pattern
        if not each.key or pattern is None:
            job = set_value(job, ("setups", each.setup, "offset"), each.code)
            continue
        others = tuple(kept for kept in pattern.codes if kept.key != each.key)
        codes = (*others, KeptIn(key=each.key, offset=each.code))
        job = set_value(job, ("setups", each.setup, "pattern", "codes"), codes)
    return job
