"""Which code each setup of a job should have: its own if it has one, its fixture's, the planned one, or a free one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..changing import set_value
from ..errors import RegisterError
from ..model.job import Job, fixture_words
from ..model.machine import Machine
from ..model.setup import Setup
from ..programs.targets import writable_codes
from .entries import Entry, Use, claimed
from .meaning import follows_from_fixture, meaning_of


@dataclass(frozen=True)
class Allocation:
    """``why`` says in words how it was chosen; ``planned`` is what the job has now."""

    setup: int
    use: Use
    code: str
    planned: str
    why: str

    @property
    def changes(self) -> bool:
        return self.code != self.planned


def use_of(job: Job, setup: Setup) -> Use:
    machine = job.machine_of(setup)
    fixture = fixture_words(machine, setup)[1]
    return Use(
        job=job.title,
        setup=setup.name,
        fixture=fixture,
        meaning=meaning_of(job, setup),
        of_fixture=follows_from_fixture(setup, machine.fixture_at(setup.station)),
        job_id=job.id,
        setup_id=setup.id,
        one_for_all=job.codes == "one for all",
    )


def allocate(job: Job, entries: Sequence[Entry], machine: Machine | None = None) -> tuple[Allocation, ...]:
    """A code for every setup that goes over a ``machine`` (the job's first where none is named), each one that programs
    can write: none for two, or where the job keeps one through all its setups, the same for all.

    ``entries`` are the machine's, in the order codes are given out.  Raises RegisterError when there are too few.
    """
    machine = machine or job.machine
    uses = {k: use_of(job, setup) for k, setup in enumerate(job.setups) if setup.machine == machine.id}
    codes = {code.code for code in writable_codes(machine)}
    if job.codes == "one for all":
        return _the_same_for_all(job, uses, [entry for entry in entries if entry.code in codes])
    given: dict[int, tuple[str, str]] = {}
    # One wish after the other, so that no setup gets by chance what another has, or is planned on.
    for wish in (_its_own, _its_fixtures, _as_planned, _a_free_one):
        for k, use in uses.items():
            setup = job.setups[k]
            taken = {code for code, _ in given.values()}
            left = [entry for entry in entries if entry.code not in taken and entry.code in codes]
            if k not in given and (offer := wish(setup, use, left)) is not None:
                given[k] = offer
    missing = len(uses) - len(given)
    if missing:
        raise _too_few(job, missing)
    return tuple(Allocation(k, use, given[k][0], job.setups[k].offset, given[k][1]) for k, use in uses.items())


def _the_same_for_all(job: Job, uses: dict[int, Use], entries: Sequence[Entry]) -> tuple[Allocation, ...]:
    for wish in (_its_own, _its_fixtures, _as_planned, _a_free_one):
        for k, use in uses.items():
            if (offer := wish(job.setups[k], use, entries)) is not None:
                code, why = offer
                rest = f"kept through all setups; {why}"
                return tuple(Allocation(n, each, code, job.setups[n].offset, rest) for n, each in uses.items())
    raise _too_few(job, 1)


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


def _its_own(_setup: Setup, use: Use, left: Sequence[Entry]) -> Offer | None:
    own = next((entry for entry in left if entry.use is not None and entry.use.is_for(use)), None)
    return None if own is None else (own.code, "has it already")


def _its_fixtures(_setup: Setup, use: Use, left: Sequence[Entry]) -> Offer | None:
    resident = next((entry for entry in left if entry.resident == use.fixture and entry.use is None), None)
    return None if resident is None else (resident.code, f"stays with the {use.fixture}")


def _as_planned(setup: Setup, _use: Use, left: Sequence[Entry]) -> Offer | None:
    planned = next((entry for entry in left if entry.is_free and entry.code == setup.offset), None)
    return None if planned is None else (planned.code, "as planned")


def _a_free_one(_setup: Setup, _use: Use, left: Sequence[Entry]) -> Offer | None:
    """One without an old value first: nothing of another job can be run on it by mistake."""
    free = [entry for entry in left if entry.is_free]
    best = next((entry for entry in free if entry.value is None), next(iter(free), None))
    return None if best is None else (best.code, "free")


def allocated(job: Job, allocations: Sequence[Allocation]) -> Job:
    """The job with the codes it was given."""
    for each in allocations:
        if each.changes:
            job = set_value(job, ("setups", each.setup, "offset"), each.code)
    return job
