"""What of a stock is no part: a boolean of bodies that share most of their faces, worked out once for all who ask."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import manifold3d
import numpy as np

from .geometry import PartGeometry


@dataclass(frozen=True, eq=False)
class OverPart:
    """``solid`` is the stock less the part; triangles of its run ``number`` lie on the part and keep the number of
    their face."""

    solid: manifold3d.Manifold
    number: int


@lru_cache(maxsize=64)
def over_part(stock: manifold3d.Manifold, geometry: PartGeometry) -> OverPart:
    part, number = _with_faces(geometry)
    return OverPart(stock - part, number)


@lru_cache(maxsize=16)
def _with_faces(geometry: PartGeometry) -> tuple[manifold3d.Manifold, int]:
    """The part as a solid whose triangles keep the number of their face, and the number of the solid."""
    mesh, number = geometry.coarse, manifold3d.Manifold.reserve_ids(1)
    solid = manifold3d.Manifold(
        manifold3d.Mesh64(
            vert_properties=np.array(mesh.vertices, dtype=np.float64, order="C"),
            tri_verts=np.array(mesh.triangles, dtype=np.uint64, order="C"),
            face_id=np.array(geometry.face_of, dtype=np.uint64, order="C"),
            run_index=np.array([0, 3 * len(mesh.triangles)], dtype=np.uint64),
            run_original_id=np.array([number], dtype=np.uint32),
        )
    )
    return solid, number
