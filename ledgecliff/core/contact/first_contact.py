"""When does the stylus meet something: ball, stem and body against true solids.

The first contact along a straight move is found by conservative advancement: the
distance to a body is a step that can be taken without touching it.  Each pair of stylus part and
body keeps its own safe position; the smallest is advanced until it touches or the move is over.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Callable, Sequence
from copy import copy
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import fcl
import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..frames import IDENTITY, Array, Placement
from ..model.machine import Probe

#: Closer than this counts as touching (mm).
TOUCHING = 1e-5
#: Narrower than this a triangle has no area to touch (mm), which is far below what counts as touching.
_NARROWEST = 1e-8
#: How far up the spindle is taken to go on as wide as its nose (mm).
_NOSE_LENGTH = 100.0
#: Bounding boxes decide how far a move is safe until they are this near (mm).
_BOX_STEP = 0.5
#: Corners of a round that is grown to a convex prism; they lie outside of it, so that it is never less than round.
_ROUND_CORNERS = 32
#: So many steps may be as short as the distance to a body; after them each is a share of the move, from one length to
#: another (mm).  Whether to go on is asked every so many.
_CREEPS, _LEAST_CREEP, _MOST_CREEP, _ASK_EVERY = 2000, 0.002, 0.02, 64
#: A distance above this (mm) is worth keeping for the moves that follow.
_WELL_CLEAR = 2.0

Triple = tuple[float, float, float]


class ContactStopped(Exception):  # noqa: N818 - it was asked for
    """The search for a contact was told to stop."""


StylusPart = Literal["ball", "stem", "body", "nose", "tip"]


@dataclass(frozen=True)
class Contact:
    """``travel`` (mm) along the move at which ``part`` of the stylus first meets ``body``."""

    travel: float
    body: str
    part: StylusPart


def _with_width(vertices: Array, triangles: NDArray[np.int64]) -> NDArray[np.int64]:
    """Triangles (M, 3) less those narrower than ``_NARROWEST``.

    Booleans leave slivers where two ways to facet one round meet.  To a triangle without area the distance library
    answers nought from anywhere, and a ball in the middle of a bore would touch.
    """
    corners = vertices[triangles]
    sides = corners - np.roll(corners, 1, axis=1)
    longest = np.linalg.norm(sides, axis=2).max(axis=1)
    double = np.linalg.norm(np.cross(sides[:, 0], sides[:, 1]), axis=1)
    wide: NDArray[np.int64] = triangles[double > _NARROWEST * longest]
    return wide


#: What a body is there for: to be cut, to hold it, to carry what holds it, or it stands elsewhere.
Role = Literal["stock", "holding", "table", "neighbour"]


class Body:
    """A solid in machine coordinates; its name is for people.

    ``carrier`` is the id of the rotary axis that takes it along, ``cuttable`` what a turning cutter may go into.
    """

    def __init__(
        self,
        name: str,
        solid: manifold3d.Manifold,
        role: Role = "holding",
        *,
        carrier: str | None = None,
        cuttable: bool = False,
    ) -> None:
        self.name = name
        self.role = role
        self.carrier = carrier
        self.cuttable = cuttable
        mesh = solid.to_mesh64()
        vertices = np.asarray(mesh.vert_properties, dtype=float)[:, :3]
        triangles = _with_width(vertices, np.asarray(mesh.tri_verts, dtype=np.int64))
        self._model = fcl.BVHModel()
        self._model.beginModel(len(vertices), len(triangles))
        self._model.addSubModel(vertices, triangles)
        self._model.endModel()
        self._as_made = vertices
        self._stand(IDENTITY)

    def _stand(self, placement: Placement) -> None:
        """Puts it where a placement takes it from where it was made."""
        self._tf_now_made = placement
        vertices = self.vertices = self._as_made @ placement.turn.T + placement.shift
        self.low: Triple = tuple(vertices.min(axis=0).tolist())
        self.high: Triple = tuple(vertices.max(axis=0).tolist())
        self.object = fcl.CollisionObject(self._model, fcl.Transform(placement.turn, placement.shift))

    def placed(self, placement: Placement) -> Body:
        """The same body where a placement takes it; what it is made of is made once."""
        body = copy(self)
        body._stand(placement.after(self._tf_now_made))
        return body

    def named(self, name: str) -> Body:
        """The same body, called otherwise."""
        body = copy(self)
        body.name = name
        return body

    def gap_after(self, placement: Placement, other: Body) -> float:
        """Distance (mm) to another body, were this one taken where a placement takes it; nought when touching."""
        there = placement.after(self._tf_now_made)
        moved = fcl.CollisionObject(self._model, fcl.Transform(there.turn, there.shift))
        return max(float(fcl.distance(moved, other.object, _REQUEST, fcl.DistanceResult())), 0.0)


#: A place of a shape's feeler, and the distance there.
_Known = tuple["Triple", float]
_REQUEST = fcl.DistanceRequest()


class _Shape:
    """One part of a feeler: a solid of revolution, ``up`` above the feeler's centre."""

    def __init__(
        self, name: StylusPart, geometry: object, up: float, half: Triple, turn: Array | None = None
    ) -> None:  # fmt: skip
        self.name = name
        x, y, z = half
        self.low: Triple = (-x, -y, up - z)
        self.high: Triple = (x, y, up + z)
        self._object = fcl.CollisionObject(geometry)
        if turn is not None:
            self._object.setRotation(turn)
        self._up = up
        #: Distances that are known, to each body: the last one, and the last one well clear.  Kept here and not there,
        #: since bodies outlive the feelers that are made anew with each edit.
        self._known: dict[Body, tuple[_Known, _Known]] = {}

    def gap(self, centre: Triple, body: Body) -> float:
        """Distance (mm) with the feeler's centre at ``centre``; nought or less when touching."""
        self._object.setTranslation(np.array((centre[0], centre[1], centre[2] + self._up)))
        gap = float(fcl.distance(self._object, body.object, _REQUEST, fcl.DistanceResult()))
        known = (centre, gap)
        before = self._known.get(body)
        self._known[body] = (known, known if before is None or gap > _WELL_CLEAR else before[1])
        return gap

    def safe_gap(self, centre: Triple, body: Body) -> float:
        """``gap``, or the cheap bound from below while that still is a useful step."""
        bound = self.gap_at_least(centre, body)
        return bound if bound > _BOX_STEP else self.gap(centre, body)

    def gap_at_least(self, centre: Triple, body: Body) -> float:
        """A cheap bound on ``gap`` from below, for ruling out.

        By the distance of the bounding boxes, or from a place nearby where the distance is known: on the way
        from there it cannot have shrunk by more than that way.
        """
        bound = self._boxes_apart(centre, body)
        for place, gap in self._known.get(body, ()):
            bound = max(bound, gap - math.dist(place, centre))
        return bound

    def _boxes_apart(self, centre: Triple, body: Body) -> float:
        (x, y, z), (a, b, c), (d, e, f) = centre, body.low, body.high
        low, high = self.low, self.high
        dx = max(a - x - high[0], x + low[0] - d, 0.0)
        dy = max(b - y - high[1], y + low[1] - e, 0.0)
        dz = max(c - z - high[2], z + low[2] - f, 0.0)
        return math.sqrt(dx * dx + dy * dy + dz * dz)

    def may_meet(self, start: Triple, end: Triple, body: Body) -> bool:
        """Whether the box swept from ``start`` to ``end`` meets the body's: sure where it says no."""
        return _boxes_meet(start, end, self.low, self.high, body.low, body.high)


def _boxes_meet(start: Triple, end: Triple, low: Triple, high: Triple, to_low: Triple, to_high: Triple) -> bool:
    """Written out axis by axis: this is asked for every move of a program."""
    s, e = start[0], end[0]
    if (s if s > e else e) + high[0] < to_low[0] - TOUCHING or (s if s < e else e) + low[0] > to_high[0] + TOUCHING:
        return False
    s, e = start[1], end[1]
    if (s if s > e else e) + high[1] < to_low[1] - TOUCHING or (s if s < e else e) + low[1] > to_high[1] + TOUCHING:
        return False
    s, e = start[2], end[2]
    return (s if s > e else e) + high[2] >= to_low[2] - TOUCHING and (s if s < e else e) + low[2] <= to_high[
        2
    ] + TOUCHING


def _cylinder(name: StylusPart, diameter: float, length: float, bottom: float) -> _Shape:
    radius = diameter / 2.0
    return _Shape(name, fcl.Cylinder(radius, length), bottom + length / 2.0, (radius, radius, length / 2.0))


def _grown(
    name: StylusPart, diameter: float, length: float, bottom: float, aside: tuple[float, float]
) -> _Shape:  # fmt: skip
    """An upright cylinder at every place that lies up to ``aside`` along X and Y from its own: a convex prism."""
    prism, half = _grown_prism(diameter, length, aside)
    return _Shape(name, prism, bottom + length / 2.0, half)


# Kept from edit to edit; what moves, the object made of it, is each feeler's own.
@lru_cache(maxsize=256)
def _grown_prism(diameter: float, length: float, aside: tuple[float, float]) -> tuple[fcl.Convex, Triple]:
    """The prism about its middle, and its half sizes."""
    angles = np.arange(_ROUND_CORNERS) * (2.0 * math.pi / _ROUND_CORNERS)
    outside = diameter / 2.0 / math.cos(math.pi / _ROUND_CORNERS)
    rim = outside * np.column_stack([np.cos(angles), np.sin(angles)])
    corners = np.array([(x, y) for x in (-aside[0], aside[0]) for y in (-aside[1], aside[1])])
    hull = manifold3d.CrossSection.hull_points((rim[:, None] + corners).reshape(-1, 2))
    mesh = manifold3d.Manifold.extrude(hull, length).translate((0.0, 0.0, -length / 2.0)).to_mesh64()
    vertices = np.asarray(mesh.vert_properties, dtype=float)[:, :3]
    triangles = np.asarray(mesh.tri_verts, dtype=np.int32)
    faces = np.column_stack([np.full(len(triangles), 3, dtype=np.int32), triangles]).ravel()
    x, y, z = (float(value) for value in vertices.max(axis=0))
    return fcl.Convex(vertices, len(triangles), faces), (x, y, z)


def _lengths(probe: Probe) -> tuple[float, float, float]:
    """The ball's radius, and how far over its centre the body and the gauge line begin."""
    return probe.ball_radius, probe.reach - probe.ball_radius, probe.length - probe.ball_radius


class Feeler:
    """What is carried in the spindle: shapes that move together, each offset from a centre."""

    def __init__(self, shapes: list[_Shape]) -> None:
        self._shapes = shapes
        self.low: Triple = tuple(min(shape.low[k] for shape in shapes) for k in range(3))  # type: ignore[assignment]
        self.high: Triple = tuple(max(shape.high[k] for shape in shapes) for k in range(3))  # type: ignore[assignment]

    @classmethod
    def probe(cls, probe: Probe, nose: float) -> Feeler:
        """Ball about its centre, stem up to the reach, then the thicker body up to the gauge line, and the spindle's
        nose, which is ``nose`` wide."""
        radius, reach, gauge = _lengths(probe)
        return cls(
            [
                _Shape("ball", fcl.Sphere(radius), 0.0, (radius, radius, radius)),
                _cylinder("stem", probe.stem_diameter, reach, 0.0),
                _cylinder("body", probe.body_diameter, gauge - reach, reach),
                _cylinder("nose", nose, _NOSE_LENGTH, gauge),
            ]
        )

    @classmethod
    def probe_anywhere(cls, probe: Probe, nose: float, aside: tuple[float, float], drop: float) -> Feeler:
        """The probe wherever it may be that is known only to within ``aside`` along X and Y, and which may be lower by
        ``drop`` (mm): every part at all these places at once, the ball as an upright cylinder."""
        radius, reach, gauge = _lengths(probe)
        return cls(
            [
                _grown("ball", probe.ball_diameter, probe.ball_diameter + drop, -radius - drop, aside),
                _grown("stem", probe.stem_diameter, reach + drop, -drop, aside),
                _grown("body", probe.body_diameter, gauge - reach, reach - drop, aside),
                _grown("nose", nose, _NOSE_LENGTH, gauge - drop, aside),
            ]
        )

    @classmethod
    def ball_along(cls, probe: Probe, way: tuple[float, float], aside: float) -> Feeler:
        """The ball at every place that lies up to ``aside`` (mm) across its ``way`` (a unit vector in plan)."""
        radius = probe.ball_radius
        along = np.array([-way[1], way[0], 0.0])
        capsule = fcl.Capsule(radius, 2.0 * aside)
        up = np.array([0.0, 0.0, 1.0])
        turn = np.column_stack([np.cross(up, along), up, along])
        x, y, _ = (radius + aside * abs(float(value)) for value in along)
        return cls([_Shape("ball", capsule, 0.0, (x, y, radius), turn)])

    @classmethod
    def cutter(cls, diameter: float, length: float) -> Feeler:
        """A cutter as a plain cylinder standing on its tip."""
        return cls([_cylinder("tip", diameter, length, 0.0)])

    def clear_of(self, start: Triple, end: Triple, low: Triple, high: Triple) -> bool:
        """Whether the whole move surely stays out of a box."""
        return not any(_boxes_meet(start, end, shape.low, shape.high, low, high) for shape in self._shapes)

    def first_contact(
        self, start: Triple, end: Triple, bodies: Sequence[Body], should_stop: Callable[[], bool] = lambda: False
    ) -> Contact | None:
        """Where the straight move of the centre from ``start`` to ``end`` first touches.

        Along a surface a hair away the distance is no step worth taking.  After ``_CREEPS`` steps each is at least a
        share of the move, and where one ends inside a body the contact is looked for between both its ends: bounded
        work for any move.  Raises ContactStopped where ``should_stop`` says so.
        """
        length = math.dist(start, end)
        if length == 0.0:
            return None
        x, y, z = start
        ax, ay, az = (end[0] - x) / length, (end[1] - y) / length, (end[2] - z) / length
        safe = [
            (bound, j, k)
            for k, body in enumerate(bodies)
            # Most bodies of a full table are far from the whole of it.
            if _boxes_meet(start, end, self.low, self.high, body.low, body.high)
            for j, shape in enumerate(self._shapes)
            if shape.may_meet(start, end, body) and (bound := shape.gap_at_least(start, body)) <= length
        ]
        heapq.heapify(safe)
        steps, least = 0, 0.0
        #: Of each shape and body, how far the move surely is free.
        free: dict[tuple[int, int], float] = {}
        while safe:
            travel, j, k = heapq.heappop(safe)
            at = (x + ax * travel, y + ay * travel, z + az * travel)
            gap = self._shapes[j].safe_gap(at, bodies[k])
            if gap <= TOUCHING:
                before = free.get((j, k), travel)
                if travel - before > TOUCHING:
                    travel = self._within(start, end, before, travel, self._shapes[j], bodies[k])
                return Contact(travel, bodies[k].name, self._shapes[j].name)
            free[j, k] = travel
            steps += 1
            if steps % _ASK_EVERY == 0 and should_stop():
                raise ContactStopped
            if steps == _CREEPS:
                least = min(max(length / _CREEPS, _LEAST_CREEP), _MOST_CREEP)
            if travel + gap <= length:
                heapq.heappush(safe, (min(travel + max(gap, least), length), j, k))
        return None

    @staticmethod
    def _within(start: Triple, end: Triple, free: float, met: float, shape: _Shape, body: Body) -> float:
        """Travel (mm) of the contact between one that is free and one that is not."""
        length = math.dist(start, end)
        while met - free > TOUCHING:
            middle = (free + met) / 2.0
            share = middle / length
            x, y, z = (a + (b - a) * share for a, b in zip(start, end, strict=True))
            if shape.gap((x, y, z), body) <= TOUCHING:
                met = middle
            else:
                free = middle
        return free

    def last_contact(self, start: Triple, end: Triple, bodies: Sequence[Body]) -> float | None:
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
        length = math.dist(start, end)
        low, high = 0.0, length
        if any(shape.gap(end, body) <= TOUCHING for shape, body in touching):
            return None
        while high - low > TOUCHING:
            middle = (low + high) / 2.0
            share = middle / length
            at = (
                start[0] + (end[0] - start[0]) * share,
                start[1] + (end[1] - start[1]) * share,
                start[2] + (end[2] - start[2]) * share,
            )
            if any(shape.gap(at, body) <= TOUCHING for shape, body in touching):
                low = middle
            else:
                high = middle
        return high
