"""The tapes of probing: every planned touch, and what the readings of a rehearsal amount to."""

from __future__ import annotations

import math

import numpy as np

from ..frames import AXES, Axis, rotation
from ..measuring.presence import thickness_sigma, window_of
from ..measuring.records import ball_centre, step_readings
from ..model.cycles import WIDTHS
from ..model.machine import Probe
from ..probing.evaluation import between, in_frame, offset_for, surface_at
from ..probing.results import step_results
from ..probing.seat_window import USUAL_COSTS
from ..probing.touches import Place, Step, Touch
from ..quantities import said_bare
from ..rehearsal.results import RehearsedSetup
from ..setup_plan import SetupPlan
from ..tape_lines import Tape, TapeLine, heading, note

#: More touches than this are told step by step.
_MANY_TOUCHES = 24


def probing_tape(setup: SetupPlan, probe: Probe, chosen: int = 0) -> Tape:
    """Every planned touch as the ball will go: stand-off, contact, end of search, in the WCS.

    Of a long list only the chosen step's.
    """
    lines: list[TapeLine] = []
    long = len(setup.probing.touches) > _MANY_TOUCHES
    for number, step in enumerate(setup.probing.steps, start=1):
        if long and number != chosen + 1:
            continue
        lines.append(heading(f"{number}  {step.title}"))
        for touch in step.touches:
            lines += _planned_touch(touch)
        if step.kind == "presence":
            lines += _presence(setup, step)
        elif step.window is not None:
            below, above = step.window
            lines += [TapeLine("it may lie lower by", -below), TapeLine("or higher by", above)]
        lines += [
            TapeLine(f"{setting.axis.upper()} must read", setting.should_read, "total", "wcs") for setting in step.sets
        ]
    lines.append(TapeLine("clearance plane", setup.w_clearance, source="clearance"))
    ball, radius = said_bare(probe.ball_diameter), said_bare(probe.effective_radius)
    lines.append(note(f"ball {ball}, effective radius {radius}"))
    return Tape(f"{setup.setup.offset} · {setup.setup.name}", "probing, planned", tuple(lines))


def _presence(setup: SetupPlan, step: Step) -> list[TapeLine]:
    """What the window tells apart, beside what is proposed."""
    mine, better = window_of(setup, step.cycle)
    lines = [TapeLine("stock's height, standard deviation", thickness_sigma(setup), "note", signed=False)]
    for words, each in (("as typed", mine), ("proposed", better)):
        lines += [
            TapeLine(f"window {words}, below", -each.below),
            TapeLine(f"window {words}, above", each.above),
            note(f"false stops {each.false_stops:.2%}, missed {each.missed:.2%}"),
        ]
    stated, costs = setup.setup.probing.costs, setup.setup.probing.costs or USUAL_COSTS
    lines.append(
        note(
            f"proposed where a stop costs {costs.stop:g}, a miss {costs.miss:g}, and {costs.wrong:.3g} of parts lie "
            f"wrong{'' if stated else ' (assumed: state your own)'}"
        )
    )
    return lines


def _planned_touch(touch: Touch) -> list[TapeLine]:
    k = AXES.index(touch.axis)
    key = f"touch-{touch.number}"
    radius = touch.direction * touch.ball_radius
    turned = f", A {touch.turned_deg:g}°" if touch.turned_deg else ""
    lines = [
        TapeLine(f"touch {touch.number}, moving {touch.moving()}{turned}", touch.w_contact[k], source=key),
        TapeLine("  ball centre at contact", touch.w_contact[k] - radius, source=key),
        TapeLine("  search from", touch.start[k], source=key),
        TapeLine("  to, at latest", touch.end[k], source=key),
    ]
    if touch.axis != "z":
        lines.append(TapeLine("  at Z (ball centre)", touch.w_contact[2], source=key))
        lines.append(TapeLine("  depth below the edge", touch.depth, source=key, signed=False))
    return lines


def rehearsed_tape(setup: SetupPlan, result: RehearsedSetup, probe: Probe, seed: int) -> Tape:
    """The found offset worked out from the slow readings, as a machinist would on paper.

    Independent of the program's own arithmetic: both must give the same offset.
    """
    title = f"{result.offset} · {result.name}"
    if result.stopped:
        lines = [heading("No offset found"), *map(note, result.alarms)]
        return Tape(title, f"rehearsed, trial {seed}", tuple(lines), simulated=True)
    lines = []
    steps = setup.probing.steps
    #: How the offset is turned while a step runs, and what was found along its axes as they are turned.
    turn_deg = setup.located.turn_deg
    along: dict[Axis, float] = {}
    for step, latched in zip(steps, step_readings(steps, result.touches), strict=True):
        readings = tuple(reading.m_place for reading in latched)
        if _by_axis(step):
            readings = tuple(_along_the_offset(reading, turn_deg) for reading in readings)
            more, found = _step_lines(setup, step, readings, probe, turn_deg)
            lines, along = [*lines, *more], along | found
        else:
            lines += _result_lines(step, readings, probe, result)
        if step.sets_skew:
            turn_deg, along = result.turn_deg, {}
    if turn_deg:
        lines += _turned_back(along, turn_deg, result)
    lines.append(heading("Against where it really is"))
    lines += [
        TapeLine(f"{axis.upper()} found less true", float(result.difference[k]), "item", "wcs")
        for k, axis in enumerate(AXES)
    ]
    if result.hover_gap is not None:
        lines.append(TapeLine("hover check: room over the block", result.hover_gap, "note"))
    return Tape(title, f"rehearsed, trial {seed}", tuple(lines), simulated=True)


def _along_the_offset(m_place: Place, turn_deg: float) -> Place:
    """A machine reading, counted along the axes of an offset that is turned."""
    x, y, z = (rotation("z", -turn_deg) @ np.array(m_place)).tolist()
    return x, y, z


def _turned_back(along: dict[Axis, float], turn_deg: float, result: RehearsedSetup) -> list[TapeLine]:
    """From what was found ``along`` the turned axes to what the control shows; what no step set is as it stood."""
    stood = rotation("z", -turn_deg) @ result.found
    x, y = (along.get(axis, float(stood[k])) for k, axis in enumerate(AXES[:2]))
    cos, sin = math.cos(math.radians(turn_deg)), math.sin(math.radians(turn_deg))
    lines = [heading(f"Turned back by {turn_deg:.4f}°")]
    for axis, parts in (("X", (x * cos, -y * sin)), ("Y", (x * sin, y * cos))):
        lines += [TapeLine(f"  of {of} along its axis", part) for of, part in zip("XY", parts, strict=True)]
        lines.append(TapeLine(f"{result.offset} {axis}", sum(parts), "total", "wcs"))
    return lines


def _by_axis(step: Step) -> bool:
    """Whether every axis that a step sets follows from its own touches alone, along that axis and as planned."""
    plain = all(touch.angle_deg is None for touch in step.touches)
    simple = step.kind in (*WIDTHS, "surface", "rectangle", "bore", "boss") or len(step.touches) == 2
    return bool(step.sets) and plain and simple and not step.sets_skew and not step.into


def _step_lines(
    setup: SetupPlan, step: Step, readings: tuple[Place, ...], probe: Probe, turn_deg: float
) -> tuple[list[TapeLine], dict[Axis, float]]:
    """The lines of a step, and what it found along each axis that it sets."""
    found_along: dict[Axis, float] = {}
    lines = [heading(step.title)]
    if turn_deg:
        lines.append(note(f"along the offset's axes, turned {turn_deg:+.4f}°"))
    for setting in step.sets:
        k = AXES.index(setting.axis)
        pairs = [(plan, at) for plan, at in zip(step.touches, readings, strict=True) if plan.axis == setting.axis]
        surfaces = []
        for plan, at in pairs:
            key = f"touch-{plan.number}"
            lines.append(TapeLine(f"touch {plan.number}, {plan.moving()}", at[k], source=key))
            # Downward the calibrated length takes the place of the radius: the tip is the ball's lowest point.
            length = probe.length + setup.machine.length_shift()
            radius = length if plan.axis == "z" else probe.effective_radius
            surfaces.append(surface_at(at[k], plan.direction, radius))
            words = "tool length, −" if plan.axis == "z" else f"ball radius, {plan.moving()[0]}"
            lines.append(TapeLine(f"  {words}", plan.direction * radius, source=key))
            lines.append(TapeLine("  surface", surfaces[-1], "sum", key))
        found = surfaces[0]
        if len(surfaces) > 1:
            opposite = between(*surfaces)
            found = opposite.middle
            lines.append(TapeLine("  middle", found, "sum"))
            size = next((each.expected for each in step.finds if each.key == f"size {setting.axis}"), step.size)
            lines.append(TapeLine("  width found", opposite.width, "note", signed=False))
            lines.append(TapeLine("  width wanted", size, "note", signed=False))
        lines.append(TapeLine("  must read, −", -setting.should_read))
        total = found_along[setting.axis] = offset_for(found, setting.should_read)
        name = setting.axis.upper()
        turned = turn_deg and setting.axis != "z"
        words = f"{name} along its axis" if turned else f"{setup.setup.offset} {name}"
        lines.append(TapeLine(words, total, "total", "wcs"))
    return lines, found_along


def _result_lines(step: Step, readings: tuple[Place, ...], probe: Probe, result: RehearsedSetup) -> list[TapeLine]:
    """The readings of a step, and what they amount to in the WCS as it stands in the end."""
    lines = [heading(step.title if step.sets or step.sets_skew else f"{step.title}, measured")]
    turn = math.radians(result.turn_deg)
    centres: list[Place] = []
    for plan, reading in zip(step.touches, readings, strict=True):
        x, y, z = in_frame(np.array(ball_centre(reading, probe)), result.found, turn).tolist()
        centres.append((x, y, z))
        k = AXES.index(plan.axis)
        lines.append(TapeLine(f"touch {plan.number}, {plan.moving()}", reading[k], source=f"touch-{plan.number}"))
    found = step_results(step, centres, probe.effective_radius)
    for quantity in step.finds:
        value = found[quantity.key]
        if quantity.is_angle:
            # In the WCS as it stands the edge is straight again, so the turn that was written is what was found.
            turned = result.turn_deg if step.sets_skew else value
            lines.append(note(f"{quantity.words}: {turned:+.4f}°"))
            continue
        lines.append(TapeLine(f"  {quantity.words}", value, "sum", signed=not quantity.key.startswith("size")))
        lines.append(TapeLine("  less expected", value - quantity.expected, "note"))
    return lines
