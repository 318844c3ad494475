"""From readings to surfaces, middles and offsets (docs/methods/one-touch.md, cycles.md).

``direction`` is +1 or -1: the way the ball, edge finder or cutter moved to reach the surface.  The
sign of every correction follows from it and is never typed.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ..errors import FitError
from ..frames import Array
from .fits import LineFit, fit_line


def surface_at(reading: float, direction: int, radius: float, gauge: float = 0.0) -> float:
    """Where the touched surface lies: ``reading + direction (radius + gauge)``, all in mm.

    ``radius`` is the effective radius of what touched, ``gauge`` the paper, feeler or block between.

    >>> surface_at(-412.630, +1, 5.0)
    -407.63
    """
    return reading + direction * (radius + gauge)


@dataclass(frozen=True)
class Opposite:
    """Two opposite walls: the middle between them, where the radius cancels, and their distance."""

    middle: float
    width: float


def between(surface_a: float, surface_b: float) -> Opposite:
    """Middle and distance (mm) of two surfaces that were touched from opposite directions."""
    return Opposite((surface_a + surface_b) / 2.0, abs(surface_b - surface_a))


def offset_for(found: float, should_read: float) -> float:
    """The work offset that makes a place found in machine coordinates read ``should_read`` (mm)."""
    return found - should_read


@dataclass(frozen=True, eq=False)
class Edge:
    """A straight edge in plan: a point on it (2,), its direction (2,) of length 1, and the standard uncertainty of
    its angle (radians; nan with two points and no repeatability)."""

    at: Array
    direction: Array
    fit: LineFit | None
    u_angle_rad: float


def edge_through(centres: Array, into: tuple[float, float], radius: float, repeatability: float = math.nan) -> Edge:
    """The edge that a ball touched with its centres at (N, 2), N at least 2, moving roughly along ``into``.

    The ball's centres lie on a line parallel to the edge, a radius before it, whatever way the ball moved.  Two
    touches give an angle to ``√2 u / spacing``, more give it from their residuals where those say more.
    """
    fit = fit_line(centres)
    normal = np.array([-fit.direction[1], fit.direction[0]])
    normal *= 1.0 if normal @ np.asarray(into) > 0.0 else -1.0
    spacing = float(np.ptp((centres - fit.centre) @ fit.direction))
    repeat = math.sqrt(2.0) * repeatability / spacing
    known = [value for value in (fit.u_direction_rad, repeat) if math.isfinite(value)]
    return Edge(fit.centre + radius * normal, fit.direction, fit, max(known, default=math.nan))


def skew_rad(edge: Edge, along: int) -> float:
    """How far ``edge`` is turned from the machine axis ``along`` (0 is X, 1 is Y), counter-clockwise positive."""
    axis = np.eye(2)[along]
    direction = edge.direction if edge.direction @ axis > 0.0 else -edge.direction
    return math.atan2(float(axis[0] * direction[1] - axis[1] * direction[0]), float(axis @ direction))


def corner(a: Edge, b: Edge) -> Array:
    """Where two edges meet (2,).

    Raises FitError when they are parallel to within a thousandth of a radian.
    """
    across = float(a.direction[0] * b.direction[1] - a.direction[1] * b.direction[0])
    if abs(across) < 1e-3:
        raise FitError("The two edges are parallel, so they have no corner. Touch two edges that meet.")
    apart = b.at - a.at
    travel = float(apart[0] * b.direction[1] - apart[1] * b.direction[0]) / across
    place: Array = a.at + travel * a.direction
    return place


def in_frame(m_point: Array, m_zero: Array, skew: float) -> Array:
    """A machine point (3,) as read in a WCS whose zero (3,) and skew about Z (radians) are given."""
    dx, dy, dz = np.asarray(m_point, dtype=float) - m_zero
    c, s = math.cos(skew), math.sin(skew)
    return np.array([c * dx + s * dy, c * dy - s * dx, dz])


def out_of_frame(w_point: Array, m_zero: Array, skew: float) -> Array:
    """The machine point (3,) of a WCS reading: the inverse of ``in_frame``."""
    x, y, z = np.asarray(w_point, dtype=float)
    c, s = math.cos(skew), math.sin(skew)
    turned = np.array([c * x - s * y, s * x + c * y, z])
    point: Array = turned + m_zero
    return point
