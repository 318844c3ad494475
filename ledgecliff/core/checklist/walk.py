"""A checklist gone through at the machine: one thing after the other, what was read, what is in the record of it."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from ..errors import InvalidValueError
from ..model.job import Job
from ..plan import Plan
from ..quantities import said, said_signed, spell
from ..record.entries import RecordEntry, standing
from ..record.made import Draft
from ..record.subjects import of_job, of_setup
from ..record.times import moment
from ..release.resting import resting_of
from .checks import Check, checks_of

#: Under which an entry says which check it is of, of which list, and whether it is done.
_CHECK, _OF, _STATE, _PART = "check", "of", "state", "part"
DONE, LEFT, AGAIN = "done", "left out", "to be done again"


@dataclass(frozen=True)
class Walk:
    """The checks of setup ``index``, what has become of each (by its number from 0), and at which one it stands."""

    index: int
    of: str
    checks: tuple[Check, ...]
    states: Mapping[int, str] = field(default_factory=dict)
    at: int = 0

    @property
    def check(self) -> Check:
        return self.checks[self.at]

    @property
    def is_over(self) -> bool:
        return all(self.states.get(k) in (DONE, LEFT) for k in range(len(self.checks)))

    def left_out(self) -> list[Check]:
        return [check for k, check in enumerate(self.checks) if self.states.get(k) == LEFT]

    def moved(self, by: int) -> Walk:
        return replace(self, at=min(max(self.at + by, 0), len(self.checks) - 1))

    def with_state(self, state: str) -> Walk:
        """With the present check so; done or left out, it goes on to the next that is neither."""
        states = {**self.states, self.at: state}
        after = [*range(self.at + 1, len(self.checks)), *range(self.at)]
        on = next((k for k in after if states.get(k) not in (DONE, LEFT)), self.at)
        return replace(self, states=states, at=self.at if state == AGAIN else on)


def walk_of(plan: Plan, index: int, entries: Sequence[RecordEntry] = ()) -> Walk:
    """Where it was left, as far as nothing that matters has changed since."""
    checks, of = checks_of(plan, index), _list_id(plan.job, index)
    states: dict[int, str] = {}
    for entry in sorted(standing(entries), key=lambda each: moment(each.at)):
        number = entry.data.get(_CHECK)
        if (
            entry.kind == "ticked"
            and entry.data.get(_OF) == of
            and isinstance(number, int)
            and 0 <= number < len(checks)
        ):
            states[number] = str(entry.data.get(_STATE))
    first = next((k for k in range(len(checks)) if states.get(k) not in (DONE, LEFT)), 0)
    return Walk(index, of, checks, states, first)


def _list_id(job: Job, index: int) -> str:
    text = json.dumps([job.id, job.setups[index].id, dict(resting_of(job, index))], sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()[:16]


def refusal(check: Check, read: float | None) -> str:
    """Why a check cannot be ticked off with what was read (mm), lengths to be spelled; empty where it can."""
    asked = check.asked
    if asked is None:
        return ""
    if read is None:
        return f"{asked.what}: type what was read; expected is {said_signed(asked.expected)}."
    if asked.is_right(read):
        return ""
    off = abs(read - asked.expected)
    return (
        f"NOT RIGHT: {said_signed(read)} was read, {said_signed(asked.expected)} is expected; that is {said(off)} off, "
        f"and at most {said(asked.within)} may be. Stop, and look how it lies."
    )


def of_check(job: Job, walk: Walk, state: str, read: float | None) -> Draft:
    """What goes into the record of the present check.  Raises InvalidValueError where it cannot be ticked off so."""
    check, setup = walk.check, job.setups[walk.index]
    if state == DONE and (why := refusal(check, read)):
        raise InvalidValueError(f"{setup.name}, step {walk.at + 1}", why)
    numbers = {}
    if read is not None and check.asked is not None:
        numbers = {spell(check.asked.what, "mm"): read, "off": read - check.asked.expected}
    words = spell(check.words, "mm")
    return Draft(
        "ticked", f"{setup.name}, step {walk.at + 1} of {len(walk.checks)}, {words}: {state}",
        (of_job(job), of_setup(job, setup)), numbers,
        {_CHECK: walk.at, _OF: walk.of, _STATE: state, _PART: check.part},
    )  # fmt: skip
