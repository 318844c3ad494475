"""When a touch in a bore or on a boss comes, wherever the round lies that is known only to within a box (need 1).

With the ball's centre ``p`` from the true middle, moving along the unit vector ``w``, it touches after
``t = -p·w ± sqrt(L² - p⊥²)``: plus in a bore, whose walls the centre meets at ``L = R - r``, minus on a boss with
``L = R + r``.  In a bore ``t`` is a concave function of where the middle lies, so it is least at a corner of the box;
on a boss it is convex, so it is most at one.  The other bound takes the best of both terms each by itself.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from .touches import Touch

Pair = tuple[float, float]


@dataclass(frozen=True)
class RoundWindow:
    """How early and how late (mm) the contact may come, infinite where the ball may miss the round altogether."""

    early: float
    late: float


def round_window(
    touch: Touch, centre: Pair, radius: float, inside: bool, aside: Pair, size_off: float
) -> RoundWindow:  # fmt: skip
    """``centre`` is the round's, in the coordinates of the touch, known to within ``aside`` along X and Y;
    ``size_off`` is how far its diameter may be off (all mm)."""
    way = (touch.way[0], touch.way[1])
    start = (touch.start[0] - centre[0], touch.start[1] - centre[1])
    corners = [(start[0] + x, start[1] + y) for x in (-aside[0], aside[0]) for y in (-aside[1], aside[1])]
    forward = [-(x * way[0] + y * way[1]) for x, y in corners]
    least, most = ((radius - size_off / 2.0), (radius + size_off / 2.0))
    ball = touch.ball_radius
    if inside:
        first = min(_leaving(corner, way, least - ball) for corner in corners)
        last = max(forward) + most - ball
    else:
        first = min(forward) - (most + ball)
        last = max(_entering(corner, way, least + ball) for corner in corners)
    return RoundWindow(touch.stand_off - first, last - touch.stand_off)


def _leaving(at: Pair, way: Pair, limit: float) -> float:
    """How far a point in a circle of radius ``limit`` gets; less than nought by how far it lies outside of it."""
    away = math.hypot(*at)
    if away >= limit:
        return limit - away
    forward, across = -(at[0] * way[0] + at[1] * way[1]), at[0] * way[1] - at[1] * way[0]
    return forward + math.sqrt(limit**2 - across**2)


def _entering(at: Pair, way: Pair, limit: float) -> float:
    """How far a point outside of a circle of radius ``limit`` goes until it meets it."""
    forward, across = -(at[0] * way[0] + at[1] * way[1]), at[0] * way[1] - at[1] * way[0]
    if abs(across) >= limit:
        return math.inf
    return forward - math.sqrt(limit**2 - across**2)
