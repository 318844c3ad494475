"""The finished part as the CAD kernel sees it, in plain arrays that need no kernel to use.

Two meshes are kept: a ``coarse`` one that draws and cuts fast, and a ``fine`` one for the
simulated machine, whose ball must not feel the flats of a faceted bore.  All coordinates are
millimetres in P.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..errors import ModelFileError

#: How far the triangles may stand off the true surface (mm).
COARSE_DEFLECTION = 0.08
FINE_DEFLECTION = 0.0015
_WELD = 1e-6


@dataclass(frozen=True, eq=False)
class Mesh:
    """``vertices`` (N, 3) and ``triangles`` (M, 3), outward by the right-hand rule."""

    vertices: NDArray[np.float64]
    triangles: NDArray[np.int64]

    def solid(self) -> manifold3d.Manifold:
        """The mesh as a watertight solid.  Raises ModelFileError when it is none."""
        solid = manifold3d.Manifold(
            manifold3d.Mesh64(
                vert_properties=np.ascontiguousarray(self.vertices, dtype=np.float64),
                tri_verts=np.ascontiguousarray(self.triangles, dtype=np.uint64),
            )
        )
        if solid.status() != manifold3d.Error.NoError or solid.is_empty() or solid.volume() <= 0.0:
            raise ModelFileError(
                "The model is not a closed solid: its faces leave gaps or are inside out. "
                "Export it again as one solid body."
            )
        return solid


def weld(vertices: NDArray[np.float64], triangles: NDArray[np.int64]) -> Mesh:
    """Joins vertices that coincide and drops triangles that collapse by it."""
    _, first, joined = np.unique(np.round(vertices / _WELD), axis=0, return_index=True, return_inverse=True)
    welded = joined.reshape(-1)[triangles]
    a, b, c = welded.T
    return Mesh(vertices[first], welded[(a != b) & (b != c) & (c != a)])


@dataclass(frozen=True)
class Cylinder:
    """A round face: a point on its axis, unit axis (3,), radius; ``start``..``end`` along the axis."""

    point: tuple[float, float, float]
    axis: tuple[float, float, float]
    radius: float
    start: float
    end: float
    inside: bool
    sweep_deg: float


@dataclass(frozen=True)
class Plane:
    """A flat face: outward unit normal, its distance along it from P zero, and its area."""

    normal: tuple[float, float, float]
    offset: float
    area: float


@dataclass(frozen=True, eq=False)
class PartGeometry:
    """``sha256`` is that of the model file it was read from; equal geometry has equal sums."""

    sha256: str
    coarse: Mesh
    fine: Mesh
    planes: tuple[Plane, ...]
    cylinders: tuple[Cylinder, ...]
    face_count: int

    @cached_property
    def solid(self) -> manifold3d.Manifold:
        return self.coarse.solid()

    @cached_property
    def fine_solid(self) -> manifold3d.Manifold:
        return self.fine.solid()

    @property
    def low(self) -> NDArray[np.float64]:
        """Lowest corner (3,) of the part in P."""
        low: NDArray[np.float64] = self.coarse.vertices.min(axis=0)
        return low

    @property
    def high(self) -> NDArray[np.float64]:
        high: NDArray[np.float64] = self.coarse.vertices.max(axis=0)
        return high
