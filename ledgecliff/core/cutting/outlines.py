"""Cuts round the part: its outline, slots with tabs, frames."""

from __future__ import annotations

from functools import lru_cache

import manifold3d
import numpy as np

from ..blanks import transformed
from ..frames import Array
from ..model.operations import FrameSlot, Outline
from ..model.orientation import Orientation
from ..registration.removed import piece_area, slot_area
from ..solids.flat_area import filled
from ..solids.geometry import PartGeometry
from ..solids.shadow import outline_area
from .views import PROUD, Section, Solid, View, over, prism, view_of

#: Where all outside of the outline goes, tabs run out so far, right out of any stock (mm).
_RIGHT_OUT = 500.0
#: A border wider than this is wide (mm); overlaps smaller than the second are rounding (mm²).
_WIDE_BORDER, _SLIVER_AREA = 20.0, 1e-3


@lru_cache(maxsize=64)
def _outline(view: View) -> Section:
    part = view.geometry.fine_solid if view.mesh is not view.geometry.coarse else view.geometry.solid
    return outline_area(transformed(part, view.matrix))


def inside_outline(geometry: PartGeometry, orientation: Orientation, stock: Solid) -> Solid:
    """What of ``stock`` (in P) lies within the part's outline seen from above."""
    matrix = orientation.matrix()
    u_stock = transformed(stock, matrix)
    bounds = np.array(u_stock.bounding_box())
    area = _outline(view_of(geometry.coarse, geometry, orientation))
    return transformed(u_stock ^ prism(area, float(bounds[2]) - PROUD, float(bounds[5]) + PROUD), matrix.T)


def slot_border(geometry: PartGeometry, orientation: Orientation, before: Solid, slot: float) -> float:
    """How much of ``before`` (in P) is left at its narrowest outside of a slot round the part's outline.

    In mm, at most ``_WIDE_BORDER``; negative where the slot itself runs out of the stock by so much.
    """
    area = _outline(view_of(geometry.coarse, geometry, orientation))
    blank = filled(transformed(before, orientation.matrix()).project())

    def fits(border: float) -> bool:
        grown = area.offset(slot + border, manifold3d.JoinType.Round, circular_segments=48)
        return bool((grown - blank).area() < _SLIVER_AREA)

    low, high = -slot, _WIDE_BORDER
    if fits(high):
        return high
    while high - low > 1e-4:
        middle = (low + high) / 2.0
        low, high = (middle, high) if fits(middle) else (low, middle)
    return low


def outline_cut(u_low: Array, u_high: Array, view: View, operation: Outline) -> Solid:
    floor, ceiling = view.bottom - operation.below, float(u_high[2]) + PROUD
    area = _outline(view)
    if operation.slot is None:
        taking = over(u_low, u_high, floor) - prism(area, floor - PROUD, ceiling + PROUD)
        beyond = _RIGHT_OUT
    else:
        ring = area.offset(operation.slot, manifold3d.JoinType.Round, circular_segments=48) - area
        taking, beyond = prism(ring, floor, ceiling), operation.slot + PROUD
    tabs = tab_places(area, operation)
    if tabs:
        taking -= prism(_tab_area(tabs, operation, beyond), floor - PROUD, floor + operation.tab_height)
    return taking


def frame_slot_cut(view: View, operation: FrameSlot, low: float, ceiling: float) -> Solid:
    floor = low - operation.below
    slot = prism(slot_area(operation, view.middle), floor, ceiling)
    tabs = tab_places(piece_area(operation, view.middle), operation)
    if tabs:
        bridges = _tab_area(tabs, operation, operation.slot + PROUD)
        slot -= prism(bridges, floor - PROUD, view.bottom + operation.tab_height)
    return slot


def tab_places(area: Section, operation: Outline | FrameSlot) -> list[tuple[Array, Array]]:
    """Places (2,) round the longest outer ring where tabs stand, with the outward direction (2,): at the shares of
    the way that are given, from the rightmost point on, else evenly."""
    shares = list(getattr(operation, "tabs_at", ())) or [(n + 0.5) / operation.tabs for n in range(operation.tabs)]
    if not shares:
        return []
    ring = max((np.asarray(r, dtype=float) for r in area.to_polygons()), key=lambda r: len(r) and _length(r))
    # Begun at the rightmost point, the lower of equals, so that places do not hang on how the ring was made.
    ring = np.roll(ring, -int(np.lexsort((ring[:, 1], -np.round(ring[:, 0], 6)))[0]), axis=0)
    start, step = ring, np.roll(ring, -1, axis=0) - ring
    lengths = np.linalg.norm(step, axis=1)
    reached = np.concatenate([[0.0], np.cumsum(lengths)])
    places = []
    for share in shares:
        along = share * reached[-1]
        k = min(int(np.searchsorted(reached, along, side="right")) - 1, len(ring) - 1)
        way = step[k] / max(float(lengths[k]), 1e-300)
        # Outer rings run against the clock, so outward is to the right of the way.
        places.append((start[k] + (along - reached[k]) * way, np.array([way[1], -way[0]])))
    return places


def _length(ring: Array) -> float:
    return float(np.linalg.norm(np.roll(ring, -1, axis=0) - ring, axis=1).sum())


def _tab_area(tabs: list[tuple[Array, Array]], operation: Outline | FrameSlot, reach: float) -> Section:
    half = operation.tab_width / 2.0
    corners = []
    for at, out in tabs:
        side = half * np.array([-out[1], out[0]])
        corners.append(
            [at - PROUD * out - side, at + reach * out - side, at + reach * out + side, at - PROUD * out + side]
        )
    return Section([np.array(ring) for ring in corners], manifold3d.FillRule.NonZero)
