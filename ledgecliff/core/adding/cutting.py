"""What can be cut at a feature in a setup: each operation tried on a copy, all rules asked again."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

from ..cutting.cuts import can_cut
from ..edits.setups import CUT_WORDS, FEATURE_KINDS, OperationKind, add_operation, features_for
from ..errors import CancelledError, LedgecliffError
from ..finding import Finding
from ..first_plan.operations import cutters_for, small_cutters
from ..model.job import Job
from ..model.machine import Cutter, Machine
from ..model.part import Feature
from ..plan import Plan, make_plan
from ..quantities import said, said_volume
from ..remedies.tried import Judge, that_come
from .offer import Offer, opens_elsewhere

#: Less than this (mm³) is skins where walls only meet.
_NOTHING = 1e-3
#: Drills of a hole's size are off it by less than this (mm).
_SAME = 1e-4
#: What another cutter may not run into.
_BY_CUTTER = frozenset(("TOOL_TOO_SHORT", "CUT_TALLER_THAN_FLUTE", "CUT_INTO_HOLDING", "MEETS_NEIGHBOUR"))
#: So many cutters are tried, those that fit best first.
_MOST_CUTTERS = 3


@dataclass(frozen=True)
class NewCut:
    """An operation to be added at the end of a setup, on a feature where its kind needs one."""

    kind: OperationKind
    feature: str | None = None
    tool: int | None = None

    def to(self, job: Job, setup: int) -> Job:
        return add_operation(job, setup, self.kind, self.feature, self.tool)


def cuttable(
    plan: Plan,
    setup: int,
    name: str,
    found: Sequence[Finding],
    judge: Judge,
    cancelled: Callable[[], bool] = lambda: False,
) -> tuple[Offer[NewCut], ...]:
    """Every operation for the feature of that name, what it cuts and with what, or why it cannot be; empty where there
    is none.

    ``found`` stands against the plan, ``judge`` finds all there is against another.  Raises CancelledError once
    ``cancelled``, or where ``judge`` does.
    """
    feature = next((each for each in plan.job.part.features if each.name == name), None)
    if feature is None:
        return ()
    kinds = [kind for kind in FEATURE_KINDS if feature in features_for(kind, plan.job)]
    if not kinds:
        return (Offer(f"cut {name}", f"No operation is for a feature of this kind ({feature.kind}).", None),)
    return tuple(_offer(plan, setup, kind, feature, found, judge, cancelled) for kind in kinds)


def _offer(
    plan: Plan,
    setup: int,
    kind: OperationKind,
    feature: Feature,
    found: Sequence[Finding],
    judge: Judge,
    cancelled: Callable[[], bool],
) -> Offer[NewCut]:
    title, why_not = CUT_WORDS[kind], _why_not_from_here(plan, setup, kind, feature)
    if why_not:
        return Offer(title, why_not, None)
    for cutter in _cutters(plan.job.machine_of(plan.job.setups[setup]), kind, feature)[:_MOST_CUTTERS]:
        if cancelled():
            raise CancelledError
        new = NewCut(kind, feature.name, cutter.tool)
        tried = _tried(plan, setup, new, feature, found, judge)
        if tried.can_be:
            return Offer(title, tried.says, new)
        why_not = why_not or tried.says  # with the cutter that fits best
        if not tried.by_its_cutter:
            break
    return Offer(title, why_not or _no_cutter(plan, setup, kind), None)


def _why_not_from_here(plan: Plan, setup: int, kind: OperationKind, feature: Feature) -> str:
    """Why no tool that comes from above makes it in a setup."""
    operation = add_operation(plan.job, setup, kind, feature.name).setups[setup].operations[-1]
    can = partial(can_cut, operation, (feature,))
    return "" if can(plan.setups[setup].setup.orientation) else opens_elsewhere(plan, setup, feature, can)


def _cutters(machine: Machine, kind: OperationKind, feature: Feature) -> tuple[Cutter, ...]:
    """Those that may cut it, the fittest first: a drill of its size, slanted ones for edges, end mills that go in."""
    if kind == "edge break":
        return tuple(cutter for cutter in machine.cutters if cutter.shape == "slanted")
    size = feature.diameter if kind == "hole" else None
    drills = [c for c in machine.cutters if c.shape == "drill" and size and abs(c.diameter - size) < _SAME]
    return (*drills, *cutters_for(machine, feature))


def _no_cutter(plan: Plan, setup: int, kind: OperationKind) -> str:
    machine = plan.job.machine_of(plan.job.setups[setup])
    if kind == "edge break":
        return f"'{machine.name}' has no cutter with a slanted end; add one to its tools."
    thinnest = small_cutters(machine)[0]
    return (
        f"No cutter of '{machine.name}' goes into it: its thinnest end mill, T{thinnest.tool}, is "
        f"{said(thinnest.diameter)} wide. Add one to its tools."
    )


@dataclass(frozen=True)
class _Tried:
    """Whether an operation can be, and what it cuts; else why not, and whether it is its cutter that is in the way."""

    can_be: bool
    says: str
    by_its_cutter: bool = False


def _tried(plan: Plan, setup: int, new: NewCut, feature: Feature, found: Sequence[Finding], judge: Judge) -> _Tried:
    """Raises CancelledError where ``judge`` does."""
    try:
        after = make_plan(new.to(plan.job, setup), plan.models)
        mine = after.setups[setup]
        last = len(mine.setup.operations) - 1
        taken = mine.cutting.removed(last)
        if taken.volume() < _NOTHING:
            return _Tried(False, _nothing_left(plan, setup, feature))
        come = [each for each in that_come(found, judge(after)) if each.severity in ("hazard", "error")]
    except CancelledError:
        raise
    except LedgecliffError as error:
        return _Tried(False, str(error))
    if come:
        by_its_cutter = all(each.code in _BY_CUTTER for each in come)
        return _Tried(False, f"{come[0].fact} {come[0].advice}", by_its_cutter)
    use = mine.tool_uses[last]
    words = f"T{use.cutter.tool}, {said(use.depth)} deep, takes {said_volume(taken.volume())}"
    made = _made_by(plan, feature)
    return _Tried(True, f"{words}; already cut by {made}." if made else f"{words}.")


def _nothing_left(plan: Plan, setup: int, feature: Feature) -> str:
    made = _made_by(plan, feature, before=setup)
    return f"Nothing of it is left here: it is cut by {made}." if made else "Nothing of it is left to cut here."


def _made_by(plan: Plan, feature: Feature, before: int | None = None) -> str:
    """The operations that say they make a feature, of setups up to ``before``."""
    return " and ".join(
        f"'{operation.name}' in {setup.name}"
        for index, setup in enumerate(plan.job.setups)
        if before is None or index <= before
        for operation in setup.operations
        if feature.name in operation.features
    )
