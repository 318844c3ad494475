"""Where features have something that can give a zero: the middle of a width, a wall, a level, an upright face.

All in P.  ``row`` (3,) is the direction of a machine axis in part coordinates: a row of the orientation's matrix.
"""

from __future__ import annotations

import manifold3d
import numpy as np

from .frames import Array, Axis
from .model.orientation import Orientation
from .model.part import WIDE, Feature
from .model.setup import DatumSource

#: Kinds whose walls face one another, with air between.
HOLLOW = ("pocket", "slot")
#: Kinds with their material inside.
SOLID = ("boss", "outer round", "web")
_WALLS: tuple[DatumSource, ...] = ("feature minus side", "feature plus side")
#: A cosine this near to one is of no angle.
_SQUARE = 1e-9
#: Just before a surface is air, and just behind it material (mm).
_SKIN = 0.02
#: What is nearer than this is in one place (mm).
_ALIKE = 1e-6
_FAR = 10_000.0


def _along(a: Array, b: Array) -> bool:
    return abs(abs(float(a @ b)) - 1.0) < _SQUARE


def size_along(feature: Feature, row: Array) -> float | None:
    """How wide a pocket, slot or web is along a machine axis (mm), or a pocket long; None without walls there."""
    if feature.kind not in WIDE:
        return None
    if _along(row, feature.widthwise()):
        return feature.width
    return feature.length if feature.kind == "pocket" and _along(row, feature.across()) else None


def level(feature: Feature) -> Array | None:
    """A place (3,) on the floor of a feature, or on a face; None where it has none."""
    at = np.array(feature.at.as_tuple())
    if feature.kind == "face" or (feature.kind == "pocket" and not feature.through):
        return at
    if feature.kind == "slot" and feature.depth is not None and not feature.through:
        floor: Array = at - feature.depth * feature.direction()
        return floor
    return None


def gives(feature: Feature, axis: Axis, orientation: Orientation) -> tuple[DatumSource, ...]:
    """What of a feature can give an axis of a zero, as the part lies; nothing where it does not lie square to that."""
    matrix = orientation.matrix()
    if axis == "z":
        looks_up = float(matrix[2] @ feature.direction()) > 1.0 - _SQUARE
        return ("feature",) if level(feature) is not None and looks_up else ()
    row = matrix[0 if axis == "x" else 1]
    if feature.kind == "face":
        return ("feature",) if _along(row, feature.direction()) else ()
    if feature.is_round():
        return ("feature",) if feature.kind != "edge break" else ()
    return ("feature", *_WALLS) if stands_upright(feature, orientation) and size_along(feature, row) else ()


def stands_upright(feature: Feature, orientation: Orientation) -> bool:
    """Whether the walls of a pocket, slot or web are come at from above: it opens upward, a web's lie aside."""
    up = float(orientation.matrix()[2] @ feature.direction())
    return abs(up) < _SQUARE if feature.kind == "web" else up > 1.0 - _SQUARE


def zero_place(feature: Feature, source: DatumSource, axis: Axis, row: Array) -> Array:
    """The place (3,) of what gives a machine axis its zero; that of the reference point where the feature has no such
    thing."""
    at = np.array(feature.at.as_tuple())
    if axis == "z":
        found = level(feature)
        return at if found is None else found
    if source not in _WALLS:
        return at
    half = (size_along(feature, row) or 0.0) / 2.0
    wall: Array = at + (half if source == "feature plus side" else -half) * row
    return wall


def stands(feature: Feature, p_solid: manifold3d.Manifold) -> bool:
    """Whether a feature that is not round is there in a solid: air before its surface, material behind."""
    at, out = np.array(feature.at.as_tuple()), feature.direction()
    if feature.kind == "web":
        half = (feature.width or 0.0) / 2.0
        return _is_surface(p_solid, at + half * out, out) and _is_surface(p_solid, at - half * out, -out)
    found = level(feature)
    if found is not None:
        return _is_surface(p_solid, found, out)
    return feature.kind in WIDE and not is_inside(p_solid, at - _SKIN * out)


def _is_surface(p_solid: manifold3d.Manifold, at: Array, out: Array) -> bool:
    return is_inside(p_solid, at - _SKIN * out) and not is_inside(p_solid, at + _SKIN * out)


def is_inside(p_solid: manifold3d.Manifold, at: Array) -> bool:
    """By how often an upright line crosses the surface above the place."""
    x, y, z = (float(value) for value in at)
    return len(p_solid.ray_cast((x, y, z), (x, y, _FAR))) % 2 == 1


def sunk_by_length(out: Array, up: Array) -> Array:
    """How far (3,) a plane that looks along ``out`` is left for each millimetre that the tool which leaves it, cutting
    from above (``up``), is longer than it counts for: deeper along its own normal; walls stay where they are."""
    sunk: Array = -max(float(out @ up), 0.0) * out
    return sunk


def ways_across(feature: Feature) -> Array:
    """Two ways (2, 3) across the one in which a feature opens."""
    out = feature.direction()
    first = np.eye(3)[int(np.argmin(np.abs(out)))]
    first = first - (first @ out) * out
    first /= np.linalg.norm(first)
    return np.array([first, np.cross(out, first)])


def way_between(feature: Feature, other: Feature) -> Array:
    """The way (3,) from one to the other along which their distance counts: out of a face, between walls across their
    length, else from middle to middle, of what opens alike square to that."""
    apart = np.array(other.at.as_tuple()) - np.array(feature.at.as_tuple())
    for each in (other, feature):
        if each.kind == "face":
            return each.direction()
    for each in (other, feature):
        if each.width is not None:
            return each.widthwise()
    out = feature.direction()
    if _along(out, other.direction()):
        flat = apart - (apart @ out) * out
        apart = flat if np.linalg.norm(flat) > _ALIKE else apart
    length = float(np.linalg.norm(apart))
    way: Array = apart / length if length > _ALIKE else ways_across(feature)[0]
    return way


def distance_between(feature: Feature, other: Feature) -> float:
    """How far apart both are along that way (mm)."""
    apart = np.array(other.at.as_tuple()) - np.array(feature.at.as_tuple())
    return abs(float(way_between(feature, other) @ apart))


def wall_between(feature: Feature, other: Feature) -> float:
    """What is left between both where that is thinnest (mm): within what has its material inside, all round the other;
    else what of their distance both leave."""
    half, other_half = (
        (each.width if each.width is not None else each.diameter or 0.0) / 2.0 for each in (feature, other)
    )
    apart = distance_between(feature, other)
    if (feature.kind in SOLID) != (other.kind in SOLID):
        return abs(half - other_half) - apart
    return apart - half - other_half


def are_in_one_place(feature: Feature, other: Feature) -> bool:
    """Whether both have one middle, so that no way between them is another than all others across."""
    return distance_between(feature, other) < _ALIKE
