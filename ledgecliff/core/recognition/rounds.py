"""Holes with their steps, bosses, and the edge breaks round them.

Round faces on one axis are put in order along it; those that follow each other without a gap are one
stepped hole, so a hole interrupted by a pocket counts as two.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..frames import Array
from ..model.orientation import DIRECTIONS, PartDirection, direction_vector
from ..solids.geometry import Cone, Cylinder, triple
from .faces import FaceMap
from .recognised import SAME_LINE, Recognised, parallel

#: Axes closer than this are one axis; faces closer than this along it follow each other (mm).
_SAME_AXIS, _TOUCHING = 0.01, 0.01
#: A round face must go at least so far round to be a hole or boss (degrees).
_FULL_DEG = 355.0
#: A cone at a hole's end higher than this share of its diameter is a countersink, not an edge break.
_COUNTERSINK = 0.2
#: A floor further behind a hole's end than this many radii belongs to something else.
_FLOOR_WITHIN = 1.3


@dataclass(frozen=True)
class _Stretch:
    """Faces round one axis from ``start`` to ``end`` along it, with the radius at either end."""

    faces: tuple[int, ...]
    start: float
    end: float
    start_radius: float
    end_radius: float
    residual: float

    @property
    def is_cone(self) -> bool:
        return abs(self.start_radius - self.end_radius) > 1e-4

    @property
    def radius(self) -> float:
        return max(self.start_radius, self.end_radius)


@dataclass(frozen=True, eq=False)
class _Line:
    """An axis by its foot point (the one nearest to P zero) and unit direction."""

    foot: Array
    axis: Array

    def at(self, along: float) -> Array:
        return self.foot + along * self.axis


def round_features(faces: FaceMap) -> list[Recognised]:
    """Holes, counterbores, countersinks, edge breaks at holes, bosses and outer rounds."""
    found: list[Recognised] = []
    for line, members in _on_axes(faces):
        for inside in (True, False):
            stretches = _stretches(faces, line, [k for k in members if _round_face(faces, k).inside == inside])
            for stack in _stacks(stretches):
                found += _hole(faces, line, stack) if inside else _boss(faces, line, stack)
    return found


def _on_axes(faces: FaceMap) -> list[tuple[_Line, list[int]]]:
    """Cylinders and cones grouped by axis; cylinders first, as theirs is the better known."""
    groups: list[tuple[_Line, list[int]]] = []
    feet, axes = np.empty((0, 3)), np.empty((0, 3))
    for k in (*faces.of_kind(Cylinder), *faces.of_kind(Cone)):
        face = _round_face(faces, k)
        axis, point = np.array(face.axis), np.array(face.point)
        # The sine of the angle between axes, and how far the face's middle is off each axis found so far.
        apart = np.linalg.norm(np.cross(axes, axis), axis=1)
        off = np.linalg.norm(np.cross(_middle(face) - feet, axes), axis=1)
        near = np.flatnonzero((apart < SAME_LINE) & (off < _SAME_AXIS))
        if len(near):
            groups[int(near[0])][1].append(k)
            continue
        # The axis points to where most of a part's holes open, so that equal holes are told alike.
        if axis[int(np.argmax(np.abs(np.round(axis, 6))))] < 0.0:
            axis = -axis
        line = _Line(point - (point @ axis) * axis, axis)
        groups.append((line, [k]))
        feet, axes = np.vstack([feet, line.foot]), np.vstack([axes, axis])
    return groups


def _round_face(faces: FaceMap, k: int) -> Cylinder | Cone:
    face = faces.geometry.faces[k]
    assert isinstance(face, (Cylinder, Cone)), "chosen by kind"
    return face


def _middle(face: Cylinder | Cone) -> Array:
    middle: Array = np.array(face.point) + (face.start + face.end) / 2.0 * np.array(face.axis)
    return middle


def _stretches(faces: FaceMap, line: _Line, members: list[int]) -> list[_Stretch]:
    """Whole rounds along the axis; half faces of one round are put together."""
    parts: list[tuple[_Stretch, float]] = []
    for k in members:
        face = _round_face(faces, k)
        start, end = (
            float((np.array(face.point) + v * np.array(face.axis) - line.foot) @ line.axis)
            for v in (face.start, face.end)
        )
        radii = (face.radius, face.radius) if isinstance(face, Cylinder) else (face.start_radius, face.end_radius)
        if start > end:
            start, end, radii = end, start, radii[::-1]
        new = _Stretch((k,), start, end, *radii, face.residual)
        place = next((n for n, (old, _) in enumerate(parts) if _same_round(old, new)), None)
        if place is None:
            parts.append((new, face.sweep_deg))
            continue
        old, sweep = parts[place]
        joined = _Stretch(
            (*old.faces, k), min(old.start, start), max(old.end, end), old.start_radius, old.end_radius,
            max(old.residual, face.residual),
        )  # fmt: skip
        parts[place] = (joined, sweep + face.sweep_deg)
    return sorted((part for part, sweep in parts if sweep >= _FULL_DEG), key=lambda part: (part.start, part.end))


def _same_round(a: _Stretch, b: _Stretch) -> bool:
    return (
        abs(a.start_radius - b.start_radius) < _SAME_AXIS
        and abs(a.end_radius - b.end_radius) < _SAME_AXIS
        and a.start < b.end + _TOUCHING
        and b.start < a.end + _TOUCHING
    )


def _stacks(stretches: list[_Stretch]) -> list[list[_Stretch]]:
    stacks: list[list[_Stretch]] = []
    for stretch in stretches:
        if stacks and stretch.start - stacks[-1][-1].end < _TOUCHING:
            stacks[-1].append(stretch)
        else:
            stacks.append([stretch])
    return [stack for stack in stacks if any(not stretch.is_cone for stretch in stack)]


# --- holes ------------------------------------------------------------------------------------


def _hole(faces: FaceMap, line: _Line, stack: list[_Stretch]) -> list[Recognised]:
    main = min((stretch for stretch in stack if not stretch.is_cone), key=lambda stretch: stretch.radius)
    open_start = _has_no_floor(faces, line, stack[0].start, main.radius, -1)
    open_end = _has_no_floor(faces, line, stack[-1].end, main.radius, +1)
    way = +1 if open_end or not open_start else -1
    if open_start and open_end and not faces.is_free(line.at(main.end - 1e-3), line.axis):
        # Both ends are open but something stands over the upper one: it is made from the lower.
        way = -1 if faces.is_free(line.at(main.start + 1e-3), -line.axis) else +1
    mouth = stack[-1].end if way > 0 else stack[0].start
    direction = way * line.axis
    through = open_start and open_end
    last = stack[0] if way > 0 else stack[-1]
    floor = last if through else main
    far = floor.start if way > 0 else floor.end
    all_faces = tuple(k for stretch in stack for k in stretch.faces)
    inward = stack[::-1] if way > 0 else stack
    steps = [
        (2.0 * stretch.radius, abs(mouth - (stretch.start if way > 0 else stretch.end)))
        for stretch in inward
        if not stretch.is_cone
    ]
    residual = max(stretch.residual for stretch in stack)
    hole = Recognised(
        kind="hole",
        at=triple(line.at(mouth)),
        direction=triple(direction),
        diameter=2.0 * main.radius,
        depth=abs(mouth - far),
        through=through,
        steps=tuple(steps) if len(steps) > 1 else (),
        faces=all_faces,
        residual=residual,
        sees=_along_axis(faces, main.faces, line.axis),
        own_way=_whole(faces, main.faces, direction),
    )
    return [hole, *_widenings(faces, line, stack, main)]


def _widenings(faces: FaceMap, line: _Line, stack: list[_Stretch], main: _Stretch) -> list[Recognised]:
    """Counterbores, countersinks and edge breaks on both sides of a hole's narrowest stretch."""
    middle = stack.index(main)
    found = []
    for way, side in ((+1, stack[middle + 1 :]), (-1, stack[:middle][::-1])):
        if not side or side[-1].radius < main.radius:
            continue
        mouth = side[-1].end if way > 0 else side[-1].start
        for n, stretch in enumerate(side):
            near = stretch.start if way > 0 else stretch.end
            outermost = n == len(side) - 1
            outward_radius = stretch.end_radius if way > 0 else stretch.start_radius
            if stretch.is_cone and outward_radius < stretch.radius - 1e-6:
                continue  # it narrows outward: the point of a drill that met the hole from this side
            height = stretch.end - stretch.start
            # Bored steps are measured from the hole's mouth, edge breaks by themselves.
            if not stretch.is_cone:
                kind, depth = "counterbore", abs(mouth - near)
            elif height > _COUNTERSINK * 2.0 * stretch.radius:
                kind, depth = "countersink", height
            else:
                kind, depth = "edge break", height
            at = mouth if outermost or not stretch.is_cone else (stretch.end if way > 0 else stretch.start)
            found.append(
                Recognised(
                    kind=kind,  # type: ignore[arg-type]
                    at=triple(line.at(at)),
                    direction=triple(way * line.axis),
                    diameter=2.0 * stretch.radius,
                    depth=depth,
                    faces=stretch.faces,
                    residual=stretch.residual,
                    sees=_along_axis(faces, stretch.faces, line.axis),
                    own_way=_whole(faces, stretch.faces, way * line.axis),
                )
            )
    return found


def _has_no_floor(faces: FaceMap, line: _Line, end: float, radius: float, way: int) -> bool:
    """Whether the hole has no floor there: the axis runs on in the air for more than a drill's point."""
    start = line.at(end - way * 1e-3)
    met = faces.hit(start, way * line.axis)
    return met is None or met[0] > _FLOOR_WITHIN * radius


def _along_axis(faces: FaceMap, which: tuple[int, ...], axis: Array) -> tuple[PartDirection, ...]:
    """Square directions along the axis from which ``which`` are wholly seen."""
    return tuple(
        name
        for name in DIRECTIONS
        if parallel(direction_vector(name), axis) and _whole(faces, which, direction_vector(name))
    )


def _whole(faces: FaceMap, which: tuple[int, ...], way: Array) -> bool:
    return all(faces.sees_all(k, way) for k in which)


# --- bosses -----------------------------------------------------------------------------------


def _boss(faces: FaceMap, line: _Line, stack: list[_Stretch]) -> list[Recognised]:
    found = []
    for stretch in stack:
        small = stretch.end - stretch.start <= _COUNTERSINK * 2.0 * stretch.radius
        if stretch.is_cone and not small:
            continue
        middle = line.at((stretch.start + stretch.end) / 2.0)
        centre = (faces.geometry.low + faces.geometry.high) / 2.0
        way = 1.0 if float((middle - centre) @ line.axis) > -1e-6 else -1.0
        end = stretch.end if way > 0 else stretch.start
        whole = faces.geometry.high - faces.geometry.low
        across = [float(whole[k]) for k in range(3) if abs(line.axis[k]) < 0.5]
        outer = all(abs(size - 2.0 * stretch.radius) < 0.05 for size in across)
        found.append(
            Recognised(
                kind="edge break" if stretch.is_cone else "outer round" if outer else "boss",
                at=triple(line.at(end)),
                direction=triple(way * line.axis),
                diameter=2.0 * stretch.radius,
                depth=stretch.end - stretch.start,
                sees=_along_axis(faces, stretch.faces, line.axis),
                own_way=_whole(faces, stretch.faces, way * line.axis),
                faces=stretch.faces,
                residual=stretch.residual,
            )
        )
    return found
