"""Touches against upright walls: where along a side, how deep, and what stands in the way."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ..frames import AXES, Axis
from ..model.cycles import ProbeCycle
from .needs import buried, wall_problems, window_problems
from .proposals import SIDE_OF
from .situation import Known, Situation
from .touches import Problem, Touch, Wall
from .walls import FreeWall, free_wall_along, material_before

#: Touches are moved along a side in such steps to find a free place (mm).
_STEP = 1.0


@dataclass(frozen=True)
class Approach:
    """One touch to be planned: against what, at which place (x, y) in ``u``, and moving along what."""

    surface: str
    axis: Axis
    direction: int
    at: tuple[float, float]
    #: How far the wall may lie off for reasons of its own (mm), such as a saw cut.
    varies: float = 0.0
    #: Below this height something other than the wall is in the way.
    floor: float = -math.inf
    #: How far back the ball can stand inside a hole; unlimited when None.
    room: float | None = None
    #: What is touched, for how well its place is known: the stock, or the fixture.
    body: str = "stock"
    angle_deg: float | None = None

    @property
    def way(self) -> tuple[float, float]:
        if self.angle_deg is not None:
            return math.cos(math.radians(self.angle_deg)), math.sin(math.radians(self.angle_deg))
        return (float(self.direction), 0.0) if self.axis == "x" else (0.0, float(self.direction))


def wall_touch(
    situation: Situation, cycle: ProbeCycle, approach: Approach, known: Known, number: int
) -> tuple[Touch, list[Problem]]:
    routine, probe = situation.routine, situation.probe
    at, way = approach.at, approach.way
    wall = free_wall_along(situation.u_solid, at, way, least=probe.ball_diameter)
    u_high = wall.high if wall else situation.stock_top()
    origin = situation.wcs.u_origin
    contact = np.array([at[0], at[1], u_high - routine.depth]) - origin
    stand_off = routine.stand_off
    if approach.room is not None:
        stand_off = max(min(stand_off, approach.room), 0.0)
    outside = approach.room is None
    overhang = _overhang(situation, approach) if wall and wall.overhung and outside else 0.0
    x, y, z = (float(value) for value in contact)
    touch = Touch(
        number, approach.surface, approach.axis, approach.direction, (x, y, z), stand_off, routine.overtravel,
        probe.ball_radius,
        _wall(wall, approach.floor, float(origin[2]), overhang),
        routine.depth, situation.feeds(cycle), approach.angle_deg,
    )  # fmt: skip
    u_top = situation.stock_top() if situation.u_top is None else situation.u_top
    axes: tuple[Axis, ...] = ("x", "y") if approach.angle_deg is not None else (approach.axis,)
    unsure = max(situation.unsure(known, axis, approach.body) for axis in axes)
    problems = window_problems(touch, unsure + approach.varies + _may_be_off(situation, cycle))
    if wall is None and (deep := material_before(situation.u_solid, at, way, u_high - routine.depth)) > 0.0:
        return touch, [*problems, buried(touch, deep)]
    problems += wall_problems(
        touch, wall, approach.floor, u_high - routine.depth, u_top, probe, known["z"].uncertainty, overhang
    )
    return touch, problems


def _may_be_off(situation: Situation, cycle: ProbeCycle) -> float:
    """How far the drawing lets the touched feature's size be off (mm)."""
    feature = next((feature for feature in situation.features if feature.name == cycle.feature), None)
    tolerance = feature.tolerance if feature is not None else None
    return 0.0 if tolerance is None else tolerance.size or 0.0


def _wall(wall: FreeWall | None, floor: float, origin_z: float, overhang: float) -> Wall | None:
    return None if wall is None else Wall(max(wall.low, floor) - origin_z, wall.high - origin_z, overhang)


def _overhang(situation: Situation, approach: Approach) -> float:
    """How far the stock stands out over a wall on the side the ball comes from."""
    k = AXES.index(approach.axis)
    low, high = situation.holding.u_stock
    place = approach.at[k]
    return float(place - low[k] if approach.direction > 0 else high[k] - place)


def side_approach(
    situation: Situation, body: str, axis: Axis, direction: int, place: float, along: float, name: str = ""
) -> Approach:
    """Against an upright side at ``place``, with ``along`` the place on the other axis."""
    k = AXES.index(axis)
    at = [along, along]
    at[k] = place
    side = f"{SIDE_OF[axis, -direction]} side"
    varies = situation.varies(axis) / 2.0 if body == "stock" else 0.0
    return Approach(
        f"{name or body} {side}", axis, direction, (at[0], at[1]), varies, situation.holding.wall_floor(k)
    )  # fmt: skip


def free_along(
    situation: Situation, cycle: ProbeCycle, known: Known, axis: Axis, sides: list[tuple[float, int]], middle: float
) -> float:
    """Where along the sides (place, direction) of ``axis`` to touch: at their middle, or as near to it as every side
    is whole over the ball and what is not known across; as the cycle says where it says so."""
    if cycle.moved is not None:
        return middle + cycle.moved
    other: Axis = "y" if axis == "x" else "x"
    low, high = situation.holding.u_stock
    half = float(high[AXES.index(other)] - low[AXES.index(other)]) / 2.0
    room = situation.probe.ball_radius + situation.unsure(known, other, "stock")
    tops = [_full_height(situation, axis, place, direction, middle, half) for place, direction in sides]
    for step in range(int(half / _STEP)):
        for shift in dict.fromkeys((step * _STEP, -step * _STEP)):
            if all(
                _whole(situation, axis, place, direction, middle + shift, room, top)
                for (place, direction), top in zip(sides, tops, strict=True)
            ):
                return middle + shift
    return middle


def _wall_at(situation: Situation, axis: Axis, place: float, direction: int, along: float) -> FreeWall | None:
    at = (place, along) if axis == "x" else (along, place)
    way = (float(direction), 0.0) if axis == "x" else (0.0, float(direction))
    return free_wall_along(situation.u_solid, at, way, least=situation.probe.ball_diameter)


def _full_height(
    situation: Situation, axis: Axis, place: float, direction: int, middle: float, half: float
) -> float:  # fmt: skip
    """How high a side stands where nothing is cut out of it: the highest of a few places along it."""
    shares = (0.0, -0.3, 0.3, -0.6, 0.6, -0.85, 0.85)
    walls = (_wall_at(situation, axis, place, direction, middle + share * half) for share in shares)
    return max((wall.high for wall in walls if wall is not None), default=-math.inf)


def _whole(
    situation: Situation, axis: Axis, place: float, direction: int, along: float, room: float, top: float
) -> bool:
    """Whether a side is one wall of its full height, down past the contact, all along the ball and what is unknown."""
    walls = [_wall_at(situation, axis, place, direction, along + shift) for shift in (0.0, room, -room)]
    contact = top - situation.routine.depth
    return all(wall is not None and abs(wall.high - top) < 1e-3 and wall.low < contact for wall in walls)
