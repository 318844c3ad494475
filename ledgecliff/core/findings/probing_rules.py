"""Rules about touches: what the probing planner found wanting becomes a finding."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from ..finding import Finding, Fix, Severity, fix
from ..frames import Array
from ..plan import Plan
from ..probing.needs import WINDOW
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

#: Windows are tried so much longer than is needed (mm); how far off by eye a zero is put in, the usual first; and what
#: is mended by coming closer.
_LONGER = (0.5, 1.0, 1.5)
GUESSES = (3.0, 2.0, 1.5, 1.0)
CLOSER_BY_EYE = frozenset(("TOUCH_OUTSIDE_WINDOW", "TOUCH_NO_LANDING", "TOUCH_WAY_BLOCKED", "OUTSIDE_TRAVEL"))


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
                    _fixes(setup_plan, step, problem),
                    about=_about(step, problem),
                )


def _about(step: Step, problem: Problem) -> str:
    """Which touch of which cycle, and what of it; not by its number, which another order of steps changes."""
    touch = next((each for each in step.touches if each.number == problem.touch), None)
    if touch is None:
        return f"{step.cycle.name}, {problem.field or problem.need}"
    alike = [each.number for each in step.touches if (each.surface, each.moving()) == (touch.surface, touch.moving())]
    where = f"{touch.surface} moving {touch.moving()}, {alike.index(touch.number) + 1}"
    return f"{step.cycle.name}, {where}, {problem.field or problem.need}"


def _fixes(setup_plan: SetupPlan, step: Step, problem: Problem) -> tuple[Fix, ...]:
    """What may do: the value that the touch needs, put where it comes from, the cycle's own or the setup's routine;
    then a zero put in by eye more closely, where that is what makes the place unsure."""
    if problem.code == "SKEW_AFTER_ZERO":
        return _skew_first(setup_plan, step)
    routine, index = setup_plan.setup.probing, setup_plan.index
    closer = _closer(setup_plan) if problem.code in CLOSER_BY_EYE else ()
    if problem.better is None or not problem.field:
        return closer
    path: tuple[str | int, ...] = ("setups", index, "probing", problem.field)
    if isinstance(problem.better, str):
        if routine.cycles is None:
            return closer
        path = ("setups", index, "probing", "cycles", routine.cycles.index(step.cycle), problem.field)
        return (fix("Up and over", path, problem.better), *closer)
    if routine.cycles is not None and getattr(step.cycle, problem.field) is not None:
        path = ("setups", index, "probing", "cycles", routine.cycles.index(step.cycle), problem.field)
    words = problem.field.replace("_", "-").capitalize()
    # A tenth that a person would choose, to the safe side of the need; else the need itself.
    tenths = problem.better * 10.0
    deep = problem.code == "TOUCH_TOO_DEEP"
    round_value = (math.floor(tenths + 1e-9) if deep else math.ceil(tenths - 1e-9)) / 10.0
    values = list(dict.fromkeys((round_value, problem.better)))
    if problem.need == WINDOW:
        # From further away the ball may come from further off: what is needed grows with what is given.
        values += [problem.better + more for more in _LONGER]
    return (*(fix(f"{words} {said(value)}", path, value) for value in values if value > 0.0), *closer)


def _closer(setup_plan: SetupPlan) -> tuple[Fix, ...]:
    """The zero put in by eye more closely than the setup says."""
    path = ("setups", setup_plan.index, "probing", "guess")
    closer = [guess for guess in GUESSES if guess < setup_plan.setup.probing.guess]
    return tuple(fix(f"Set by eye within {said(guess)}", path, guess, promise=True) for guess in closer)


def _skew_first(setup_plan: SetupPlan, skew: Step) -> tuple[Fix, ...]:
    """The cycle that finds the skew put before those of its stage that set X or Y, where that is all it takes."""
    steps = setup_plan.probing.steps
    at = next(k for k, step in enumerate(steps) if step is skew)
    early = [k for k in range(at) if any(setting.axis != "z" for setting in steps[k].sets)]
    if not early or any(steps[k].cycle.after != skew.cycle.after for k in early):
        return ()
    cycles = [step.cycle for step in steps]
    cycles.insert(early[0], cycles.pop(at))
    return (fix("Skew first", ("setups", setup_plan.index, "probing", "cycles"), tuple(cycles)),)


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
                _closer(setup_plan),
                about=f"{what} {'XYZ'[k]}",
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
    """Lowest point of the ball at the start and end of every search, and at the clearance plane.

    A touch that finds no wall has no height to go to, which is a finding of its own.
    """
    for touch in setup_plan.probing.touches:
        for centre in (touch.start, touch.end):
            x, y, z = centre
            if math.isfinite(z):
                yield np.array([x, y, z - touch.ball_radius])
            yield np.array([x, y, setup_plan.w_clearance])


RULES = (touches, outside_travel, hover_fouls)
