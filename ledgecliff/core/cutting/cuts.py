"""What each kind of operation removes, in table-aligned part coordinates (Z up).

A cutter from above can leave nothing standing but what is part or lies below part: the part's
*shadow*.  So an operation takes a region seen from above, from its floor upward, less the shadow.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import assert_never

import numpy as np

from ..blanks import box, transformed, turned_bounds
from ..frames import Array
from ..model.operations import (
    Bore,
    EdgeBreak,
    Face,
    FrameSlot,
    Hole,
    Operation,
    Outline,
    PinBores,
    Pocket,
    Region,
    Seen,
    Slot,
)
from ..model.orientation import Orientation
from ..model.part import Feature
from ..registration.removed import bores_area, piece_area
from ..solids.geometry import COARSE_DEFLECTION, PartGeometry
from ..solids.meshes import Mesh
from .features import bore_cut, edge_break_cut, hole_cut, hole_ends, pocket_cut, region_cut, slot_cut
from .outlines import frame_slot_cut, outline_cut
from .views import PROUD, Solid, View, is_upright, opens_up, over, prism, view_of

#: Thinner than twice this, what a round tool takes of the part is the depth of its facets (mm).
_FACET_DEEP = 1.2 * COARSE_DEFLECTION
#: Half-way between the stock's ends and those of a cut (mm); and well beyond both.
_BETWEEN, _FAR = PROUD / 2.0, 10.0


def can_cut(operation: Operation, features: tuple[Feature, ...], orientation: Orientation) -> bool:
    """Whether the named features stand so that this operation can be made from above."""
    match operation:
        case Bore():
            return is_upright(features[0], orientation) and features[0].is_round()
        case Hole():
            through = features[0].through is True
            return features[0].is_round() and (
                is_upright(features[0], orientation) if through else opens_up(features[0], orientation)
            )
        case Pocket():
            return is_upright(features[0], orientation) if features[0].through else opens_up(features[0], orientation)
        case Slot():
            return opens_up(features[0], orientation)
        case EdgeBreak():
            return all(float(orientation.matrix()[2] @ each.direction()) > 0.01 for each in features)
        case Face() | Outline() | Seen() | Region() | PinBores() | FrameSlot():
            return True
        case _:
            assert_never(operation)


@dataclass(frozen=True)
class Cut:
    """One operation in the orientation of its setup, with the features whose shape it needs.

    With ``piece_only`` it is no cut but the turn after one: the border of a frame stays behind.  One that goes to the
    parting plane stops at a height (``u``), infinitely high where that plane does not lie level: then nothing is cut.
    """

    orientation: Orientation
    operation: Operation
    features: tuple[Feature, ...]
    piece_only: bool = False
    stop: float = -math.inf


def split(u_solid: Solid, mesh: Mesh, geometry: PartGeometry, one: Cut) -> tuple[Solid, Solid]:
    """What one cut leaves of ``u_solid``, and what it takes; nothing where it cannot be made in its orientation."""
    low, high = np.array(u_solid.bounding_box()).reshape(2, 3)
    taking = region(low, high, mesh, geometry, one)
    if taking is None:
        return u_solid, Solid()
    if not is_wide(one.operation):
        taken, left = u_solid.split(taking)
        return left, taken
    # Where a side of the stock is a side of the part too it stays what it is, such as raw: what is kept is shared.
    kept = box(low - _BETWEEN, high + _BETWEEN) - taking
    return u_solid ^ kept, u_solid ^ taking


def region(u_low: Array, u_high: Array, mesh: Mesh, geometry: PartGeometry, one: Cut) -> Solid | None:
    """What one cut takes of any stock between two corners (3,), in ``u``; None where it cannot be made so.

    It goes beyond the corners, so that its faces and the stock's do not coincide.
    """
    orientation, operation, features = one.orientation, one.operation, one.features
    if not can_cut(operation, features, orientation) or one.stop == math.inf:
        return None
    view = view_of(mesh, geometry, orientation)
    low, ceiling = float(u_low[2]), float(u_high[2]) + PROUD
    match operation:
        case Face():
            return over(u_low, u_high, view.top + operation.leave)
        case Outline():
            below = _below(operation, view, one.stop)
            return outline_cut(u_low, u_high, view, operation.model_copy(update={"below": below}))
        case Seen():
            below = _below(operation, view, one.stop)
            return over(u_low, u_high, view.bottom - below) - view.shadow_to(below)
        case Bore():
            return bore_cut(view, features[0], max(low - operation.beyond, one.stop), ceiling)
        case Hole():
            return hole_cut(view, features[0], operation, ceiling, one.stop)
        case Pocket():
            return pocket_cut(view, features[0], operation, ceiling)
        case Slot():
            return slot_cut(view, features[0], operation, ceiling)
        case Region():
            return region_cut(view, operation, ceiling)
        case EdgeBreak():
            return edge_break_cut(view, features, ceiling)
        case PinBores():
            floor = low - operation.into_board if operation.blind is None else view.top - operation.blind
            return prism(bores_area(operation, view.middle), floor, ceiling)
        case FrameSlot() if one.piece_only:
            piece = prism(piece_area(operation, view.middle), low - _FAR, ceiling + _FAR)
            return over(u_low, u_high, low - PROUD) - piece
        case FrameSlot():
            return frame_slot_cut(view, operation, low, ceiling)


def _below(operation: Outline | Seen, view: View, stop: float) -> float:
    """How far below the part's underside it goes: less than nought where it stops above that."""
    return min(operation.below, view.bottom - stop)


def states_its_shape(operation: Operation) -> bool:
    """Whether an operation cuts what its own numbers say, part or not; all others leave what is part."""
    return isinstance(operation, Bore | Hole | PinBores | FrameSlot)


@lru_cache(maxsize=512)
def into_part(geometry: PartGeometry, one: Cut, taken: Solid) -> float:
    """How much of the part (mm³) an operation that states its own shape takes, deeper than facets can differ.

    ``taken`` is what it takes, in P.  Circles keep to the true one, the part's holes to their facets, so what lies
    within a facet's depth of the surface is no cut into the part; nor is a drill's point, which the job states.
    """
    if not states_its_shape(one.operation) or taken.is_empty():
        return 0.0
    inside = taken ^ geometry.solid
    if isinstance(one.operation, Hole) and one.operation.point > 0.0:
        matrix = one.orientation.matrix()
        low, high = turned_bounds(np.array(taken.bounding_box()).reshape(2, 3), matrix)
        flat = replace(one, operation=one.operation.model_copy(update={"point": 0.0}))
        without = region(low, high, geometry.coarse, geometry, flat)
        inside = inside if without is None else inside ^ transformed(without, matrix.T)
    if inside.is_empty():
        return 0.0
    # Moved by a facet's depth every way, what is left in common is at least so thick.
    ways = _FACET_DEEP * np.array([(1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1)])
    thick = inside
    for way in ways:
        thick = thick ^ inside.translate(tuple(way))
    return float(thick.volume())


def is_wide(operation: Operation) -> bool:
    """Whether an operation takes something all over the stock, not in a place of its own."""
    return isinstance(operation, Face | Outline | Seen)


def cut_floor(geometry: PartGeometry, one: Cut, u_low: float) -> float:
    """The lowest height (in ``u``) that an operation sends its tool to; ``u_low`` is the stock's bottom."""
    view = view_of(geometry.coarse, geometry, one.orientation)
    match one.operation:
        case Face(leave=leave):
            return view.top + leave
        case Outline(below=beyond) | Seen(below=beyond):
            return max(view.bottom - beyond, one.stop)
        case Bore(beyond=beyond):
            return max(u_low - beyond, one.stop)
        case Hole(beyond=beyond, point=point):
            low, _ = hole_ends(one.features[0], one.orientation)
            through = one.features[0].depth is None or one.features[0].through
            return max((min(low, view.bottom) if through else low) - beyond, one.stop) - point
        case Pocket() | Slot() | EdgeBreak():
            return view.bottom if one.features and one.features[0].through else _feature_floor(view, one.features)
        case Region(depth=depth):
            return view.top - depth
        case PinBores(blind=blind) if blind is not None:
            return view.top - blind
        case PinBores(into_board=depth) | FrameSlot(below=depth):
            return u_low - depth


def _feature_floor(view: View, features: tuple[Feature, ...]) -> float:
    return min(float(view.u(f.at.as_tuple())[2]) - (f.depth or 0.0) * (f.kind != "pocket") for f in features)


def below(u_solid: Solid, height: float) -> Solid:
    return u_solid.trim_by_plane((0.0, 0.0, -1.0), -height)
