"""Which triangles, and which faces, meet along an edge, and how they bend there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..frames import Array
from .meshes import Mesh


@dataclass(frozen=True, eq=False)
class SharedEdges:
    """Edges between two triangles ``a`` and ``b`` (N,): length in mm, cosine between the normals.

    ``fold`` is how far the far corner of ``b`` stands over the plane of ``a``, as a sine: positive in an
    inner corner (material on both sides of a valley), negative over an outer edge, nought in one plane.
    """

    a: NDArray[np.int64]
    b: NDArray[np.int64]
    length: Array
    cosine: Array
    fold: Array


def areas_and_normals(mesh: Mesh) -> tuple[Array, Array]:
    """Areas (M,) of a mesh's triangles in mm², and their unit outward normals (M, 3)."""
    corners = mesh.vertices[mesh.triangles]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    double = np.linalg.norm(normals, axis=1)
    return double / 2.0, normals / np.maximum(double, 1e-300)[:, None]


def normals_of(mesh: Mesh) -> Array:
    """Unit outward normals (M, 3)."""
    return areas_and_normals(mesh)[1]


def shared_edges(mesh: Mesh) -> SharedEdges:
    """All inner edges of a mesh whose triangles share vertices."""
    ends = mesh.triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2)
    low_high = np.sort(ends, axis=1)
    order = np.lexsort((low_high[:, 1], low_high[:, 0]))
    same = np.all(low_high[order][1:] == low_high[order][:-1], axis=1)
    first, second = order[:-1][same], order[1:][same]
    a, b = first // 3, second // 3
    normals = normals_of(mesh)
    start, end = mesh.vertices[low_high[first, 0]], mesh.vertices[low_high[first, 1]]
    far = mesh.vertices[mesh.triangles[b, (second % 3 + 2) % 3]]
    arm = far - start
    along = (end - start) / np.maximum(np.linalg.norm(end - start, axis=1, keepdims=True), 1e-300)
    arm = arm - np.einsum("ij,ij->i", arm, along)[:, None] * along
    arm /= np.maximum(np.linalg.norm(arm, axis=1, keepdims=True), 1e-300)
    return SharedEdges(
        a,
        b,
        np.linalg.norm(end - start, axis=1),
        np.einsum("ij,ij->i", normals[a], normals[b]),
        np.einsum("ij,ij->i", normals[a], arm),
    )


def components(count: int, a: NDArray[np.int64], b: NDArray[np.int64]) -> NDArray[np.int64]:
    """Labels (count,) from 0 of what hangs together by the links ``a``-``b``, in the order of their first members.

    Written out, as SciPy's graphs take half a second to import, which every model would wait for twice.
    """
    root = np.arange(count)  # each points to one no higher than itself; the lowest of all stays its own
    while not np.array_equal(from_a := root[a], from_b := root[b]):
        low = np.minimum(from_a, from_b)
        np.minimum.at(root, from_a, low)
        np.minimum.at(root, from_b, low)
        while not np.array_equal(further := root[root], root):
            root = further
    labels: NDArray[np.int64] = np.unique(root, return_inverse=True)[1].astype(np.int64)
    return labels
