"""What else could give an axis its zero: each source tried on a copy of the job, with what it costs and what it brings.

The expected error is the error budget's: from what was cut in the setup before to what is cut here, in the first setup
from what gives the zero.  Touches are those that are planned; everything else is asked of all rules again.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from .budget.pair import Enters
from .budget.sides import off_its_zero
from .datums import DatumChoice, datum_choices
from .edits.cycles import propose_again
from .edits.lying import set_datum
from .errors import CancelledError, LedgecliffError
from .finding import SEVERITIES, Finding, Severity
from .frames import AXES, Axis
from .model.job import Job
from .plan import Plan, make_plan
from .quantities import said
from .remedies.tried import Judge, that_come

#: So many of what enters are told.
_TOLD = 4
_ARTICLES: dict[Severity, str] = {"hazard": "a hazard", "error": "an error", "warning": "a warning", "note": "a note"}


@dataclass(frozen=True)
class ZeroCandidate:
    """A source of an axis' zero.

    ``moves`` is how far along the machine's axis it puts the zero (mm), ``expected`` the error that 95 % stay within
    (mm), which what ``enters`` adds up to; ``touches`` are all of the setup.  ``come`` is found only with it, the worst
    first (with the present one what another would clear and bring nothing bad), and ``gone`` is what is found no more.
    Where it cannot be planned ``why_not`` says why, and no figure counts.
    """

    axis: Axis
    choice: DatumChoice
    is_now: bool
    moves: float = 0.0
    expected: float = 0.0
    enters: tuple[Enters, ...] = ()
    touches: int = 0
    come: tuple[Finding, ...] = ()
    gone: tuple[Finding, ...] = ()
    why_not: str = ""

    @property
    def can_be(self) -> bool:
        """Nothing that would stop the work comes with it."""
        return not self.why_not and not any(each.severity in ("hazard", "error") for each in self.come)

    def says(self) -> str:
        """What enters its error, and what is found with it, with lengths to be spelled."""
        if self.why_not:
            return self.why_not
        parts = ", ".join(f"{part.source.name} {said(part.u)}" for part in self.enters[:_TOLD]) or "nothing enters"
        if len(self.enters) > _TOLD:
            parts += f", and {len(self.enters) - _TOLD} smaller"
        words = [f"Expected error ±{said(self.expected)}: {parts} (one standard deviation each)."]
        if self.is_now:
            words.append("It is what gives the zero now.")
        if self.gone:
            words.append(f"Clears {len(self.gone)} of what is found now.")
        if self.come:
            others = f", and {len(self.come) - 1} more" if len(self.come) > 1 else ""
            words.append(f"Brings {_ARTICLES[self.come[0].severity]}{others}: {self.come[0].fact}")
        return " ".join(words)


def with_zero(job: Job, setup: int, axis: Axis, choice: DatumChoice) -> Job:
    """That source taken; steps that a setup has of its own are proposed again, so that they find this zero."""
    after = set_datum(job, setup, axis, choice.source, choice.feature, choice.dowel, choice.face)
    return after if job.setups[setup].probing.cycles is None else propose_again(after, setup)


def compared(
    plan: Plan,
    setup: int,
    axis: Axis,
    found: Sequence[Finding],
    judge: Judge,
    cancelled: Callable[[], bool] = lambda: False,
) -> Iterator[ZeroCandidate]:
    """Everything that can give an axis of a setup its zero, in the order it is offered, the present one last: what
    speaks against that is known by what the others clear.

    ``found`` stands against the plan, ``judge`` finds all there is against another.  Raises CancelledError once
    ``cancelled``, or where ``judge`` does.
    """
    now = plan.job.setups[setup].datum.axis(axis)
    present: DatumChoice | None = None
    cleared: dict[tuple[str, str, str], Finding] = {}
    for choice in datum_choices(axis, plan.job, setup):
        if cancelled():
            raise CancelledError
        if choice.is_of(now):
            present = choice
            continue
        try:
            after = make_plan(with_zero(plan.job, setup, axis, choice), plan.models)
            left = judge(after)
        except CancelledError:
            raise
        except LedgecliffError as error:
            yield ZeroCandidate(axis, choice, False, why_not=str(error))
            continue
        come, gone = that_come(found, left), that_come(left, found)
        candidate = _candidate(plan, after, setup, axis, choice, come, gone)
        if candidate.can_be:
            cleared |= {each.key: each for each in gone}
        yield candidate
    if present is not None:
        yield _candidate(plan, plan, setup, axis, present, list(cleared.values()), [], is_now=True)


def best_first(candidates: Sequence[ZeroCandidate]) -> tuple[ZeroCandidate, ...]:
    """Those that can be before those that cannot, then the least error, then the fewest touches."""
    return tuple(sorted(candidates, key=lambda c: (not c.can_be, bool(c.why_not), round(c.expected, 6), c.touches)))


def _candidate(
    before: Plan,
    after: Plan,
    setup: int,
    axis: Axis,
    choice: DatumChoice,
    come: Sequence[Finding],
    gone: Sequence[Finding],
    *,
    is_now: bool = False,
) -> ZeroCandidate:
    mine, k = after.setups[setup], AXES.index(axis)
    pair = off_its_zero(after, setup, axis)
    return ZeroCandidate(
        axis,
        choice,
        is_now,
        float(mine.wcs.u_origin[k] - before.setups[setup].wcs.u_origin[k]),
        pair.expanded,
        pair.enters,
        sum(len(step.touches) for step in mine.probing.steps),
        tuple(sorted(come, key=lambda each: SEVERITIES.index(each.severity))),
        tuple(gone),
    )
