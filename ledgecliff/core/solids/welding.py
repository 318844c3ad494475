"""Joining the vertices of a mesh that are one place."""

from __future__ import annotations

import manifold3d
import numpy as np
from numpy.typing import NDArray

from .adjacency import components
from .meshes import Mesh

_WELD = 1e-6


def with_owners(solid: manifold3d.Manifold) -> tuple[Mesh, NDArray[np.int64]]:
    """The mesh of a solid, and for each triangle (M,) the number it was given when its solid was made."""
    mesh64 = solid.to_mesh64()
    vertices = np.array(mesh64.vert_properties, dtype=float)[:, :3]
    mesh, kept = weld(vertices, np.array(mesh64.tri_verts, dtype=np.int64))
    return mesh, np.array(mesh64.face_id, dtype=np.int64)[kept]


def weld(
    vertices: NDArray[np.float64], triangles: NDArray[np.int64], within: float = _WELD
) -> tuple[Mesh, NDArray[np.bool_]]:
    """Joins vertices nearer than ``within`` (mm) and drops triangles that collapse by it; says which (M,) were kept."""
    from scipy.spatial import cKDTree  # slow to import, and a plan that is only looked at welds nothing

    pairs = cKDTree(vertices).query_pairs(within, output_type="ndarray")
    if not len(pairs):
        return Mesh(vertices, triangles), np.ones(len(triangles), dtype=bool)
    return joined(vertices, triangles, components(len(vertices), pairs[:, 0], pairs[:, 1]))


def joined(
    vertices: NDArray[np.float64], triangles: NDArray[np.int64], label: NDArray[np.int64]
) -> tuple[Mesh, NDArray[np.bool_]]:
    """Vertices of one ``label`` (N,) become one; drops triangles that collapse by it; says which (M,) were kept.

    A triangle that collapses leaves two edges in one, so nothing opens.
    """
    _, first, number = np.unique(label, return_index=True, return_inverse=True)
    welded = number.reshape(-1)[triangles]
    a, b, c = welded.T
    kept = (a != b) & (b != c) & (c != a)
    used, compact = np.unique(welded[kept], return_inverse=True)
    return Mesh(vertices[first[used]], compact.reshape(-1, 3).astype(np.int64)), kept
