"""The model's faces as recognition needs them: samples, neighbours, and what can be seen of each."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..frames import Array
from ..once import lazy
from ..solids.adjacency import areas_and_normals, shared_edges
from ..solids.flat_area import signed_area
from ..solids.geometry import Cone, Cylinder, PartGeometry, Plane

#: Points a face is sampled at, at most, and how far they are lifted off it (mm).
_SAMPLES, _LIFT = 14, 0.02
#: Far outside of any part that can be held (mm).
FAR = 20_000.0


@dataclass(frozen=True)
class Border:
    """How two faces meet: common length, and how far ``other`` rises over this one (sine, by length)."""

    other: int
    length: float
    fold: float


class FaceMap:
    """Answers about the faces of one part; slow answers are kept."""

    def __init__(self, geometry: PartGeometry) -> None:
        self.geometry = geometry
        self.solid: manifold3d.Manifold = geometry.solid
        mesh = geometry.coarse
        self._corners = mesh.vertices[mesh.triangles]
        self._areas, self._normals = areas_and_normals(mesh)
        order = np.argsort(geometry.face_of, kind="stable")
        starts = np.searchsorted(geometry.face_of[order], np.arange(len(geometry.faces) + 1))
        self._triangles = [order[starts[k] : starts[k + 1]] for k in range(len(geometry.faces))]
        self._samples: dict[int, tuple[Array, Array]] = {}
        self._seen: dict[tuple[int, tuple[float, ...]], bool] = {}
        self._openings: dict[tuple[float, ...], tuple[tuple[Array, Array, Array], ...]] = {}

    def triangles(self, face: int) -> NDArray[np.int64]:
        return self._triangles[face]

    def points(self, face: int) -> Array:
        """All corners (N, 3) of a face's triangles."""
        corners: Array = self._corners[self._triangles[face]].reshape(-1, 3)
        return corners

    def of_kind(self, kind: type[Plane] | type[Cylinder] | type[Cone]) -> list[int]:
        return [k for k, face in enumerate(self.geometry.faces) if isinstance(face, kind) and len(self._triangles[k])]

    @lazy
    def borders(self) -> list[list[Border]]:
        """For every face, the faces beside it."""
        edges = shared_edges(self.geometry.coarse)
        face_of = self.geometry.face_of
        a, b = face_of[edges.a], face_of[edges.b]
        between = a != b
        total: dict[tuple[int, int], list[float]] = {}
        rows = zip(a[between].tolist(), b[between].tolist(), edges.length[between], edges.fold[between], strict=True)
        for i, j, length, fold in rows:
            for pair in ((i, j), (j, i)):
                entry = total.setdefault(pair, [0.0, 0.0])
                entry[0] += float(length)
                entry[1] += float(length * fold)
        result: list[list[Border]] = [[] for _ in self.geometry.faces]
        for (i, j), (length, weighted) in total.items():
            result[i].append(Border(j, length, weighted / max(length, 1e-12)))
        return result

    def samples(self, face: int) -> Array:
        """Points (N, 3) spread over a face, lifted a little into the air."""
        return self._sampled(face)[0]

    def sample_normals(self, face: int) -> Array:
        """Unit outward normals (N, 3) at the samples."""
        return self._sampled(face)[1]

    def _sampled(self, face: int) -> tuple[Array, Array]:
        if face not in self._samples:
            triangles = self._triangles[face]
            areas = self._areas[triangles]
            # Every so many shares of the area, one point: wide triangles get several, at other places in them.
            reached = np.cumsum(areas) / max(float(areas.sum()), 1e-300)
            wanted = (np.arange(_SAMPLES) + 0.5) / _SAMPLES
            chosen = triangles[np.minimum(np.searchsorted(reached, wanted), len(triangles) - 1)]
            weights = _WEIGHTS[np.arange(_SAMPLES) % len(_WEIGHTS)]
            points = np.einsum("ij,ijk->ik", weights, self._corners[chosen])
            self._samples[face] = points + _LIFT * self._normals[chosen], self._normals[chosen]
        return self._samples[face]

    def sees_all(self, face: int, direction: Array) -> bool:
        """Whether all of a face is seen by an eye far away in ``direction`` (unit, P)."""
        key = (face, tuple(np.round(direction, 6).tolist()))
        if key not in self._seen:
            self._seen[key] = all(self.is_free(point, direction) for point in self.samples(face))
        return self._seen[key]

    def is_free(self, point: Array, direction: Array) -> bool:
        return not self.solid.ray_cast(tuple(point), tuple(point + FAR * direction))

    def openings(self, turn: Array, height: float) -> tuple[tuple[Array, Array, Array], ...]:
        """Rings (N, 2) of what is open inside the part where a plane cuts it, each with its corners (2,).

        ``turn`` (3, 3) has the plane's two directions and its normal as rows.  Many pockets share a plane.
        """
        key = (*np.round(turn, 6).reshape(-1).tolist(), round(height, 5))
        if key not in self._openings:
            section = self.solid.transform(np.column_stack([turn, np.zeros(3)])).slice(height)
            rings = [np.asarray(ring, dtype=float) for ring in section.to_polygons()]
            # Outer borders run against the clock, openings the other way round.
            self._openings[key] = tuple(
                (ring, ring.min(axis=0), ring.max(axis=0)) for ring in rings if signed_area(ring) < 0.0
            )
        return self._openings[key]

    def hit(self, point: Array, direction: Array) -> tuple[float, Array] | None:
        """Distance to the first surface met from ``point`` in ``direction``, and its normal (3,)."""
        hits = self.solid.ray_cast(tuple(point), tuple(point + FAR * direction))
        if not hits:
            return None
        first = hits[0]
        return float(np.linalg.norm(np.array(first.position) - point)), np.array(first.normal)


@lru_cache(maxsize=8)
def face_map(geometry: PartGeometry) -> FaceMap:
    """The faces of a part, with the answers they have given so far."""
    return FaceMap(geometry)


#: Places in a triangle by the weights of its corners, none at an edge.
_WEIGHTS = np.array(
    [
        (1 / 3, 1 / 3, 1 / 3),
        (0.6, 0.2, 0.2),
        (0.2, 0.6, 0.2),
        (0.2, 0.2, 0.6),
        (0.86, 0.07, 0.07),
        (0.07, 0.86, 0.07),
        (0.07, 0.07, 0.86),
    ]
)
