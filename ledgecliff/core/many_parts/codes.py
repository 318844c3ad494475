"""How many work offsets a setup's pattern needs, how many are free for it, and which each place gets.

Free are the offsets that the machine's programs can write, less those of fixtures that stay, of other jobs in the
register, and of what else this job does on that machine.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import get_args

from ..changing import set_value
from ..errors import InvalidValueError
from ..model.bench import MakeFixture
from ..model.job import Job, fixture_words
from ..model.pattern import KeptIn, Pattern, School
from ..patterns.instances import keys_of, pattern_of
from ..programs.targets import used_by, writable_codes
from ..register.entries import Entry

SCHOOLS: tuple[School, ...] = get_args(School)


@dataclass(frozen=True)
class Codes:
    """How many offsets a school needs for a setup, and which there are for it, its own among them."""

    school: School
    needed: int
    free: tuple[str, ...]

    @property
    def short(self) -> int:
        """By how many it does not fit."""
        return max(self.needed - len(self.free), 0)


def codes_of_setup(job: Job, number: int, entries: Iterable[Entry] = (), school: School | None = None) -> Codes:
    """What a setup needs in a ``school``, its own where none is named; ``entries`` are the register's of its
    machine."""
    pattern = pattern_of(job, number) or Pattern()
    chosen = pattern.school if school is None else school
    return Codes(chosen, len(keys_of(pattern, chosen)), free_for(job, number, entries))


def free_for(job: Job, number: int, entries: Iterable[Entry] = ()) -> tuple[str, ...]:
    """The offsets that a setup's pattern may have, in the order of the control's list, its own first."""
    setup = job.setups[number]
    machine = job.machine_of(setup)
    fixture = fixture_words(machine, setup)[1]
    others = [each for k, each in enumerate(job.setups) if k != number and each.machine == machine.id]
    taken = {code for each in others for code in used_by(each)} - {setup.offset}
    taken |= {step.offset for step in job.bench if isinstance(step, MakeFixture)} - {setup.offset}
    # What its own cycles write besides is no place of the pattern.
    taken |= used_by(setup.model_copy(update={"pattern": None})) - {setup.offset}
    taken |= {entry.code for entry in entries if _is_taken(entry, job, fixture)}
    codes = [code.code for code in writable_codes(machine)]
    own = [setup.offset] if setup.offset in codes else []
    return (*own, *(code for code in codes if code not in taken and code != setup.offset))


def _is_taken(entry: Entry, job: Job, fixture: str) -> bool:
    of_another = entry.use is not None and (entry.use.job_id or entry.use.job) not in (job.id, job.title)
    return of_another or bool(entry.resident and entry.resident != fixture)


def with_school(job: Job, number: int, school: School, entries: Sequence[Entry] = ()) -> Job:
    """A setup's pattern in a ``school``, each place, face or group with an offset: those it has, then free ones.

    Raises InvalidValueError where there are too few, saying by how many.
    """
    pattern = job.setups[number].pattern or Pattern()
    codes = codes_of_setup(job, number, entries, school)
    if codes.short:
        raise InvalidValueError(
            "offsets",
            f"'{school}' needs {codes.needed} work offsets and {len(codes.free)} are free: {codes.short} too few; "
            "choose another way, release those of jobs that are done, or state more of them on Release",
        )
    keys = keys_of(pattern, school)[1:]
    kept = {key: code for key in keys if (code := pattern.code(key)) in codes.free[1:]}
    left = iter(code for code in codes.free[1:] if code not in kept.values())
    given = tuple(KeptIn(key=key, offset=kept.get(key) or next(left)) for key in keys)
    path = ("setups", number, "pattern")
    return set_value(job, path, pattern.model_copy(update={"school": school, "codes": given}))
