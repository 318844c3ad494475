"""Several parts of one kind that lie beside each other in one blank, as one geometry."""

from __future__ import annotations

import hashlib
from dataclasses import replace
from functools import lru_cache

import numpy as np

from ..errors import PlanError
from ..frames import Array
from .geometry import Cone, Cylinder, PartGeometry, Plane, Surface, Triple, triple
from .meshes import Mesh

#: Parts that share less than this only touch (mm³).
_CRUMB = 1e-3


@lru_cache(maxsize=16)
def several(geometry: PartGeometry, shifts: tuple[Triple, ...]) -> PartGeometry:
    """The part, and the same again so far from it as each of ``shifts`` says (mm, P).

    Raises PlanError where two of them stand in each other.
    """
    check_apart(geometry, shifts)
    places = (np.zeros(3), *(np.array(shift) for shift in shifts))
    key = hashlib.sha256((geometry.key + repr(shifts)).encode()).hexdigest()
    extents = geometry.extents
    if extents is not None:
        low, high = (np.array(corner) for corner in extents)
        ends = np.array([(low + place, high + place) for place in places])
        extents = (triple(ends[:, 0].min(axis=0)), triple(ends[:, 1].max(axis=0)))
    return replace(
        geometry,
        key=key,
        coarse=_repeated(geometry.coarse, places),
        fine_mesh=lambda: _repeated(geometry.fine, places),
        faces=tuple(_moved(face, place) for place in places for face in geometry.faces),
        face_of=np.concatenate([geometry.face_of + k * len(geometry.faces) for k in range(len(places))]),
        extents=extents,
        shadows={},
        single=geometry,
        shifts=shifts,
    )


def check_apart(geometry: PartGeometry, shifts: tuple[Triple, ...]) -> None:
    """Raises PlanError where two of the parts stand in each other."""
    places = ((0.0, 0.0, 0.0), *shifts)
    size = geometry.high - geometry.low
    for k, one in enumerate(places):
        for other in places[:k]:
            way = np.subtract(one, other)
            if (np.abs(way) >= size).any():
                continue
            if float((geometry.solid ^ geometry.solid.translate(tuple(way))).volume()) > _CRUMB:
                raise PlanError("Two parts of the blank stand in each other; put them further apart.")


def _repeated(mesh: Mesh, places: tuple[Array, ...]) -> Mesh:
    count = len(mesh.vertices)
    return Mesh(
        np.concatenate([mesh.vertices + place for place in places]),
        np.concatenate([mesh.triangles + k * count for k in range(len(places))]),
    )


def _moved(face: Surface, place: Array) -> Surface:
    match face:
        case Plane():
            return replace(face, offset=face.offset + float(np.dot(face.normal, place)))
        case Cylinder() | Cone():
            return replace(face, point=triple(np.array(face.point) + place))
        case _:
            return face
