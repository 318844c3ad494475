"""How far faces must be moved along an axis until they meet a body: what stock is pushed against, and what clamps it.

Bodies are clipped to what lies before each face, as wide as that, so that nothing is asked along single lines.
"""

from __future__ import annotations

import manifold3d
import numpy as np

from ..blanks import box, transformed
from ..frames import Array

#: A cosine below this is of a face that looks aside; planes this near are one (mm, and parts of one).
_ASIDE, _SAME = 1e-6, 1e-6
#: What is clipped to less than this is none (mm³).
_SLIVER = 1e-9
#: A clipped piece is looked at so far beyond where anything can be (mm).
_BEYOND = 1.0
#: Rotations that take a signed axis up, by axis and sign.
_UP: dict[tuple[int, int], Array] = {
    (0, 1): np.array([[0.0, 1.0, 0.0], [0.0, 0.0, 1.0], [1.0, 0.0, 0.0]]),
    (0, -1): np.array([[0.0, 0.0, 1.0], [0.0, 1.0, 0.0], [-1.0, 0.0, 0.0]]),
    (1, 1): np.array([[0.0, 0.0, 1.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]]),
    (1, -1): np.array([[1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, -1.0, 0.0]]),
    (2, 1): np.eye(3),
    (2, -1): np.array([[1.0, 0.0, 0.0], [0.0, -1.0, 0.0], [0.0, 0.0, -1.0]]),
}


def way_until_met(
    triangles: Array, body: manifold3d.Manifold, axis: int, sign: int, *, before_only: bool = False
) -> float | None:
    """How far (mm) ``triangles`` (N, 3, 3) must go along ``sign`` times X (0), Y (1) or Z (2) until the first of those
    that look that way meets ``body``; None where nothing of it is in their way.

    Negative where they stand in it already, by what they must go back to be clear of all of it; with ``before_only``
    what lies behind them does not count.
    """
    turn = _UP[axis, sign]
    faces = triangles @ turn.T
    groups = _by_plane(faces)
    if not groups:
        return None
    solid = _in_their_way(transformed(body, turn), groups)
    if solid.is_empty():
        return None
    lowest = float(np.array(solid.bounding_box())[2])
    # No face meets anything before its highest corner comes to the lowest of it: the nearest are asked first.
    bounds = [lowest - float(group[:, :, 2].max()) for group in groups]
    best: float | None = None
    for k in np.argsort(bounds):
        if best is not None and bounds[int(k)] >= best:
            break
        way = _way_of(groups[int(k)], solid, before_only=before_only)
        best = way if best is None or (way is not None and way < best) else best
    return best


def _in_their_way(solid: manifold3d.Manifold, groups: list[Array]) -> manifold3d.Manifold:
    """What of a solid lies over or under the faces' extents, so that each is held against no more than that."""
    corners = np.concatenate([group.reshape(-1, 3) for group in groups])
    low, high = corners.min(axis=0) - _ASIDE, corners.max(axis=0) + _ASIDE
    ends = np.array(solid.bounding_box()).reshape(2, 3)
    low[2], high[2] = ends[0, 2] - _BEYOND, ends[1, 2] + _BEYOND
    return solid ^ box(low, high)


def _by_plane(faces: Array) -> list[Array]:
    """Triangles that look up, those of one plane together."""
    normals = np.cross(faces[:, 1] - faces[:, 0], faces[:, 2] - faces[:, 0])
    lengths = np.linalg.norm(normals, axis=1)
    kept = lengths > _SAME**2
    faces, normals = faces[kept], normals[kept] / lengths[kept, None]
    up = normals[:, 2] > _ASIDE
    faces, normals = faces[up], normals[up]
    offsets = np.einsum("ij,ij->i", normals, faces[:, 0])
    keys = np.round(np.column_stack([normals, offsets]) / _SAME).astype(np.int64)
    _, which = np.unique(keys, axis=0, return_inverse=True)
    which = np.ravel(which)
    return [faces[which == number] for number in range(int(which.max(initial=-1)) + 1)]


def _way_of(group: Array, solid: manifold3d.Manifold, *, before_only: bool) -> float | None:
    """Of triangles (N, 3, 3) in one plane that looks up."""
    low, high = np.array(solid.bounding_box()).reshape(2, 3)
    places = group.reshape(-1, 3)
    section = manifold3d.CrossSection(list(group[:, :, :2]), manifold3d.FillRule.NonZero)
    floor, roof = min(float(low[2]), float(places[:, 2].min())) - _BEYOND, float(high[2]) + _BEYOND
    if roof <= floor or section.is_empty():
        return None
    piece = solid ^ manifold3d.Manifold.extrude(section, roof - floor).translate((0.0, 0.0, floor))
    normal = np.cross(group[0, 1] - group[0, 0], group[0, 2] - group[0, 0])
    normal = normal / np.linalg.norm(normal)
    offset = float(normal @ group[0, 0])
    if before_only:
        piece = piece.trim_by_plane(tuple(normal), offset)
    if piece.is_empty() or piece.volume() < _SLIVER:
        return None
    corners = np.array(piece.to_mesh64().vert_properties, dtype=float)[:, :3]
    # Along the way the plane is this far below each corner.
    return float(((corners @ normal - offset) / normal[2]).min())
