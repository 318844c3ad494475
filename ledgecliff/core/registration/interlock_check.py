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
from shapely import Polygon
from shapely.affinity import rotate, scale, translate

from .interlock import Frame

#: What polygons with short edges instead of arcs may be wrong by (mm, and mm² of overlap a mm of it).
_SLACK = 1e-3
#: Play is searched up to this many slot widths, and turns up to this angle; then the piece is not held.
_FURTHEST, _WIDEST_DEG = 3.0, 5.0
_HALVINGS = 18
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


@lru_cache(maxsize=64)
def check_frame(frame: Frame, cutter: float) -> FrameCheck:
    """Moves the turned piece about in its border; ``cutter`` is the diameter of what cuts the slot (mm)."""
    hole, piece, slot = frame.hole.polygon, frame.piece.polygon, frame.sizes.slot
    room = hole.buffer(_SLACK, join_style="mitre")
    shapely.prepare(room)
    turned = _laid(piece, _TURNED[frame.sizes.turn])

    def lies_in(moved: Polygon) -> bool:
        return bool(room.contains(moved))

    fits = lies_in(turned)
    others = []
    wrong = _TURNED["y" if frame.sizes.turn == "x" else "x"]
    for factors, name in {wrong: "turned end for end", **_OTHER_WAYS}.items():
        laid = _laid(piece, factors)
        seat = _seat(laid, lies_in, slot)
        others.append(OtherWay(name, factors, seat is not None, _least_play(seat, lies_in, slot) if seat else 0.0))
    swept = [line.polygon.exterior.buffer(cutter / 2.0, quad_segs=64) for line in frame.cutter_lines(cutter)]
    return FrameCheck(
        fits,
        _plays(turned, lies_in, slot) if fits else (0.0, 0.0, 0.0, 0.0),
        (_turn(turned, lies_in, 1.0), _turn(turned, lies_in, -1.0)) if fits else (0.0, 0.0),
        tuple(others),
        float(piece.exterior.distance(hole.exterior)),
        float(sum(part.intersection(piece.buffer(-_SLACK)).area for part in swept)),
    )


def _laid(piece: Polygon, factors: tuple[float, float]) -> Polygon:
    return scale(piece, *factors, origin=(0.0, 0.0))


def _plays(piece: Polygon, lies_in: Callable[[Polygon], bool], slot: float) -> tuple[float, float, float, float]:
    """How far a piece that lies in the hole moves along +X, -X, +Y and -Y."""

    def along(x: float, y: float) -> float:
        return max(_most(lambda by: lies_in(translate(piece, by * x, by * y)), _FURTHEST * slot) - _SLACK, 0.0)

    return along(1.0, 0.0), along(-1.0, 0.0), along(0.0, 1.0), along(0.0, -1.0)


def _least_play(piece: Polygon, lies_in: Callable[[Polygon], bool], slot: float) -> float:
    plays = _plays(piece, lies_in, slot)
    return min(plays[0] + plays[1], plays[2] + plays[3])


def _turn(piece: Polygon, lies_in: Callable[[Polygon], bool], sense: float) -> float:
    """The most that a piece in its middle place turns, in degrees; against the clock for +1."""
    return _most(lambda by: lies_in(rotate(piece, sense * by, origin=(0.0, 0.0))), _WIDEST_DEG)


def _most(holds: Callable[[float], bool], furthest: float) -> float:
    """The largest value up to which ``holds`` is true, by halving; infinite when it is at ``furthest``."""
    if holds(furthest):
        return math.inf
    low, high = 0.0, furthest
    for _ in range(_HALVINGS):
        middle = (low + high) / 2.0
        low, high = (middle, high) if holds(middle) else (low, middle)
    return low


def _seat(piece: Polygon, lies_in: Callable[[Polygon], bool], slot: float) -> Polygon | None:
    """The piece where it lies in the hole, within a slot's width about the middle; None where it never does."""
    steps = slot * np.linspace(-1.0, 1.0, 9)
    for x, y in sorted(itertools.product(steps, steps), key=lambda by: math.hypot(*by)):
        moved = translate(piece, float(x), float(y))
        if lies_in(moved):
            return moved
    return None
