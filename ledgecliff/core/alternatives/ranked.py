"""What else could give each setup its place, with what it costs: the cheapest that keeps the tolerance first.

Every other source of a zero, and every other way to register the turn before, is tried on a copy of the job; how far
off what the setup makes may be is the error budget's word for that copy.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from weakref import WeakKeyDictionary

import numpy as np

from ..budget.budget import Budget, budget_of
from ..budget.chain import chain_of
from ..budget.pair import Pair
from ..errors import CancelledError, LedgecliffError
from ..finding import Finding
from ..findings.rules import findings_of, in_order
from ..frames import AXES, Axis
from ..model.job import Job
from ..plan import Plan, make_plan
from ..probing.duration import probing_seconds
from ..quantities import Unit, format_length, said
from ..remedies.tried import that_come
from ..setup_plan import SetupPlan
from ..turns.turn_plan import Way
from .ways import weighed_ways
from .zeros import other_zeros

#: Nearer by less than this is not worth a change (mm).
_WORTH_SAYING = 5e-4
#: A blank that is larger by less than this is not larger (mm).
_NO_LARGER = 1e-6
#: Ways to register for which something is cut or made first.
_MADE_FIRST: tuple[Way, ...] = ("soft-jaw bore", "dowel pins", "interlocking frame", "two-pocket jig")
#: A pair is off along an axis where that makes this of its way.
_ALONG = 1e-3


@dataclass(frozen=True)
class Cost:
    """``minutes`` of probing and ``touches`` of a setup or of a whole route, the work offsets (``codes``) of the whole
    job, by how much more stock it needs (mm along the part's axes), and what has to be made for it first (``makes``, in
    words, empty where that is nothing)."""

    minutes: float
    touches: int
    codes: int
    extra_stock: tuple[float, float, float] = (0.0, 0.0, 0.0)
    makes: str = ""

    @property
    def order(self) -> tuple[object, ...]:
        """What has to be made or bought first costs more than any probing saves."""
        stock = round(math.prod(1.0 + each for each in self.extra_stock), 6)
        return bool(self.makes), stock, self.codes, round(self.minutes, 3), self.touches

    def needs(self) -> str:
        """In words, empty where it needs nothing; lengths are to be spelled."""
        stock = zip(AXES, self.extra_stock, strict=True)
        more = [f"{said(each)} more along {axis.upper()}" for axis, each in stock if each]
        return ", ".join([*more, self.makes] if self.makes else more)


@dataclass(frozen=True, eq=False)
class Alternative:
    """For a setup (its number; None for the whole route), in words what is changed, empty for how it is; the ``job``
    with it.

    ``pair`` is the worst of those that the setup makes, by its share of the tolerance where one has any; None where it
    makes none.  ``keeps`` says whether all with a tolerance keep the stated share of it, None where none has one.
    ``brings`` is the worst error or hazard that would come with it, as far as that was looked for.
    """

    setup: int | None
    change: str
    job: Job
    pair: Pair | None
    cost: Cost
    keeps: bool | None
    brings: Finding | None = None

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
        if self.brings is not None:
            return (2, off, *self.cost.order, not self.is_now, self.change)
        if self.keeps:
            return (0, *self.cost.order, off, not self.is_now, self.change)
        return (1, off, *self.cost.order, not self.is_now, self.change)


def alternatives(plan: Plan, setup: int, cancelled: Callable[[], bool] = lambda: False) -> tuple[Alternative, ...]:
    """All for one setup, the best first; what cannot be planned, or sets an axis by nothing, is left out.  Raises
    CancelledError once ``cancelled``.  What was ranked of a plan is kept with it."""
    known = _ranked.setdefault(plan, {})
    if setup not in known:
        known[setup] = _tried(plan, setup, cancelled)
    return known[setup]


#: By plan and setup, forgotten with the plan.
_ranked: WeakKeyDictionary[Plan, dict[int, tuple[Alternative, ...]]] = WeakKeyDictionary()


def _tried(plan: Plan, setup: int, cancelled: Callable[[], bool]) -> tuple[Alternative, ...]:
    now = budget_of(plan)
    found, plans = [_with(plan, plan, now, setup, "")], {"": plan}
    for change, job, makes in _changes(plan, setup, _axes_that_count(plan, now, setup), cancelled):
        if cancelled():
            raise CancelledError
        try:
            after = make_plan(job, plan.models)
            if _is_found(after, setup):
                chain_of(after, begins=plan)
                found.append(_with(plan, after, now, setup, change, makes))
                plans[change] = after
        except CancelledError:
            raise
        except LedgecliffError:
            continue
    return _vetted(found, plans, cancelled)


def nearest_of(ranked: Sequence[Alternative]) -> Alternative:
    """What leaves the least, of what brings nothing bad."""
    return min(
        ranked,
        key=lambda each: (
            each.brings is not None,
            math.inf if each.expanded is None else round(each.expanded, 5),
            each.rank,
        ),
    )


def _vetted(
    found: list[Alternative], plans: Mapping[str, Plan], cancelled: Callable[[], bool]
) -> tuple[Alternative, ...]:
    """The best first and the nearest looked at: what would bring an error or a hazard is neither."""
    before: tuple[Finding, ...] | None = None
    looked_at: set[str] = {""}
    while True:
        ranked = sorted(found, key=lambda each: each.rank)
        wanted = [each for each in (ranked[0], nearest_of(ranked)) if each.change not in looked_at]
        if not wanted:
            return tuple(ranked)
        if cancelled():
            raise CancelledError
        if before is None:
            before = findings_of(plans[""], cancelled)
        each = wanted[0]
        looked_at.add(each.change)
        come = that_come(before, findings_of(plans[each.change], cancelled))
        worst = next((one for one in in_order(plans[""], come) if one.severity in ("hazard", "error")), None)
        found = [replace(one, brings=worst) if one is each else one for one in found]


def said_of(ranked: Sequence[Alternative], unit: Unit) -> str:
    """Which is the best and which the nearest, beside how it is now, in sentences; of those that make some pair."""
    best, now = ranked[0], next(each for each in ranked if each.is_now)
    nearest = nearest_of(ranked)

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


def _changes(
    plan: Plan, setup: int, axes: Sequence[Axis], cancelled: Callable[[], bool]
) -> Iterator[tuple[str, Job, str]]:
    if not axes:
        return
    for change, job in other_zeros(plan, setup, axes):
        yield change, job, ""
    for way in weighed_ways(plan, setup, cancelled) if setup else ():
        if not way.offer.current:
            yield f"registered by {way.offer.way}", way.job, way.offer.work if way.offer.way in _MADE_FIRST else ""


def _axes_that_count(plan: Plan, now: Budget, setup: int) -> tuple[Axis, ...]:
    """Along which of its machine's axes any pair may be off that its zero may move."""
    matrix = plan.setups[setup].setup.orientation.matrix()
    ways = [way for pair in looked_at(now, plan.job, setup) for way in pair.asked.ways]
    return tuple(axis for k, axis in enumerate(AXES) if any(abs(float(matrix[k] @ way)) > _ALONG for way in ways))


def _with(before: Plan, plan: Plan, now: Budget, setup: int, change: str, makes: str = "") -> Alternative:
    budget = budget_of(plan)
    pairs = looked_at(budget, plan.job, setup)
    shares = [pair.share for pair in pairs if pair.share is not None]
    most = plan.job.tolerance_share
    kept = {pair.asked.key for pair in now.pairs if pair.share is not None and pair.share <= most}
    broken = any(pair.asked.key in kept and (pair.share or 0.0) > most for pair in budget.pairs)
    keeps = max(shares) <= most and not broken if shares else None
    cost = replace(cost_of(before, plan, [plan.setups[setup]]), makes=makes)
    return Alternative(setup, change, plan.job, worst_of(pairs), cost, keeps)


def worst_of(pairs: Sequence[Pair]) -> Pair | None:
    return max(pairs, key=lambda pair: (pair.share or 0.0, pair.expanded), default=None)


def cost_of(before: Plan, plan: Plan, setups: Sequence[SetupPlan]) -> Cost:
    """Of some of a plan's setups, beside the plan that it was made from."""
    seconds = sum(probing_seconds(each.probing, each.machine.probe) for each in setups)
    touches = sum(len(step.touches) * step.passes for each in setups for step in each.probing.steps)
    codes = len({(each.machine, each.offset) for each in plan.job.setups})
    sizes = [np.ptp(each.blank.mesh.vertices, axis=0) for each in (before, plan)]
    x, y, z = (float(more) if more > _NO_LARGER else 0.0 for more in sizes[1] - sizes[0])
    return Cost(seconds / 60.0, touches, codes, (x, y, z))


def looked_at(budget: Budget, job: Job, setup: int) -> list[Pair]:
    """Those of which a setup makes the later feature; where there are none, those that are made later."""
    made = {
        name: k for k, each in enumerate(job.setups) for operation in each.operations for name in operation.features
    }
    later = [
        (max(made.get(pair.asked.feature, -1), made.get(pair.asked.to, -1)), pair)
        for pair in budget.pairs
        if pair.asked.what != "size"
    ]
    return [pair for k, pair in later if k == setup] or [pair for k, pair in later if k > setup]


def _is_found(plan: Plan, setup: int) -> bool:
    """Whether every axis of its zero is touched, taken over, or known; and every touch can be made."""
    mine = plan.setups[setup]
    return not mine.probing.problems and all(mine.probing.gives(axis, mine.setup.offset) for axis in ("x", "y", "z"))
