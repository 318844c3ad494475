"""How far an arc reaches beyond its ends: where it crosses the axes through its centre."""

from __future__ import annotations

import math

import numpy as np

from ..frames import Array
from ..simulator.expressions import ExpressionError

_ROUND = 0.01
_TINY = 1e-9


def arc_extent(
    start: tuple[float, float], end: tuple[float, float], centre: tuple[float, float], clockwise: bool
) -> tuple[tuple[float, float], tuple[float, float]]:
    """Lowest and highest corner of an arc in its plane (mm); a whole circle where start and end are one.

    Raises ExpressionError when start and end do not lie on one circle about ``centre``.
    """
    (ax, ay), (bx, by) = (start[0] - centre[0], start[1] - centre[1]), (end[0] - centre[0], end[1] - centre[1])
    radius, other = math.hypot(ax, ay), math.hypot(bx, by)
    if radius < _TINY or abs(radius - other) > _ROUND:
        raise ExpressionError(f"the arc begins {radius:.4f} and ends {other:.4f} mm from its centre")
    begin, sweep = _begin_and_sweep(start, end, centre, clockwise)
    xs, ys = [start[0], end[0]], [start[1], end[1]]
    for quarter in range(4):
        angle = quarter * math.pi / 2.0
        if (angle - begin) % (2.0 * math.pi) <= sweep + _TINY:
            xs.append(centre[0] + radius * math.cos(angle))
            ys.append(centre[1] + radius * math.sin(angle))
    return (min(xs), min(ys)), (max(xs), max(ys))


def arc_length(
    start: tuple[float, float], end: tuple[float, float], centre: tuple[float, float], clockwise: bool, rise: float
) -> float:
    """How long an arc is that rises by so much beside its plane (mm)."""
    _, sweep = _begin_and_sweep(start, end, centre, clockwise)
    return math.hypot(sweep * math.dist(start, centre), rise)


def _begin_and_sweep(
    start: tuple[float, float], end: tuple[float, float], centre: tuple[float, float], clockwise: bool
) -> tuple[float, float]:
    """Where an arc begins against the clock, and how far it goes round (radians)."""
    (ax, ay), (bx, by) = (start[0] - centre[0], start[1] - centre[1]), (end[0] - centre[0], end[1] - centre[1])
    begin, finish = math.atan2(ay, ax), math.atan2(by, bx)
    if clockwise:
        begin, finish = finish, begin
    sweep = (finish - begin) % (2.0 * math.pi)
    if sweep < _TINY or math.hypot(ax - bx, ay - by) < _TINY:
        sweep = 2.0 * math.pi
    return begin, sweep


def arcs_extent(start: Array, end: Array, centre: Array, clockwise: Array) -> tuple[Array, Array] | None:
    """Lowest and highest corner (2,) of many arcs at once: ``start``, ``end``, ``centre`` (N, 2), ``clockwise`` (N,).

    None when any of them is no arc, for the caller to find out which.
    """
    a, b = start - centre, end - centre
    radius, other = np.hypot(*a.T), np.hypot(*b.T)
    if bool(np.any((radius < _TINY) | (np.abs(radius - other) > _ROUND))):
        return None
    begin, sweep = _begins_and_sweeps(a, b, clockwise)
    low, high = np.minimum(start, end).min(axis=0), np.maximum(start, end).max(axis=0)
    for quarter, axis in ((0, 0), (1, 1), (2, 0), (3, 1)):
        passed = (quarter * math.pi / 2.0 - begin) % (2.0 * math.pi) <= sweep + _TINY
        if bool(passed.any()):
            reach = centre[passed, axis] + radius[passed] * (1.0 if quarter < 2 else -1.0)
            low[axis], high[axis] = min(low[axis], reach.min()), max(high[axis], reach.max())
    return low, high


def arcs_length(start: Array, end: Array, centre: Array, clockwise: Array) -> Array:
    """How long many arcs are in their plane (N,): the same as ``arc_length`` of one."""
    a, b = start - centre, end - centre
    length: Array = np.hypot(*a.T) * _begins_and_sweeps(a, b, clockwise)[1]
    return length


def _begins_and_sweeps(a: Array, b: Array, clockwise: Array) -> tuple[Array, Array]:
    """Of arcs from ``a`` to ``b`` (N, 2) about nought."""
    first, last = np.arctan2(a[:, 1], a[:, 0]), np.arctan2(b[:, 1], b[:, 0])
    begin, finish = np.where(clockwise, last, first), np.where(clockwise, first, last)
    sweep = (finish - begin) % (2.0 * math.pi)
    return begin, np.where((sweep < _TINY) | (np.hypot(*(a - b).T) < _TINY), 2.0 * math.pi, sweep)


def centres_by_radius(start: Array, end: Array, radius: Array, clockwise: Array) -> Array | None:
    """The centres (N, 2) of many arcs by their radius, negative for the longer one; None when any of them is no arc.

    ``start`` and ``end`` (N, 2), ``radius`` and ``clockwise`` (N,); the same as ``centre_by_radius`` of one.
    """
    along = end - start
    chord = np.hypot(*along.T)
    square = radius * radius - chord * chord / 4.0
    if bool(np.any((chord < _TINY) | (square < -_ROUND * chord))):
        return None
    rise = np.sqrt(np.maximum(square, 0.0))
    side = np.where(clockwise == (radius > 0.0), -1.0, 1.0)
    across = np.column_stack([-along[:, 1], along[:, 0]])
    centres: Array = (start + end) / 2.0 + across * (side * rise / chord)[:, None]
    return centres
