"""Cuts of features: holes, pockets, slots, stated regions and edges."""

from __future__ import annotations

from functools import lru_cache

import manifold3d
import numpy as np

from ..frames import Array
from ..model.operations import Hole, Pocket, Region, Slot
from ..model.orientation import Orientation
from ..model.part import Feature
from ..recognition.matching import faces_of
from ..recognition.recognise import recognise
from ..solids.facets import facets_for
from ..solids.geometry import FINE_DEFLECTION
from .views import PROUD, UPRIGHT, Section, Solid, View, opens_up, prism

#: A region is looked up this far below the mouth that bounds it (mm).
_JUST_BELOW = 0.02
#: A slot that is open at its end is cut so far beyond it, right out of any stock (mm).
_RIGHT_OUT = 500.0
#: The farthest corners of a hole's facets may lie so far off its circle (mm).
_ON_CIRCLE = 0.02
#: Where a hole is looked at, as shares of its height from below.
_LOOKED_AT = (0.5, 0.25, 0.75, 0.1, 0.9)


def bore_cut(view: View, feature: Feature, low: float, high: float) -> Solid:
    at = view.u(feature.at.as_tuple())
    section = _hole_section(view, (float(at[0]), float(at[1])), (feature.diameter or 0.0) / 2.0, view.bottom, view.top)
    return prism(section, low, high)


def hole_ends(feature: Feature, orientation: Orientation) -> tuple[float, float]:
    """Lower and upper end of a named hole in ``u``: its point and, ``depth`` inward, its other end."""
    up = orientation.matrix()[2]
    mouth = float(up @ np.array(feature.at.as_tuple()))
    other = mouth - (feature.depth or 0.0) * float(up @ feature.direction())
    return min(mouth, other), max(mouth, other)


def hole_cut(view: View, feature: Feature, operation: Hole, ceiling: float, stop: float) -> Solid:
    """Down to its own end and ``beyond``, or to where it stops before that."""
    low, mouth = hole_ends(feature, view.orientation)
    high = mouth
    if feature.depth is None or feature.through:
        low, high = min(low, view.bottom), view.top
    at = view.u(feature.at.as_tuple())
    radius = (feature.diameter or 0.0) / 2.0
    section = _hole_section(view, (float(at[0]), float(at[1])), radius, low, high)
    bottom = max(low - operation.beyond, stop)
    solid = prism(section, bottom, ceiling)
    if operation.point > 0.0:
        point = Solid.cylinder(operation.point, 0.0, radius, facets_for(radius, FINE_DEFLECTION))
        solid += point.translate((float(at[0]), float(at[1]), bottom - operation.point))
    return solid


@lru_cache(maxsize=256)
def _hole_section(view: View, at: tuple[float, float], radius: float, low: float, high: float) -> Section:
    """The round hole as the part's own facets have it, so that no slivers stay between the two.

    Where the part has no such hole at any of some heights, as where others meet it, a circle of as many facets as the
    radius asks for.
    """
    facets = facets_for(radius, FINE_DEFLECTION)
    circle, wider = (Section.circle(by * radius, facets).translate(at) for by in (1.0, 1.02))
    if high <= low:
        return circle
    holes = [wider - view.solid.slice(low + share * (high - low)) for share in _LOOKED_AT]
    if any(hole.is_empty() for hole in holes):
        return circle  # the part stands in its way
    for hole in holes:
        # Corners of facets lie on the true circle and all else within: if these do not, the hole there is another one.
        reach = max(float(np.linalg.norm(np.asarray(ring) - at, axis=1).max()) for ring in hole.to_polygons())
        if abs(reach - radius) < _ON_CIRCLE and hole.area() > 0.8 * circle.area():
            return hole
    return circle


def pocket_cut(view: View, feature: Feature, operation: Pocket, ceiling: float) -> Solid:
    """What is open over the pocket's floor inside the ring of its walls."""
    floor = float(view.u(feature.at.as_tuple())[2])
    depth = feature.depth or 0.0
    if not opens_up(feature, view.orientation):  # right through, made from the other side
        floor -= depth
    mouth = floor + depth
    at = view.u(feature.at.as_tuple())
    ring = _ring_round(view.open_at(mouth - min(_JUST_BELOW, depth / 2.0)), at[:2])
    if ring is None:
        ring = _rectangle(view, feature)
    if feature.through:
        return prism(ring, floor - PROUD, ceiling) - view.shadow()
    spared = Solid.batch_boolean([view.shadow(), *_holes_over(view, ring, floor)], manifold3d.OpType.Add)
    return prism(ring, floor + operation.leave, ceiling) - spared.translate((0.0, 0.0, operation.leave))


def _holes_over(view: View, ring: Section, floor: float) -> list[Solid]:
    """Holes in what rises from a pocket's floor, such as in a boss: they are not the pocket's to cut."""
    found = []
    for hole in recognise(view.geometry):
        at = view.u(hole.at)
        opens = float((view.matrix @ hole.vector)[2]) > UPRIGHT
        if hole.kind != "hole" or not opens or at[2] <= floor + _JUST_BELOW or hole.diameter is None:
            continue
        radius = hole.diameter / 2.0 + _JUST_BELOW
        disc = Section.circle(radius, 24).translate(tuple(at[:2]))
        if float((disc ^ ring).area()) > 0.5 * float(disc.area()):
            deep = (hole.depth or 0.0) + 2.0 * hole.diameter
            found.append(prism(disc, float(at[2]) - deep, float(at[2])))
    return found


def _ring_round(area: Section, at: Array) -> Section | None:
    """The part of ``area`` that lies round or nearest about a place, unless it is the open land outside."""
    bounds = np.array(area.bounds())
    best: tuple[float, Section] | None = None
    for piece in area.decompose():
        low_x, low_y, high_x, high_y = piece.bounds()
        if low_x <= bounds[0] + 1e-6 or high_x >= bounds[2] - 1e-6:
            continue  # it runs to the border: outside of the part
        outside = max(low_x - at[0], at[0] - high_x, low_y - at[1], at[1] - high_y, 0.0)
        if outside == 0.0 and (best is None or piece.area() < best[0]):
            best = (float(piece.area()), piece)
    return None if best is None else best[1]


def _rectangle(view: View, feature: Feature, beyond: tuple[float, float] = (0.0, 0.0)) -> Section:
    """A feature's length by width about its point, ``beyond`` longer at its start and end."""
    at = view.u(feature.at.as_tuple())[:2]
    along = (view.matrix @ feature.across())[:2]
    side = np.array([-along[1], along[0]])
    half_length, half_width = (feature.length or 0.0) / 2.0, (feature.width or 0.0) / 2.0
    start, end = at - (half_length + beyond[0]) * along, at + (half_length + beyond[1]) * along
    corners = [start - half_width * side, end - half_width * side, end + half_width * side, start + half_width * side]
    return Section([np.array(corners)], manifold3d.FillRule.NonZero)


def slot_cut(view: View, feature: Feature, operation: Slot, ceiling: float) -> Solid:
    """From mouth to floor, right out of the stock where the slot is open at an end."""
    mouth = view.u(feature.at.as_tuple())
    depth = feature.depth or 0.0
    floor = float(mouth[2]) - depth
    p_middle = np.array(feature.at.as_tuple()) - depth / 2.0 * feature.direction()
    solid = view.geometry.solid
    ends = [
        _RIGHT_OUT if not solid.ray_cast(tuple(p_middle), tuple(p_middle + way * 2e4 * feature.across())) else 0.0
        for way in (-1.0, 1.0)
    ]
    region = prism(_rectangle(view, feature, (ends[0], ends[1])), floor + operation.leave, ceiling)
    return region - view.shadow().translate((0.0, 0.0, operation.leave))


def region_cut(view: View, operation: Region, ceiling: float) -> Solid:
    area = Section.square((operation.right - operation.left, operation.back - operation.front)).translate(
        (operation.left, operation.front)
    )
    return prism(area, view.top - operation.depth, ceiling) - view.shadow()


def edge_break_cut(view: View, features: tuple[Feature, ...], ceiling: float) -> Solid:
    """Everything over the slanted faces; where the model shows none, over the edge break's own circle."""
    rings: list[Array] = []
    lowest = view.top
    coarse = view.geometry.coarse
    for feature in features:
        for k in faces_of(feature, view.geometry):
            corners = coarse.vertices[coarse.triangles[view.geometry.face_of == k]] @ view.matrix.T
            up = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 2] > 1e-9
            rings += list(corners[up][:, :, :2])
            lowest = min(lowest, float(corners[:, :, 2].min()))
        if feature.diameter is not None and feature.depth is not None:
            at = view.u(feature.at.as_tuple())
            circle = Section.circle(feature.diameter / 2.0, facets_for(feature.diameter / 2.0, FINE_DEFLECTION))
            rings += [np.asarray(ring) for ring in circle.translate(tuple(at[:2])).to_polygons()]
            lowest = min(lowest, float(at[2]) - feature.depth)
    area = Section(rings, manifold3d.FillRule.Positive)
    return prism(area, lowest - _JUST_BELOW, ceiling) - view.shadow()
