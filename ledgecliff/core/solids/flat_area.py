"""Flat areas of a solid in one plane, as sections that can be intersected: what jaws and seats touch."""

from __future__ import annotations

import manifold3d
import numpy as np

from ..frames import Array
from .meshes import Mesh

#: Corners this near to a plane lie in it (mm).
IN_PLANE = 0.01


def flat_area(mesh: Mesh, normal: Array, offset: float, across: Array, along: Array) -> manifold3d.CrossSection:
    """The faces of ``mesh`` that lie in a plane, in coordinates of ``across`` and ``along`` (unit, (3,)).

    ``normal`` (3,) is the plane's unit normal, ``offset`` its distance along it.  Faces on both sides of
    the plane count, so look from where the material is.
    """
    heights = mesh.vertices @ normal
    inside = np.abs(heights - offset)[mesh.triangles].max(axis=1) < IN_PLANE
    corners = mesh.vertices[mesh.triangles[inside]] @ np.column_stack([across, along])
    return manifold3d.CrossSection(list(corners), manifold3d.FillRule.NonZero)


def extreme_area(mesh: Mesh, axis: int, high: bool) -> manifold3d.CrossSection:
    """The flat area at the outermost end of a solid along a coordinate axis, in the other two (in order)."""
    unit = np.eye(3)
    heights = mesh.vertices[:, axis]
    offset = float(heights.max() if high else heights.min())
    return flat_area(mesh, unit[axis], offset, unit[(axis + 1) % 3], unit[(axis + 2) % 3])


def signed_area(ring: Array) -> float:
    """Area of a closed ring (N, 2): positive against the clock."""
    x, y = np.asarray(ring, dtype=float).T
    # A shape has thousands of rings of few corners, and rolling both arrays took most of the time.
    return 0.5 * float(x[:-1] @ y[1:] - y[:-1] @ x[1:] + x[-1] * y[0] - y[-1] * x[0])


def filled(section: manifold3d.CrossSection) -> manifold3d.CrossSection:
    """A section without its holes."""
    rings = [ring for ring in section.to_polygons() if signed_area(ring) > 0.0]
    return manifold3d.CrossSection(rings, manifold3d.FillRule.NonZero)
