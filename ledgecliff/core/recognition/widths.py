"""Webs and slots: opposite parallel faces with material between them, or with air."""

from __future__ import annotations

import numpy as np

from ..frames import Array
from ..model.orientation import DIRECTIONS, direction_vector
from ..solids.geometry import triple
from .faces import FaceMap
from .levels import SAME_NORMAL, Level, sees
from .recognised import Recognised, parallel, square_to

#: To look into the material a point goes down so far from where the samples lie (mm).
_BELOW = 0.04


def opposites(faces: FaceMap, found: list[Level], in_pocket: list[set[int]]) -> list[Recognised]:
    """Opposite parallel faces: webs with material between them, slots with air between them."""
    result: dict[tuple[str, int, int], Recognised] = {}
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
    there = np.flatnonzero((normals @ normal > SAME_NORMAL) & (np.abs(normals @ point - offsets) < 0.05))
    return int(there[0]) if len(there) else None


def _between(faces: FaceMap, kind: str, a: Level, b: Level) -> Recognised:
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
    return Recognised(
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
