"""Closed outlines made of straight edges and arcs, offset and mirrored exactly.

An outline is a polygon, against the clock, whose corners are rounded.  So its arcs stay arcs in whatever
drawing or program is written from it; only the checks work on a polygon with many short edges.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ..errors import RegistrationError
from ..frames import Array
from ..once import lazy
from ..quantities import said

if TYPE_CHECKING:
    from shapely import Polygon

#: How far the short edges of a polygon may run off their arc (mm).
ARC_TOLERANCE = 2e-4


@dataclass(frozen=True)
class Edge:
    """From ``start`` to ``end`` (mm), straight where ``bulge`` is nought, else along an arc.

    The bulge is the tangent of a quarter of the arc's angle, positive against the clock: what a DXF
    polyline carries.
    """

    start: tuple[float, float]
    end: tuple[float, float]
    bulge: float = 0.0

    @property
    def radius(self) -> float:
        """Of the arc; from chord c and bulge b: c (1 + b²) / (4 |b|)."""
        chord = math.dist(self.start, self.end)
        return chord * (1.0 + self.bulge**2) / (4.0 * abs(self.bulge))

    @property
    def centre(self) -> tuple[float, float]:
        """Of the arc."""
        a, b = complex(*self.start), complex(*self.end)
        # The centre lies square to the chord's middle, on its left for an arc of under half a turn against the clock.
        middle = (a + b) / 2.0 + 1j * (b - a) * (1.0 - self.bulge**2) / (4.0 * self.bulge)
        return (middle.real, middle.imag)


@dataclass(frozen=True)
class RoundedOutline:
    """Corners against the clock (mm) and the radius of each; raises RegistrationError where radii do not fit."""

    corners: tuple[tuple[float, float], ...]
    radii: tuple[float, ...]

    def _ways(self) -> tuple[Array, Array]:
        """Unit vectors (N, 2) into and out of every corner."""
        points = np.array(self.corners, dtype=float)
        out = np.roll(points, -1, axis=0) - points
        out /= np.linalg.norm(out, axis=1, keepdims=True)
        return np.roll(out, 1, axis=0), out

    def _bends(self) -> Array:
        """The angle (N,) turned at every corner, positive against the clock, in radians."""
        into, out = self._ways()
        bends: Array = np.arctan2(into[:, 0] * out[:, 1] - into[:, 1] * out[:, 0], (into * out).sum(axis=1))
        return bends

    @lazy
    def edges(self) -> tuple[Edge, ...]:
        """Straight edges and arcs by turns, from the first corner on, without those of no length."""
        points, (into, out), bends = np.array(self.corners, dtype=float), self._ways(), self._bends()
        tangent = np.array(self.radii) * np.tan(np.abs(bends) / 2.0)
        length = np.linalg.norm(np.roll(points, -1, axis=0) - points, axis=1)
        over = tangent + np.roll(tangent, -1) - length
        if over.max() > 1e-9:
            k = int(np.argmax(over))
            x, y = self.corners[k]
            raise RegistrationError(
                f"The edge from X {said(x)} Y {said(y)} is {said(float(over[k]))} too short for the roundings at its "
                "ends; make the outline larger, or its radii or the cutter smaller."
            )
        starts, ends = points - into * tangent[:, None], points + out * tangent[:, None]
        made = []
        for k in range(len(points)):
            if tangent[k] > 1e-12:
                made.append(Edge(_pair(starts[k]), _pair(ends[k]), math.tan(float(bends[k]) / 4.0)))
            following = starts[(k + 1) % len(points)]
            if np.linalg.norm(following - ends[k]) > 1e-9:
                made.append(Edge(_pair(ends[k]), _pair(following)))
        return tuple(made)

    def offset(self, by: float) -> RoundedOutline:
        """The outline ``by`` further out (mm) all round, as the edge of a round tool's path runs.

        Outer corners grow by it; inner ones shrink to what is left of their radius, or to sharp corners.
        """
        points, (into, out), bends = np.array(self.corners, dtype=float), self._ways(), self._bends()
        normal_in, normal_out = (np.column_stack([way[:, 1], -way[:, 0]]) for way in (into, out))
        # Where both edges, each moved square to itself, meet again.
        shift = (normal_in + normal_out) / (1.0 + (normal_in * normal_out).sum(axis=1))[:, None]
        radii = np.maximum(np.array(self.radii) + np.sign(bends) * by, 0.0)
        return RoundedOutline(tuple(_pair(p) for p in points + by * shift), tuple(float(r) for r in radii))

    def mirrored(self, across: str) -> RoundedOutline:
        """As it lies after half a turn about the table axis ``across`` ("x" or "y")."""
        sign = (1.0, -1.0) if across == "x" else (-1.0, 1.0)
        turned = tuple((x * sign[0] + 0.0, y * sign[1] + 0.0) for x, y in reversed(self.corners))
        return RoundedOutline(turned, tuple(reversed(self.radii)))

    def points(self, tolerance: float = ARC_TOLERANCE) -> Array:
        """Corners (N, 2) of a polygon that keeps to the arcs within ``tolerance`` (mm)."""
        return polyline(self.edges, tolerance)

    @lazy
    def polygon(self) -> Polygon:
        from shapely import Polygon  # the window shall be up before it

        return Polygon(self.points())


def polyline(edges: Iterable[Edge], tolerance: float) -> Array:
    """Starts of straight edges (N, 2) along a way, and along its arcs so many places that it keeps to them within
    ``tolerance`` (mm)."""
    made: list[Array] = []
    for edge in edges:
        made.append(np.array([edge.start]))
        if edge.bulge:
            sweep, radius, centre = 4.0 * math.atan(edge.bulge), edge.radius, np.array(edge.centre)
            step = 2.0 * math.acos(max(1.0 - tolerance / radius, 0.0))
            count = max(math.ceil(abs(sweep) / step), 2)
            first = math.atan2(edge.start[1] - centre[1], edge.start[0] - centre[0])
            angles = first + sweep * np.arange(1, count) / count
            made.append(centre + radius * np.column_stack([np.cos(angles), np.sin(angles)]))
    return np.concatenate(made)


def rectangle(half_x: float, half_y: float, radius: float = 0.0) -> RoundedOutline:
    """A rectangle about the zero by its half sizes (mm)."""
    corners = ((half_x, -half_y), (half_x, half_y), (-half_x, half_y), (-half_x, -half_y))
    return RoundedOutline(corners, (radius,) * 4)


def _pair(point: Array) -> tuple[float, float]:
    return (float(point[0]) + 0.0, float(point[1]) + 0.0)
