"""Single touches: the fixed jaw's face beside the part, and Z from above."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from ..feature_places import gives, zero_place
from ..frames import AXES, Axis
from ..model.cycles import ProbeCycle
from .landing import room_on_top, top_landing
from .landing_block import is_soft, landing_block, landing_place, landing_problems, stylus_problems
from .needs import AtWall, begun_clear, no_landing, not_as_it_lies, wall_problems, window_problems
from .own_faces import level_spot, spot_problems
from .proposals import AXIS_OF
from .side_touches import Approach, UprightSide, free_along, wall_touch
from .step_context import Known, StepContext
from .touches import AxisSetting, Knowledge, Quantity, Step, Touch, Wall
from .walls import FreeWall


def jaw_step(context: StepContext, cycle: ProbeCycle, known: Known, number: int) -> Step:
    """The fixed jaw's face, touched beside the part on the side where the jaw stands out further."""
    holding, probe, routine = context.holding, context.probe, context.routine
    jaw, jaws = holding.block("fixed jaw"), holding.jaws
    k = _jaw_axis(context, cycle)
    axis, other = AXES[k], AXES[1 - k]
    # Without such a jaw the touch is planned all the same, at the stock's side, and said to have no landing.
    face, direction = float(holding.u_stock[1][k]), 1
    low, high = _with_stop(context, 1 - k)
    before = after = 0.0
    beside = high
    if jaw is not None and jaws is not None and jaws.axis == k:
        face, direction = jaws.face, jaws.toward
        before, after = low - jaw.low[1 - k], jaw.high[1 - k] - high
        beside = jaw.high[1 - k] - after / 2.0 if after >= before else jaw.low[1 - k] + before / 2.0
    u_contact = holding.jaw_top - routine.depth
    place = [beside, face, u_contact] if k == 1 else [face, beside, u_contact]
    x, y, z = (float(value) for value in np.array(place) - context.wcs.u_origin)
    origin_z = float(context.wcs.u_origin[2])
    touch = Touch(
        number=number,
        surface="fixed jaw",
        axis=axis,
        direction=direction,
        w_contact=(x, y, z),
        stand_off=routine.stand_off,
        overtravel=routine.overtravel,
        ball_radius=probe.ball_radius,
        wall=Wall(holding.seat - origin_z, holding.jaw_top - origin_z, 0.0),
        depth=routine.depth,
        feeds=context.feeds(cycle, routine.stand_off),
    )
    # A parallel may stick out there, so the wall counts from its top.
    wall = FreeWall(holding.seat, holding.jaw_top, overhung=False)
    u_at = (place[0], place[1])
    unsure_along = context.unsure(known, axis, "fixture", u_at)
    problems = window_problems(touch, unsure_along)
    touch = begun_clear(touch, unsure_along)
    about = AtWall(wall, holding.seat, u_contact, float(holding.u_stock[1][2]), known["z"].uncertainty)
    problems += wall_problems(touch, about, probe)
    strip = max(before, after) / 2.0
    unsure = context.unsure(known, other, "fixture", u_at)
    if strip < probe.ball_radius + unsure:
        problems.append(no_landing(touch, "the jaw's face beside the part", strip, unsure))
    at = face - float(context.wcs.u_origin[k])
    sets = (AxisSetting(axis, at if cycle.reads is None else cycle.reads, at),)
    finds = (Quantity(axis, f"fixed jaw in {axis.upper()}", at),)
    return Step("surface", f"{axis.upper()} from fixed jaw", cycle, (touch,), sets, finds, tuple(problems))


def _with_stop(context: StepContext, k: int) -> tuple[float, float]:
    """From where to where, along the jaws, the stock and the stop beside it stand before the fixed jaw."""
    low, high = (float(corner[k]) for corner in context.holding.u_stock)
    stop = context.holding.block("stop")
    return (low, high) if stop is None else (min(low, stop.low[k]), max(high, stop.high[k]))


def fixture_side_step(context: StepContext, cycle: ProbeCycle, known: Known, number: int) -> Step:
    """An end of the fixed jaw, or the face of a stop where the stock leaves any of that free."""
    holding = context.holding
    block = holding.first_jaw() if cycle.on == "jaw end" else holding.block("stop")
    jaws = holding.jaws
    k = 1 - jaws.axis if jaws is not None else 0
    axis = AXES[k]
    low, high = (block.low, block.high) if block is not None else holding.u_stock
    if cycle.on == "jaw end":
        lower, words = cycle.side in ("left", "front"), f"{cycle.side} end of the jaw"
        missing = cycle.side is None or AXIS_OF[cycle.side] != axis
    else:
        # The stop's face looks at the stock: it is met moving away from that.
        middle = float(holding.u_stock[0][k] + holding.u_stock[1][k]) / 2.0
        lower, words, missing = float(low[k] + high[k]) / 2.0 > middle, "stop", False
    place = float(low[k] if lower else high[k])
    within = (float(low[1 - k]), float(high[1 - k]))
    side = UprightSide(axis, 1 if lower else -1, place, within)
    if block is not None:
        context = replace(context, u_solid=context.u_solid + block.solid())
    wanted = sum(within) / 2.0
    if cycle.on == "stop":
        # What the stock leaves of its face, on the side where that is more.
        before, beyond = float(holding.u_stock[0][1 - k]), float(holding.u_stock[1][1 - k])
        wanted = (within[0] + before) / 2.0 if before - within[0] > within[1] - beyond else (within[1] + beyond) / 2.0
    along = free_along(context, cycle, known, [side], wanted)
    approach = Approach(words, axis, side.direction, side.at(along), floor=holding.foot, body="fixture", within=within)
    touch, problems = wall_touch(context, cycle, approach, known, number)
    if block is None or jaws is None or missing:
        problems = [not_as_it_lies(touch)]
    at = place - float(context.wcs.u_origin[k])
    sets = (AxisSetting(axis, at if cycle.reads is None else cycle.reads, at),)
    finds = (Quantity(axis, f"{words} in {axis.upper()}", at),)
    return Step("surface", f"{axis.upper()} from {words}", cycle, (touch,), sets, finds, tuple(problems))


def _jaw_axis(context: StepContext, cycle: ProbeCycle) -> int:
    """Along which axis the jaw's face is touched: as the cycle or the datum says, else across the jaws."""
    if cycle.axis is not None:
        return AXES.index(cycle.axis)
    datum = context.setup.datum
    for axis in ("x", "y"):
        if datum.axis(axis).source == "fixed jaw":
            return AXES.index(axis)
    return context.holding.jaws.axis if context.holding.jaws is not None else 1


def top_step(
    context: StepContext, cycle: ProbeCycle, known: Known, number: int, share: tuple[float, float] = (0.5, 0.5)
) -> Step:
    """Z: one touch downward, on a parallel beside the part or on the top of the stock.

    ``share`` is where on the top, from 0 to 1 along X and Y; a place nearby is taken where that is over a hole.
    """
    holding, origin = context.holding, context.wcs.u_origin
    on_fixture = cycle.on in ("parallels", "fixture face")
    spot = level_spot(context, cycle.face) if on_fixture else None
    if spot is not None:
        at, varies = _own_place(context, cycle, spot.at), 0.0
        surface, height = f"fixture face {spot.name}", spot.height
    elif on_fixture:
        at, varies = _own_place(context, cycle, landing_place(context)), 0.0
        surface, height = holding.seat_name, holding.reference
        block = landing_block(context, at)
        if block is not None and abs(block.high[2] - height) > 1e-9:
            # What carries the stock is covered by it: the floor of soft jaws, or tape.  What can be touched
            # beside the stock lies a known height above or below that.
            surface, height = "soft-jaw top" if is_soft(holding) else block.name, block.high[2]
    else:
        surface, height = f"{cycle.on} top", context.stock_top()
        wanted, varies = _on_top(context, share), context.varies("z")
        if cycle.on == "part":
            height = float(holding.u_part[1][2])
        elif cycle.on == "feature":
            feature, matrix = context.feature(cycle.feature), context.setup.orientation.matrix()
            surface = feature.name
            x, y, height = (float(value) for value in matrix @ zero_place(feature, "feature", "z", matrix[2]))
            wanted, varies = (x, y), 0.0
        at, aside, lacking = _landing(context, known, height, wanted, one_piece=cycle.on == "feature")
        if _is_own(cycle):
            # Where the user says it is touched it stays, and what that lacks is told.
            at = _own_place(context, cycle, at)
            aside = context.aside(known, "stock", at)
            lacking = room_on_top(context, height, at, aside)
    x, y, z = (float(value) for value in np.array([at[0], at[1], height]) - origin)
    routine = context.routine
    touch = Touch(
        number=number,
        surface=surface,
        axis="z",
        direction=-1,
        w_contact=(x, y, z),
        stand_off=routine.stand_off,
        overtravel=routine.overtravel,
        ball_radius=context.probe.ball_radius,
        wall=None,
        depth=0.0,
        feeds=context.feeds(cycle, routine.stand_off),
    )
    body = "fixture" if on_fixture else "stock"
    unsure = context.unsure(known, "z", body) + varies
    problems = window_problems(touch, unsure)
    touch = begun_clear(touch, unsure)
    if not on_fixture and lacking is not None:
        remedy = "Find X and Y first, take Z from another surface, or use a smaller ball."
        problems.append(no_landing(touch, f"the {surface}", lacking, max(aside), remedy))
    if cycle.on == "feature" and not gives(context.feature(cycle.feature), "z", context.setup.orientation):
        problems = [not_as_it_lies(touch)]
    if on_fixture:
        axes: tuple[Axis, ...] = ("x", "y")
        sure = {axis: _as_known(context, known, axis, at) for axis in axes}
        if spot is None:
            problems += landing_problems(context, touch, at, known | sure)
        else:
            problems += spot_problems(context, touch, spot, at, known)
            problems += stylus_problems(context, touch, at, known | sure)
    sets = (AxisSetting("z", z if cycle.reads is None else cycle.reads, z),)
    finds = (Quantity("z", f"{surface} in Z", z),)
    return Step("surface", f"Z from {surface}", cycle, (touch,), sets, finds, tuple(problems))


def _is_own(cycle: ProbeCycle) -> bool:
    return cycle.at_x is not None or cycle.at_y is not None


def _own_place(context: StepContext, cycle: ProbeCycle, at: tuple[float, float]) -> tuple[float, float]:
    """Where the user wants the touch (``u``), along an axis where nothing is said where the planner has it."""
    x, y = (float(value) for value in context.wcs.u_origin[:2])
    return at[0] if cycle.at_x is None else cycle.at_x + x, at[1] if cycle.at_y is None else cycle.at_y + y


def _as_known(context: StepContext, known: Known, axis: Axis, at: tuple[float, float]) -> Knowledge:
    return replace(known[axis], uncertainty=context.unsure(known, axis, "fixture", at))


def _on_top(context: StepContext, share: tuple[float, float]) -> tuple[float, float]:
    """The place at ``share`` of the stock's length and width, seen from above."""
    low, high = context.holding.u_stock
    x, y = (float(low[k] + share[k] * (high[k] - low[k])) for k in (0, 1))
    return x, y


def _landing(
    context: StepContext, known: Known, height: float, wanted: tuple[float, float], *, one_piece: bool
) -> tuple[tuple[float, float], tuple[float, float], float | None]:
    """Where on the top to touch, how well that place is known along X and Y, and how far it is from the top's
    edge where that is too near."""
    at = wanted
    # A place further from where the axes were found is known less well, and may have to move once more.
    for _ in range(3):
        aside = context.aside(known, "stock", at)
        at, room = top_landing(context, height, wanted, aside, one_piece=one_piece)
        there = context.aside(known, "stock", at)
        if all(a <= b + 1e-6 for a, b in zip(there, aside, strict=True)):
            break
    return at, there, None if math.isinf(room) else room


def top_place(context: StepContext, height: float) -> tuple[float, float]:
    """A place on the stock's top, near its middle, where something can stand that is put there by eye."""
    guess = context.setup.probing.guess
    return top_landing(context, height, _on_top(context, (0.5, 0.5)), (guess, guess))[0]
