"""Where the parting plane goes through a body, as lines on its surface, for slanted pictures and the solid view."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

import numpy as np

from ..frames import Array
from ..model.orientation import Orientation
from ..model.parting import PartingPlane
from ..solids.meshes import Mesh
from .bodies import Solid

#: A corner this near to the plane is taken to lie over it, so that no line is found twice (mm).
_ON = 1e-7


@lru_cache(maxsize=64)
def with_parting(solid: Solid, plane: PartingPlane | None, orientation: Orientation) -> Solid:
    """The body with the lines in which the plane goes through it, as it lies in ``orientation``."""
    if plane is None:
        return solid
    normal = orientation.matrix() @ plane.normal()
    return replace(solid, parting=section_lines(solid.mesh, normal, plane.at))


def section_lines(mesh: Mesh, normal: Array, offset: float) -> Array:
    """Start and end (N, 2, 3) of what a plane cuts of triangles; unit ``normal`` (3,), and ``offset`` along it."""
    heights = mesh.vertices @ normal - offset
    heights = np.where(np.abs(heights) < _ON, _ON, heights)
    corners, above = mesh.triangles, heights[mesh.triangles] > 0.0
    crossed = above.any(axis=1) & ~above.all(axis=1)
    lines = []
    for a, b in ((0, 1), (1, 2), (2, 0)):
        start, end = corners[crossed, a], corners[crossed, b]
        from_, to = heights[start], heights[end]
        share = np.where((from_ > 0.0) != (to > 0.0), from_ / np.where(from_ == to, 1.0, from_ - to), np.nan)
        lines.append(mesh.vertices[start] + share[:, None] * (mesh.vertices[end] - mesh.vertices[start]))
    points = np.stack(lines, axis=1)
    # Two of the three sides of each such triangle are crossed.
    there = ~np.isnan(points[:, :, 0])
    found: Array = points[there].reshape(-1, 2, 3)
    return found
