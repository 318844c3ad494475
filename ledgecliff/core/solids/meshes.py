"""Triangles: as plain arrays, and as a watertight solid."""

from __future__ import annotations

from dataclasses import dataclass

import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..errors import ModelFileError

#: Said of a model whose own faces are at fault.
NOT_CLOSED = (
    "The model is not a closed solid: its faces leave gaps or are inside out. Export it again as one solid body."
)


@dataclass(frozen=True, eq=False)
class Mesh:
    """``vertices`` (N, 3) and ``triangles`` (M, 3), outward by the right-hand rule."""

    vertices: NDArray[np.float64]
    triangles: NDArray[np.int64]

    def solid(self, owners: NDArray[np.int64] | None = None) -> manifold3d.Manifold:
        """The mesh as a watertight solid.  Raises ModelFileError when it is none.

        ``owners`` (M,) are numbers that triangles keep through booleans; see ``with_owners``.
        """
        parts = {
            # Copies, since the library takes no arrays that it gave out itself.
            "vert_properties": np.array(self.vertices, dtype=np.float64, order="C"),
            "tri_verts": np.array(self.triangles, dtype=np.uint64, order="C"),
        }
        if owners is not None:
            parts["face_id"] = np.array(owners, dtype=np.uint64, order="C")
        solid = manifold3d.Manifold(manifold3d.Mesh64(**parts))
        if solid.status() != manifold3d.Error.NoError or solid.is_empty() or solid.volume() <= 0.0:
            raise ModelFileError(NOT_CLOSED)
        return solid


def mesh_of(solid: manifold3d.Manifold) -> Mesh:
    """The triangles of a solid."""
    mesh64 = solid.to_mesh64()
    return Mesh(np.array(mesh64.vert_properties, dtype=float)[:, :3], np.array(mesh64.tri_verts, dtype=np.int64))


def is_closed(triangles: NDArray[np.int64]) -> bool:
    """Whether every edge is used as often one way as the other."""
    edges = triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2)
    size = int(triangles.max(initial=0)) + 1
    there, back = edges[:, 0] * size + edges[:, 1], edges[:, 1] * size + edges[:, 0]
    return bool(np.array_equal(np.sort(there), np.sort(back)))
