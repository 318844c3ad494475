"""Plane areas of a solid as something can land on them: what is left when a ball must stay within, and where.

Areas are sections (``manifold3d.CrossSection``) in mm; all of this works on their true outlines, not on sample places.
"""

from __future__ import annotations

import math

import manifold3d
import numpy as np

from ..frames import Array

#: Corners of a full round where an area is made smaller by a radius.
_SEGMENTS = 64
#: An area or a stretch smaller than this (mm², mm) is none.
_SLIVER = 1e-6


def top_area(solid: manifold3d.Manifold, height: float, skin: float) -> manifold3d.CrossSection:
    """What of a solid lies at ``height`` to within ``skin`` with nothing above it, in X and Y."""
    level = solid.slice(height - skin)
    above = solid.trim_by_plane((0.0, 0.0, 1.0), height + skin)
    return level if above.is_empty() else level - above.project()


def wall_area(
    solid: manifold3d.Manifold, axis: int, direction: int, place: float, skin: float
) -> manifold3d.CrossSection:
    """What of a solid stands at ``place`` along X (0) or Y (1) to within ``skin`` with nothing just before it, seen
    along the other axis and Z; ``direction`` is into the material."""
    if axis == 0:  # (x, y, z) to (y, z, x), which turns and does not mirror
        turned = solid.transform(((0, 1, 0, 0), (0, 0, 1, 0), (1, 0, 0, 0)))
        return turned.slice(place + direction * skin) - turned.slice(place - direction * skin)
    # (x, y, z) to (x, z, -y)
    turned = solid.transform(((1, 0, 0, 0), (0, 0, 1, 0), (0, -1, 0, 0)))
    return turned.slice(-place - direction * skin) - turned.slice(-place + direction * skin)


def stretches(area: manifold3d.CrossSection, low: float, high: float) -> list[tuple[float, float]]:
    """Along which stretches of its first axis an ``area`` is whole over its second axis' ``low`` to ``high``."""
    if area.is_empty() or high - low < _SLIVER:
        return []
    left, _, right, _ = area.bounds()
    band = manifold3d.CrossSection(
        [[(left - 1.0, low), (right + 1.0, low), (right + 1.0, high), (left - 1.0, high)]]
    )  # fmt: skip
    gaps = sorted((piece.bounds()[0], piece.bounds()[2]) for piece in (band - area).decompose())
    whole, start = [], left
    for from_, to in gaps:
        if from_ - start > _SLIVER:
            whole.append((start, from_))
        start = max(start, to)
    return whole


def shrunk(
    area: manifold3d.CrossSection, radius: float, aside: tuple[float, float] = (0.0, 0.0)
) -> manifold3d.CrossSection:
    """Where a disc of ``radius`` that may lie up to ``aside`` (along X and Y) from its place surely stays within."""
    if radius > 0.0:
        # Corners of the polygon lie on the arc, so that it is made smaller by a touch more than the radius.
        outside = radius / math.cos(math.pi / _SEGMENTS)
        area = area.offset(-outside, manifold3d.JoinType.Round, circular_segments=_SEGMENTS)
    if area.is_empty() or max(aside) <= 0.0:
        return area
    corners = np.array([(x, y) for x in (-aside[0], aside[0]) for y in (-aside[1], aside[1])])
    edges = [
        manifold3d.CrossSection.hull_points(np.vstack([a + corners, b + corners]))
        for ring in area.to_polygons()
        for a, b in zip(np.asarray(ring), np.roll(np.asarray(ring), -1, axis=0), strict=True)
    ]
    return area - manifold3d.CrossSection.batch_boolean(edges, manifold3d.OpType.Add)


def nearest_piece(area: manifold3d.CrossSection, wanted: tuple[float, float]) -> manifold3d.CrossSection | None:
    """Of the pieces of an area, the one that a place is in or nearest to; None where there is none."""
    places = [(piece, nearest_in(piece, wanted)) for piece in area.decompose()]
    found = [(math.dist(at, wanted), piece) for piece, at in places if at is not None]
    return min(found, key=lambda each: each[0])[1] if found else None


def nearest_in(area: manifold3d.CrossSection, wanted: tuple[float, float]) -> tuple[float, float] | None:
    """The place in an area that lies nearest to the one wanted; None where the area is empty."""
    rings = _rings(area)
    if not rings:
        return None
    at = np.array(wanted)
    return wanted if _within(rings, at) else _nearest_on(rings, at)


def room_about(area: manifold3d.CrossSection, at: tuple[float, float]) -> float:
    """How far (mm) a place is from the edge of an area, less than nought outside; infinitely so where that is empty."""
    rings, place = _rings(area), np.array(at)
    if not rings:
        return -math.inf
    apart = math.dist(_nearest_on(rings, place), at)
    return apart if _within(rings, place) else -apart


def _rings(area: manifold3d.CrossSection) -> list[Array]:
    """The outlines of an area, none where it is empty."""
    if area.is_empty() or area.area() < _SLIVER:
        return []
    return [np.asarray(ring, dtype=float) for ring in area.to_polygons()]


def _nearest_on(rings: list[Array], at: Array) -> tuple[float, float]:
    """The place on outlines that is nearest to another."""
    starts = np.vstack(rings)
    ends = np.vstack([np.roll(ring, -1, axis=0) for ring in rings])
    along = ends - starts
    share = np.clip(np.einsum("ij,ij->i", at - starts, along) / np.maximum((along**2).sum(axis=1), 1e-30), 0.0, 1.0)
    places = starts + share[:, None] * along
    x, y = places[int(np.argmin(((places - at) ** 2).sum(axis=1)))]
    return float(x), float(y)


def _within(rings: list[Array], at: Array) -> bool:
    """By the crossings of a line to the right."""
    inside = False
    for ring in rings:
        a, b = ring, np.roll(ring, -1, axis=0)
        straddles = (a[:, 1] > at[1]) != (b[:, 1] > at[1])
        a, b = a[straddles], b[straddles]
        crossing = a[:, 0] + (at[1] - a[:, 1]) / (b[:, 1] - a[:, 1]) * (b[:, 0] - a[:, 0])
        inside ^= bool(np.count_nonzero(crossing > at[0]) % 2)
    return inside


def roomiest(area: manifold3d.CrossSection, steps: int = 20) -> tuple[tuple[float, float], float] | None:
    """A place in an area that is as far from its edge as any, to a millionth of its size, and how far that is (mm)."""
    if area.is_empty():
        return None
    left, low, right, high = area.bounds()
    least, most = 0.0, min(right - left, high - low) / 2.0
    inner = area
    for _ in range(steps):
        middle = (least + most) / 2.0
        smaller = area.offset(-middle, manifold3d.JoinType.Round, circular_segments=_SEGMENTS)
        if smaller.is_empty() or smaller.area() < _SLIVER:
            most = middle
        else:
            least, inner = middle, smaller
    place = nearest_in(inner, ((left + right) / 2.0, (low + high) / 2.0))
    return None if place is None else (place, least)
