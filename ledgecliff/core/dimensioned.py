"""A part without a model: its block or bar and its features entered by dimensions, made into a solid."""

from __future__ import annotations

import hashlib
import math
from functools import lru_cache
from typing import TypeAlias

import manifold3d
import numpy as np

from .blanks import box, rod
from .errors import PlanError
from .frames import Array
from .model.part import BarShape, Feature, Part, Shape
from .solids.facets import facets_for
from .solids.fitting import fitted_faces
from .solids.found_holes import with_found
from .solids.geometry import COARSE_DEFLECTION, FINE_DEFLECTION, Models, PartGeometry
from .solids.meshes import Mesh
from .solids.several import several
from .solids.welding import weld

#: How far a cut stands out over the mouth it begins at (mm).
_PROUD = 1.0
Solid: TypeAlias = manifold3d.Manifold
Section: TypeAlias = manifold3d.CrossSection
#: Fields of a feature that say something about its shape.
_SHAPING = {"kind", "at", "opens_to", "skew", "diameter", "depth", "through", "length", "width", "radius", "lengthwise"}
#: Kinds that take material away or add it, as against those that only name a place; in the order in which
#: they are made, so that a boss may stand in a pocket and have a hole.
MADE = ("pocket", "slot", "boss", "hole", "bore", "counterbore", "countersink", "edge break", "chamfer")


def part_geometry(part: Part, models: Models) -> PartGeometry:
    """The geometry of a part, from its model or from its dimensions.

    Raises PlanError when the model has not been read, or when the dimensions leave nothing.
    """
    if part.shape is not None:
        drawn = (each for each in part.features if each.kind in MADE and each.on_copy is None and not each.found)
        made = _made(part.shape, tuple(_shape_only(feature) for feature in drawn))
    elif models.part is not None:
        made = models.part
    else:
        raise PlanError("The part's model has not been read; open the job again.")
    if part.copies:
        made = several(made, tuple(copy.shift.as_tuple() for copy in part.copies))
    found = tuple(_shape_only(feature) for feature in part.features if feature.found)
    return with_found(made, found) if found else made


def _shape_only(feature: Feature) -> Feature:
    """The feature without what does not change its shape, so that a new name costs nothing."""
    values = {name: getattr(feature, name) for name in _SHAPING}
    return Feature(name="-", **values)


@lru_cache(maxsize=32)
def _made(shape: Shape, features: tuple[Feature, ...]) -> PartGeometry:
    coarse = _mesh(shape, features, COARSE_DEFLECTION)
    faces, face_of = fitted_faces(coarse)
    text = shape.model_dump_json() + "".join(feature.model_dump_json() for feature in features)
    key = hashlib.sha256(text.encode()).hexdigest()
    return PartGeometry(
        key, coarse, lambda: _mesh(shape, features, FINE_DEFLECTION), faces, face_of, ("entered by dimensions",)
    )


def _mesh(shape: Shape, features: tuple[Feature, ...], deflection: float) -> Mesh:
    solid = _body(shape, deflection)
    for feature in sorted(features, key=lambda feature: MADE.index(feature.kind)):
        volume = _volume(feature, solid, _facets(feature, features, deflection), deflection)
        if volume is not None:
            solid = solid + volume if feature.kind == "boss" else solid - volume
    if solid.is_empty():
        raise PlanError("The part's features leave nothing of it; correct their sizes or the part's.")
    mesh64 = solid.to_mesh64()
    vertices = np.array(mesh64.vert_properties, dtype=float)[:, :3]
    return weld(vertices, np.array(mesh64.tri_verts, dtype=np.int64))[0]


def _body(shape: Shape, deflection: float) -> Solid:
    if isinstance(shape, BarShape):
        return rod(shape.diameter / 2.0, shape.length, shape.along, deflection)
    return box(np.zeros(3), shape.size.as_tuple())


def _facets(feature: Feature, features: tuple[Feature, ...], deflection: float) -> int:
    """Equal for all rounds on one axis, so that a bore and its broken edge meet corner to corner."""
    way, at = feature.direction(), np.array(feature.at.as_tuple())
    radii = [
        (other.diameter or 0.0) / 2.0
        for other in features
        if abs(float(way @ other.direction())) > 1.0 - 1e-9
        and float(np.linalg.norm(np.cross(np.array(other.at.as_tuple()) - at, way))) < 1e-6
    ]
    return facets_for(max(radii), deflection)


def _volume(feature: Feature, solid: Solid, facets: int, deflection: float) -> Solid | None:
    """What a feature takes away (or, a boss, adds), in P; None where a size it needs is missing."""
    low, high = (np.array(corner) for corner in np.array(solid.bounding_box()).reshape(2, 3))
    right_through = float(np.linalg.norm(high - low)) + 2.0 * _PROUD
    depth = feature.depth
    if feature.diameter is not None and feature.kind not in ("pocket", "slot", "chamfer"):
        if depth is None and not feature.through and feature.kind != "hole":
            return None
        local = _round(feature, right_through if feature.through or depth is None else depth, facets)
    elif feature.kind == "chamfer" and feature.length is not None and feature.width is not None:
        half = feature.width / 2.0
        local = box((-feature.length / 2.0, -half, 0.0), (feature.length / 2.0, half, feature.width + _PROUD))
    elif feature.kind in ("pocket", "slot") and None not in (feature.length, feature.width):
        if depth is None and not feature.through:
            return None
        local = _sunk(feature, right_through if feature.through or depth is None else depth, deflection)
    else:
        return None
    return local.transform(np.column_stack([_frame(feature), np.array(feature.at.as_tuple())]))


def _frame(feature: Feature) -> Array:
    """Columns: along the feature's length, across it, and the direction in which it opens."""
    up = feature.direction()
    along = feature.across() - (feature.across() @ up) * up
    if np.linalg.norm(along) < 1e-6:
        along = np.eye(3)[int(np.argmin(np.abs(up)))]
        along = along - (along @ up) * up
    along = along / np.linalg.norm(along)
    return np.column_stack([along, np.cross(up, along), up])


def _round(feature: Feature, depth: float, facets: int) -> Solid:
    """About the local Z axis, the mouth at height nought."""
    radius = (feature.diameter or 0.0) / 2.0
    if feature.kind == "boss":
        return Solid.cylinder(depth, radius, radius, facets).translate((0.0, 0.0, -depth))
    if feature.kind in ("edge break", "countersink"):
        lower = max(radius - depth, 0.0) if feature.kind == "edge break" else 0.0
        cone = Solid.cylinder(depth, lower, radius, facets).translate((0.0, 0.0, -depth))
        return cone + Solid.cylinder(_PROUD, radius, radius, facets)
    # The mouth of a hole that leans stands out of the part's side by as much as its radius leans.
    square = float(np.abs(feature.direction()).max())
    beyond = (
        depth if feature.through or feature.depth is None else _PROUD + radius * math.sqrt(1.0 - square**2) / square
    )
    return Solid.cylinder(depth + beyond, radius, radius, facets).translate((0.0, 0.0, -depth))


def _sunk(feature: Feature, depth: float, deflection: float) -> Solid:
    """A pocket stands on its floor at height nought, a slot hangs from its mouth."""
    length, width = feature.length or 0.0, feature.width or 0.0
    radius = min(feature.radius or 0.0, length / 2.0, width / 2.0)
    section = Section.square((length, width), center=True)
    if radius:
        corner = Section.circle(radius, facets_for(radius, deflection))
        x, y = length / 2.0 - radius, width / 2.0 - radius
        section = Section.batch_hull([corner.translate(at) for at in ((x, y), (-x, y), (-x, -y), (x, -y))])
    if feature.through:
        return Solid.extrude(section, 2.0 * depth).translate((0.0, 0.0, -depth))
    low = 0.0 if feature.kind == "pocket" else -depth
    return Solid.extrude(section, depth + _PROUD).translate((0.0, 0.0, low))
