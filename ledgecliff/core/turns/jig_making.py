"""A two-pocket jig made for a part: one pocket for the blank, one for the outline that the first side leaves.

Both lie along machine X with the zero hole between them (docs/methods/turns.md).  The second pocket takes hold only
where the first side's outline was cut at least as deep as the pocket.
"""

from __future__ import annotations

import manifold3d
import numpy as np

from ..blanks import transformed
from ..frames import Array
from ..model.holding import Jig, JigPocket, JigScrew
from ..setup_plan import SetupPlan
from ..solids.shadow import outline_area
from .layouts import path_width
from .turn_plan import TurnPlan

#: Walls between pockets, zero hole and edges (mm), and a floor under the pockets.
_WALL, _FLOOR = 15.0, 12.0
#: The zero hole has room for a ball and for what the first guess is off (mm).
_ZERO = 16.0
#: Pockets are this share of what stands in them deep, within these limits (mm).
_SHARE, _LEAST, _MOST = 0.4, 3.0, 12.0
#: The first side's outline goes on below the second pocket by so much (mm).
_BEYOND = 0.5
#: A screw's head and its distance from the jig's corners (mm).
_HEAD, _FROM_CORNER = 10.0, 10.0
#: Outlines keep to their arcs within this (mm).
_ARC = 0.02


def jig_for(turn: TurnPlan, name: str, clearance: float, cutter: float) -> Jig:
    """A jig whose pockets take the blank as it lies before the turn, and the part as it lies after it."""
    before, after = turn.before, turn.after
    blank = before.holding.u_stock
    blank_size = (blank[1] - blank[0])[:2]
    # Room for the largest blank of the batch: the size varies by so much, half of it on each side.
    varies = before.setup.orientation.sizes(before.spread)[:2]
    half = (blank_size + varies) / 2.0 + clearance
    first_outline = [(-half[0], -half[1]), (half[0], -half[1]), (half[0], half[1]), (-half[0], half[1])]
    hat = float(before.holding.u_part[0][2] - blank[0][2])
    first_depth = _depth(float((blank[1] - blank[0])[2]))
    if hat > _LEAST:
        # The outline may be cut down to the hat, and no further into what holds it.
        first_depth = min(first_depth, round(hat - _BEYOND, 1))
    second_depth = _depth(float((after.holding.u_part[1] - after.holding.u_part[0])[2]))
    second_outline = part_pocket(after, clearance, second_depth)
    second_half = np.abs(np.array(second_outline)).max(axis=0)
    off = _WALL + _ZERO / 2.0
    first_x, second_x = -(off + float(half[0])), off + float(second_half[0])
    length = 2.0 * max(abs(first_x) + float(half[0]), second_x + float(second_half[0])) + 2.0 * _WALL
    # Tools that go round the part pass between the pockets and the screws.
    beside = max(_WALL, path_width(turn)) + _HEAD + _FROM_CORNER
    width = 2.0 * (max(float(half[1]), float(second_half[1])) + beside)
    thickness = max(first_depth, second_depth) + _FLOOR
    corner = (length / 2.0 - _FROM_CORNER, width / 2.0 - _FROM_CORNER)
    screws = tuple(JigScrew(x=x * corner[0], y=y * corner[1], head_diameter=_HEAD) for x in (-1, 1) for y in (-1, 1))
    return Jig(
        name=name,
        length=round(length, 3),
        width=round(width, 3),
        thickness=round(thickness, 3),
        first=JigPocket(x=round(first_x, 3), y=0.0, outline=_rounded(first_outline), depth=first_depth),
        second=JigPocket(x=round(second_x, 3), y=0.0, outline=_rounded(second_outline), depth=second_depth),
        clearance=clearance,
        cutter=cutter,
        zero_diameter=_ZERO,
        screws=screws,
    )


def part_pocket(setup: SetupPlan, clearance: float, depth: float) -> list[tuple[float, float]]:
    """The outline of what of the part sinks ``depth`` deep into the pocket as it lies in a setup, ``clearance`` wider,
    about the middle of the part's box.  Corners stay corners, so that each gets one relief."""
    solid = transformed(setup.geometry.solid, setup.setup.orientation.matrix())
    sunk = solid.trim_by_plane((0.0, 0.0, -1.0), -(float(setup.holding.u_part[0][2]) + depth))
    area = outline_area(sunk).offset(clearance, manifold3d.JoinType.Miter, miter_limit=3.0).simplify(_ARC)
    rings = [np.asarray(ring, dtype=float) for ring in area.to_polygons()]
    ring = max(rings, key=lambda each: float(np.prod(np.ptp(each, axis=0))))
    low, high = setup.holding.u_part
    middle: Array = ((low + high) / 2.0)[:2]
    return [(float(x), float(y)) for x, y in ring - middle]


def outline_reach(jig: Jig) -> float:
    """How deep below the first side's finished top its outline must go, so that the second pocket takes hold."""
    return jig.second.depth + _BEYOND


def _depth(height: float) -> float:
    return round(min(max(_SHARE * height, _LEAST), _MOST), 1)


def _rounded(outline: list[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
    return tuple((round(float(x), 4), round(float(y), 4)) for x, y in outline)
