"""From the short edges of a polygon back to the straight edges and arcs it stands for."""

from __future__ import annotations

import math

import numpy as np

from ..frames import Array
from ..solids.circle_through import circle_through
from .outlines import Edge

#: Corners of one arc lie on its circle within this (mm), and turn by no more than this a step (radians).
_ON_CIRCLE, _STEEPEST = 0.004, math.radians(46.0)
#: Steps of one arc differ by no more than this factor.
_ALIKE = 1.6
#: Fewer edges than this are no arc; arcs larger than this radius are straight (mm).
_LEAST_EDGES, _LARGEST = 3, 20_000.0


def traced(ring: Array) -> tuple[Edge, ...]:
    """Edges and arcs along a closed ring (N, 2) whose corners lie on them, in its order.

    A full circle comes out as two half arcs, since a single one would start where it ends.
    """
    points = _without_doubles(np.asarray(ring, dtype=float))
    count = len(points)
    circle = _circle(points)
    if circle is not None and count >= 8:
        return _halves(points)
    start = _corner(points)
    points = np.roll(points, -start, axis=0)
    closed = np.vstack([points, points[:1]])
    edges, k = [], 0
    while k < count:
        end = _arc_end(closed, k)
        edges.append(_arc(closed[k : end + 1]) if end - k >= _LEAST_EDGES else _line(closed[k], closed[k + 1]))
        k = end if end - k >= _LEAST_EDGES else k + 1
    return tuple(_joined(edges))


def _without_doubles(points: Array) -> Array:
    apart = np.linalg.norm(points - np.roll(points, 1, axis=0), axis=1) > 1e-7
    kept: Array = points[apart]
    return kept


def _corner(points: Array) -> int:
    """A corner to begin at that lies between two edges, not within an arc: the end of an edge that is longer than
    arcs are cut into, else where the way bends most."""
    way = np.roll(points, -1, axis=0) - points
    length = np.linalg.norm(way, axis=1)
    if length.max() > _ALIKE * np.median(length):
        return (int(np.argmax(length)) + 1) % len(points)
    back = np.roll(way, 1, axis=0)
    bend = np.arctan2(back[:, 0] * way[:, 1] - back[:, 1] * way[:, 0], (back * way).sum(axis=1))
    return int(np.argmax(np.abs(bend)))


def _arc_end(closed: Array, start: int) -> int:
    """The last corner that lies on one circle with ``start`` and all corners between."""
    end = start + 2
    best = start + 1
    while end < len(closed):
        run = closed[start : end + 1]
        if _circle(run) is None or not _even(run):
            break
        best = end
        end += 1
    return best


def _circle(points: Array) -> tuple[complex, float] | None:
    """Centre and radius of the circle through ``points`` (N, 2), None where they lie on none."""
    found = circle_through(points, _ON_CIRCLE)
    if found is None or found[1] > _LARGEST:
        return None
    centre, radius = found
    return complex(float(centre[0]), float(centre[1])), radius


def _even(points: Array) -> bool:
    """Whether a run of corners bends one way all along, in steps that an arc would be cut into."""
    way = np.diff(points, axis=0)
    length = np.linalg.norm(way, axis=1)
    # An arc may be cut short at its ends, but between them its steps are alike.
    inner = length[1:-1] if len(length) > 3 else length
    if length.max() > _ALIKE * inner.min():
        return False
    bends = np.arctan2(way[:-1, 0] * way[1:, 1] - way[:-1, 1] * way[1:, 0], (way[:-1] * way[1:]).sum(axis=1))
    one_way = np.all(bends > 1e-4) or np.all(bends < -1e-4)
    return bool(one_way and np.abs(bends).max() < _STEEPEST)


def _arc(points: Array) -> Edge:
    circle = _circle(points)
    assert circle is not None, "chosen by it"
    centre, _ = circle
    angles = np.unwrap([math.atan2(y - centre.imag, x - centre.real) for x, y in points])
    return Edge(_pair(points[0]), _pair(points[-1]), math.tan(float(angles[-1] - angles[0]) / 4.0))


def _halves(points: Array) -> tuple[Edge, ...]:
    half = len(points) // 2
    closed = np.vstack([points, points[:1]])
    return _arc(closed[: half + 1]), _arc(closed[half:])


def _line(a: Array, b: Array) -> Edge:
    return Edge(_pair(a), _pair(b))


def _joined(edges: list[Edge]) -> list[Edge]:
    """Straight edges that go on in one line are one."""
    joined: list[Edge] = []
    for edge in edges:
        last = joined[-1] if joined else None
        if last is not None and not last.bulge and not edge.bulge and _in_line(last, edge):
            joined[-1] = Edge(last.start, edge.end)
        else:
            joined.append(edge)
    return joined


def _in_line(a: Edge, b: Edge) -> bool:
    first, second = complex(*a.end) - complex(*a.start), complex(*b.end) - complex(*b.start)
    return abs((first.conjugate() * second).imag) < 1e-6 * abs(first) * abs(second)


def _pair(point: Array) -> tuple[float, float]:
    return (float(point[0]) + 0.0, float(point[1]) + 0.0)
