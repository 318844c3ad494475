"""What bodies cover in a view along a machine axis."""

from __future__ import annotations

import manifold3d
import numpy as np

from ..frames import Array
from .items import Fill, Item, Point2, Stroke, Surface

#: Which machine axes lie to the right and up in a view.
View = tuple[int, int]
Rings = tuple[tuple[Point2, ...], ...]


def seen(m_places: Array, view: View) -> Array:
    """Places (…, 3) of the machine as they are seen (…, 2)."""
    places: Array = m_places[..., list(view)]
    return places


def covered(m_corners: Array, view: View) -> manifold3d.CrossSection:
    """What triangles (N, 3, 3) cover in a view."""
    return manifold3d.CrossSection(list(_turned_left(seen(m_corners, view))), manifold3d.FillRule.NonZero)


def rings_of(area: manifold3d.CrossSection) -> Rings:
    return tuple(tuple((float(x), float(y)) for x, y in ring) for ring in area.to_polygons())


def filled(m_corners: Array, view: View, surface: Surface, source: str) -> list[Item]:
    """What triangles (N, 3, 3) cover in a view, with its edge."""
    return edged(rings_of(covered(m_corners, view)), surface, source)


def edged(rings: Rings, surface: Surface, source: str) -> list[Item]:
    """A region with its edge."""
    return [Fill(rings, surface), *(Stroke((*ring, ring[0]), "visible", source) for ring in rings)]


def _turned_left(corners: Array) -> Array:
    """Triangles (N, 3, 2) all the same way round, without those that are seen from the side."""
    (x0, y0), (x1, y1), (x2, y2) = (corners[:, k].T for k in range(3))
    area = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0)
    left = np.where((area < 0.0)[:, None, None], corners[:, ::-1], corners)
    kept: Array = left[np.abs(area) > 1e-9]
    return kept
