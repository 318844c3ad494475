"""Whether an interlocking frame fits, locks and tells a wrong turn: by moving real polygons about.

Nothing here knows how the outline was made.  The turned piece must lie in the border's hole; how far it can be
moved along X and Y and turned before it does not is its play, found by halving; every other way to lay the
piece in is tried too.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import Polygon

from ..frames import Array
from .interlock import Frame

#: What polygons with short edges instead of arcs may be wrong by (mm, and mm² of overlap a mm of it).
_SLACK = 1e-3
#: Play is searched up to this many slot widths, and turns up to this angle; then the piece is not held.
_FURTHEST, _WIDEST_DEG = 3.0, 5.0
#: Arcs of the piece are kept to within this, and where rough ones will do (mm).
_FINE_ARC, _ROUGH_ARC = 5e-4, 0.02
#: Play is known to this (mm or degrees).
_FINE = 1e-4
#: The place from which a piece turns furthest is looked for down to steps of this (mm).
_FINEST_STEP = 0.005
#: Of a step, where about the best place so far the piece is tried.
_ABOUT = (-1.0, -0.5, 0.0, 0.5, 1.0)
#: Other ways of laying the piece in, as factors of X and Y, against how it was cut.
_OTHER_WAYS = {(1.0, 1.0): "not turned", (-1.0, -1.0): "not turned and end for end"}
_TURNED = {"x": (1.0, -1.0), "y": (-1.0, 1.0)}


@dataclass(frozen=True)
class OtherWay:
    """A way to lay the piece in that is not wanted, as ``factors`` of X and Y against how it was cut; ``seats``
    when it lies in the hole, ``play`` (mm) then."""

    name: str
    factors: tuple[float, float]
    seats: bool
    play: float


@dataclass(frozen=True)
class FrameCheck:
    """``play`` is how far the turned piece moves along +X, -X, +Y and -Y (mm), ``turn_deg`` how far it turns
    with and against the clock; infinite where nothing stops it.  ``slot`` is the slot's least width and
    ``gouge`` what the cutter takes off the piece (mm²)."""

    fits: bool
    play: tuple[float, float, float, float]
    turn_deg: tuple[float, float]
    others: tuple[OtherWay, ...]
    slot: float
    gouge: float

    @property
    def locks(self) -> bool:
        return self.fits and all(math.isfinite(value) for value in (*self.play, *self.turn_deg))

    @property
    def wrong_ways(self) -> tuple[str, ...]:
        """Turned the wrong way, the piece goes in all the same.  Not turned at all it always does, loosely."""
        return tuple(way.name for way in self.others if way.seats and not way.name.startswith("not turned"))

    def worst_at(self, x: float, y: float) -> float:
        """The most that a place of the seated piece can be off: both shifts and the turn together (mm)."""
        shift = math.hypot(max(self.play[:2]), max(self.play[2:])) if self.locks else math.inf
        return shift + math.radians(max(self.turn_deg)) * math.hypot(x, y) if self.locks else math.inf


#: Asks of many places at once whether the piece lies in the hole there.
_LieIn = Callable[[Array], NDArray[np.bool_]]


@lru_cache(maxsize=64)
def check_frame(frame: Frame, cutter: float) -> FrameCheck:
    """Moves the turned piece about in its border; ``cutter`` is the diameter of what cuts the slot (mm)."""
    hole, piece, slot = frame.hole.polygon, Polygon(frame.piece.points(_FINE_ARC)), frame.sizes.slot
    lie_in = _lying_in(hole, _SLACK)
    turned = frame.piece.points(_FINE_ARC) * _TURNED[frame.sizes.turn]
    fits = bool(lie_in(turned[None])[0])
    wrong = _TURNED["y" if frame.sizes.turn == "x" else "x"]
    # A wrong way is blocked by millimetres or goes in with a whole slot to spare, so coarse arcs tell.
    roughly, rough = _lying_in(Polygon(frame.hole.points(_ROUGH_ARC)), 2.0 * _ROUGH_ARC), frame.piece.points(_ROUGH_ARC)
    others = []
    for factors, name in {wrong: "turned end for end", **_OTHER_WAYS}.items():
        seat = _seat(rough * factors, roughly, slot)
        play = 0.0 if seat is None else _least_play(seat, roughly, slot)
        others.append(OtherWay(name, factors, seat is not None, play))
    swept = [line.polygon.exterior.buffer(cutter / 2.0, quad_segs=64) for line in frame.cutter_lines(cutter)]
    return FrameCheck(
        fits,
        _plays(turned, lie_in, slot) if fits else (0.0, 0.0, 0.0, 0.0),
        _turns(turned, lie_in, slot) if fits else (0.0, 0.0),
        tuple(others),
        float(piece.exterior.distance(hole.exterior)),
        float(sum(part.intersection(piece.buffer(-_SLACK)).area for part in swept)),
    )


def _lying_in(hole: Polygon, slack: float) -> _LieIn:
    """Whether a piece lies in the hole, ``slack`` wider, in each of many places: corners (K, N, 2)."""
    room = hole.buffer(slack, join_style="mitre")
    shapely.prepare(room)

    def lie_in(moved: Array) -> NDArray[np.bool_]:
        lying: NDArray[np.bool_] = shapely.contains(room, shapely.polygons(moved))
        return lying

    return lie_in


def _plays(piece: Array, lie_in: _LieIn, slot: float) -> tuple[float, float, float, float]:
    """How far a piece (N, 2) that lies in the hole moves along +X, -X, +Y and -Y."""

    def along(x: float, y: float) -> float:
        way = np.array([x, y])
        return max(_most(lambda by: piece + by[:, None, None] * way, lie_in, _FURTHEST * slot) - _SLACK, 0.0)

    return along(1.0, 0.0), along(-1.0, 0.0), along(0.0, 1.0), along(0.0, -1.0)


def _least_play(piece: Array, lie_in: _LieIn, slot: float) -> float:
    plays = _plays(piece, lie_in, slot)
    return min(plays[0] + plays[1], plays[2] + plays[3])


def _turns(piece: Array, lie_in: _LieIn, slot: float) -> tuple[float, float]:
    """The most that a piece turns with and against the clock from anywhere that it lies, in degrees.

    With a loose fit it turns further from a place beside the middle.  From the middle the place is moved to wherever
    it turns further still, first as far as it goes at all, then in ever smaller steps.
    """
    reach = min(max(_plays(piece, lie_in, slot)), slot)
    a, b = (_furthest_turn(piece, lie_in, sense, reach) for sense in (1.0, -1.0))
    return a, b


def _furthest_turn(piece: Array, lie_in: _LieIn, sense: float, reach: float) -> float:
    at, best = np.zeros(2), _turn(piece, lie_in, sense, np.zeros(2))
    step, grid = reach, [(x, y) for x in _ABOUT for y in _ABOUT if x or y]
    while step > _FINEST_STEP and math.isfinite(best):
        ways = at + step * np.array(grid)
        further = _rotated(piece, sense, np.array([best + 2.0 * _FINE])) + ways[:, None, :]
        inside = ways[lie_in(further)]
        if len(inside):
            turned = [_turn(piece, lie_in, sense, way, best) for way in inside]
            best = max(turned)
            at = inside[int(np.argmax(turned))]
        else:
            step /= 2.0
    return best


def _rotated(piece: Array, sense: float, degrees: Array) -> Array:
    cos, sin = np.cos(np.radians(sense * degrees)), np.sin(np.radians(sense * degrees))
    matrices = np.stack([np.stack([cos, sin], axis=1), np.stack([-sin, cos], axis=1)], axis=1)
    moved: Array = piece @ matrices
    return moved


def _turn(piece: Array, lie_in: _LieIn, sense: float, at: Array, least: float = 0.0) -> float:
    """The most that a piece turns about its own middle with that ``at`` a place (2,), in degrees; against the clock
    for +1.  At ``least`` degrees it lies in already."""
    return _most(lambda degrees: _rotated(piece, sense, degrees) + at, lie_in, _WIDEST_DEG, least)


def _most(moved: Callable[[Array], Array], lie_in: _LieIn, furthest: float, least: float = 0.0) -> float:
    """The largest value up to which the piece lies in the hole, by halving; infinite when it does at ``furthest``."""

    def holds(value: float) -> bool:
        return bool(lie_in(moved(np.array([value])))[0])

    if holds(furthest):
        return math.inf
    low, high = least, furthest
    while high - low > _FINE:
        middle = (low + high) / 2.0
        low, high = (middle, high) if holds(middle) else (low, middle)
    return low


def _seat(piece: Array, lie_in: _LieIn, slot: float) -> Array | None:
    """The piece where it lies in the hole, within a slot's width about the middle; None where it never does."""
    steps = slot * np.linspace(-1.0, 1.0, 9)
    shifts = np.array(sorted(itertools.product(steps, steps), key=lambda by: math.hypot(*by)))
    places = piece[None] + shifts[:, None, :]
    found = np.flatnonzero(lie_in(places))
    return places[found[0]] if len(found) else None
