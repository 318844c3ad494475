"""What can be touched of a feature in a setup: each cycle planned on a copy, as soon and as deep as will do."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial

from ..edits.cycles import cycles_at, cycles_of, size_needed, touchable_when
from ..errors import CancelledError
from ..frames import AXES
from ..model.cycles import ProbeCycle
from ..model.part import Feature
from ..plan import Plan
from ..probing.touches import Problem, Step
from ..quantities import said
from ..setup_plan import SetupPlan
from .offer import Offer, opens_elsewhere

#: A step on trial is called so: nothing typed has this name.
_TRIAL = "\0"
#: Depths are set in such steps where that will do (mm).
_EVEN = 0.1


def touchable(
    plan: Plan, setup: int, name: str, cancelled: Callable[[], bool] = lambda: False
) -> tuple[Offer[ProbeCycle], ...]:
    """Every cycle for the feature of that name, how it is run or why it cannot be; empty where there is none.

    Raises CancelledError once ``cancelled``.
    """
    mine = plan.setups[setup]
    feature = next((each for each in mine.features if each.name == name), None)
    if feature is None:
        return ()
    why_not = _why_none(plan, setup, feature)
    if why_not:
        return (Offer(f"touch {name}", why_not, None),)
    return tuple(_offer(mine, cycle, cancelled) for cycle in cycles_at(mine.setup, feature))


def _why_none(plan: Plan, setup: int, feature: Feature) -> str:
    """Why no cycle is for a feature at all; nothing where there are some."""
    needed = size_needed(feature)
    if not needed and feature.kind != "face":
        return f"No cycle is for a feature of this kind ({feature.kind})."
    here = plan.setups[setup].setup
    if not touchable_when(feature, here.orientation):
        return opens_elsewhere(plan, setup, feature, partial(touchable_when, feature))
    if not any(True for _ in cycles_at(here, feature)):
        return f"Its {needed} is not told; type it under Part."
    return ""


def _offer(mine: SetupPlan, cycle: ProbeCycle, cancelled: Callable[[], bool]) -> Offer[ProbeCycle]:
    first: Step | None = None
    for after in (None, *(each.name for each in mine.setup.operations)):
        for tried in _at_depths(mine, cycle.model_copy(update={"after": after}), cancelled):
            if not tried.problems:
                return Offer(cycle.name, _how(mine, tried, first), _named(tried.cycle, cycle.name))
            first = first or tried
    assert first is not None and first.problems, "something was tried, and nothing of it did"
    return Offer(cycle.name, f"{first.problems[0].message} {first.problems[0].remedy}", None)


def _at_depths(mine: SetupPlan, cycle: ProbeCycle, cancelled: Callable[[], bool]) -> Iterator[Step]:
    """The step as it is, and where its depth alone is at fault, at the depth that would mend that."""
    if cancelled():
        raise CancelledError
    step = _tried(mine, cycle)
    yield step
    for better in _better_depths(step.problems):
        yield _tried(mine, cycle.model_copy(update={"depth": better}))


def _better_depths(problems: tuple[Problem, ...]) -> tuple[float, ...]:
    """What would do for every touch where the depth is all that is at fault, first as it is easily set."""
    better = [each.better for each in problems if each.field == "depth" and isinstance(each.better, float)]
    if not better or len(better) < len(problems):
        return ()
    least = min(better)
    even = math.floor(least / _EVEN) * _EVEN
    return (round(even, 6), least) if even > 0.0 else (least,)


def _tried(mine: SetupPlan, cycle: ProbeCycle) -> Step:
    """The step as it is planned at the end of the setup's probing."""
    trial = cycle.model_copy(update={"name": _TRIAL, "action": _action(mine, cycle)})
    probing = mine.setup.probing.model_copy(update={"cycles": (*cycles_of(mine.setup, mine.features), trial)})
    changed = mine.setup.model_copy(update={"probing": probing})
    planned = replace(mine, clamping=replace(mine.clamping, setup=changed)).probing
    return next(step for step in planned.steps if step.cycle.name == _TRIAL)


def _action(mine: SetupPlan, cycle: ProbeCycle) -> str:
    """Only what the zero is taken from sets it: whatever else is touched is measured for the record."""
    datum = mine.setup.datum
    gives_zero = any(datum.axis(axis).feature == cycle.feature for axis in AXES)
    return "set" if gives_zero and cycle.after is None else "measure"


def _named(trial: ProbeCycle, name: str) -> ProbeCycle:
    return trial.model_copy(update={"name": name})


def _how(mine: SetupPlan, step: Step, first: Step | None) -> str:
    """What it does, when it runs, and what stands in the way of its running sooner, or deeper."""
    count = len(step.touches)
    words = [f"{count} touch{'es' if count != 1 else ''}"]
    words.append(f"sets {mine.setup.offset}" if step.cycle.action == "set" else "only measures")
    if step.cycle.depth is not None:
        words.append(f"{said(step.cycle.depth)} deep")
    said_so = ", ".join(words) + _done_already(mine, step.cycle)
    if step.cycle.after is None or first is None:
        return f"{said_so}."
    until = "covered by stock" if first.problems[0].code == "TOUCH_BURIED" else "not to be reached"
    return f"{said_so}; {until} until '{step.cycle.after}' is done, so it runs after that."


def _done_already(mine: SetupPlan, cycle: ProbeCycle) -> str:
    """Which of the setup's own steps is the same."""

    def same(other: ProbeCycle) -> bool:
        return (other.kind, other.feature, other.axis, other.side, other.corner, other.angles_deg) == (
            cycle.kind, cycle.feature, cycle.axis, cycle.side, cycle.corner, cycle.angles_deg,
        )  # fmt: skip

    steps = [number for number, step in enumerate(mine.probing.steps, start=1) if same(step.cycle)]
    return f"; step {steps[0]} does so already" if steps else ""
