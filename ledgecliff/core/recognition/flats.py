"""Faces, webs, slots, pockets and chamfers: what flat faces make by the way they meet."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from ..frames import DIRECTIONS, Array, PartDirection, direction_vector
from ..solids.flat_area import signed_area
from ..solids.geometry import Cylinder, Plane, triple
from .faces import FaceMap
from .found import Found, parallel, square_to

#: Faces whose normals and offsets differ by less are one level (cosine; mm).
_SAME_NORMAL, _SAME_LEVEL = 1.0 - 1e-6, 0.005
#: Steeper than this (sine) two faces make a corner; less is a smooth run-out.
_CORNER, _ROUND_CORNER = 0.02, 0.3
#: A pocket's floor is walled in over at least this share of its border.
_WALLED = 0.98
#: Widths and diameters closer than this are the same (mm).
_SAME_WIDTH = 0.05
#: To look into the material a point goes down so far from where the samples lie (mm).
_BELOW = 0.04
#: Faces that go so far round together are a whole round; so near to half of one they are half (degrees).
_ALL_ROUND_DEG, _HALF_WITHIN_DEG = 355.0, 10.0
#: A chamfer is at most this wide (mm), or this share of the faces beside it.
_CHAMFER_WIDE, _CHAMFER_SHARE = 6.0, 0.25


@dataclass(frozen=True, eq=False)
class Level:
    """Plane faces in one plane: outward normal, offset, and their overall sizes in the plane."""

    faces: tuple[int, ...]
    normal: Array
    offset: float
    middle: Array
    across: Array
    along: Array
    size: tuple[float, float]
    area: float
    residual: float


def _truly(faces: FaceMap, across: Array, along: Array, low: Array, high: Array) -> tuple[Array, Array]:
    """Ends (2,) of a face along two directions; where facets end with the whole part, its true ends."""
    turn = np.array([across, along])
    if float(np.abs(turn).max(axis=1).min()) < 1.0 - 1e-9:
        return low, high  # skewed, the part's own ends say nothing
    part = faces.geometry
    facets = np.sort(np.array(part.facet_corners) @ turn.T, axis=0)
    true = np.sort(np.array([part.low, part.high]) @ turn.T, axis=0)
    ends = np.where(np.abs(np.array([low, high]) - facets) < 1e-6, true, [low, high])
    return ends[0], ends[1]


def frame_of(normal: Array, edge: Array | None = None) -> tuple[Array, Array]:
    """Two unit vectors in the plane square to ``normal``: along P's axes where that can be, or along ``edge``."""
    if edge is None or float(np.linalg.norm(edge - (edge @ normal) * normal)) < 1e-6:
        edge = np.eye(3)[int(np.argmin(np.abs(normal)))]
    across = edge - (edge @ normal) * normal
    across = across / np.linalg.norm(across)
    return across, np.cross(normal, across)


def levels(faces: FaceMap) -> list[Level]:
    groups: list[tuple[Plane, list[int]]] = []
    for k in faces.of_kind(Plane):
        plane = faces.geometry.faces[k]
        assert isinstance(plane, Plane)
        same = next(
            (
                members
                for first, members in groups
                if abs(first.offset - plane.offset) < _SAME_LEVEL
                and float(np.dot(first.normal, plane.normal)) > _SAME_NORMAL
            ),
            None,
        )
        if same is None:
            groups.append((plane, [k]))
        else:
            same.append(k)
    return [_level(faces, members) for _, members in groups]


def _level(faces: FaceMap, members: list[int]) -> Level:
    planes = [face for k in members if isinstance(face := faces.geometry.faces[k], Plane)]
    normal = np.array(planes[0].normal)
    points = np.concatenate([faces.points(k) for k in members])
    across, along = frame_of(normal, _longest_edge(faces, members))
    flat = points @ np.column_stack([across, along])
    low, high = flat.min(axis=0), flat.max(axis=0)
    low, high = _truly(faces, across, along, low, high)
    centre = (low + high) / 2.0
    middle = centre[0] * across + centre[1] * along + planes[0].offset * normal
    return Level(
        tuple(members),
        normal,
        planes[0].offset,
        middle,
        across,
        along,
        (float(high[0] - low[0]), float(high[1] - low[1])),
        sum(plane.area for plane in planes),
        max(plane.residual for plane in planes),
    )


def _seen_together(faces: FaceMap, level: Level) -> list[Level]:
    """The level itself where some side sees all of it, else its faces grouped by the sides that see them."""
    if len(level.faces) == 1 or sees(faces, level.faces):
        return [level]
    groups: dict[tuple[PartDirection, ...], list[int]] = {}
    for k in level.faces:
        groups.setdefault(sees(faces, (k,)), []).append(k)
    return [_level(faces, members) for members in groups.values()]


def _longest_edge(faces: FaceMap, members: list[int]) -> Array | None:
    """The direction in which a level's longest straight border with another plane runs."""
    best, direction = 0.0, None
    for k in members:
        face = faces.geometry.faces[k]
        for border in faces.borders[k]:
            other = faces.geometry.faces[border.other]
            if isinstance(face, Plane) and isinstance(other, Plane) and border.length > best + 1e-6:
                cross = np.cross(face.normal, other.normal)
                if np.linalg.norm(cross) > 1e-3:
                    best, direction = border.length, cross / np.linalg.norm(cross)
    return direction


def sees(faces: FaceMap, which: Iterable[int], ways: Iterable[PartDirection] = DIRECTIONS) -> tuple[PartDirection, ...]:
    """The square directions from which all of ``which`` are wholly seen."""
    chosen = tuple(which)
    return tuple(way for way in ways if all(faces.sees_all(k, direction_vector(way)) for k in chosen))


def face_features(faces: FaceMap, found: list[Level]) -> list[Found]:
    """Every level as a feature; walls that lie in one plane by chance, but open to different sides, apart."""
    found = [part for level in found for part in _seen_together(faces, level)]
    return [
        Found(
            kind="face",
            at=triple(level.middle),
            direction=triple(level.normal),
            length=max(level.size),
            width=min(level.size),
            sees=sees(faces, level.faces),
            own_way=all(faces.sees_all(k, level.normal) for k in level.faces),
            faces=level.faces,
            residual=level.residual,
        )
        for level in found
    ]


# --- pockets ----------------------------------------------------------------------------------


def pockets(faces: FaceMap, found: list[Level], open_below: set[int]) -> list[Found]:
    """Floors that are walled in.

    ``open_below`` are the faces of holes and windows: where they break through a floor it is no less a
    floor.  Once a pocket is found, so is one inside of it whose floor it breaks through.
    """
    result: list[Found] = []
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


def _pocket(faces: FaceMap, level: Level, floor: tuple[int, ...], walls: tuple[int, ...]) -> Found | None:
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
    return Found(
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


def windows(faces: FaceMap, found: list[Level], ways: Iterable[Array]) -> list[Found]:
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
                Found(
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


# --- webs and slots ---------------------------------------------------------------------------


def opposites(faces: FaceMap, found: list[Level], in_pocket: list[set[int]]) -> list[Found]:
    """Opposite parallel faces: webs with material between them, slots with air between them."""
    result: dict[tuple[str, int, int], Found] = {}
    normals = np.array([level.normal for level in found]).reshape(-1, 3)
    offsets = np.array([level.offset for level in found])
    for k, level in enumerate(found):
        for kind, way in (("slot", 1.0), ("web", -1.0)):
            for point in _probes(faces, level):
                start = point if way > 0.0 else point - _BELOW * level.normal
                met = faces.hit(start, way * level.normal)
                if met is None or float(met[1] @ level.normal) > -1.0 + 1e-6:
                    continue
                where = start + way * met[0] * level.normal
                other = _level_at(normals, offsets, where, -level.normal)
                if other is None or other == k:
                    continue
                key = (kind, min(k, other), max(k, other))
                pair = set(level.faces) | set(found[other].faces)
                if key in result or (kind == "slot" and any(len(pair & walls) > 1 for walls in in_pocket)):
                    continue
                result[key] = _between(faces, kind, level, found[other])
    # A width that no one direction sees both sides of is neither cut nor measured as one.
    return [found for found in result.values() if found.own_way]


def _probes(faces: FaceMap, level: Level) -> list[Array]:
    """A few places on a level from which to look straight across."""
    return [point for k in level.faces[:4] for point in faces.samples(k)[2::5]]


def _level_at(normals: Array, offsets: Array, point: Array, normal: Array) -> int | None:
    """The first level, by its ``normals`` (N, 3) and ``offsets`` (N,), that faces along ``normal`` at a point."""
    there = np.flatnonzero((normals @ normal > _SAME_NORMAL) & (np.abs(normals @ point - offsets) < 0.05))
    return int(there[0]) if len(there) else None


def _between(faces: FaceMap, kind: str, a: Level, b: Level) -> Found:
    """The web or slot between two levels: its width, and the overlap of both along the first's frame."""
    width = abs(a.offset + b.offset)
    points = [np.concatenate([faces.points(k) for k in level.faces]) for level in (a, b)]
    spans = []
    for axis in (a.across, a.along):
        reach = [points[n] @ axis for n in (0, 1)]
        spans.append((max(r.min() for r in reach), min(r.max() for r in reach)))
    centre = [(low + high) / 2.0 for low, high in spans]
    lengths = [float(high - low) for low, high in spans]
    runs = [a.across, a.along]
    middle = centre[0] * a.across + centre[1] * a.along + (a.offset - b.offset) / 2.0 * a.normal
    which = (*a.faces, *b.faces)
    ways = [way for way in DIRECTIONS if square_to(direction_vector(way), a.normal)]
    seen = sees(faces, which, ways)
    square = [direction_vector(way) for way in seen]
    skewed = [way for way in (a.across, -a.across, a.along, -a.along) if all(faces.sees_all(k, way) for k in which)]
    opens = _mouth(square or skewed, lengths, a)
    deep = 0 if opens is not None and parallel(opens, a.across) else 1
    direction, at = a.normal, middle
    if kind == "slot" and opens is not None:
        # A slot opens where it is seen from; its reference point lies in the middle of its mouth.
        direction = opens
        top = min(float((p @ direction).max()) for p in points)
        at = middle + (top - float(middle @ direction)) * direction
    return Found(
        kind="slot" if kind == "slot" else "web",
        at=triple(at),
        direction=triple(direction),
        width=width,
        length=lengths[1 - deep],
        depth=lengths[deep],
        lengthwise=triple(runs[1 - deep]),
        sees=seen,
        own_way=opens is not None,
        faces=which,
        residual=max(a.residual, b.residual),
    )


def _mouth(ways: list[Array], lengths: list[float], level: Level) -> Array | None:
    """Of the directions from which both sides are seen, the one a machinist would call its mouth.

    A slot open at its ends is seen along its length too; its mouth is where a floor lies opposite,
    then upward, then where it is shallowest.
    """

    def rank(way: Array) -> tuple[bool, bool, float]:
        has_floor = not any(float(way @ other) < -0.999 for other in ways)
        return not has_floor, abs(float(way[2])) < 0.999, lengths[0 if parallel(way, level.across) else 1]

    return min(ways, key=rank, default=None)


# --- chamfers ---------------------------------------------------------------------------------


def chamfers(faces: FaceMap, found: list[Level]) -> list[Found]:
    """Narrow slanted faces between two wider ones, and narrow outer rounds that run into both."""
    result = []
    for level in found:
        for k in level.faces:
            sides = sorted(faces.borders[k], key=lambda border: -border.length)[:2]
            others = [faces.geometry.faces[border.other] for border in sides]
            if len(sides) < 2 or not all(isinstance(other, Plane) for other in others):
                continue
            if not all(-0.95 < border.fold < -0.3 for border in sides):
                continue
            plane = faces.geometry.faces[k]
            length = max(border.length for border in sides)
            width = plane.area / max(length, 1e-9)
            beside = min(other.area / max(length, 1e-9) for other in others)
            if sides[1].length < 0.5 * length or width > min(_CHAMFER_WIDE, _CHAMFER_SHARE * beside) or width > length:
                continue
            middle = faces.points(k).mean(axis=0)
            result.append(
                Found(
                    kind="chamfer",
                    at=triple(middle),
                    direction=triple(level.normal),
                    width=width,
                    length=length,
                    depth=width * min(abs(border.fold) for border in sides),
                    sees=sees(faces, (k,)),
                    own_way=faces.sees_all(k, level.normal),
                    faces=(k,),
                    residual=plane.residual,
                )
            )
    return result


def outer_rounds(faces: FaceMap) -> list[Found]:
    """Rounded outer corners and edges: part of a cylinder with material inside; faces of one round together."""
    groups: list[list[int]] = []
    for k in faces.of_kind(Cylinder):
        face = faces.geometry.faces[k]
        assert isinstance(face, Cylinder)
        if face.inside or face.sweep_deg > 200.0:
            continue
        same = next((group for group in groups if _one_round(faces, group[0], k)), None)
        if same is None:
            groups.append([k])
        else:
            same.append(k)
    return [found for group in groups if (found := _outer_round(faces, tuple(group))) is not None]


def _one_round(faces: FaceMap, a: int, b: int) -> bool:
    """Whether two faces lie on one cylinder."""
    one, other = faces.geometry.faces[a], faces.geometry.faces[b]
    assert isinstance(one, Cylinder) and isinstance(other, Cylinder), "chosen by kind"
    off = np.cross(np.array(other.point) - np.array(one.point), np.array(one.axis))
    on_axis = parallel(np.array(one.axis), np.array(other.axis)) and float(np.linalg.norm(off)) < _SAME_LEVEL
    return on_axis and abs(one.radius - other.radius) < _SAME_LEVEL


def _outer_round(faces: FaceMap, group: tuple[int, ...]) -> Found | None:
    """None where the faces go all round: a boss, or the part's own outside."""
    first = faces.geometry.faces[group[0]]
    assert isinstance(first, Cylinder), "chosen by kind"
    axis, point = np.array(first.axis), np.array(first.point)
    along = np.concatenate([faces.points(k) for k in group]) @ axis - float(point @ axis)
    sweep, residual = 0.0, 0.0
    for k in group:
        face = faces.geometry.faces[k]
        assert isinstance(face, Cylinder), "chosen by kind"
        # Pieces beside each other add up; pieces one above the other do not.
        share = (face.end - face.start) / max(float(np.ptp(along)), 1e-9)
        sweep, residual = sweep + face.sweep_deg * min(share, 1.0), max(residual, face.residual)
    if sweep >= _ALL_ROUND_DEG:
        return None
    return Found(
        kind="outer round",
        at=triple(point + float(along.min() + along.max()) / 2.0 * axis),
        direction=triple(axis),
        diameter=2.0 * first.radius,
        radius=first.radius,
        depth=float(np.ptp(along)),
        sees=sees(faces, group),
        faces=group,
        residual=residual,
        called="half round" if abs(sweep - 180.0) < _HALF_WITHIN_DEG else "",
    )
