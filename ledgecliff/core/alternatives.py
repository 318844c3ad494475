"""What else could give each setup its place, with what it costs: the cheapest that keeps the tolerance first.

Every other source of a zero along X and Y, alone and both from one feature, is tried on a copy of the job; how far off
what the setup makes may be is the error budget's word for that copy.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from .budget.budget import Budget, Pair, budget_of
from .comparing_zeros import with_zero
from .datums import DatumChoice, datum_choices, source_height
from .errors import CancelledError, LedgecliffError
from .frames import Axis
from .model.job import Job
from .model.setup import SOURCES, AxisDatum
from .plan import Plan, make_plan
from .probing.duration import probing_seconds
from .quantities import Unit, format_length

#: What is no further apart is one face (mm).
_ONE_PLACE = 1e-6
#: Nearer by less than this is not worth a change (mm).
_WORTH_SAYING = 5e-4
_PLAN_AXES: tuple[Axis, Axis] = ("x", "y")


@dataclass(frozen=True)
class Cost:
    """What a setup's zero takes: ``minutes`` of probing and its ``touches``, and the work offsets of the whole job."""

    minutes: float
    touches: int
    codes: int


@dataclass(frozen=True, eq=False)
class Alternative:
    """For a setup (its number), in words what is changed, empty for how it is; the ``job`` with it.

    ``pair`` is the worst of those that the setup makes, by its share of the tolerance where one has any; None where it
    makes none.  ``keeps`` says whether all with a tolerance keep the stated share of it, None where none has one.
    """

    setup: int
    change: str
    job: Job
    pair: Pair | None
    cost: Cost
    keeps: bool | None

    @property
    def is_now(self) -> bool:
        return not self.change

    @property
    def name(self) -> str:
        return self.change or "as it is now"

    @property
    def expanded(self) -> float | None:
        return None if self.pair is None else self.pair.expanded

    @property
    def rank(self) -> tuple[object, ...]:
        """Those that keep it before those that do not; of those the cheapest; without a tolerance the nearest."""
        off = math.inf if self.expanded is None else round(self.expanded, 5)
        cost = (self.cost.codes, round(self.cost.minutes, 3), self.cost.touches)
        if self.keeps:
            return (0, *cost, off, not self.is_now, self.change)
        return (1, off, *cost, not self.is_now, self.change)


def alternatives(plan: Plan, setup: int, cancelled: Callable[[], bool] = lambda: False) -> tuple[Alternative, ...]:
    """All for one setup, the best first; what cannot be planned, or sets an axis by nothing, is left out.  Raises
    CancelledError once ``cancelled``."""
    found = [_as_is(plan, setup)]
    for change, job in _changes(plan, setup):
        if cancelled():
            raise CancelledError
        try:
            after = make_plan(job, plan.models)
            if _is_found(after, setup):
                found.append(_with(after, setup, change))
        except CancelledError:
            raise
        except LedgecliffError:
            continue
    return tuple(sorted(found, key=lambda each: each.rank))


def said_of(ranked: Sequence[Alternative], unit: Unit) -> str:
    """Which is the best and which the nearest, beside how it is now, in sentences; of those that make some pair."""
    best, now = ranked[0], next(each for each in ranked if each.is_now)
    nearest = min(ranked, key=lambda each: (each.expanded if each.expanded is not None else math.inf, each.rank))

    def told(each: Alternative) -> str:
        off = format_length(each.expanded or 0.0, unit)
        return f"within {off} {unit} and {each.cost.minutes:.1f} min of probing"

    gains = (now.expanded or 0.0) - (best.expanded or 0.0)
    if not best.keeps and gains < _WORTH_SAYING:
        return f"Nothing that was tried comes nearer than it is now: {told(now)}."
    what = "Cheapest that keeps the tolerance" if best.keeps else "Nearest"
    words = [f"{what}: {best.name}, {told(best)}."]
    if best.keeps and nearest is not best:
        words.append(f"Nearest: {nearest.name}, {told(nearest)}.")
    if now not in (best, nearest):
        words.append(f"Now: {told(now)}.")
    return " ".join(words)


def _as_is(plan: Plan, setup: int) -> Alternative:
    return _with(plan, setup, "")


def _with(plan: Plan, setup: int, change: str) -> Alternative:
    mine = plan.setups[setup]
    touches = sum(len(step.touches) * step.passes for step in mine.probing.steps)
    codes = len({(each.machine, each.offset) for each in plan.job.setups})
    cost = Cost(probing_seconds(mine.probing, mine.machine.probe) / 60.0, touches, codes)
    pairs = made_by(budget_of(plan), plan.job, setup)
    shares = [pair.share for pair in pairs if pair.share is not None]
    keeps = max(shares) <= plan.job.tolerance_share if shares else None
    worst = max(pairs, key=lambda pair: (pair.share or 0.0, pair.expanded), default=None)
    return Alternative(setup, change, plan.job, worst, cost, keeps)


def made_by(budget: Budget, job: Job, setup: int) -> list[Pair]:
    """Those of which a setup makes the later feature."""
    made = {
        name: k for k, each in enumerate(job.setups) for operation in each.operations for name in operation.features
    }
    return [
        pair
        for pair in budget.pairs
        if max(made.get(pair.asked.feature, -1), made.get(pair.asked.to, -1)) == setup and pair.asked.what != "size"
    ]


def _is_found(plan: Plan, setup: int) -> bool:
    """Whether every axis of its zero is touched, taken over, or known; and every touch can be made."""
    mine = plan.setups[setup]
    return not mine.probing.problems and all(mine.probing.gives(axis, mine.setup.offset) for axis in ("x", "y", "z"))


def _changes(plan: Plan, setup: int) -> Iterator[tuple[str, Job]]:
    job = plan.job
    # What is made here or later cannot be touched yet.
    later = {name for each in job.setups[setup:] for operation in each.operations for name in operation.features}
    choices = {
        axis: [
            each
            for each in datum_choices(axis, job, setup)
            if each.feature not in later and not _is_the_parts_own(plan, setup, axis, each)
        ]
        for axis in _PLAN_AXES
    }
    now = {axis: job.setups[setup].datum.axis(axis) for axis in _PLAN_AXES}
    both = {each.name for each in job.part.features if each.is_round()}
    for axis in _PLAN_AXES:
        for choice in choices[axis]:
            # What is round gives both axes by the same touches.
            if not choice.is_of(now[axis]) and choice.feature not in both:
                yield from _taken(job, setup, {axis: choice})
    for choice in choices["x"]:
        alike = (each for each in choices["y"] if (each.source, each.feature) == (choice.source, choice.feature))
        other = next(alike, None)
        if other is None:
            continue
        pair: tuple[tuple[Axis, DatumChoice], ...] = (("x", choice), ("y", other))
        changed = {axis: each for axis, each in pair if not each.is_of(now[axis])}
        if len(changed) == 2 or (changed and choice.feature in both):
            yield from _taken(job, setup, changed)


def _is_the_parts_own(plan: Plan, setup: int, axis: Axis, choice: DatumChoice) -> bool:
    """Whether what it takes of the stock is a face of the finished part already, which stands in the list as that."""
    if not choice.source.startswith("stock"):
        return False
    mine = plan.setups[setup]
    twin = next(each for each in SOURCES[axis] if each == choice.source.replace("stock", "part"))
    here, there = (
        source_height(axis, AxisDatum(source=source), mine.holding, mine.features) for source in (choice.source, twin)
    )
    return abs(here - there) < _ONE_PLACE


def _taken(job: Job, setup: int, choices: dict[Axis, DatumChoice]) -> Iterator[tuple[str, Job]]:
    words = dict.fromkeys(choice.words for choice in choices.values())
    change = f"{' and '.join(axis.upper() for axis in choices)} from {' and '.join(words)}"
    try:
        for axis, choice in choices.items():
            job = with_zero(job, setup, axis, choice)
    except LedgecliffError:
        return
    yield change, job
