"""Bores and bosses: touched on both axes or at chosen angles, twice, the second time from the centre found."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import manifold3d
import numpy as np

from ..frames import AXES, Array, Axis
from ..model.cycles import ProbeCycle
from .needs import too_narrow
from .proposals import SIDE_OF
from .side_touches import Approach, wall_touch
from .situation import Known, Situation
from .spokes import angle_problems
from .touches import AxisSetting, Problem, Quantity, Step, Touch

#: In a bore the ball keeps at least this far from the centre, so that no move is too short for the control (mm).
LEAST_MOVE = 0.5
#: A found diameter may differ from the expected one by this much before the program stops (mm).
_SIZE_TOLERANCE = 0.3
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


def round_of_part(situation: Situation, name: str | None) -> Round:
    feature = next(feature for feature in situation.features if feature.name == name)
    centre = situation.setup.orientation.matrix() @ np.array(feature.at.as_tuple())
    return Round(feature.name, centre[:2], feature.diameter or 0.0, situation.holding.seat, situation.u_solid)


def round_of_fixture(situation: Situation) -> Round:
    """The fixture's own bore; where it has none, one that no wall is found of."""
    holding, bore = situation.holding, situation.holding.known_bore()
    if bore is None:
        middle = (holding.u_stock[0] + holding.u_stock[1])[:2] / 2.0
        width = 3.0 * situation.probe.ball_diameter
        return Round("fixture bore", middle, width, holding.foot, manifold3d.Manifold(), body="fixture")
    block = holding.block("jig") or holding.block("fixed jaw")
    assert block is not None, "jigs and vises have these blocks"
    low, high = (corner[:2] for corner in holding.u_stock)
    beside = float(np.max(np.maximum(low - bore.u_centre, bore.u_centre - high)))
    clear = beside > situation.probe.body_diameter / 2.0 + bore.diameter / 2.0
    top = float(block.high[2]) if clear else None
    return Round(bore.name, bore.u_centre, bore.diameter, holding.foot, block.solid(), top, "fixture")


def round_step(situation: Situation, cycle: ProbeCycle, known: Known, number: int) -> Step:
    thing = round_of_fixture(situation) if cycle.on == "fixture bore" else round_of_part(situation, cycle.feature)
    inside = cycle.kind == "bore"
    situation = replace(situation, u_solid=thing.solid, u_top=thing.top)
    touches: list[Touch] = []
    problems: list[Problem] = []
    for k, approach in enumerate(_approaches(situation, cycle, thing, inside)):
        touch, found = wall_touch(situation, cycle, approach, known, number + k)
        if inside and thing.diameter <= situation.probe.ball_diameter + 2.0 * LEAST_MOVE:
            found = [*found, too_narrow(touch, thing.diameter, situation.probe)]
        touches.append(touch)
        problems += found
    if cycle.angles_deg:
        problems += angle_problems(cycle.angles_deg, number, thing.name, situation.probe.repeatability)
    axes: tuple[Axis, ...] = (cycle.axis,) if cycle.axis is not None else ("x", "y")
    w_centre = thing.u_centre - situation.wcs.u_origin[:2]
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
        cycle.kind, title, cycle, tuple(touches), sets, tuple(finds), tuple(problems), thing.diameter, _SIZE_TOLERANCE,
        inside, w_centre=centre, passes=1 if cycle.rough else 2,
        crossing=cycle.crossing or ("straight" if inside else "over"),
    )  # fmt: skip


def _reading(cycle: ProbeCycle, axes: tuple[Axis, ...], place: float) -> float:
    return cycle.reads if cycle.reads is not None and len(axes) == 1 else place


def _approaches(situation: Situation, cycle: ProbeCycle, thing: Round, inside: bool) -> list[Approach]:
    """Outward from within a bore, inward onto a boss."""
    room = thing.diameter / 2.0 - situation.probe.ball_radius - LEAST_MOVE if inside else None
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
                    name, axis, int(side * out), (at[0], at[1]), 0.0, thing.floor, room, thing.body, round_about=about
                )
            )  # fmt: skip
        return approaches
    for angle in cycle.angles_deg:
        c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
        at_rim = (x + c * thing.diameter / 2.0, y + s * thing.diameter / 2.0)
        axis, sign = ("x", c) if abs(c) >= abs(s) else ("y", s)
        way = angle if inside else math.remainder(angle + 180.0, 360.0)
        direction = 1 if sign * out > 0 else -1
        name = f"{thing.name} at {angle:g}°"
        approaches.append(Approach(name, axis, direction, at_rim, 0.0, thing.floor, room, thing.body, way, about))
    return approaches
