"""Holes that no drawing has: they are in the blank from the beginning, and so in what it becomes."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

import manifold3d
import numpy as np

from ..frames import Array
from ..model.part import Feature
from .facets import facets_for
from .geometry import COARSE_DEFLECTION, FINE_DEFLECTION, Cylinder, PartGeometry, Plane, Surface, triple
from .meshes import Mesh
from .welding import with_owners

#: A hole goes on so far over its mouth, whatever stands round about there (mm).
_OVER = 1.0
#: A triangle whose normal is nearer to the hole's axis than this (a cosine) is of its floor.
_FLOOR = 0.5


def hole_solid(feature: Feature, reach: float, deflection: float) -> manifold3d.Manifold:
    """What a hole takes away, in P; one that goes through, or has no depth, goes ``reach`` both ways (mm)."""
    radius = (feature.diameter or 0.0) / 2.0
    deep = reach if feature.through or feature.depth is None else feature.depth
    over = reach if feature.through or feature.depth is None else _OVER
    rod = manifold3d.Manifold.cylinder(deep + over, radius, radius, facets_for(radius, deflection))
    way = feature.direction()
    across = np.eye(3)[int(np.argmin(np.abs(way)))]
    right = across - (across @ way) * way
    right /= np.linalg.norm(right)
    frame = np.column_stack([right, np.cross(way, right), way])
    return rod.translate((0.0, 0.0, -deep)).transform(np.column_stack([frame, np.array(feature.at.as_tuple())]))


def less_found(solid: manifold3d.Manifold, found: Sequence[Feature], deflection: float) -> manifold3d.Manifold:
    """A body without the holes that were found in it."""
    for feature in found:
        low, high = np.array(solid.bounding_box()).reshape(2, 3)
        solid = solid - hole_solid(feature, _reach(low, high), deflection)
    return solid


def _reach(low: Array, high: Array) -> float:
    return float(np.linalg.norm(high - low)) + _OVER


@lru_cache(maxsize=32)
def with_found(geometry: PartGeometry, found: tuple[Feature, ...]) -> PartGeometry:
    """The part with holes that were found."""
    key = hashlib.sha256((geometry.key + "".join(each.model_dump_json() for each in found)).encode()).hexdigest()
    faces, mesh, face_of = list(geometry.faces), geometry.coarse, geometry.face_of
    for feature in found:
        reach = _reach(mesh.vertices.min(axis=0), mesh.vertices.max(axis=0))
        hole, made = _owned(feature, reach, len(faces))
        mesh, face_of = with_owners(mesh.solid(face_of) - hole)
        faces += made
    return replace(
        geometry,
        key=key,
        coarse=mesh,
        fine_mesh=lambda: with_owners(less_found(geometry.fine_solid, found, FINE_DEFLECTION))[0],
        faces=tuple(faces),
        face_of=face_of,
        shadows={},
        found=found,
    )


def _owned(feature: Feature, reach: float, first: int) -> tuple[manifold3d.Manifold, list[Surface]]:
    """A hole whose wall's triangles are numbered ``first`` and its floor's one more, and both faces."""
    solid, way = hole_solid(feature, reach, COARSE_DEFLECTION), feature.direction()
    mesh64 = solid.to_mesh64()
    vertices = np.array(mesh64.vert_properties, dtype=float)[:, :3]
    triangles = np.array(mesh64.tri_verts, dtype=np.int64)
    a, b, c = np.moveaxis(vertices[triangles], 1, 0)
    normal = np.cross(b - a, c - a)
    flat = np.abs(normal @ way) > _FLOOR * np.linalg.norm(normal, axis=1)
    owned = Mesh(vertices, triangles).solid(np.where(flat, first + 1, first))
    at, radius = np.array(feature.at.as_tuple()), (feature.diameter or 0.0) / 2.0
    deep = reach if feature.through or feature.depth is None else feature.depth
    floor = at - deep * way
    return owned, [
        Cylinder(
            triple(at), triple(way), radius, -deep, 0.0, inside=True, sweep_deg=360.0, area=math.tau * radius * deep
        ),
        Plane(triple(way), float(floor @ way), math.pi * radius**2),
    ]
