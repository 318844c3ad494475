"""When does the stylus meet something: ball, stem and body against true solids.

The first contact along a straight move is found by conservative advancement: the
distance to a body is a step that can be taken without touching it.  Each pair of stylus part and
body keeps its own safe position; the smallest is advanced until it touches or the move is over.
"""

from __future__ import annotations

import heapq
import math
from dataclasses import dataclass
from typing import Literal

import fcl
import manifold3d
import numpy as np

from ..frames import Array
from ..model.machine import Probe

#: Closer than this counts as touching (mm).
TOUCHING = 1e-5
_BODY_LENGTH = 60.0
#: Bounding boxes decide how far a move is safe until they are this near (mm).
_BOX_STEP = 0.5

StylusPart = Literal["ball", "stem", "body", "tip"]


@dataclass(frozen=True)
class Contact:
    """``travel`` (mm) along the move at which ``part`` of the stylus first meets ``body``."""

    travel: float
    body: str
    part: StylusPart


class Body:
    """A named solid, fixed in machine coordinates."""

    def __init__(self, name: str, solid: manifold3d.Manifold) -> None:
        self.name = name
        mesh = solid.to_mesh64()
        vertices = np.asarray(mesh.vert_properties, dtype=float)[:, :3]
        triangles = np.asarray(mesh.tri_verts, dtype=np.int64)
        self.low, self.high = vertices.min(axis=0).tolist(), vertices.max(axis=0).tolist()
        model = fcl.BVHModel()
        model.beginModel(len(vertices), len(triangles))
        model.addSubModel(vertices, triangles)
        model.endModel()
        self.object = fcl.CollisionObject(model)


class _Shape:
    """One part of a feeler: a solid of revolution, ``up`` above the feeler's centre."""

    def __init__(self, name: StylusPart, geometry: object, up: float, radius: float, half_height: float) -> None:
        self.name = name
        self._object = fcl.CollisionObject(geometry)
        self._up = np.array([0.0, 0.0, up])
        self._half = (radius, radius, half_height)

    def gap(self, centre: Array, body: Body) -> float:
        """Distance (mm) with the feeler's centre at ``centre`` (3,); nought or less when touching."""
        self._object.setTranslation(centre + self._up)
        return float(fcl.distance(self._object, body.object, fcl.DistanceRequest(), fcl.DistanceResult()))

    def safe_gap(self, centre: Array, body: Body) -> float:
        """``gap``, or the cheap bound from below while that still is a useful step."""
        bound = self.gap_at_least(centre, body)
        return bound if bound > _BOX_STEP else self.gap(centre, body)

    def gap_at_least(self, centre: Array, body: Body) -> float:
        """A bound on ``gap`` from below by the distance of the bounding boxes: cheap, for ruling out."""
        square = 0.0
        for middle, half, low, high in zip((centre + self._up).tolist(), self._half, body.low, body.high, strict=True):
            apart = max(low - middle - half, middle - half - high, 0.0)
            square += apart * apart
        return math.sqrt(square)


def _cylinder(name: StylusPart, diameter: float, length: float, bottom: float) -> _Shape:
    radius = diameter / 2.0
    return _Shape(name, fcl.Cylinder(radius, length), bottom + length / 2.0, radius, length / 2.0)


class Feeler:
    """What is carried in the spindle: shapes that move together, each offset from a centre."""

    def __init__(self, shapes: list[_Shape]) -> None:
        self._shapes = shapes

    @classmethod
    def probe(cls, probe: Probe) -> Feeler:
        """Ball about its centre, stem up to the reach, then the thicker body."""
        radius, reach = probe.ball_radius, probe.reach - probe.ball_radius
        return cls(
            [
                _Shape("ball", fcl.Sphere(radius), 0.0, radius, radius),
                _cylinder("stem", probe.stem_diameter, reach, 0.0),
                _cylinder("body", probe.body_diameter, _BODY_LENGTH, reach),
            ]
        )

    @classmethod
    def cutter(cls, diameter: float, length: float) -> Feeler:
        """A cutter as a plain cylinder standing on its tip."""
        return cls([_cylinder("tip", diameter, length, 0.0)])

    def first_contact(self, start: Array, end: Array, bodies: list[Body]) -> Contact | None:
        """Where the straight move of the centre from ``start`` to ``end`` (3,) first touches."""
        length = float(np.linalg.norm(end - start))
        if length == 0.0:
            return None
        along = (end - start) / length
        safe = [
            (bound, j, k)
            for j, shape in enumerate(self._shapes)
            for k, body in enumerate(bodies)
            if (bound := shape.gap_at_least(start, body)) <= length
        ]
        heapq.heapify(safe)
        while safe:
            travel, j, k = heapq.heappop(safe)
            gap = self._shapes[j].safe_gap(start + along * travel, bodies[k])
            if gap <= TOUCHING:
                return Contact(travel, bodies[k].name, self._shapes[j].name)
            if travel + gap <= length:
                heapq.heappush(safe, (travel + gap, j, k))
        return None

    def last_contact(self, start: Array, end: Array, bodies: list[Body]) -> float | None:
        """Travel (mm) after which what touches at ``start`` touches no more.

        Bisection: on a straight move away from a surface contact ends once.  None when it still
        touches at ``end``.
        """
        touching = [
            (shape, body)
            for shape in self._shapes
            for body in bodies
            if shape.gap_at_least(start, body) <= TOUCHING and shape.gap(start, body) <= TOUCHING
        ]
        length = float(np.linalg.norm(end - start))
        low, high = 0.0, length
        if any(shape.gap(end, body) <= TOUCHING for shape, body in touching):
            return None
        while high - low > TOUCHING:
            middle = (low + high) / 2.0
            at = start + (end - start) * (middle / length)
            if any(shape.gap(at, body) <= TOUCHING for shape, body in touching):
                low = middle
            else:
                high = middle
        return high
