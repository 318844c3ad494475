"""Single touches: the fixed jaw's face beside the part, and Z from above."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from ..frames import AXES, Axis
from ..model.cycles import ProbeCycle
from .landing import top_landing
from .landing_block import is_soft, landing_block, landing_place, landing_problems
from .needs import AtWall, begun_clear, no_landing, wall_problems, window_problems
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
    low, high = holding.u_stock[0][1 - k], holding.u_stock[1][1 - k]
    before = after = 0.0
    beside = float(high)
    if jaw is not None and jaws is not None and jaws.axis == k:
        face, direction = jaws.face, jaws.toward
        before, after = float(low) - jaw.low[1 - k], jaw.high[1 - k] - float(high)
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
    on_fixture = cycle.on == "parallels"
    if on_fixture:
        at, varies = landing_place(context), 0.0
        surface, height = holding.seat_name, holding.reference
        block = landing_block(context)
        if block is not None and abs(block.high[2] - height) > 1e-9:
            # What carries the stock is covered by it: the floor of soft jaws, or tape.  What can be touched
            # beside the stock lies a known height above or below that.
            surface, height = "soft-jaw top" if is_soft(holding) else block.name, block.high[2]
    else:
        surface, height = f"{cycle.on} top", context.stock_top()
        if cycle.on == "part":
            height = float(holding.u_part[1][2])
        wanted, varies = _on_top(context, share), context.varies("z")
        at, aside, lacking = _landing(context, known, height, wanted)
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
    if on_fixture:
        axes: tuple[Axis, ...] = ("x", "y")
        sure = {axis: _as_known(context, known, axis, at) for axis in axes}
        problems += landing_problems(context, touch, at, known | sure)
    sets = (AxisSetting("z", z if cycle.reads is None else cycle.reads, z),)
    finds = (Quantity("z", f"{surface} in Z", z),)
    return Step("surface", f"Z from {surface}", cycle, (touch,), sets, finds, tuple(problems))


def _as_known(context: StepContext, known: Known, axis: Axis, at: tuple[float, float]) -> Knowledge:
    return replace(known[axis], uncertainty=context.unsure(known, axis, "fixture", at))


def _on_top(context: StepContext, share: tuple[float, float]) -> tuple[float, float]:
    """The place at ``share`` of the stock's length and width, seen from above."""
    low, high = context.holding.u_stock
    x, y = (float(low[k] + share[k] * (high[k] - low[k])) for k in (0, 1))
    return x, y


def _landing(
    context: StepContext, known: Known, height: float, wanted: tuple[float, float]
) -> tuple[tuple[float, float], tuple[float, float], float | None]:
    """Where on the top to touch, how well that place is known along X and Y, and how far it is from the top's
    edge where that is too near."""
    place = wanted
    # A place further from where the axes were found is known less well, and may have to move once more.
    for _ in range(3):
        aside = context.aside(known, "stock", place)
        place, room = top_landing(context, height, wanted, aside)
        there = context.aside(known, "stock", place)
        if all(a <= b + 1e-6 for a, b in zip(there, aside, strict=True)):
            break
    return place, there, None if math.isinf(room) else room


def top_place(context: StepContext, height: float) -> tuple[float, float]:
    """A place on the stock's top, near its middle, where something can stand that is put there by eye."""
    guess = context.setup.probing.guess
    return top_landing(context, height, _on_top(context, (0.5, 0.5)), (guess, guess))[0]
