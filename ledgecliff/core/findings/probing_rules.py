"""Rules about touches: what the probing planner found wanting becomes a finding."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from ..finding import Finding, Fix, Severity
from ..frames import Array
from ..plan import Plan
from ..probing.touches import Problem, Step
from ..programs.writer import hovering
from ..quantities import said
from ..setup_plan import SetupPlan

#: How bad each problem of a touch is; all codes a touch can yield are listed here.
SEVERITY_OF: dict[str, Severity] = {
    "TOUCH_OUTSIDE_WINDOW": "error",
    "TOUCH_NO_WALL": "error",
    "TOUCH_TOO_SHALLOW": "error",
    "TOUCH_TOO_DEEP": "hazard",
    "TOUCH_STEM_FOULS": "error",
    "TOUCH_NO_LANDING": "error",
    "TOUCH_BURIED": "error",
    "TOUCH_NO_ROOM": "error",
    "TOUCH_OTHER_SURFACE": "error",
    "TOUCH_WAY_BLOCKED": "hazard",
    "NOTHING_TURNS": "error",
    "SKEW_AFTER_ZERO": "error",
    "ANGLES_GIVE_NO_CENTRE": "error",
}


def touches(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        for step in setup_plan.probing.steps:
            for problem in step.problems:
                yield Finding(
                    problem.code,
                    SEVERITY_OF[problem.code],
                    setup_plan.setup.name,
                    f"{setup_plan.setup.name}: {problem.message}",
                    problem.remedy,
                    _fix(setup_plan, step, problem),
                )


def _fix(setup_plan: SetupPlan, step: Step, problem: Problem) -> Fix | None:
    """The value that would do, put where it comes from: the cycle's own, or the setup's routine."""
    if problem.code == "SKEW_AFTER_ZERO":
        return _skew_first(setup_plan, step)
    if problem.better is None or not problem.field:
        return None
    routine = setup_plan.setup.probing
    path: tuple[str | int, ...]
    if isinstance(problem.better, str):
        if routine.cycles is None:
            return None
        path = ("setups", setup_plan.index, "probing", "cycles", routine.cycles.index(step.cycle), problem.field)
        return Fix("Up and over", path, problem.better)
    path = ("setups", setup_plan.index, "probing", problem.field)
    if routine.cycles is not None and getattr(step.cycle, problem.field) is not None:
        path = ("setups", setup_plan.index, "probing", "cycles", routine.cycles.index(step.cycle), problem.field)
    words = problem.field.replace("_", "-").capitalize()
    return Fix(f"{words} {said(problem.better)}", path, problem.better)


def _skew_first(setup_plan: SetupPlan, skew: Step) -> Fix | None:
    """The cycle that finds the skew put before those of its stage that set X or Y, where that is all it takes."""
    steps = setup_plan.probing.steps
    at = next(k for k, step in enumerate(steps) if step is skew)
    early = [k for k in range(at) if any(setting.axis != "z" for setting in steps[k].sets)]
    if not early or any(steps[k].cycle.after != skew.cycle.after for k in early):
        return None
    cycles = [step.cycle for step in steps]
    cycles.insert(early[0], cycles.pop(at))
    return Fix("Skew first", ("setups", setup_plan.index, "probing", "cycles"), tuple(cycles))


def outside_travel(plan: Plan) -> Iterator[Finding]:
    """Every place that ball and hovering tool go to must lie within the travel, wherever the guess leads."""
    for setup_plan in plan.setups:
        machine = setup_plan.machine
        low, high = np.array(machine.travel_min.as_tuple()), np.array(machine.travel_max.as_tuple())
        places = [("probing", place, machine.probe.length) for place in _ball_places(setup_plan)]
        cutter = machine.cutter(setup_plan.setup.hover.tool)
        hover = hovering(setup_plan)
        x, y, z = hover.w_tip
        for height in (z, hover.w_high):
            places.append(("the hover check", np.array([x, y, height]), cutter.tip_length if cutter else 0.0))
        guess = setup_plan.setup.probing.guess
        worst: dict[tuple[str, int], float] = {}
        for what, w_tip, length in places:
            m = setup_plan.located.m_of(w_tip) + np.array([0.0, 0.0, length])
            beyond = np.maximum(low - (m - guess), (m + guess) - high)
            for k in np.flatnonzero(beyond > 0.0).tolist():
                worst[what, k] = max(worst.get((what, k), 0.0), float(beyond[k]))
        for (what, k), beyond_mm in worst.items():
            yield Finding(
                "OUTSIDE_TRAVEL",
                "error",
                setup_plan.setup.name,
                f"{setup_plan.setup.name}: {what} may go {said(beyond_mm)} beyond the machine's travel in {'XYZ'[k]}. "
                "The control stops before the move.",
                "Hold the part elsewhere on the table, lower it, or use a shorter block or tool.",
            )


def hover_fouls(plan: Plan) -> Iterator[Finding]:
    """Lower than the stock's top, the hovering tool must pass beside it, wherever the guess leads."""
    for setup_plan in plan.setups:
        hover = hovering(setup_plan)
        cutter = setup_plan.machine.cutter(setup_plan.setup.hover.tool)
        w_low, w_high = (corner - setup_plan.wcs.u_origin for corner in setup_plan.holding.u_stock)
        if cutter is None or hover.stands_on == "stock top" or hover.w_tip[2] > float(w_high[2]):
            continue
        tip = np.array(hover.w_tip[:2])
        beside = float(np.max([tip - w_high[:2], w_low[:2] - tip]))
        room = beside - setup_plan.setup.probing.guess
        if room < cutter.diameter / 2.0:
            yield Finding(
                "HOVER_FOULS",
                "hazard",
                setup_plan.setup.name,
                f"{setup_plan.setup.name}: the hover check takes {cutter.name} "
                f"{said(float(w_high[2]) - hover.w_tip[2])} below the stock top with only {said(room)} from its axis "
                "to the stock. The tool can hit the part.",
                "Use a taller gauge block or a thinner tool.",
            )


def _ball_places(setup_plan: SetupPlan) -> Iterator[Array]:
    """Lowest point of the ball at the start and end of every search, and at the clearance height.

    A touch that finds no wall has no height to go to, which is a finding of its own.
    """
    for touch in setup_plan.probing.touches:
        for centre in (touch.start, touch.end):
            x, y, z = centre
            if math.isfinite(z):
                yield np.array([x, y, z - touch.ball_radius])
            yield np.array([x, y, setup_plan.w_clearance])


RULES = (touches, outside_travel, hover_fouls)
