"""What of a part stands in the way when it is looked at from above: outline and shadow.

Both are solids in table-aligned part coordinates (Z up).  The *shadow* is everything at or below
some material of the part: what a cutter coming from above must leave.  It is built exactly from
the triangles, one upright prism per patch of upward faces, so chamfers stay true.
"""

from __future__ import annotations

import manifold3d
import numpy as np
from numpy.typing import NDArray

from .adjacency import components
from .flat_area import filled
from .geometry import Mesh

#: Steeper than this (the upward part of the unit normal) a triangle counts as an upright wall.
_UPRIGHT = 1e-4


def shadow(u_mesh: Mesh, bottom: float) -> manifold3d.Manifold:
    """Everything at or below the part, down to height ``bottom`` (mm, below the part)."""
    corners = u_mesh.vertices[u_mesh.triangles]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    lengths = np.linalg.norm(normals, axis=1)
    upward = u_mesh.triangles[normals[:, 2] > _UPRIGHT * np.maximum(lengths, 1e-300)]
    prisms = [_prism(u_mesh.vertices, patch, bottom) for patch in _patches(upward)]
    return manifold3d.Manifold.batch_boolean(prisms, manifold3d.OpType.Add)


def outline_area(u_solid: manifold3d.Manifold) -> manifold3d.CrossSection:
    """The part's outline seen from above, without its holes."""
    return filled(u_solid.project())


def _patches(triangles: NDArray[np.int64]) -> list[NDArray[np.int64]]:
    """Triangles grouped by connection over shared edges."""
    edges = np.sort(triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    _, edge_of = np.unique(edges, axis=0, return_inverse=True)
    edge_of = edge_of.reshape(-1)
    order = np.argsort(edge_of, kind="stable")
    same = edge_of[order][1:] == edge_of[order][:-1]
    a, b = order[:-1][same] // 3, order[1:][same] // 3
    label = components(len(triangles), a, b)
    return [triangles[label == k] for k in range(int(label.max(initial=-1)) + 1)]


def _prism(vertices: NDArray[np.float64], patch: NDArray[np.int64], bottom: float) -> manifold3d.Manifold:
    """The patch closed downward by upright walls and its own flattened copy at ``bottom``."""
    used, local = np.unique(patch, return_inverse=True)
    local = local.reshape(patch.shape)
    top = vertices[used]
    low = top.copy()
    low[:, 2] = bottom
    count = len(used)
    edges = local[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2)
    twin = {(int(b), int(a)) for a, b in edges}
    rim = np.array([(a, b) for a, b in edges.tolist() if (a, b) not in twin], dtype=np.int64)
    a, b = rim.T
    walls = np.concatenate([np.stack([b, a, a + count], 1), np.stack([b, a + count, b + count], 1)])
    triangles = np.concatenate([local, local[:, ::-1] + count, walls])
    return Mesh(np.concatenate([top, low]), triangles).solid()
