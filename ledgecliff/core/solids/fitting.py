"""Faces of a model that is only triangles: flat, cylindrical and conical ones, fitted with their residual.

Triangles in one plane are joined to *facets*.  A cylinder is a strip of facets, each bent a little
against the next: three neighbours give a first axis and radius, the strip grows while every corner
stays on the surface, and is fitted anew until it grows no more.  What is left and hangs together
smoothly is a cone if all its corners lie on one, and a free form otherwise.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..frames import Array
from .adjacency import components, shared_edges
from .geometry import Cone, Cylinder, Freeform, Plane, Surface, triple
from .meshes import Mesh

#: Triangles bent less than this lie in one plane; more than the second, an edge lies between (degrees).
_FLAT_DEG, _SMOOTH_DEG = 0.06, 40.0
#: Corners may stand this far off a fitted surface: a floor (mm), and a share of the model's size.
_TOLERANCE, _TOLERANCE_SHARE = 0.003, 3e-5
#: A strip of fewer facets than this is not taken for round.
_LEAST_FACETS = 3
#: A shorter arc fits too much else, such as three triangles of a cone (degrees).
_LEAST_SWEEP_DEG = 44.0
#: A gap round an axis narrower than this is a step of the mesh (degrees).
_STEP_DEG = 25.0
#: A facet so many times as large as the usual one is a flat face of its own.
_WIDE = 20.0
#: Meshers step evenly round a surface; a strip with more uneven steps is flats that happen to fit.
_MOST_UNEVEN = 2.6


@dataclass(frozen=True, eq=False)
class _Facet:
    triangles: NDArray[np.int64]
    corners: NDArray[np.int64]
    normal: Array
    area: float


@dataclass
class _Round:
    """A cylinder or cone that grows: ``slope`` is the radius' change along the axis (0 for a cylinder)."""

    point: Array
    axis: Array
    radius: float
    slope: float
    facets: list[int] = field(default_factory=list)

    def off(self, points: Array) -> Array:
        """How far points (N, 3) stand off the surface, measured square to the axis."""
        along = (points - self.point) @ self.axis
        radial = np.linalg.norm(points - self.point - along[:, None] * self.axis, axis=1)
        result: Array = radial - (self.radius + self.slope * along)
        return result


def fitted_faces(mesh: Mesh) -> tuple[tuple[Surface, ...], NDArray[np.int64]]:
    """The faces of a closed triangle mesh, and which of them each triangle (M,) belongs to."""
    fitter = _Fitter(mesh)
    rounds = fitter.rounds()
    return fitter.surfaces(rounds)


def facet_allowance(faces: tuple[Surface, ...], mesh: Mesh, face_of: NDArray[np.int64]) -> float:
    """How far the flats of round faces stand off their true round at most, corners being on it (mm).

    Over an arc ``t`` a round of radius ``r`` stands by ``r (1 - cos t/2)``; on a cone the wider end counts.
    """
    worst = 0.0
    for k, face in enumerate(faces):
        if not isinstance(face, Cylinder | Cone):
            continue
        corners = mesh.vertices[mesh.triangles[face_of == k]] - np.array(face.point)
        axis = np.array(face.axis)
        radial = corners - np.einsum("ijk,k->ij", corners, axis)[:, :, None] * axis
        radii = np.linalg.norm(radial, axis=2)
        ways = radial / np.maximum(radii, 1e-300)[:, :, None]
        sines = np.minimum(np.linalg.norm(ways - np.roll(ways, -1, axis=1), axis=2) / 2.0, 1.0)
        # Nothing lies over the arc of a corner on the axis.
        sines *= np.minimum(radii, np.roll(radii, -1, axis=1)) > 1e-9
        wider = np.maximum(radii, np.roll(radii, -1, axis=1))
        worst = max(worst, float((wider * (1.0 - np.sqrt(1.0 - sines**2))).max(initial=0.0)))
    return worst


class _Fitter:
    def __init__(self, mesh: Mesh) -> None:
        self._mesh = mesh
        size = float(np.linalg.norm(np.ptp(mesh.vertices, axis=0)))
        self._tolerance = max(_TOLERANCE, _TOLERANCE_SHARE * size)
        edges = shared_edges(mesh)
        bend = np.degrees(np.arccos(np.clip(edges.cosine, -1.0, 1.0)))
        flat = bend < _FLAT_DEG
        label = components(len(mesh.triangles), edges.a[flat], edges.b[flat])
        self._facets = self._make_facets(label)
        smooth = (bend >= _FLAT_DEG) & (bend < _SMOOTH_DEG)
        self._near: list[list[int]] = [[] for _ in self._facets]
        for i, j in sorted(set(zip(label[edges.a[smooth]].tolist(), label[edges.b[smooth]].tolist(), strict=True))):
            if i != j:
                self._near[i].append(j)
                self._near[j].append(i)
        self._near = [sorted(set(near)) for near in self._near]

    def _make_facets(self, label: NDArray[np.int64]) -> list[_Facet]:
        corners = self._mesh.vertices[self._mesh.triangles]
        cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        order = np.argsort(label, kind="stable")
        groups = np.split(order, np.flatnonzero(np.diff(label[order])) + 1)
        facets = []
        for group in groups:
            total = cross[group].sum(axis=0)
            length = float(np.linalg.norm(total))
            facets.append(
                _Facet(group, np.unique(self._mesh.triangles[group]), total / max(length, 1e-300), length / 2.0)
            )
        return facets

    # --- round faces ------------------------------------------------------------------------

    def rounds(self) -> list[_Round]:
        """Every round face, its facets settled; narrow facets begin, since flats are wide."""
        found = self._whole_groups()
        taken = {k for surface in found for k in surface.facets}
        for seed in sorted(range(len(self._facets)), key=lambda k: self._facets[k].area):
            if seed in taken:
                continue
            grown = self._grown_from(seed, taken)
            if grown is not None:
                found.append(grown)
                taken.update(grown.facets)
        return found

    def _whole_groups(self) -> list[_Round]:
        """Groups of facets that hang together smoothly and are one cylinder or one cone as a whole."""
        found = []
        for group in self._smooth_groups(set()):
            if len(group) >= _LEAST_FACETS:
                surface = self._fitted(group) or self._cone(group)
                if surface is not None and _sweep_deg(_angles(surface, self._corners(group))) >= _LEAST_SWEEP_DEG:
                    found.append(surface)
        return found

    def _grown_from(self, seed: int, taken: set[int]) -> _Round | None:
        best: _Round | None = None
        near = [k for k in self._near[seed] if k not in taken]
        for i, first in enumerate(near):
            for second in near[i + 1 :]:
                start = self._fitted([first, seed, second])
                if start is None:
                    continue
                grown = self._grown(start, taken)
                if self._convincing(grown) and (best is None or len(grown.facets) > len(best.facets)):
                    best = grown
            if best is not None:
                break
        return best

    def _grown(self, surface: _Round, taken: set[int]) -> _Round:
        """Fitted to few facets a radius is unsure, so each fit goes on from what the last one reached."""
        while True:
            count = len(surface.facets)
            surface = self._grow(surface, taken)
            if len(surface.facets) == count:
                return surface
            surface = self._fitted(surface.facets) or surface

    def _grow(self, start: _Round, taken: set[int]) -> _Round:
        inside, wave = set(start.facets), list(start.facets)
        while wave:
            for k in self._near[wave.pop()]:
                if k not in inside and k not in taken and self._belongs(start, k):
                    inside.add(k)
                    wave.append(k)
        start.facets = sorted(inside)
        return start

    def _belongs(self, surface: _Round, k: int) -> bool:
        facet = self._facets[k]
        if abs(float(facet.normal @ surface.axis)) > 0.03:
            return False
        return bool(np.all(np.abs(surface.off(self._mesh.vertices[facet.corners])) < self._tolerance))

    def _fitted(self, facets: list[int]) -> _Round | None:
        """The cylinder through the corners of ``facets``; None when there is none within tolerance."""
        normals = np.array([self._facets[k].normal for k in facets])
        points = self._corners(facets)
        # Normals of a cylinder, and none but they, lie in a plane through nought: square to the axis.
        _, spread, directions = np.linalg.svd(normals)
        axis = directions[2]
        if spread[1] < 1e-5 or float(np.max(np.abs(normals @ axis))) > 0.01:
            return None
        surface = _cylinder_through(points, axis)
        if surface is None or np.max(np.abs(surface.off(points))) > self._tolerance:
            return None
        surface.facets = list(facets)
        return surface

    def _corners(self, facets: list[int]) -> Array:
        corners: Array = self._mesh.vertices[np.unique(np.concatenate([self._facets[k].corners for k in facets]))]
        return corners

    def _cone(self, facets: list[int]) -> _Round | None:
        """The cone on which all corners of ``facets`` lie, or None.

        Tips of the normals lie in a plane square to the axis, and every facet's plane passes close
        to the apex; both starts are then improved by least squares.
        """
        from scipy.optimize import least_squares  # slow to import, and only triangle models need it

        normals = np.array([self._facets[k].normal for k in facets])
        axis = np.linalg.svd(normals - normals.mean(axis=0))[2][2]
        middles = np.array([self._mesh.vertices[self._facets[k].corners].mean(axis=0) for k in facets])
        apex, *_ = np.linalg.lstsq(normals, np.einsum("ij,ij->i", normals, middles), rcond=None)
        points = self._corners(facets)
        along = (points - apex) @ axis
        if len(points) < 7 or np.ptp(along) < 1e-6 or float(np.median(along)) == 0.0:
            return None
        if np.median(along) < 0.0:
            axis, along = -axis, -along
        radial = np.linalg.norm(points - apex - along[:, None] * axis, axis=1)
        start = np.array([*apex, *axis, float(along @ radial / (along @ along))])

        def shaped(values: Array) -> _Round:
            return _Round(values[:3], values[3:6] / np.linalg.norm(values[3:6]), 0.0, float(values[6]))

        fit = least_squares(lambda values: shaped(values).off(points), start, method="trf", max_nfev=60)
        surface = shaped(fit.x)
        if np.max(np.abs(surface.off(points))) > self._tolerance or not 0.02 < abs(surface.slope) < 50.0:
            return None
        surface.facets = list(facets)
        return surface

    def _convincing(self, surface: _Round) -> bool:
        if _sweep_deg(_angles(surface, self._corners(surface.facets))) < _LEAST_SWEEP_DEG:
            return False
        steps = [step for k in surface.facets if (step := self._width_deg(surface, k)) > 1e-3]
        return len(steps) >= _LEAST_FACETS and max(steps) / min(steps) < _MOST_UNEVEN

    def _width_deg(self, surface: _Round, k: int) -> float:
        angles = _angles(surface, self._mesh.vertices[self._facets[k].corners])
        middle = angles[0]
        return float(np.ptp((angles - middle + 180.0) % 360.0))

    # --- results ----------------------------------------------------------------------------

    def surfaces(self, rounds: list[_Round]) -> tuple[tuple[Surface, ...], NDArray[np.int64]]:
        faces: list[Surface] = []
        face_of = np.full(len(self._mesh.triangles), -1, dtype=np.int64)
        taken: set[int] = set()
        for surface in rounds:
            self._paint(face_of, surface.facets, len(faces))
            faces.append(self._round_face(surface))
            taken.update(surface.facets)
        for group in self._smooth_groups(taken):
            self._paint(face_of, group, len(faces))
            cone = self._cone(group) if len(group) >= _LEAST_FACETS else None
            if len(group) == 1:
                faces.append(self._plane(group[0]))
            elif cone is not None:
                faces.append(self._round_face(cone))
            else:
                faces.append(Freeform(sum(self._facets[k].area for k in group)))
        return tuple(faces), face_of

    def _paint(self, face_of: NDArray[np.int64], facets: Iterable[int], number: int) -> None:
        for k in facets:
            face_of[self._facets[k].triangles] = number

    def _smooth_groups(self, taken: set[int]) -> list[list[int]]:
        """Facets not yet taken: each wide one by itself, small ones with those they bend smoothly into."""
        left = [k for k in range(len(self._facets)) if k not in taken]
        usual = float(np.median([self._facets[k].area for k in left])) if left else 0.0
        wide = {k for k in left if self._facets[k].area > _WIDE * usual or not self._near[k]}
        place = {k: n for n, k in enumerate(left)}
        links = [(place[k], place[j]) for k in left for j in self._near[k] if j in place and not {j, k} & wide]
        a, b = np.array(links, dtype=np.int64).reshape(-1, 2).T
        label = components(len(left), a, b)
        order = np.argsort(label, kind="stable")
        groups = np.split(order, np.flatnonzero(np.diff(label[order])) + 1) if left else []
        return [[left[n] for n in group] for group in groups]

    def _plane(self, k: int) -> Plane:
        facet = self._facets[k]
        heights = self._mesh.vertices[facet.corners] @ facet.normal
        offset = float((heights.max() + heights.min()) / 2.0)
        return Plane(triple(facet.normal), offset, facet.area, float(np.ptp(heights) / 2.0))

    def _round_face(self, surface: _Round) -> Surface:
        corners = np.unique(np.concatenate([self._facets[k].corners for k in surface.facets]))
        points = self._mesh.vertices[corners]
        along = (points - surface.point) @ surface.axis
        first = self._facets[surface.facets[0]]
        middle = self._mesh.vertices[first.corners].mean(axis=0) - surface.point
        radial = middle - (middle @ surface.axis) * surface.axis
        inside = float(first.normal @ radial) < 0.0
        area = float(sum(self._facets[k].area for k in surface.facets))
        common = (inside, _sweep_deg(_angles(surface, points)), area, float(np.max(np.abs(surface.off(points)))))
        point, axis, start, end = triple(surface.point), triple(surface.axis), float(along.min()), float(along.max())
        if surface.slope == 0.0:
            return Cylinder(point, axis, surface.radius, start, end, *common)
        return Cone(point, axis, abs(surface.slope * start), abs(surface.slope * end), start, end, *common)


def _cylinder_through(points: Array, axis: Array) -> _Round | None:
    """Least-squares circle in the plane square to ``axis`` (Kåsa: linear in centre and power)."""
    across = np.linalg.svd(axis[None, :])[2][1:]
    flat = points @ across.T
    matrix = np.column_stack([2.0 * flat, np.ones(len(flat))])
    solution, _, rank, _ = np.linalg.lstsq(matrix, (flat**2).sum(axis=1), rcond=None)
    if rank < 3:
        return None
    square = float(solution[2] + solution[:2] @ solution[:2])
    if square <= 0.0:
        return None
    return _Round(solution[:2] @ across, axis, float(np.sqrt(square)), 0.0)


def _angles(surface: _Round, points: Array) -> Array:
    """Angles (N,) of points about the axis, degrees, from an arbitrary start."""
    across = np.linalg.svd(surface.axis[None, :])[2][1:]
    flat = (points - surface.point) @ across.T
    angles: Array = np.degrees(np.arctan2(flat[:, 1], flat[:, 0]))
    return angles


def _sweep_deg(angles: Array) -> float:
    """How far round the corners reach: all but the widest gap, or 360 where that is but a step of the mesh."""
    ordered = np.sort(angles % 360.0)
    gaps = np.diff(np.append(ordered, ordered[0] + 360.0))
    gaps = gaps[gaps > 1e-3]
    widest = float(gaps.max(initial=0.0))
    whole = widest < _STEP_DEG or widest < 1.6 * float(np.median(gaps)) + 1e-6
    return 360.0 if whole else 360.0 - widest
