"""Pockets and windows: floors that are walled in, and openings right through that are no round holes."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from ..frames import Array
from ..model.orientation import DIRECTIONS, direction_vector
from ..solids.flat_area import signed_area
from ..solids.geometry import Cylinder, Plane, triple
from .faces import FaceMap
from .levels import Level, frame_of, sees
from .recognised import Recognised, parallel, square_to

#: Steeper than this (sine) two faces make a corner; less is a smooth run-out.
_CORNER, _ROUND_CORNER = 0.02, 0.3
#: A pocket's floor is walled in over at least this share of its border.
_WALLED = 0.98
#: Widths and diameters closer than this are the same (mm).
_SAME_WIDTH = 0.05


def pockets(faces: FaceMap, found: list[Level], open_below: set[int]) -> list[Recognised]:
    """Floors that are walled in.

    ``open_below`` are the faces of holes and windows: where they break through a floor it is no less a
    floor.  Once a pocket is found, so is one inside of it whose floor it breaks through.
    """
    result: list[Recognised] = []
    known = set(open_below)
    while True:
        new = []
        for level in found:
            for floor in _floors(faces, level):
                walls = _walls(faces, floor, known) if not set(floor) & known else None
                pocket = _pocket(faces, level, floor, walls) if walls is not None else None
                if pocket is not None:
                    new.append(pocket)
        if not new:
            return result
        result += new
        known |= {k for pocket in new for k in pocket.faces}


def _floors(faces: FaceMap, level: Level) -> list[tuple[int, ...]]:
    """The faces of a level, those that go on into each other taken together: one floor may be written as several."""
    left, floors = list(level.faces), []
    while left:
        floor, wave = set(), [left[0]]
        while wave:
            k = wave.pop()
            floor.add(k)
            wave += [border.other for border in faces.borders[k] if border.other in left and border.other not in floor]
        floors.append(tuple(k for k in left if k in floor))
        left = [k for k in left if k not in floor]
    return floors


def _walls(faces: FaceMap, floor: tuple[int, ...], in_holes: set[int]) -> tuple[int, ...] | None:
    """The faces that rise round ``floor``, or None where it is open somewhere or the end of a hole."""
    risen = total = 0.0
    walls = []
    for border in (each for k in floor for each in faces.borders[k] if each.other not in floor):
        falls_away = border.fold < -_CORNER
        if falls_away and border.other in in_holes:
            continue  # a hole in the floor does not open the pocket
        total += border.length
        if border.fold > _CORNER or (abs(border.fold) <= _CORNER and _rises(faces, floor[0], border.other)):
            risen += border.length
            walls.append(border.other)
    if total == 0.0 or risen < _WALLED * total or set(walls) <= in_holes:
        return None
    return tuple(dict.fromkeys(walls))


def _rises(faces: FaceMap, floor: int, other: int) -> bool:
    """Whether a face that meets the floor smoothly goes up from it, as a fillet does."""
    plane = faces.geometry.faces[floor]
    assert isinstance(plane, Plane)
    heights = faces.points(other) @ np.array(plane.normal) - plane.offset
    return bool(heights.max() > 1e-3 and heights.min() > -1e-3)


def _ring(faces: FaceMap, floor: tuple[int, ...], walls: tuple[int, ...]) -> tuple[int, ...]:
    """Walls with all that goes on smoothly from them, such as what stands over the fillets at their foot."""
    plane = faces.geometry.faces[floor[0]]
    assert isinstance(plane, Plane)
    normal = np.array(plane.normal)
    ring, wave = set(walls), list(walls)
    while wave:
        k = wave.pop()
        for border in faces.borders[k]:
            other = border.other
            if other in ring or other in floor or abs(border.fold) > _smooth_up_to(faces, k, other):
                continue
            if float((faces.points(other) @ normal).min()) > plane.offset - 1e-3:
                ring.add(other)
                wave.append(other)
    return tuple(sorted(ring))


def _smooth_up_to(faces: FaceMap, a: int, b: int) -> float:
    """How sharp a border may look where faces run into each other: facets of round faces bend by themselves."""
    flat = isinstance(faces.geometry.faces[a], Plane) and isinstance(faces.geometry.faces[b], Plane)
    return _CORNER if flat else _ROUND_CORNER


def _pocket(faces: FaceMap, level: Level, floor: tuple[int, ...], walls: tuple[int, ...]) -> Recognised | None:
    up = level.normal
    ring = _ring(faces, floor, walls)
    rims = [float((faces.points(k) @ up).max()) - level.offset for k in ring]
    upright = [
        (face.area, np.cross(face.normal, up))
        for k in ring
        if isinstance(face := faces.geometry.faces[k], Plane) and square_to(np.array(face.normal), up)
    ]
    # Fillets at the foot end lower than the walls; the pocket is as deep as its lowest full wall.
    depth = min((rim for k, rim in zip(ring, rims, strict=True) if _reaches_up(faces, k, ring)), default=0.0)
    if depth <= 1e-3:
        return None
    edge = max(upright, key=lambda wall: wall[0])[1] if upright else None
    opening = _opening(faces, floor[0], up, level.offset + 0.97 * depth, edge)
    if opening is None:
        return None
    size, middle, lengthwise = opening
    corner = [
        face.radius
        for k in ring
        if isinstance(face := faces.geometry.faces[k], Cylinder)
        and face.inside
        and face.sweep_deg < 200.0
        and float(np.linalg.norm(np.cross(face.axis, up))) < 1e-3
    ]
    return Recognised(
        kind="pocket",
        at=triple(middle + level.offset * up),
        direction=triple(up),
        depth=max(rims),
        length=max(size),
        width=min(size),
        lengthwise=triple(lengthwise),
        radius=min(corner, default=None),
        through=False,
        sees=sees(faces, floor),
        own_way=all(faces.sees_all(k, up) for k in floor),
        faces=(*floor, *ring),
        residual=level.residual,
        called="obround pocket" if _is_obround(faces, ring, up, size) else "",
    )


def _is_obround(faces: FaceMap, walls: tuple[int, ...], up: Array, size: tuple[float, float]) -> bool:
    """Whether upright walls make a slot with round ends: as wide as the rounds, and longer than wide."""
    wide, long = min(size), max(size)
    rounds = [f for k in walls if isinstance(f := faces.geometry.faces[k], Cylinder) and parallel(np.array(f.axis), up)]
    flats = [f for k in walls if isinstance(f := faces.geometry.faces[k], Plane) and square_to(np.array(f.normal), up)]
    half_rounds = sum(face.sweep_deg for face in rounds) if rounds else 0.0
    as_wide = all(face.inside and abs(2.0 * face.radius - wide) < _SAME_WIDTH for face in rounds)
    along = {tuple(np.round(np.abs(np.cross(face.normal, up)), 3)) for face in flats}
    return bool(rounds) and as_wide and abs(half_rounds - 360.0) < 1.0 and len(along) == 1 and long > wide + _SAME_WIDTH


def _reaches_up(faces: FaceMap, k: int, ring: tuple[int, ...]) -> bool:
    """Whether a wall ends in a rim of its own instead of running on into another face of the ring."""
    return any(border.other not in ring and border.fold < -_CORNER for border in faces.borders[k])


def _opening(
    faces: FaceMap, floor: int, up: Array, height: float, edge: Array | None
) -> tuple[tuple[float, float], Array, Array] | None:
    """Overall size of the hole that a section at ``height`` shows over a floor, its middle (at height
    nought), and the unit vector along its longer side."""
    across, along = frame_of(up, edge)
    turn = np.array([across, along, up])
    place = (faces.samples(floor)[0] @ turn.T)[:2]
    for ring, low, high in faces.openings(turn, height):
        if np.any(place < low) or np.any(place > high) or not _inside(ring, place):
            continue
        centre = (low + high) / 2.0
        size = (float(high[0] - low[0]), float(high[1] - low[1]))
        return size, centre[0] * across + centre[1] * along, across if size[0] >= size[1] else along
    return None


def _inside(ring: Array, place: Array) -> bool:
    """Even-odd rule."""
    a, b = ring, np.roll(ring, -1, axis=0)
    crossing = (a[:, 1] > place[1]) != (b[:, 1] > place[1])
    with np.errstate(divide="ignore", invalid="ignore"):
        x = a[:, 0] + (place[1] - a[:, 1]) * (b[:, 0] - a[:, 0]) / (b[:, 1] - a[:, 1])
    return bool(np.count_nonzero(crossing & (x > place[0])) % 2)


def windows(faces: FaceMap, found: list[Level], ways: Iterable[Array]) -> list[Recognised]:
    """Openings right through the part along one of ``ways`` (unit vectors) that are no round holes."""
    result = []
    for up in ways:
        across, along = frame_of(up, next((np.cross(w.normal, up) for w in found if square_to(w.normal, up)), None))
        turn = np.array([across, along, up])
        outline = faces.solid.transform(np.column_stack([turn, np.zeros(3)])).project()
        upright = [k for level in found if square_to(level.normal, up) for k in level.faces]
        upright += [k for k in faces.of_kind(Cylinder) if _runs_along(faces, k, up)]
        for ring in outline.to_polygons():
            points = np.asarray(ring, dtype=float)
            area = signed_area(points)
            if area >= 0.0 or _is_round(points, -area):
                continue
            low, high = points.min(axis=0), points.max(axis=0)
            centre = (low + high) / 2.0
            walls = tuple(k for k in upright if _lies_on(faces.points(k) @ turn[:2].T, points))
            if not walls:
                continue
            rims = np.concatenate([faces.points(k) for k in walls]) @ up
            size = (float(high[0] - low[0]), float(high[1] - low[1]))
            rounds = [f.radius for k in walls if isinstance(f := faces.geometry.faces[k], Cylinder) and f.inside]
            result.append(
                Recognised(
                    kind="pocket",
                    at=triple(centre[0] * across + centre[1] * along + float(rims.min()) * up),
                    direction=triple(up),
                    depth=float(np.ptp(rims)),
                    length=max(size),
                    width=min(size),
                    lengthwise=triple(across if high[0] - low[0] >= high[1] - low[1] else along),
                    radius=min(rounds, default=None),
                    through=True,
                    called="obround window" if _is_obround(faces, walls, up, size) else "",
                    sees=sees(faces, walls, [way for way in DIRECTIONS if parallel(direction_vector(way), up)]),
                    own_way=all(faces.sees_all(k, up) for k in walls),
                    faces=walls,
                )
            )
    return result


def _runs_along(faces: FaceMap, k: int, up: Array) -> bool:
    face = faces.geometry.faces[k]
    return isinstance(face, Cylinder) and face.inside and parallel(np.array(face.axis), up)


def _is_round(points: Array, area: float) -> bool:
    edges = np.linalg.norm(points - np.roll(points, 1, axis=0), axis=1)
    return 4.0 * np.pi * area / float(edges.sum()) ** 2 > 0.985


def _lies_on(trace: Array, ring: Array) -> bool:
    """Whether a wall's trace (N, 2) in the view runs along the ring (M, 2) all the way."""
    start, way = ring, np.roll(ring, -1, axis=0) - ring
    share = np.einsum("nmk,mk->nm", trace[:, None] - start, way) / np.maximum((way**2).sum(axis=1), 1e-300)
    nearest = start + np.clip(share, 0.0, 1.0)[:, :, None] * way
    off = np.linalg.norm(trace[:, None] - nearest, axis=2).min(axis=1)
    return bool(off.max() < 0.01)
