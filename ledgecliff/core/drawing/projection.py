"""From solids to lines: edges, silhouettes, what of them is hidden, and the visible faces.

A view is a matrix (3, 3) whose rows are the directions to the right, upward (or downward, where it is drawn so) and
towards the eye.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..frames import Array
from ..solids.meshes import Mesh
from .items import Point2, Surface
from .raster import DepthBuffer, depth_buffer

PLAN = np.eye(3)
#: From the front, looking along machine +Y: X right, Z up.
FRONT = np.array([[1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, -1.0, 0.0]])
#: From above on a horizontal machine, looking along machine -Y: X right, Z toward the spindle, which is drawn down.
ABOVE = np.array([[1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, 1.0, 0.0]])
#: Sharper bends than this are drawn as edges.
_SHARP_DEG = 22.0
_STEPS_HIDDEN = 2.5
#: Slanted faces are joined within this depth (mm).
_SLANTED_STEP = 2.0
#: A depth buffer is never wider or higher than this.
_MOST_PIXELS = 1500


def slanted(turn_deg: float, tilt_deg: float) -> Array:
    """A view from the front, turned to the right and raised: rows right, up, towards the eye."""
    a, b = math.radians(turn_deg), math.radians(tilt_deg)
    eye = np.array([math.sin(a) * math.cos(b), -math.cos(a) * math.cos(b), math.sin(b)])
    right = np.array([math.cos(a), math.sin(a), 0.0])
    return np.array([right, np.cross(eye, right), eye])


@dataclass(frozen=True, eq=False)
class Edges:
    """Edges of a mesh: end points (N, 3) each, and unit normals of the two faces beside."""

    start: Array
    end: Array
    normal_a: Array
    normal_b: Array


@lru_cache(maxsize=256)
def face_normals(mesh: Mesh) -> Array:
    """Unit outward normals (M, 3)."""
    corners = mesh.vertices[mesh.triangles]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    lengths = np.linalg.norm(normals, axis=1, keepdims=True)
    unit: Array = normals / np.maximum(lengths, 1e-300)
    return unit


@lru_cache(maxsize=256)
def edges_of(mesh: Mesh) -> Edges:
    """Every edge between two triangles that do not lie in one plane."""
    normals = face_normals(mesh)
    ends = mesh.triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2)
    low_high = np.sort(ends, axis=1)
    order = np.lexsort((low_high[:, 1], low_high[:, 0]))
    same = np.all(low_high[order][1:] == low_high[order][:-1], axis=1)
    a, b = order[:-1][same], order[1:][same]
    bent = np.einsum("ij,ij->i", normals[a // 3], normals[b // 3]) < 1.0 - 1e-7
    a, b = a[bent], b[bent]
    points = mesh.vertices[low_high[a]]
    return Edges(points[:, 0], points[:, 1], normals[a // 3], normals[b // 3])


def drawn_edges(mesh: Mesh, view: Array) -> tuple[Array, Array]:
    """Sharp edges and silhouettes for ``view``: start and end (N, 3) in view coordinates."""
    edges = edges_of(mesh)
    sharp = np.einsum("ij,ij->i", edges.normal_a, edges.normal_b) < math.cos(math.radians(_SHARP_DEG))
    towards_a, towards_b = edges.normal_a @ view[2], edges.normal_b @ view[2]
    # A facet seen exactly edge-on counts as turned away, so that round walls keep both their sides.
    silhouette = (towards_a > 1e-6) != (towards_b > 1e-6)
    drawn = sharp | silhouette
    start, end = edges.start[drawn] @ view.T, edges.end[drawn] @ view.T
    seen_end_on = np.linalg.norm(end[:, :2] - start[:, :2], axis=1) < 1e-6
    return start[~seen_end_on], end[~seen_end_on]


def buffer_of(meshes: list[Mesh], view: Array, pitch: float) -> DepthBuffer:
    """Depth of all meshes together in ``view``; the pitch (mm) grows where the picture would get too large."""
    corners = np.concatenate([mesh.vertices[mesh.triangles] @ view.T for mesh in meshes])
    facing = np.concatenate([face_normals(mesh) @ view[2] > 1e-6 for mesh in meshes])
    corners = corners[facing]
    flat = corners[:, :, :2].reshape(-1, 2)
    low, high = flat.min(axis=0), flat.max(axis=0)
    pitch = max(pitch, float((high - low).max()) / _MOST_PIXELS)
    return depth_buffer(corners, low - pitch, high + pitch, pitch)


def split_by_sight(start: Array, end: Array, buffer: DepthBuffer) -> tuple[Array, Array]:
    """Cuts edges (N, 3) in view coordinates into visible and hidden stretches, (M, 2, 3) each."""
    stretches, seen, _ = _stretches(start, end, buffer)
    return stretches[seen], stretches[~seen]


def split_each_by_sight(edges: Sequence[tuple[Array, Array]], buffer: DepthBuffer) -> list[tuple[Array, Array]]:
    """The same for several lots of edges at once, which takes no longer than for one of them."""
    if not edges:
        return []
    starts, ends = zip(*edges, strict=True)
    stretches, seen, edge = _stretches(np.concatenate(starts), np.concatenate(ends), buffer)
    bounds = np.searchsorted(edge, np.cumsum([0, *(len(start) for start in starts)]))
    lots = [slice(int(a), int(b)) for a, b in itertools.pairwise(bounds)]
    return [(stretches[lot][seen[lot]], stretches[lot][~seen[lot]]) for lot in lots]


def _stretches(start: Array, end: Array, buffer: DepthBuffer) -> tuple[Array, NDArray[np.bool_], NDArray[np.int64]]:
    """Stretches (M, 2, 3) of edges (N, 3), edge by edge, whether each is seen, and the number of its edge."""
    lengths = np.linalg.norm((end - start)[:, :2], axis=1)
    count = np.maximum(np.ceil(lengths / buffer.pitch).astype(np.int64), 2)
    owner = np.repeat(np.arange(len(count)), count)
    step = np.arange(len(owner)) - np.repeat(np.cumsum(count) - count, count)
    share = (step + 0.5) / count[owner]
    points = start[owner] + share[:, None] * (end - start)[owner]
    seen = _seen(points, buffer)
    # A new stretch begins with each edge and wherever sight changes.
    if len(owner) == 0:
        return np.empty((0, 2, 3)), np.empty(0, dtype=bool), np.empty(0, dtype=np.int64)
    first = np.concatenate([[0], np.flatnonzero((owner[1:] != owner[:-1]) | (seen[1:] != seen[:-1])) + 1])
    last = np.concatenate([first[1:], [len(owner)]]) - 1
    k = owner[first]
    along = (end - start)[k]
    p = start[k] + (step[first] / count[k])[:, None] * along
    q = start[k] + ((step[last] + 1) / count[k])[:, None] * along
    return np.stack([p, q], axis=1), seen[first], k


def without_doubles(hidden: Array, visible: Array) -> Array:
    """Hidden lines (N, 2, 3) once each, and none that lies under a visible one.

    Upper and lower edge of an upright wall fall together in the view; two dashed lines over each
    other would look like a full one.
    """
    both = np.concatenate([visible, hidden])
    swap = (both[:, 0, 0] > both[:, 1, 0]) | ((both[:, 0, 0] == both[:, 1, 0]) & (both[:, 0, 1] > both[:, 1, 1]))
    ordered = np.where(swap[:, None, None], both[:, ::-1], both)
    flat = ordered[:, :, :2].reshape(-1, 4)
    first = _first_of_each(flat)
    kept = first[first >= len(visible)] - len(visible)
    return hidden[np.sort(kept)]


def _first_of_each(rows: Array) -> NDArray[np.int64]:
    """Where each row (N, 4) stands that differs from all before it by a micrometre.

    numpy's own unique takes three times as long.
    """
    rounded: Array = np.round(rows, 3)
    order = np.lexsort(rounded.T)
    ordered = rounded[order]
    new = np.ones(len(rows), dtype=bool)
    new[1:] = np.any(ordered[1:] != ordered[:-1], axis=1)
    return order[new]


def nearest_edges(start: Array, end: Array) -> tuple[Array, Array]:
    """Of edges (N, 3) that fall together in the view, such as both rims of an upright wall, the nearest."""
    swap = (start[:, 0] > end[:, 0]) | ((start[:, 0] == end[:, 0]) & (start[:, 1] > end[:, 1]))
    ends = np.where(swap[:, None], np.hstack([end[:, :2], start[:, :2]]), np.hstack([start[:, :2], end[:, :2]]))
    near_first = np.argsort(-np.minimum(start[:, 2], end[:, 2]), kind="stable")
    first = _first_of_each(ends[near_first])
    kept = np.sort(near_first[first])
    return start[kept], end[kept]


def unhidden(segments: Array, buffer: DepthBuffer) -> tuple[Array, Array]:
    """Stretches (N, 2, 3) seen by themselves, cut once more by what else stands in the way."""
    return split_by_sight(segments[:, 0], segments[:, 1], buffer)


def _seen(points: Array, buffer: DepthBuffer) -> NDArray[np.bool_]:
    """Seen when nothing stands clearly nearer at one of the four pixels about the point.

    An edge lies on the border of its own faces, so one pixel beside it may show what is behind.
    """
    reach, slack = 0.75 * buffer.pitch, _STEPS_HIDDEN * buffer.pitch
    seen = np.zeros(len(points), dtype=bool)
    for dx in (-reach, reach):
        for dy in (-reach, reach):
            seen |= buffer.depth_at(points[:, 0] + dx, points[:, 1] + dy) <= points[:, 2] + slack
    return seen


@dataclass(frozen=True, eq=False)
class Region:
    """A visible face, or faces at one depth, of one kind: rings in view coordinates."""

    depth: float
    kind: Surface
    rings: tuple[tuple[Point2, ...], ...]


def regions(mesh: Mesh, kinds: NDArray[np.int64], names: tuple[Surface, ...], view: Array) -> list[Region]:
    """Faces towards the eye, joined by depth and kind; painted by rising depth they cover rightly.

    ``kinds`` (M,) indexes ``names``.  Exact for faces square to the view; slanted ones are painted
    at their nearest depth.
    """
    normals = face_normals(mesh)
    towards = normals @ view[2]
    corners = mesh.vertices[mesh.triangles] @ view.T
    facing = towards > 1e-3
    nearest = corners[:, :, 2].max(axis=1)
    depth = np.where(towards > 0.999, np.round(nearest, 2), np.round(nearest / _SLANTED_STEP) * _SLANTED_STEP)
    result = []
    for kind in np.unique(kinds[facing]):
        for level in np.unique(depth[facing & (kinds == kind)]):
            chosen = corners[facing & (kinds == kind) & (depth == level)][:, :, :2]
            # All the same way round, which is the other one where the second axis is drawn down.
            area = manifold3d.CrossSection(list(chosen), manifold3d.FillRule.NonZero)
            rings = tuple(tuple((float(x), float(y)) for x, y in ring) for ring in area.to_polygons())
            if rings:
                result.append(Region(float(level), names[int(kind)], rings))
    return result
