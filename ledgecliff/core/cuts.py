"""What each kind of operation removes, in table-aligned part coordinates (Z up).

A cutter from above can leave nothing standing but what is part or lies below part: the part's
*shadow*.  So an operation takes a region seen from above, from its floor upward, less the shadow.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import TypeAlias

import manifold3d
import numpy as np

from .blanks import box, facets_for, transformed
from .frames import DIRECTIONS, Array, Orientation, PartDirection
from .model.operations import (
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
from .model.part import Feature
from .recognition.matching import faces_of
from .recognition.recognise import recognise
from .registration.removed import bores_area, part_middle, piece_area, slot_area
from .solids.flat_area import filled
from .solids.geometry import COARSE_DEFLECTION, FINE_DEFLECTION, Mesh, PartGeometry
from .solids.shadow import outline_area, shadow

#: How far cut volumes stand out over the stock, so that no two faces coincide (mm).
_PROUD = 2.0
#: A region is looked up this far below the mouth that bounds it (mm).
_JUST_BELOW = 0.02
#: A slot that is open at its end is cut so far beyond it, right out of any stock (mm).
_RIGHT_OUT = 500.0
_UPRIGHT = 1.0 - 1e-4
#: The farthest corners of a hole's facets may lie so far off its circle (mm).
_ON_CIRCLE = 0.02
#: A border wider than this is wide (mm); overlaps smaller than the second are rounding (mm²).
_WIDE_BORDER, _SLIVER_AREA = 20.0, 1e-3
#: Thinner than twice this, what a round tool takes of the part is the depth of its facets (mm).
_FACET_DEEP = 1.2 * COARSE_DEFLECTION

Solid: TypeAlias = manifold3d.Manifold
Section: TypeAlias = manifold3d.CrossSection


#: For each side that is up, the usual one to the right.
_RIGHT_OF: dict[PartDirection, PartDirection] = {
    up: next(way for way in DIRECTIONS if way[1] != up[1] and way[0] == "+") for up in DIRECTIONS
}


class View:
    """The part as seen from above in one orientation; ``mesh`` is its coarse or its fine one."""

    def __init__(self, mesh: Mesh, geometry: PartGeometry, orientation: Orientation) -> None:
        self.mesh, self.geometry, self.orientation = mesh, geometry, orientation
        self.matrix = orientation.matrix()
        corners = np.array([geometry.low, geometry.high]) @ self.matrix.T
        self.bottom, self.top = float(corners[:, 2].min()), float(corners[:, 2].max())

    def u(self, p_point: tuple[float, float, float]) -> Array:
        point: Array = self.matrix @ np.array(p_point)
        return point

    @property
    def middle(self) -> Array:
        """Of the part's box (2,) in ``u``."""
        return part_middle(self.geometry, self.orientation)

    def shadow(self) -> Solid:
        """Everything at or below the part, to well below it."""
        return _shadow(self.mesh, self.orientation, self.bottom - 2.0 * _PROUD)

    def open_at(self, height: float) -> Section:
        """Where nothing of the part stands over or at ``height``: its shadow's section, the other way round."""
        low, high = (np.array(corner) for corner in np.array(self.shadow().bounding_box()).reshape(2, 3))
        size = high[:2] - low[:2] + 4.0 * _PROUD
        square = Section.square(tuple(size)).translate(tuple(low[:2] - 2.0 * _PROUD))
        return square - self.shadow().slice(height)


@lru_cache(maxsize=64)
def view_of(mesh: Mesh, geometry: PartGeometry, orientation: Orientation) -> View:
    return View(mesh, geometry, orientation)


def _shadow(mesh: Mesh, orientation: Orientation, bottom: float) -> Solid:
    """Of the part with one side up; turned about that by quarters it is the same one."""
    usual = Orientation(up=orientation.up, right=_RIGHT_OF[orientation.up])
    made = _shadow_of(mesh, usual, bottom)
    return made if orientation == usual else transformed(made, orientation.matrix() @ usual.matrix().T)


@lru_cache(maxsize=64)
def _shadow_of(mesh: Mesh, orientation: Orientation, bottom: float) -> Solid:
    solid = shadow(Mesh(mesh.vertices @ orientation.matrix().T, mesh.triangles), bottom)
    solid.status()  # solids are worked out when first asked; ask now, so that the cache keeps the result
    return solid


def is_upright(feature: Feature, orientation: Orientation) -> bool:
    """Whether a feature's axis stands upright in this orientation, either way up."""
    return abs(float(orientation.matrix()[2] @ feature.direction())) > _UPRIGHT


def opens_up(feature: Feature, orientation: Orientation) -> bool:
    return float(orientation.matrix()[2] @ feature.direction()) > _UPRIGHT


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
        case _:
            return True


@dataclass(frozen=True)
class Cut:
    """One operation in the orientation of its setup, with the features whose shape it needs.

    With ``piece_only`` it is no cut but the turn after one: the border of a frame stays behind.
    """

    orientation: Orientation
    operation: Operation
    features: tuple[Feature, ...]
    piece_only: bool = False


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
    kept = box(low - _PROUD / 2.0, high + _PROUD / 2.0) - taking
    return u_solid ^ kept, u_solid ^ taking


def region(u_low: Array, u_high: Array, mesh: Mesh, geometry: PartGeometry, one: Cut) -> Solid | None:
    """What one cut takes of any stock between two corners (3,), in ``u``; None where it cannot be made so.

    It goes beyond the corners, so that its faces and the stock's do not coincide.
    """
    orientation, operation, features = one.orientation, one.operation, one.features
    if not can_cut(operation, features, orientation):
        return None
    view = view_of(mesh, geometry, orientation)
    low, ceiling = float(u_low[2]), float(u_high[2]) + _PROUD
    match operation:
        case Face():
            return _over(u_low, u_high, view.top + operation.leave)
        case Outline():
            return _outlined(u_low, u_high, view, operation)
        case Seen():
            return _over(u_low, u_high, view.bottom - operation.below) - _shadow_to(view, operation.below)
        case Bore():
            return _bore(view, features[0], low - operation.beyond, ceiling)
        case Hole():
            return _hole(view, features[0], operation, ceiling)
        case Pocket():
            return _pocket(view, features[0], operation, ceiling)
        case Slot():
            return _slot(view, features[0], operation, ceiling)
        case Region():
            return _region(view, operation, ceiling)
        case EdgeBreak():
            return _edge_break(view, features, ceiling)
        case PinBores():
            return _prism(bores_area(operation, view.middle), low - operation.into_board, ceiling)
        case FrameSlot() if one.piece_only:
            piece = _prism(piece_area(operation, view.middle), low - 2.0 * _PROUD, ceiling + _PROUD)
            return _over(u_low, u_high, low - _PROUD) - piece
        case FrameSlot():
            return _frame_slot(view, operation, low, ceiling)


def states_its_shape(operation: Operation) -> bool:
    """Whether an operation cuts what its own numbers say, part or not; all others leave what is part."""
    return isinstance(operation, Bore | Hole | PinBores | FrameSlot)


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
        corners = np.array(taken.bounding_box()).reshape(2, 3) @ matrix.T
        flat = replace(one, operation=one.operation.model_copy(update={"point": 0.0}))
        without = region(corners.min(axis=0), corners.max(axis=0), geometry.coarse, geometry, flat)
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
            return view.bottom - beyond
        case Bore(beyond=beyond):
            return u_low - beyond
        case Hole(beyond=beyond, point=point):
            low, _ = hole_ends(one.features[0], one.orientation)
            through = one.features[0].depth is None or one.features[0].through
            return (min(low, view.bottom) if through else low) - beyond - point
        case Pocket() | Slot() | EdgeBreak():
            return view.bottom if one.features and one.features[0].through else _feature_floor(view, one.features)
        case Region(depth=depth):
            return view.top - depth
        case PinBores(into_board=depth) | FrameSlot(below=depth):
            return u_low - depth


def _feature_floor(view: View, features: tuple[Feature, ...]) -> float:
    return min(float(view.u(f.at.as_tuple())[2]) - (f.depth or 0.0) * (f.kind != "pocket") for f in features)


def below(u_solid: Solid, height: float) -> Solid:
    return u_solid.trim_by_plane((0.0, 0.0, -1.0), -height)


def _prism(section: Section, low: float, high: float) -> Solid:
    return Solid.extrude(section, high - low).translate((0.0, 0.0, low))


def _shadow_to(view: View, beyond: float) -> Solid:
    """The shadow down to below a cut that goes ``beyond`` the part's underside."""
    if beyond <= _PROUD:
        return view.shadow()  # deep enough, and made already
    return _shadow(view.mesh, view.orientation, view.bottom - beyond - _PROUD)


def _over(u_low: Array, u_high: Array, floor: float) -> Solid:
    """Everything over ``floor`` between two corners, and a little beyond them; nothing where that lies higher."""
    low = np.array([*(u_low[:2] - _PROUD), floor])
    size = np.array([*(u_high[:2] + _PROUD), max(float(u_high[2]) + _PROUD, floor)]) - low
    return Solid.cube(tuple(size)).translate(tuple(low))


# --- outline ----------------------------------------------------------------------------------


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
    return transformed(u_stock ^ _prism(area, float(bounds[2]) - _PROUD, float(bounds[5]) + _PROUD), matrix.T)


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


def _outlined(u_low: Array, u_high: Array, view: View, operation: Outline) -> Solid:
    floor, ceiling = view.bottom - operation.below, float(u_high[2]) + _PROUD
    area = _outline(view)
    if operation.slot is None:
        taking = _over(u_low, u_high, floor) - _prism(area, floor - _PROUD, ceiling + _PROUD)
        beyond = _RIGHT_OUT
    else:
        ring = area.offset(operation.slot, manifold3d.JoinType.Round, circular_segments=48) - area
        taking, beyond = _prism(ring, floor, ceiling), operation.slot + _PROUD
    tabs = tab_places(area, operation)
    if tabs:
        taking -= _prism(_tab_area(tabs, operation, beyond), floor - _PROUD, floor + operation.tab_height)
    return taking


def _frame_slot(view: View, operation: FrameSlot, low: float, ceiling: float) -> Solid:
    floor = low - operation.below
    slot = _prism(slot_area(operation, view.middle), floor, ceiling)
    tabs = tab_places(piece_area(operation, view.middle), operation)
    if tabs:
        bridges = _tab_area(tabs, operation, operation.slot + _PROUD)
        slot -= _prism(bridges, floor - _PROUD, view.bottom + operation.tab_height)
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
            [at - _PROUD * out - side, at + reach * out - side, at + reach * out + side, at - _PROUD * out + side]
        )
    return Section([np.array(ring) for ring in corners], manifold3d.FillRule.NonZero)


# --- holes ------------------------------------------------------------------------------------


def _bore(view: View, feature: Feature, low: float, high: float) -> Solid:
    at = view.u(feature.at.as_tuple())
    section = _hole_section(
        view, (float(at[0]), float(at[1])), (feature.diameter or 0.0) / 2.0, view.bottom - _PROUD / 2.0
    )
    return _prism(section, low, high)


def hole_ends(feature: Feature, orientation: Orientation) -> tuple[float, float]:
    """Lower and upper end of a named hole in ``u``: its point and, ``depth`` inward, its other end."""
    up = orientation.matrix()[2]
    mouth = float(up @ np.array(feature.at.as_tuple()))
    other = mouth - (feature.depth or 0.0) * float(up @ feature.direction())
    return min(mouth, other), max(mouth, other)


def _hole(view: View, feature: Feature, operation: Hole, ceiling: float) -> Solid:
    low, mouth = hole_ends(feature, view.orientation)
    if feature.depth is None or feature.through:
        low = min(low, view.bottom)
    at = view.u(feature.at.as_tuple())
    radius = (feature.diameter or 0.0) / 2.0
    middle = mouth - min(_JUST_BELOW, (mouth - low) / 2.0) if mouth > low else mouth
    section = _hole_section(view, (float(at[0]), float(at[1])), radius, (low + middle) / 2.0)
    bottom = low - operation.beyond
    solid = _prism(section, bottom, ceiling)
    if operation.point > 0.0:
        point = Solid.cylinder(operation.point, 0.0, radius, facets_for(radius, FINE_DEFLECTION))
        solid += point.translate((float(at[0]), float(at[1]), bottom - operation.point))
    return solid


@lru_cache(maxsize=256)
def _hole_section(view: View, at: tuple[float, float], radius: float, height: float) -> Section:
    """The round hole as the part's own facets have it, so that no slivers stay between the two.

    Where the part has no such hole at that height, a circle of as many facets as the radius asks for.
    """
    facets = facets_for(radius, FINE_DEFLECTION)
    circle = Section.circle(radius, facets).translate(at)
    hole = Section.circle(radius * 1.02, facets).translate(at) - view.shadow().slice(height)
    if hole.is_empty():
        return circle
    # Corners of facets lie on the true circle and all else within: if these do not, the hole there is another one.
    reach = max(float(np.linalg.norm(np.asarray(ring) - at, axis=1).max()) for ring in hole.to_polygons())
    return hole if abs(reach - radius) < _ON_CIRCLE and hole.area() > 0.8 * circle.area() else circle


# --- pockets, slots, regions, edges -----------------------------------------------------------


def _pocket(view: View, feature: Feature, operation: Pocket, ceiling: float) -> Solid:
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
        return _prism(ring, floor - _PROUD, ceiling) - view.shadow()
    spared = Solid.batch_boolean([view.shadow(), *_holes_over(view, ring, floor)], manifold3d.OpType.Add)
    return _prism(ring, floor + operation.leave, ceiling) - spared.translate((0.0, 0.0, operation.leave))


def _holes_over(view: View, ring: Section, floor: float) -> list[Solid]:
    """Holes in what rises from a pocket's floor, such as in a boss: they are not the pocket's to cut."""
    found = []
    for hole in recognise(view.geometry):
        at = view.u(hole.at)
        opens = float((view.matrix @ hole.vector)[2]) > _UPRIGHT
        if hole.kind != "hole" or not opens or at[2] <= floor + _JUST_BELOW or hole.diameter is None:
            continue
        radius = hole.diameter / 2.0 + _JUST_BELOW
        disc = Section.circle(radius, 24).translate(tuple(at[:2]))
        if float((disc ^ ring).area()) > 0.5 * float(disc.area()):
            deep = (hole.depth or 0.0) + 2.0 * hole.diameter
            found.append(_prism(disc, float(at[2]) - deep, float(at[2])))
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


def _slot(view: View, feature: Feature, operation: Slot, ceiling: float) -> Solid:
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
    region = _prism(_rectangle(view, feature, (ends[0], ends[1])), floor + operation.leave, ceiling)
    return region - view.shadow().translate((0.0, 0.0, operation.leave))


def _region(view: View, operation: Region, ceiling: float) -> Solid:
    area = Section.square((operation.right - operation.left, operation.back - operation.front)).translate(
        (operation.left, operation.front)
    )
    return _prism(area, view.top - operation.depth, ceiling) - view.shadow()


def _edge_break(view: View, features: tuple[Feature, ...], ceiling: float) -> Solid:
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
    return _prism(area, lowest - _JUST_BELOW, ceiling) - view.shadow()
