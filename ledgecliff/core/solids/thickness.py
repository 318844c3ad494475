"""How thin a solid is: distances straight through it from face to opposite face."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..frames import Array
from .adjacency import areas_and_normals
from .meshes import Mesh

#: Places looked at, at most; the widest triangles are looked at first, wide ones at several places.
_MOST_PLACES = 400
#: The far face must look the other way within this (cosine): wedges and edge breaks are no walls.
_OPPOSITE = -0.97
#: A place is looked at from this far below the face (mm).
_SKIN = 1e-4
_FAR = 20_000.0
#: Weights of a triangle's corners, from its middle outward.
_WEIGHTS = np.array([(1 / 3, 1 / 3, 1 / 3), (0.7, 0.15, 0.15), (0.15, 0.7, 0.15), (0.15, 0.15, 0.7)])


@dataclass(frozen=True, eq=False)
class Thicknesses:
    """Places (N, 3) on faces, the unit outward normals (N, 3) there, and the thickness (N,) behind each (mm)."""

    at: Array
    normal: Array
    mm: Array


@lru_cache(maxsize=64)
def thicknesses(solid: manifold3d.Manifold, mesh: Mesh) -> Thicknesses:
    """Thickness at places spread over the faces of ``solid``, whose triangles are ``mesh``."""
    at, normal = _places(mesh)
    found = np.full(len(at), np.nan)
    for k, (point, way) in enumerate(zip(at, normal, strict=True)):
        hits = solid.ray_cast(tuple(point - _SKIN * way), tuple(point - _FAR * way))
        if hits and float(np.dot(hits[0].normal, way)) < _OPPOSITE:
            found[k] = float(np.linalg.norm(np.array(hits[0].position) - point))
    real = np.isfinite(found)
    return Thicknesses(at[real], normal[real], found[real])


def _places(mesh: Mesh) -> tuple[Array, Array]:
    corners = mesh.vertices[mesh.triangles]
    areas, normals = areas_and_normals(mesh)
    order: NDArray[np.int64] = np.argsort(-areas, kind="stable")[:_MOST_PLACES]
    # Few triangles are looked at in several places each, the first time in their middles.
    times = min(len(_WEIGHTS), max(_MOST_PLACES // max(len(order), 1), 1))
    which, turn = np.tile(order, times), np.repeat(np.arange(times), len(order))
    return np.einsum("ij,ijk->ik", _WEIGHTS[turn], corners[which]), normals[which]
