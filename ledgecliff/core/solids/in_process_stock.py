"""A solid whose triangles remember whether they still come from the blank."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TypeAlias

import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..frames import Array
from ..model.orientation import Orientation, exact_direction
from ..once import lazy
from .adjacency import components
from .geometry import PartGeometry
from .meshes import Mesh

#: Of each triangle, whether something holds.
Flags: TypeAlias = NDArray[np.bool_]
#: A corner this near to where facets end is theirs (mm).
_SAME_END = 1e-6


@dataclass(frozen=True, eq=False)
class TrueEnds:
    """Where a body really ends that facets only come near to: lowest and highest corner (2, 3) of both, in P."""

    facets: Array
    true: Array

    def moved(self, shift: Array) -> TrueEnds:
        return TrueEnds(self.facets + shift, self.true + shift)


def ends_of(geometry: PartGeometry) -> TrueEnds:
    return TrueEnds(np.array(geometry.facet_corners), np.array([geometry.low, geometry.high]))


@dataclass(frozen=True, eq=False)
class InProcessStock:
    """The stock at one moment, in P; ``raw_id`` marks the triangles of the original blank.

    ``is_envelope`` marks the uncut block in which cuts are kept, that stands for any blank.  Where the stock ends
    as the facets of the part do, or those of a casting, it really ends as that does: ``ends``.  Triangles of
    ``more_raw`` originals are raw too: of a piece that was glued on, or where a saw went.
    """

    solid: manifold3d.Manifold
    raw_id: int
    is_envelope: bool = False
    ends: tuple[TrueEnds, ...] = ()
    more_raw: frozenset[int] = frozenset()

    def less(self, solid: manifold3d.Manifold) -> InProcessStock:
        """What is left of this stock: another solid, the same origin."""
        return InProcessStock(solid, self.raw_id, ends=self.ends, more_raw=self.more_raw)

    def with_raw(self, solid: manifold3d.Manifold, originals: Iterable[int]) -> InProcessStock:
        """Another solid of the same origin, in which the triangles of other originals are raw too."""
        return InProcessStock(solid, self.raw_id, ends=self.ends, more_raw=self.more_raw | set(originals))

    @lazy
    def _arrays(self) -> tuple[Mesh, Flags]:
        mesh = self.solid.to_mesh64()
        triangles = np.asarray(mesh.tri_verts, dtype=np.int64)
        raw = np.zeros(len(triangles), dtype=bool)
        bounds = np.asarray(mesh.run_index, dtype=np.int64) // 3
        for k, original in enumerate(mesh.run_original_id):
            if original == self.raw_id or int(original) in self.more_raw:
                raw[bounds[k] : bounds[k + 1]] = True
        return Mesh(np.asarray(mesh.vert_properties, dtype=float)[:, :3], triangles), raw

    @property
    def mesh(self) -> Mesh:
        return self._arrays[0]

    @property
    def raw(self) -> Flags:
        """(M,) bool per triangle: still the blank's own surface."""
        return self._arrays[1]

    @lazy
    def facet_corners(self) -> Array:
        """Lowest and highest corner (2, 3) of the solid's facets in P."""
        corners: Array = np.array(self.solid.bounding_box()).reshape(2, 3)
        return corners

    @lazy
    def corners(self) -> tuple[Array, Array]:
        """Lowest and highest corner in P, of round ends those of the true round."""
        corners = self.facet_corners
        for ends in self.ends:
            corners = np.where(np.abs(corners - ends.facets) < _SAME_END, ends.true, corners)
        return corners[0], corners[1]

    def truly(self, places: Array, turn: Array) -> Array:
        """Places (2, 3), the lowest and highest of something, in P turned by ``turn`` (3, 3): where the facets of part,
        casting or this stock end, their true ends; none along an axis that is no direction of the part."""
        square = np.array([exact_direction(row) is not None for row in turn])
        result = places
        for ends in (*self.ends, TrueEnds(self.facet_corners, np.array(self.corners))):
            facets, true = np.sort(ends.facets @ turn.T, axis=0), np.sort(ends.true @ turn.T, axis=0)
            result = np.where(square & (np.abs(places - facets) < _SAME_END), true, result)
        return result

    def u_corners(self, orientation: Orientation) -> tuple[Array, Array]:
        """Lowest and highest corner in table-aligned part coordinates; tilted, those of its triangles."""
        matrix = orientation.matrix()
        both = (np.array(self.corners) if orientation.is_square else self.mesh.vertices) @ matrix.T
        return both.min(axis=0), both.max(axis=0)

    @lazy
    def pieces(self) -> tuple[manifold3d.Manifold, ...]:
        """The solid's connected pieces."""
        triangles = self.mesh.triangles
        corners = triangles.reshape(-1)
        label = components(len(self.mesh.vertices), corners, np.roll(triangles, 1, axis=1).reshape(-1))
        # Asking how the corners hang together costs far less than taking the solid apart.
        if np.all(label[corners] == label[corners[:1]]):
            return (self.solid,)
        return tuple(self.solid.decompose())

    @property
    def volume(self) -> float:
        return float(self.solid.volume())
