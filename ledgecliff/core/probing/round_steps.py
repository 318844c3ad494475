"""Bores and bosses: touched on both axes or at chosen angles, twice, the second time from the centre found."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import manifold3d
import numpy as np

from ..frames import AXES, Array, Axis
from ..model.cycles import ProbeCycle
from ..model.stock import stands_round
from .needs import not_as_it_lies, too_narrow
from .proposals import SIDE_OF
from .side_touches import Approach, wall_touch
from .spokes import angle_problems
from .step_context import Known, StepContext
from .touches import AxisSetting, Problem, Quantity, Step, Touch

#: In a bore the ball keeps at least this far from the centre, so that no move is too short for the control (mm).
LEAST_MOVE = 0.5
#: A found diameter may differ from the expected one by this much before the program stops (mm).
_SIZE_TOLERANCE = 0.3
#: A dowel is touched this far to either side of where the stock is not (degrees).
FREE_SIDE = 75.0
_FOUR: tuple[tuple[Axis, int], ...] = (("x", -1), ("x", 1), ("y", -1), ("y", 1))


@dataclass(frozen=True, eq=False)
class Round:
    """A round feature to probe: its centre (2,) in ``u``, the height under which nothing is touched, what it is in,
    and what the probe's body must clear there, where that is not the stock."""

    name: str
    u_centre: Array
    diameter: float
    floor: float
    solid: manifold3d.Manifold
    top: float | None = None
    body: str = "stock"


def round_of_part(context: StepContext, name: str | None) -> Round:
    feature = context.feature(name)
    centre = context.setup.orientation.matrix() @ np.array(feature.at.as_tuple())
    return Round(feature.name, centre[:2], feature.diameter or 0.0, context.holding.seat, context.u_solid)


def round_of_fixture(context: StepContext) -> Round:
    """The fixture's own bore; where it has none, one that no wall is found of."""
    holding, bore = context.holding, context.holding.known_bore()
    if bore is None:
        middle = (holding.u_stock[0] + holding.u_stock[1])[:2] / 2.0
        width = 3.0 * context.probe.ball_diameter
        return Round("fixture bore", middle, width, holding.foot, manifold3d.Manifold(), body="fixture")
    block = holding.block("jig") or holding.block("fixture") or holding.first_jaw()
    assert block is not None, "jigs, vises and fixtures of the shop's own have these blocks"
    low, high = (corner[:2] for corner in holding.u_stock)
    beside = float(np.max(np.maximum(low - bore.u_centre, bore.u_centre - high)))
    clear = beside > context.probe.body_diameter / 2.0 + bore.diameter / 2.0
    top = float(block.high[2]) if clear else None
    return Round(bore.name, bore.u_centre, bore.diameter, holding.foot, block.solid(), top, "fixture")


def round_of_dowel(context: StepContext, number: int | None) -> Round:
    """A dowel that the stock is against; where there is none, one that no wall is found of."""
    holding, name = context.holding, f"dowel {number}"
    block = holding.block(name)
    if block is None:
        return replace(round_of_fixture(context), name=name)
    low, high = np.array(block.low), np.array(block.high)
    solid = context.u_solid + block.solid()
    centre, diameter = (low + high)[:2] / 2.0, float(high[0] - low[0])
    return Round(name, centre, diameter, holding.seat, solid, None, "fixture")


def round_of_stock(context: StepContext) -> Round:
    """Round stock that stands upright, from outside."""
    low, high = (corner[:2] for corner in context.holding.u_stock)
    floor = max(context.holding.wall_floor(k) for k in (0, 1))
    return Round("stock", (low + high) / 2.0, float(high[0] - low[0]), floor, context.u_solid)


def _from_the_stock(context: StepContext, thing: Round) -> float:
    """In which direction from a dowel the stock is not (degrees from +X)."""
    low, high = (corner[:2] for corner in context.holding.u_stock)
    nearest = np.clip(thing.u_centre, low, high)
    x, y = thing.u_centre - nearest
    return math.degrees(math.atan2(float(y), float(x)))


def round_step(context: StepContext, cycle: ProbeCycle, known: Known, number: int) -> Step:
    match cycle.on:
        case "dowel":
            thing = round_of_dowel(context, cycle.dowel)
        case "fixture bore":
            thing = round_of_fixture(context)
        case "stock":
            thing = round_of_stock(context)
        case _:
            thing = round_of_part(context, cycle.feature)
    if cycle.on == "dowel" and not cycle.angles_deg:
        away = _from_the_stock(context, thing)
        angles = tuple(round(math.remainder(away + turn, 360.0), 3) for turn in (-FREE_SIDE, 0.0, FREE_SIDE))
        cycle = cycle.model_copy(update={"angles_deg": angles})
    inside = cycle.kind == "bore"
    context = replace(context, u_solid=thing.solid, u_top=thing.top)
    touches: list[Touch] = []
    problems: list[Problem] = []
    for k, approach in enumerate(_approaches(context, cycle, thing, inside)):
        touch, found = wall_touch(context, cycle, approach, known, number + k)
        if inside and thing.diameter <= context.probe.ball_diameter + 2.0 * LEAST_MOVE:
            found = [*found, too_narrow(touch, thing.diameter, context.probe)]
        touches.append(touch)
        problems += found
    if cycle.on == "stock" and not stands_round(context.stock, context.setup.orientation):
        problems = [not_as_it_lies(touches[0])]
    if cycle.angles_deg:
        problems += angle_problems(cycle.angles_deg, number, thing.name, context.probe.repeatability)
    axes: tuple[Axis, ...] = (cycle.axis,) if cycle.axis is not None else ("x", "y")
    w_centre = thing.u_centre - context.wcs.u_origin[:2]
    centre = (float(w_centre[0]), float(w_centre[1]))
    which = " and ".join(axis.upper() for axis in axes)
    places = {axis: centre[AXES.index(axis)] for axis in axes}
    sets = tuple(AxisSetting(axis, _reading(cycle, axes, place), place) for axis, place in places.items())
    finds = [Quantity(axis, f"centre {axis.upper()}", centre[k]) for k, axis in enumerate(("x", "y"))]
    if cycle.angles_deg:
        finds.append(Quantity("size", "diameter", thing.diameter))
    else:
        finds += [Quantity(f"size {axis}", f"diameter along {axis.upper()}", thing.diameter) for axis in ("x", "y")]
    title = f"{which} from {thing.name}" if cycle.action == "set" else thing.name
    return Step(
        kind=cycle.kind,
        title=title,
        cycle=cycle,
        touches=tuple(touches),
        sets=sets,
        finds=tuple(finds),
        problems=tuple(problems),
        size=thing.diameter,
        size_tolerance=_SIZE_TOLERANCE + (context.varies("x") if cycle.on == "stock" else 0.0),
        inside=inside,
        w_centre=centre,
        passes=1 if cycle.rough else 2,
        crossing=cycle.crossing or ("straight" if inside else "over"),
    )


def _reading(cycle: ProbeCycle, axes: tuple[Axis, ...], place: float) -> float:
    return cycle.reads if cycle.reads is not None and len(axes) == 1 else place


def _approaches(context: StepContext, cycle: ProbeCycle, thing: Round, inside: bool) -> list[Approach]:
    """Outward from within a bore, inward onto a boss."""
    room = thing.diameter / 2.0 - context.probe.ball_radius - LEAST_MOVE if inside else None
    x, y = (float(value) for value in thing.u_centre)
    about = ((x, y), thing.diameter / 2.0)
    out = 1.0 if inside else -1.0
    approaches = []
    if not cycle.angles_deg:
        for axis, side in _FOUR:
            at = [x, y]
            at[AXES.index(axis)] += side * thing.diameter / 2.0
            name = f"{thing.name}, {SIDE_OF[axis, side]} side"
            approaches.append(
                Approach(
                    surface=name,
                    axis=axis,
                    direction=int(side * out),
                    at=(at[0], at[1]),
                    varies=0.0,
                    floor=thing.floor,
                    room=room,
                    body=thing.body,
                    round_about=about,
                )
            )
        return approaches
    for angle in cycle.angles_deg:
        c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
        at_rim = (x + c * thing.diameter / 2.0, y + s * thing.diameter / 2.0)
        axis, sign = ("x", c) if abs(c) >= abs(s) else ("y", s)
        way = angle if inside else math.remainder(angle + 180.0, 360.0)
        direction = 1 if sign * out > 0 else -1
        name = f"{thing.name} at {angle:g}°"
        approaches.append(
            Approach(
                surface=name,
                axis=axis,
                direction=direction,
                at=at_rim,
                varies=0.0,
                floor=thing.floor,
                room=room,
                body=thing.body,
                angle_deg=way,
                round_about=about,
            )
        )
    return approaches
