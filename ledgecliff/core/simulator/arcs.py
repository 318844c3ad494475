"""Arcs of program text as chords: centre from I, J, K or from R, in any of the three planes.

Source: the public RS-274/NGC interpreter report (NISTIR 6556), section 3.5.3.  Positions are in the
active WCS (mm); what moves along the third axis makes a helix.
"""

from __future__ import annotations

import math

from ..contact.first_contact import Triple
from .expressions import ExpressionError

#: First and second axis of each plane, so that a positive angle turns the first into the second; then the third.
PLANES = {"G17": (0, 1, 2), "G18": (2, 0, 1), "G19": (1, 2, 0)}
#: Chords leave the arc by no more than this (mm).
_CHORD = 0.01
#: Start and end may differ in their distance from the centre by this much (mm).
_ROUND = 0.01
_TINY = 1e-9


def arc_points(
    start: Triple, end: Triple, plane: str, clockwise: bool, centre: tuple[float, float] | None, radius: float | None
) -> list[Triple]:
    """Points along the arc after ``start``, the last of them ``end``.

    ``centre`` is absolute in the plane; else ``radius``, negative for the longer of two arcs.  Raises
    ExpressionError when no such arc exists.
    """
    a, b, c = PLANES[plane]
    if centre is None:
        assert radius is not None, "the caller gives one of both"
        centre = centre_by_radius((start[a], start[b]), (end[a], end[b]), radius, clockwise)
    from_a, from_b = start[a] - centre[0], start[b] - centre[1]
    to_a, to_b = end[a] - centre[0], end[b] - centre[1]
    r, r_end = math.hypot(from_a, from_b), math.hypot(to_a, to_b)
    if r < _TINY or abs(r - r_end) > _ROUND:
        raise ExpressionError(
            f"the arc begins {r:.4f} and ends {r_end:.4f} mm from its centre; both must be the same radius"
        )
    angle = math.atan2(from_b, from_a)
    sweep = math.atan2(to_b, to_a) - angle
    if clockwise:
        sweep = sweep - 2.0 * math.pi if sweep >= -_TINY else sweep
    else:
        sweep = sweep + 2.0 * math.pi if sweep <= _TINY else sweep
    step = 2.0 * math.acos(max(1.0 - _CHORD / r, 0.0))
    count = max(math.ceil(abs(sweep) / step), 1)
    points = []
    for k in range(1, count):
        share = k / count
        at = [0.0, 0.0, 0.0]
        radius_here = r + (r_end - r) * share
        at[a] = centre[0] + radius_here * math.cos(angle + sweep * share)
        at[b] = centre[1] + radius_here * math.sin(angle + sweep * share)
        at[c] = start[c] + (end[c] - start[c]) * share
        points.append((at[0], at[1], at[2]))
    return [*points, end]


def centre_by_radius(
    start: tuple[float, float], end: tuple[float, float], radius: float, clockwise: bool
) -> tuple[float, float]:
    """The centre in the plane of an arc by its radius, negative for the longer one.  Raises ExpressionError."""
    da, db = end[0] - start[0], end[1] - start[1]
    chord = math.hypot(da, db)
    if chord < _TINY:
        raise ExpressionError("an arc by its radius must end elsewhere than it begins; give its centre by I and J")
    square = radius * radius - chord * chord / 4.0
    if square < -_ROUND * chord:
        raise ExpressionError(f"the radius {abs(radius):g} is too small for a chord of {chord:.4f} mm")
    rise = math.sqrt(max(square, 0.0))
    # Clockwise and the shorter way round, the centre lies to the right of the chord.
    side = -1.0 if clockwise == (radius > 0.0) else 1.0
    return (
        (start[0] + end[0]) / 2.0 - side * rise * db / chord,
        (start[1] + end[1]) / 2.0 + side * rise * da / chord,
    )
