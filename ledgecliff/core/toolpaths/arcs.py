"""How far an arc reaches beyond its ends: where it crosses the axes through its centre."""

from __future__ import annotations

import math

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
    begin, finish = math.atan2(ay, ax), math.atan2(by, bx)
    if clockwise:
        begin, finish = finish, begin
    sweep = (finish - begin) % (2.0 * math.pi)
    if sweep < _TINY or math.hypot(ax - bx, ay - by) < _TINY:
        sweep = 2.0 * math.pi
    xs, ys = [start[0], end[0]], [start[1], end[1]]
    for quarter in range(4):
        angle = quarter * math.pi / 2.0
        if (angle - begin) % (2.0 * math.pi) <= sweep + _TINY:
            xs.append(centre[0] + radius * math.cos(angle))
            ys.append(centre[1] + radius * math.sin(angle))
    return (min(xs), min(ys)), (max(xs), max(ys))
