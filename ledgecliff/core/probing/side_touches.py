"""Touches against upright walls: where along a side, how deep, and what stands in the way."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..frames import AXES, Axis
from ..model.cycles import OF_FIXTURE, ProbeCycle
from .landing import Span, common, place_along, room_along, rounds_alike, side_room, side_stretches
from .needs import AtWall, begun_clear, buried, no_landing, wall_problems, window_problems
from .proposals import SIDE_OF
from .round_window import round_window
from .step_context import Known, StepContext
from .touches import Problem, Touch, Wall
from .walls import FreeWall, free_wall_along, material_before

#: Two touches of one edge must be at least this far apart for it to have a direction (mm).
_LEAST_APART = 2.0


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
    #: Of a round feature: its middle (x, y) in ``u`` and its radius; of one of two opposite sides: where the other is.
    round_about: tuple[tuple[float, float], float] | None = None
    opposite: float | None = None
    #: Of what stands in the wall's plane, only what is between these along it is meant.
    within: Span | None = None

    @property
    def way(self) -> tuple[float, float]:
        if self.angle_deg is not None:
            return math.cos(math.radians(self.angle_deg)), math.sin(math.radians(self.angle_deg))
        return (float(self.direction), 0.0) if self.axis == "x" else (0.0, float(self.direction))


def wall_touch(
    context: StepContext, cycle: ProbeCycle, approach: Approach, known: Known, number: int
) -> tuple[Touch, list[Problem]]:
    routine, probe = context.routine, context.probe
    at, way = approach.at, approach.way
    wall = free_wall_along(context.u_solid, at, way, least=probe.ball_diameter)
    u_high = wall.high if wall else context.stock_top()
    origin = context.wcs.u_origin
    contact = np.array([at[0], at[1], u_high - routine.depth]) - origin
    stand_off = routine.stand_off
    if approach.room is not None:
        stand_off = max(min(stand_off, approach.room), 0.0)
    outside = approach.room is None
    overhang = _overhang(context, approach) if wall and wall.overhung and outside else 0.0
    x, y, z = (float(value) for value in contact)
    touch = Touch(
        number=number,
        surface=approach.surface,
        axis=approach.axis,
        direction=approach.direction,
        w_contact=(x, y, z),
        stand_off=stand_off,
        overtravel=routine.overtravel,
        ball_radius=probe.ball_radius,
        wall=_wall(wall, approach.floor, float(origin[2]), overhang),
        depth=routine.depth,
        feeds=context.feeds(cycle, stand_off),
        angle_deg=approach.angle_deg,
    )
    u_top = context.stock_top() if context.u_top is None else context.u_top
    early, late = _window(context, cycle, approach, touch, known)
    problems = window_problems(touch, early, late, approach.room)
    touch = begun_clear(touch, early)
    if wall is None and (deep := material_before(context.u_solid, at, way, u_high - routine.depth)) > 0.0:
        return touch, [*problems, buried(touch, deep)]
    about = AtWall(
        wall=wall,
        floor=approach.floor,
        contact=u_high - routine.depth,
        top=u_top,
        z_unsure=known["z"].uncertainty,
        overhang=overhang,
        floor_unsure=context.unsure(known, "z", "fixture"),
    )
    problems += wall_problems(touch, about, probe)
    if wall is not None and approach.round_about is None:
        problems += _side_landing(context, approach, touch, known)
    return touch, problems


def _window(
    context: StepContext, cycle: ProbeCycle, approach: Approach, touch: Touch, known: Known
) -> tuple[float, float]:  # fmt: skip
    """How early and how late the contact may come (mm)."""
    size_off = _may_be_off(context, cycle)
    if approach.round_about is not None:
        (x, y), radius = approach.round_about
        u, v = (float(value) for value in context.wcs.u_origin[:2])
        aside = context.aside(known, approach.body, (x, y))
        window = round_window(touch, (x - u, y - v), radius, approach.room is not None, aside, size_off)
        return window.early, window.late
    unsure = context.unsure(known, approach.axis, approach.body, approach.at)
    either = unsure + approach.varies + size_off
    return either, either


def _side_landing(context: StepContext, approach: Approach, touch: Touch, known: Known) -> list[Problem]:
    """The side must be whole wherever the ball may come down along it (need 2)."""
    k, z_unsure = AXES.index(approach.axis), known["z"].uncertainty
    along, wall = approach.at[1 - k], (approach.at[k], approach.direction)
    room = side_room(context, known, approach.axis, approach.at, approach.body)
    have = room_along(side_stretches(context, approach.axis, wall, z_unsure, within=approach.within), along)
    if have >= room - 1e-6:
        return []
    if approach.opposite is not None:
        walls = (wall, (approach.opposite, -approach.direction))
        if rounds_alike(context, approach.axis, walls, along, room, z_unsure):
            return []
    remedy = "Find that axis first, move the touch along the side, or use a smaller ball."
    unsure = room - touch.ball_radius
    return [no_landing(touch, f"the {approach.surface}", max(have, 0.0), unsure, remedy)]


def _may_be_off(context: StepContext, cycle: ProbeCycle) -> float:
    """How far the drawing lets the touched feature's size be off, or round stock's own (mm)."""
    if cycle.on == "stock":
        return context.varies("x") if cycle.kind == "boss" else 0.0
    feature = next((feature for feature in context.features if feature.name == cycle.feature), None)
    tolerance = feature.tolerance if feature is not None else None
    return 0.0 if tolerance is None else tolerance.size or 0.0


def _wall(wall: FreeWall | None, floor: float, origin_z: float, overhang: float) -> Wall | None:
    return None if wall is None else Wall(max(wall.low, floor) - origin_z, wall.high - origin_z, overhang)


def _overhang(context: StepContext, approach: Approach) -> float:
    """How far the stock stands out over a wall on the side the ball comes from."""
    k = AXES.index(approach.axis)
    low, high = context.holding.u_stock
    place = approach.at[k]
    return float(place - low[k] if approach.direction > 0 else high[k] - place)


@dataclass(frozen=True)
class UprightSide:
    """A side that is met moving along ``axis`` in ``direction``, at a ``place`` on it (``u``), and from where to where
    along it that is the side that is meant."""

    axis: Axis
    direction: int
    place: float
    within: Span | None = None

    def at(self, along: float) -> tuple[float, float]:
        """X and Y of a place on it, by where that is on the other axis."""
        return (self.place, along) if self.axis == "x" else (along, self.place)


def side_approach(context: StepContext, cycle: ProbeCycle, side: UprightSide, along: float) -> Approach:
    """Against a side of what a cycle touches, with ``along`` the place on the other axis."""
    words = f"{cycle.feature or cycle.on} {SIDE_OF[side.axis, -side.direction]} side"
    varies = context.varies(side.axis) / 2.0 if cycle.on == "stock" else 0.0
    floor = context.holding.wall_floor(AXES.index(side.axis))
    return Approach(words, side.axis, side.direction, side.at(along), varies, floor, within=side.within)


def free_along(
    context: StepContext, cycle: ProbeCycle, known: Known, sides: Sequence[UprightSide], middle: float
) -> float:
    """Where along sides of one axis to touch: at their middle, or as near to it as every side is whole over the ball
    and what is not known across; as the cycle says where it says so."""
    if cycle.moved is not None:
        return middle + cycle.moved
    return free_places(context, cycle, known, sides, [middle])[0]


def free_places(
    context: StepContext, cycle: ProbeCycle, known: Known, sides: Sequence[UprightSide], wanted: Sequence[float]
) -> list[float]:
    """The places nearest to those ``wanted`` along sides of one axis where every side is whole far enough; where
    there is none, in the middle of the longest stretch, so that what is lacking is told of the best there is."""
    body, axis = "fixture" if cycle.on in OF_FIXTURE else "stock" if cycle.on == "stock" else "part", sides[0].axis
    unsure = known["z"].uncertainty
    found = common(
        [side_stretches(context, axis, (side.place, side.direction), unsure, within=side.within) for side in sides]
    )
    places = []
    for along in wanted:
        at = [side.at(along) for side in sides]
        room = max(side_room(context, known, axis, place, body) for place in at)
        free = place_along(found, along, room)
        if free is None:
            low, high = max(found, key=lambda stretch: stretch[1] - stretch[0], default=(along, along))
            free = (low + high) / 2.0
        places.append(free)
    return places


def too_near(touches: list[Touch], problems: list[Problem]) -> list[Problem]:
    """What two touches of one edge lack that had to come together (need 2); nothing where that is told already."""
    first, second = touches
    apart = max(abs(a - b) for a, b in zip(first.w_contact, second.w_contact, strict=True))
    if apart >= _LEAST_APART or problems:
        return []
    remedy = "Set the offset by eye more closely, use a smaller ball, or take the skew from a longer side."
    return [no_landing(second, f"the {second.surface} beside touch {first.number}", apart, 0.0, remedy)]
