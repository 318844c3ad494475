"""What is left of a blank once a part is cut from some sides, and which faces of the part that still covers.

A side cut down to the part's underside leaves the part's shadow seen from there, and whatever lies below.  So
after any sides, in any order, what all of them leave in common is left; what each leaves is worked out once.
Volumes and faces are those of the solids: no place is looked at in a claim's stead.
"""

from __future__ import annotations

from functools import lru_cache

import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..blanks import box, transformed
from ..cutting.cuts import Cut, region
from ..frames import Array
from ..model.operations import Seen
from ..model.orientation import DIRECTIONS, Orientation, PartDirection, axis_of
from ..once import lazy
from ..solids.adjacency import areas_and_normals, components
from ..solids.geometry import COARSE_DEFLECTION, PartGeometry
from ..solids.in_process_stock import InProcessStock
from ..solids.meshes import Mesh, mesh_of
from ..solids.over_part import over_part

#: What is left in common is worked out in a block that stands out over part and blank by their size, in whole steps
#: (mm), so that the blank may be moved about the part.
_STEP = 100.0
#: Thinner than this on average, what is left is the film between two ways to facet one round (mm).
_FILM = 0.75 * COARSE_DEFLECTION
#: Less than this more left is rounding (mm³).
_CRUMB = 0.02
#: A face is covered where more than this, and more than this share of it, lies under stock (mm²): at the edge of a
#: face that is cut free, facets of the next one may stand in its way by a film.
_SPECK, _SPECK_SHARE = 1e-3, 0.01
#: A block close about the part stands out so far (mm); volumes that differ by less than this share are the same.
_CLOSE, _SAME_SHARE = 1.0, 1e-9


def side_up(side: PartDirection, geometry: PartGeometry) -> Orientation:
    """The orientation with ``side`` up and the longer of the level directions to the right."""
    size = geometry.high - geometry.low
    level = [way for way in DIRECTIONS if way[0] == "+" and way[1] != side[1]]
    right = max(level, key=lambda way: (round(float(size[axis_of(way)]), 6), way == "+X"))
    return Orientation(up=side, right=right)


def left_by_sides(geometry: PartGeometry, blank: InProcessStock) -> LeftBySides:
    """What sides leave of ``blank``, wherever it lies about the part."""
    low, high = (np.array(ends) for ends in blank.corners)
    size = np.maximum(high - low, geometry.high - geometry.low)
    low, high = np.floor((geometry.low - size) / _STEP) * _STEP, np.ceil((geometry.high + size) / _STEP) * _STEP
    return _left_by_sides(geometry, (*low.tolist(), *high.tolist()))


@lru_cache(maxsize=8)
def _left_by_sides(geometry: PartGeometry, corners: tuple[float, ...]) -> LeftBySides:
    return LeftBySides(geometry, np.array(corners).reshape(2, 3))


class LeftBySides:
    """The stock that any set of sides leaves of anything between two ``corners`` (2, 3)."""

    def __init__(self, geometry: PartGeometry, corners: Array) -> None:
        self._geometry, self._corners = geometry, corners
        self._regions: dict[PartDirection, manifold3d.Manifold] = {}
        self._kept: dict[frozenset[PartDirection], manifold3d.Manifold] = {}

    def region(self, side: PartDirection) -> manifold3d.Manifold:
        """What cutting from a side takes of anything, in P."""
        if side not in self._regions:
            one = Cut(side_up(side, self._geometry), Seen(name=f"all seen from {side}", tool=1), ())
            matrix = one.orientation.matrix()
            low, high = (self._corners @ matrix.T).min(axis=0), (self._corners @ matrix.T).max(axis=0)
            taking = region(low, high, self._geometry.coarse, self._geometry, one)
            assert taking is not None, "what is seen can be cut in any orientation"
            self._regions[side] = transformed(taking, matrix.T)
        return self._regions[side]

    def kept(self, sides: frozenset[PartDirection]) -> manifold3d.Manifold:
        """What all of ``sides`` leave in common, in P."""
        if sides not in self._kept:
            if not sides:
                self._kept[sides] = box(self._corners[0] + 1.0, self._corners[1] - 1.0)
            else:
                last = max(sides)
                self._kept[sides] = self.kept(sides - {last}) - self.region(last)
        return self._kept[sides]

    def left(self, blank: InProcessStock, sides: frozenset[PartDirection]) -> InProcessStock:
        return blank.less(blank.solid ^ self.kept(sides)) if sides else blank

    @lazy
    def covered_close(self) -> dict[PartDirection, frozenset[int]]:
        """For each side, the faces of the part that a block close about it still covers once it is cut from there."""
        close = box(self._geometry.low - _CLOSE, self._geometry.high + _CLOSE)
        return {side: covered_faces(close ^ self.kept(frozenset((side,))), self._geometry) for side in DIRECTIONS}


def covered_after(geometry: PartGeometry, blank: InProcessStock) -> dict[PartDirection, frozenset[int]]:
    """For each side, the faces of the part that ``blank`` still covers once it is cut from there; those that it does
    not cover before may be among them.

    A convex blank has all of a face in its surface or nothing but lines, so a face that it covers at all it covers as
    any block does.  So what is left on a face does not depend on such a blank's size, and is told within a block close
    about the part: further out films between facets hang together with what lies below the part.
    """
    left = left_by_sides(geometry, blank)
    if _is_convex(blank.solid):
        return left.covered_close
    return {side: covered_faces(left.left(blank, frozenset((side,))).solid, geometry) for side in DIRECTIONS}


def _is_convex(solid: manifold3d.Manifold) -> bool:
    return float(solid.hull().volume() - solid.volume()) <= _SAME_SHARE * float(solid.volume())


@lru_cache(maxsize=16)
def _face_areas(geometry: PartGeometry) -> Array:
    return _sums(geometry.face_of, areas_and_normals(geometry.coarse)[0], len(geometry.faces))


def _sums(owner: NDArray[np.int64], areas: Array, count: int) -> Array:
    """The area of each of ``count`` owners of triangles."""
    sums: Array = np.bincount(owner, areas, minlength=count).astype(float)
    return sums


def covered_faces(stock: manifold3d.Manifold, geometry: PartGeometry) -> frozenset[int]:
    """The faces of the part that some of ``stock`` lies on, films between facets apart."""
    rest = over_part(stock, geometry)
    mesh64 = rest.solid.to_mesh64()
    mesh = mesh_of(rest.solid)
    areas = areas_and_normals(mesh)[0] * _thick(mesh)[0]
    bounds = np.asarray(mesh64.run_index, dtype=np.int64) // 3
    owner = np.asarray(mesh64.face_id, dtype=np.int64)
    total = np.zeros(len(geometry.faces))
    for k, original in enumerate(mesh64.run_original_id):
        if original == rest.number:
            run = slice(int(bounds[k]), int(bounds[k + 1]))
            total += _sums(owner[run], areas[run], len(total))
    covered = total > np.maximum(_SPECK, _SPECK_SHARE * _face_areas(geometry))
    return frozenset(np.flatnonzero(covered).tolist())


def standing(stock: manifold3d.Manifold, geometry: PartGeometry) -> float:
    """How much of ``stock`` is no part (mm³), films between facets apart."""
    return _thick(mesh_of(over_part(stock, geometry).solid))[1]


def leaves_no_more(stock: manifold3d.Manifold, geometry: PartGeometry, least: float) -> bool:
    """Whether no more than ``least`` (mm³) of ``stock`` is no part, films apart, which can be no more than a film on
    all of the part's surface: most sets of sides leave so much that their volume alone tells."""
    over = float(stock.volume()) - float(geometry.solid.volume())
    if over > least + _CRUMB + _FILM * float(geometry.solid.surface_area()):
        return False
    return standing(stock, geometry) <= least + _CRUMB


def _thick(mesh: Mesh) -> tuple[NDArray[np.bool_], float]:
    """Which triangles (M,) belong to surfaces of pieces that are more than film, and the volume of these pieces (mm³).

    Twice a piece's volume by its area is how thick it is on average.
    """
    if not len(mesh.triangles):
        return np.zeros(0, dtype=bool), 0.0
    corners = mesh.triangles.reshape(-1)
    label = components(len(mesh.vertices), corners, np.roll(mesh.triangles, 1, axis=1).reshape(-1))
    piece = label[mesh.triangles[:, 0]]
    count = int(label.max()) + 1
    a, b, c = np.moveaxis(mesh.vertices[mesh.triangles] - mesh.vertices[0], 1, 0)
    volumes = _sums(piece, np.einsum("ij,ij->i", a, np.cross(b, c)) / 6.0, count)
    # A surface with less than nothing inside is the wall of a hollow, such as that of the part deep in its blank.
    thick = (2.0 * volumes > _FILM * _sums(piece, areas_and_normals(mesh)[0], count)) | (volumes < 0.0)
    return thick[piece], float(volumes[thick].sum())
