"""Equal holes in rows and on circles, named by that and by their place in it.

Holes are equal when they open the same way, are as wide and as deep, and have the same steps.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ..frames import Array
from .recognised import Recognised

Indices = NDArray[np.intp]

#: Fewer holes than this make no row and no circle.
_LEAST = 3
#: A hole's neighbours in a row are among so many of those nearest to it.
_NEAREST = 8
#: Places and pitches within this are the same (mm).
_SAME = 0.02
#: Among so many all are looked at.
_FEW = 200


def pattern_names(found: list[Recognised]) -> dict[int, str]:
    """Names of the holes that stand in a pattern, by their number in ``found``; each hole is in one at most.

    Circles go first, then rows, the longest first.
    """
    names: dict[int, str] = {}
    circles = rows = 0
    for equal in _equal_holes(found):
        left = list(equal)
        circle = _on_a_circle(found, left)
        if circle:
            circles += 1
            names |= {k: f"bolt circle {circles}, hole {n}" for n, k in enumerate(circle, start=1)}
            continue
        taken: set[int] = set()
        for row in sorted(_rows(found, left), key=len, reverse=True):
            if taken.isdisjoint(row):
                rows += 1
                taken.update(row)
                names |= {k: f"row {rows}, hole {n}" for n, k in enumerate(row, start=1)}
    return names


def equal(a: Recognised, b: Recognised) -> bool:
    """Whether two features differ in nothing but where they are."""

    def same(x: float | None, y: float | None) -> bool:
        return (x is None) == (y is None) and (x is None or y is None or abs(x - y) < _SAME)

    sizes = all(same(getattr(a, n), getattr(b, n)) for n in ("diameter", "depth", "length", "width", "radius"))
    steps = len(a.steps) == len(b.steps) and bool(np.allclose(a.steps, b.steps, atol=_SAME))
    return a.kind == b.kind and a.through == b.through and sizes and steps and float(a.vector @ b.vector) > 1.0 - 1e-6


def _equal_holes(found: list[Recognised]) -> list[list[int]]:
    groups: list[list[int]] = []
    for k, feature in enumerate(found):
        if feature.kind != "hole":
            continue
        group = next((group for group in groups if equal(found[group[0]], feature)), None)
        if group is None:
            groups.append([k])
        else:
            group.append(k)
    return [group for group in groups if len(group) >= _LEAST]


def _flat(found: list[Recognised], holes: list[int]) -> Array:
    """The holes' places (N, 2) as seen along their axis, in part directions where that is square."""
    normal = found[holes[0]].vector
    across = np.eye(3)[int(np.argmin(np.abs(normal)))]
    across = across - float(across @ normal) * normal
    across /= np.linalg.norm(across)
    places: Array = np.array([found[k].at for k in holes]) @ np.column_stack([across, np.cross(normal, across)])
    return places


def _on_a_circle(found: list[Recognised], holes: list[int]) -> list[int]:
    """All of the holes, in order against the clock, where they stand evenly round a middle; else none."""
    places = _flat(found, holes)
    offset = places - places.mean(axis=0)
    radii = np.linalg.norm(offset, axis=1)
    # Three in a row and the corners of an oblong are on no circle evenly.
    if len(holes) < _LEAST or float(radii.min()) < _SAME or float(np.ptp(radii)) > _SAME:
        return []
    turns = np.arctan2(offset[:, 1], offset[:, 0])
    order = np.argsort(turns, kind="stable")
    steps = np.diff(np.append(turns[order], turns[order[0]] + 2.0 * np.pi))
    return [holes[k] for k in order] if float(np.ptp(steps) * radii.max()) < 2.0 * _SAME else []


def _nearest_of_few(places: Array, points: Array, count: int) -> tuple[Array, Indices]:
    """Distances (N, count) from points (N, 2) to those of some places (M, 2) that are nearest, and their numbers."""
    apart = np.linalg.norm(points[:, None] - places, axis=2)
    near = np.argsort(apart, axis=1, kind="stable")[:, :count]
    return np.take_along_axis(apart, near, axis=1), near


def _nearest_of_many(places: Array) -> Callable[[Array, Array, int], tuple[Array, Indices]]:
    """The same in a tree of the places."""
    from scipy.spatial import cKDTree  # slow to import, and few parts have so many equal holes

    tree = cKDTree(places)

    def nearest(_places: Array, points: Array, count: int) -> tuple[Array, Indices]:
        apart, near = tree.query(points, k=list(range(1, count + 1)))
        return np.asarray(apart), np.asarray(near)

    return nearest


def _rows(found: list[Recognised], holes: list[int]) -> list[list[int]]:
    """Three or more holes on one line at one pitch, each from one end to the other.

    A row goes on from a hole to one of those nearest to it.
    """
    if len(holes) < _LEAST:
        return []
    places = _flat(found, holes)
    nearest = _nearest_of_few if len(places) <= _FEW else _nearest_of_many(places)
    near = nearest(places, places, min(_NEAREST + 1, len(holes)))[1]
    first = np.repeat(np.arange(len(holes)), near.shape[1] - 1)
    second = near[:, 1:].reshape(-1)
    steps = places[second] - places[first]
    behind = nearest(places, places[first] - steps, 1)[0][:, 0] < _SAME
    ahead, following = (each[:, 0] for each in nearest(places, places[second] + steps, 1))
    # Told from one end only, and where at least one more comes after the second.
    starts = ~behind & (ahead < _SAME) & ((steps[:, 0] > 0.0) | ((steps[:, 0] == 0.0) & (steps[:, 1] > 0.0)))
    rows = []
    for k in np.flatnonzero(starts).tolist():
        row = [int(first[k]), int(second[k]), int(following[k])]
        while True:
            off, after = nearest(places, places[row[-1:]] + steps[k], 1)
            if off[0, 0] > _SAME or after[0, 0] in row:
                break
            row.append(int(after[0, 0]))
        rows.append([holes[n] for n in row])
    return rows
