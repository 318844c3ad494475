"""Where the ball may land (need 2): on a side or a top that is whole, by its true area, wherever the ball comes down.

Across its move the ball's place is known only to within what its axes are, and what a skew does there; all that way,
and the ball's radius further, the surface must be there.
"""

from __future__ import annotations

import math

import manifold3d

from ..frames import AXES, Axis
from ..solids.areas import nearest_in, nearest_piece, room_about, roomiest, shrunk, stretches, top_area, wall_area
from .step_context import Known, StepContext

#: A surface counts as standing where it is meant to be to within this (mm).
_SKIN = 0.02
#: The middle of a lying round is level enough as far as it falls by this (mm).
_LEVEL = 0.005
_ROUND = ("round bar", "tube")
#: Two ends of a stretch that differ by no more than this (mm) lie opposite each other.
_SAME_END = 0.05

Wall = tuple[float, int]
#: From where to where along a side.
Span = tuple[float, float]
#: Beyond everything on a machine (mm).
_FAR = 10_000.0


def side_stretches(
    context: StepContext, axis: Axis, wall: Wall, z_unsure: float, deep: float = 0.0, within: Span | None = None
) -> list[Span]:
    """Along which stretches a side (its place and the way into it) can be touched at the routine's depth under its top.

    It must be whole from as low as the ball's middle may be to a radius over as high as that may be; ``deep`` is
    how far before its place a round side may still be.  Of what stands in its plane only that ``within`` a stretch
    along it counts.
    """
    place, direction = wall
    area = wall_area(context.u_solid, AXES.index(axis), direction, place + direction * deep, _SKIN)
    if within is not None:
        start, end = within
        area ^= manifold3d.CrossSection([[(start, -_FAR), (end, -_FAR), (end, _FAR), (start, _FAR)]])
    high = _upper_edge(area, context.probe.ball_diameter)
    if high is None:
        return []
    contact = high - context.routine.depth
    bottom = area.bounds()[1]
    top = min(contact + context.probe.ball_radius + z_unsure, high)
    return stretches(area, max(contact - z_unsure, bottom), top)


def face_span(context: StepContext, axis: Axis, wall: Wall, along: float, height: float) -> Span | None:
    """From where to where along it the piece of a wall goes that is nearest to a place on it; None where nothing is."""
    place, direction = wall
    area = wall_area(context.u_solid, AXES.index(axis), direction, place, _SKIN)
    piece = nearest_piece(area, (along, height))
    return None if piece is None else (piece.bounds()[0], piece.bounds()[2])


def _upper_edge(area: manifold3d.CrossSection, least: float) -> float | None:
    """The highest that a side reaches where it is at least ``least`` high."""
    tall = [piece.bounds() for piece in area.decompose()]
    return max((high for _, low, _, high in tall if high - low >= least), default=None)


def room_along(found: list[tuple[float, float]], along: float) -> float:
    """How far the nearer end of the stretch lies that a place is in; less than nought outside of all (mm)."""
    return max((min(along - low, high - along) for low, high in found), default=-math.inf)


def common(found: list[list[tuple[float, float]]]) -> list[tuple[float, float]]:
    """The stretches that all of several sides share."""
    first, *rest = found
    for other in rest:
        first = [
            (max(a, c), min(b, d)) for a, b in first for c, d in other if min(b, d) > max(a, c)
        ]  # fmt: skip
    return first


def place_along(found: list[tuple[float, float]], wanted: float, room: float) -> float | None:
    """The place nearest to the one wanted that is ``room`` from the ends of its stretch."""
    inner = [(low + room, high - room) for low, high in found if high - low >= 2.0 * room]
    places = [min(max(wanted, low), high) for low, high in inner]
    return min(places, key=lambda place: abs(place - wanted), default=None)


def side_room(context: StepContext, known: Known, axis: Axis, u_at: tuple[float, float], body: str) -> float:
    """How far from a side's end the ball must be planned: its radius and what is not known along the side."""
    other: Axis = "y" if axis == "x" else "x"
    varies = context.varies(other) / 2.0 if body == "stock" else 0.0
    return context.probe.ball_radius + context.unsure(known, other, body, u_at) + varies


def rounds_alike(
    context: StepContext, axis: Axis, walls: tuple[Wall, Wall], along: float, room: float, z_unsure: float
) -> bool:
    """Whether two opposite sides are rounds that bend away alike, so that their middle is right wherever the ball comes
    down within ``room`` of a place."""
    low, high = context.holding.u_stock
    k = AXES.index(axis)
    radius = float(high[k] - low[k]) / 2.0 + context.probe.ball_radius
    if context.stock.form not in _ROUND or room >= radius:
        return False
    deep = radius - math.sqrt(radius**2 - room**2)
    one, other = (side_stretches(context, axis, wall, z_unsure, deep) for wall in walls)
    alike = len(one) == len(other) and all(
        abs(a - c) < _SAME_END and abs(b - d) < _SAME_END for (a, b), (c, d) in zip(one, other, strict=True)
    )
    return alike and room_along(one, along) >= room - context.probe.ball_radius


def room_on_top(
    context: StepContext, height: float, at: tuple[float, float], aside: tuple[float, float]
) -> float | None:
    """How far (mm) a place on a top at ``height`` is from the top's edge, less than nought beside it; None where a ball
    up to ``aside`` from there comes down on it whole."""
    area = _free_top(context, height)
    if nearest_in(shrunk(area, context.probe.ball_radius, aside), at) == at:
        return None
    return room_about(area, at)


def _free_top(context: StepContext, height: float) -> manifold3d.CrossSection:
    """What of the stock lies at ``height`` under nothing of it nor of what holds it."""
    area = top_area(context.u_solid, height, _SKIN)
    for block in context.holding.blocks:
        if block.high[2] > height + _SKIN:
            low, high = block.low, block.high
            area -= manifold3d.CrossSection([[low[:2], (high[0], low[1]), high[:2], (low[0], high[1])]])
    return area


def top_landing(
    context: StepContext,
    height: float,
    wanted: tuple[float, float],
    aside: tuple[float, float],
    *,
    one_piece: bool = False,
) -> tuple[tuple[float, float], float]:
    """The place nearest to the one wanted where the ball, up to ``aside`` beside it, comes down on a top at ``height``;
    with how far (mm) that is from the top's edge, infinite where it is far enough.

    In ``one_piece`` with the place wanted, or nearest to that, where another surface at the same height is not meant.

    Where there is no such place, the one with most room, and how much that is.
    """
    radius = context.probe.ball_radius
    area = _free_top(context, height)
    if one_piece:
        area = nearest_piece(area, wanted) or area
    place = nearest_in(shrunk(area, radius, aside), wanted)
    if place is None and context.stock.form in _ROUND:
        # Lying, it is level only along its middle: the ball may overhang it, but not be beside it.
        place = nearest_in(shrunk(top_area(context.u_solid, height, _LEVEL), 0.0, aside), wanted)
    if place is not None:
        return place, math.inf
    found = roomiest(area)
    return found if found is not None else (wanted, 0.0)
