"""What turning a rotary axis sweeps: how high, and through what stands beside it.

Everything on an axis is taken as far round as that goes, all the way where it has no ends: stock and holding, the
axis's own bodies, and what else it carries; what stands on axes above it with each of those at any angle, since nobody
knows where they were left and the lower ones turn first, and so what stands on axes beside it.  Of flat-faced bodies
the farthest places are corners: along a straight edge the distance from an axis is greatest at one of its ends.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import pairwise

import manifold3d
import numpy as np

from .blanks import moved
from .carrier_bodies import assumed_foot, takes_foot_along
from .frames import Array, Placement, rotation_about
from .holding.holding import Block
from .model.stations import Rotary
from .once import lazy
from .places import carrying_axis, rotaries_under, station_of, tf_m_s
from .setup_plan import SetupPlan
from .simulator.axes import Axes, TrueAxis, axes_at, planned_axes, swept_height

#: Facets of a swept body, which stand round it; what is shared by less only touches (mm³).
_FACETS, _TOUCH = 180, 1.0
#: An axis whose direction has more than this share of a machine axis lies along it.
_ALONG = 1.0 - 1e-9
#: All the way round, steps by which less than that is gone, and those next to its ends (degrees).
_ROUND, _STEP, _CLOSE = 360.0, 6.0, 0.25
#: A corner so far within what is swept (mm) is met, whatever facets stand off.
_SURELY = 0.1


@dataclass(frozen=True, eq=False)
class _About:
    """A body on the machine, the corners (N, 3) of it, and the axis that takes it along."""

    name: str
    solid: manifold3d.Manifold
    corners: Array
    on: str | None


@dataclass(frozen=True)
class SweptThrough:
    """``mover`` is turned through ``met`` by an axis of that name."""

    axis: str
    mover: str
    met: str


@dataclass(frozen=True)
class _Stands:
    """A setup, known by what its sweeps hang on alone: others differ in their zeros."""

    setup: SetupPlan = field(compare=False)
    hangs_on: tuple[object, ...]


def _stands(setup: SetupPlan) -> _Stands:
    held, stated = setup.clamping, setup.setup
    return _Stands(
        setup,
        (held.holding, held.level, setup.neighbours, stated.station, stated.index, stated.orientation, setup.machine),
    )


def highest_swept(setup: SetupPlan) -> float:
    """How high (machine Z) anything comes that an axis under a setup takes along, each being turned as far as it goes,
    those above it at any angle and those beneath it at its index."""
    return _highest_swept(_stands(setup))


def swept_span(setup: SetupPlan, k: int) -> tuple[float, float] | None:
    """From where to where along machine X (0), Y (1) or Z (2) anything comes so, turned by axes that do not lie along
    it; None where none does."""
    return _swept_span(_stands(setup), k)


def swept_through(setup: SetupPlan) -> tuple[SweptThrough, ...]:
    """What each axis under a setup would turn through what it does not take along."""
    return _swept_through(_stands(setup))


@lru_cache(maxsize=64)
def _highest_swept(stands: _Stands) -> float:
    setup = stands.setup
    axes = axes_at(setup.setup, planned_axes(setup.machine))
    bodies = _bodies(setup)
    return max(
        swept_height(
            np.vstack([_anyhow(body, axis, axes) for body in _carried(axis, axes, bodies)]),
            *axes.line(axis),
            _between(setup, axis, axes),
        )
        for axis in _under(setup, axes)
    )


@lru_cache(maxsize=128)
def _swept_span(stands: _Stands, k: int) -> tuple[float, float] | None:
    setup = stands.setup
    axes = axes_at(setup.setup, planned_axes(setup.machine))
    bodies, lows, highs = _bodies(setup), [], []
    # Looked at with that axis up, which heights are worked out for.
    look = _z_to(np.eye(3)[k]).T
    for axis in _under(setup, axes):
        (centre, along), between = axes.line(axis), _between(setup, axis, axes)
        if abs(float(along[k])) > _ALONG:
            continue
        places = np.vstack([_anyhow(body, axis, axes) for body in _carried(axis, axes, bodies)]) @ look.T
        highs.append(swept_height(places, look @ centre, look @ along, between))
        lows.append(-swept_height(-places, -(look @ centre), look @ along, between))
    return (min(lows), max(highs)) if highs else None


@lru_cache(maxsize=64)
def _swept_through(stands: _Stands) -> tuple[SweptThrough, ...]:
    setup, found = stands.setup, []
    axes = axes_at(setup.setup, planned_axes(setup.machine))
    names = {each.id: each.name for each in setup.machine.carriers}
    bodies = _bodies(setup)
    for axis in _under(setup, axes):
        carried = _carried(axis, axes, bodies)
        between = _between(setup, axis, axes)
        swept = [(body.name, _Swept(_anyhow(body, axis, axes), *axes.line(axis), between)) for body in carried]
        for body in (_on_others(body, axis, axes) for body in bodies if body not in carried):
            mover = next((name for name, each in swept if each.meets(body)), None)
            if mover is not None:
                found.append(SweptThrough(names[axis.id], mover, body.name))
    return tuple(found)


def _under(setup: SetupPlan, axes: Axes) -> list[TrueAxis]:
    ids = {each.id for each in rotaries_under(setup.machine, setup.setup)}
    return [axis for axis in axes.all if axis.id in ids]


def _carried(axis: TrueAxis, axes: Axes, bodies: list[_About]) -> list[_About]:
    return [body for body in bodies if axis in axes.carry(body.on)]


def _between(setup: SetupPlan, axis: TrueAxis, axes: Axes) -> tuple[float, float]:
    """How far an axis may go from where it stands, one way and the other (degrees): to its ends, or half round where it
    has none, or nobody knows which of them lies on which side."""
    rotary = next(each for each in setup.machine.carriers if isinstance(each, Rotary) and each.id == axis.id)
    now = axes.angles[axis.word]
    if rotary.sense is not None and rotary.lowest_deg is not None and rotary.highest_deg is not None:
        low, high = rotary.lowest_deg - now, rotary.highest_deg - now
        if high - low < _ROUND:
            return low, high
    return -_ROUND / 2.0, _ROUND / 2.0


def _anyhow(body: _About, axis: TrueAxis, axes: Axes) -> Array:
    """Places (N, 3) round a body however the axes between it and ``axis`` stand: nothing of it gets outside of their
    convex hull."""
    places = body.corners
    for above in axes.carry(body.on):
        if above is axis:
            break
        places = _Swept(places, *axes.line(above)).rings()
    return places


def _on_others(body: _About, axis: TrueAxis, axes: Axes) -> _About:
    """A body that ``axis`` leaves where it is, as it may stand: about axes that are none of those under this one."""
    places = body.corners
    others = [each for each in axes.carry(body.on) if each not in axes.carry(axis.on)]
    for each in others:
        places = _Swept(places, *axes.line(each)).rings()
    return _about(body.name, manifold3d.Manifold.hull_points(places), None) if others else body


def _bodies(setup: SetupPlan) -> list[_About]:
    """Stock and holding, and all that stands about, on the machine."""
    tf_m_u, orientation = setup.located.tf_m_u, setup.setup.orientation.matrix()
    on = carrying_axis(setup.machine, station_of(setup.machine, setup.setup))
    upright = Placement(orientation, np.zeros(3))
    bodies = [_about("the stock", moved(setup.holding.stock.solid, tf_m_u.after(upright)), on)]
    bodies += [_about(block.name, moved(block.solid(), tf_m_u), on) for block in setup.holding.blocks]
    foot = assumed_foot(setup.machine, setup.setup, setup.clamping.level)
    if foot is not None:
        there, under = tf_m_s(setup.machine, setup.setup), takes_foot_along(setup.machine, setup.setup)
        bodies.append(_about(f"the {setup.holding.foot_name}", moved(foot, there), under))
    bodies += [_standing(block, tf_m_u) for block in setup.neighbours.all_about]
    return bodies


def _standing(block: Block, tf_m_u: Placement) -> _About:
    return _about(block.name, moved(block.solid(), tf_m_u), block.on)


def _about(name: str, solid: manifold3d.Manifold, on: str | None) -> _About:
    corners = np.asarray(solid.to_mesh64().vert_properties, dtype=float)[:, :3]
    return _About(name, solid, corners, on)


class _Swept:
    """A body that contains all that one is turned through: the convex outline of places along the axis and from it,
    all round, and where the axis has ends what of that is within steps of its way.

    Within that outline lies every edge, whose distance from an axis is a convex function of the place on it.
    """

    def __init__(
        self, corners: Array, centre: Array, along: Array, between: tuple[float, float] = (-180.0, 180.0)
    ) -> None:
        self._corners, self._centre, self._along, self._between = corners, centre, along, between
        out, ahead = self._places(corners)
        out = out / math.cos(math.pi / _FACETS)
        self._far, self._ahead = float(out.max()), (float(ahead.min()), float(ahead.max()))
        half = np.column_stack([np.append(out, [0.0, 0.0]), np.append(ahead, [ahead.min(), ahead.max()])])
        self._outline = manifold3d.CrossSection.hull_points(half)

    def rings(self) -> Array:
        """Places (N, 3) of the outline all round the axis, so far out that their hull contains what goes round."""
        (ring,) = self._outline.to_polygons()
        turned = np.arange(_FACETS) * (2.0 * math.pi / _FACETS)
        flat = np.stack([np.cos(turned), np.sin(turned), np.zeros(_FACETS)], axis=1)
        # The outline stands off already by as much as facets cut away.
        local = np.concatenate([flat * out + (0.0, 0.0, ahead) for out, ahead in np.asarray(ring)])
        places: Array = local @ _z_to(self._along).T + self._centre
        return places

    def _places(self, places: Array) -> tuple[Array, Array]:
        """How far (N,) places are from the axis, and along it."""
        off = places - self._centre
        ahead: Array = off @ self._along
        out: Array = np.linalg.norm(off - np.outer(ahead, self._along), axis=1)
        return out, ahead

    @lazy
    def _hull(self) -> Array:
        """Corners (N, 3) of the body's convex hull, from the centre."""
        mesh = manifold3d.Manifold.hull_points(self._corners).to_mesh64()
        return np.asarray(mesh.vert_properties, dtype=float)[:, :3] - self._centre

    def _steps_near(self, low: Array, high: Array) -> Iterator[manifold3d.Manifold]:
        """What the convex hull of the body is turned through, step by step, of those that come into a box, farthest
        in first.  Between two angles a place goes along an arc that lies within the triangle of both ends
        and where their tangents meet: the place half-way, farther out by the cosine of half a step."""
        near: list[tuple[float, Array]] = []
        onto = np.outer(self._along, self._along)
        for first, last in pairwise(np.radians(_stops(*self._between))):
            half = (last - first) / 2.0
            turns = [rotation_about(self._along, angle) for angle in (first, first + half, last)]
            turns[1] = (onto + (np.eye(3) - onto) / math.cos(half)) @ turns[1]
            places = np.vstack([self._hull @ turn.T for turn in turns]) + self._centre
            shared = np.minimum(places.max(axis=0), high) - np.maximum(places.min(axis=0), low)
            if np.all(shared > 0.0):
                near.append((float(np.prod(shared)), places))
        for _, places in sorted(near, key=lambda each: -each[0]):
            yield manifold3d.Manifold.hull_points(places)

    def _is_clear_of(self, corners: Array, ahead: Array) -> bool:
        """Whether a body ends before this one begins along the axis, or all of it lies farther from that: no place of
        it is nearer than the middle of its corners by more than the farthest of them."""
        low, high = self._ahead
        if float(ahead.max()) <= low or float(ahead.min()) >= high:
            return True
        middle = (corners.min(axis=0) + corners.max(axis=0)) / 2.0
        (out,), _ = self._places(middle[None, :])
        return float(out) - float(np.max(np.linalg.norm(corners - middle, axis=1))) >= self._far

    def meets(self, body: _About) -> bool:
        """Whether a body stands in it: surely where one of its corners does, else where they share room."""
        out, ahead = self._places(body.corners)
        if self._is_clear_of(body.corners, ahead):
            return False
        if self._between[1] - self._between[0] < _ROUND:
            steps = self._steps_near(body.corners.min(axis=0), body.corners.max(axis=0))
            return any(float((step ^ body.solid).volume()) > _TOUCH for step in steps)
        corners = np.column_stack([out, ahead])
        (ring,) = self._outline.to_polygons()
        start, end = np.asarray(ring), np.roll(np.asarray(ring), -1, axis=0)
        ways = (end - start) / np.linalg.norm(end - start, axis=1)[:, None]
        # To the left of every edge of a convex outline, which goes round against the clock, lies its inside.
        inward = np.column_stack([-ways[:, 1], ways[:, 0]])
        deep = np.min([(corners - at) @ way for at, way in zip(start, inward, strict=True)], axis=0)
        if float(deep.max()) > _SURELY:
            return True
        solid = moved(self._outline.revolve(_FACETS), Placement(_z_to(self._along), self._centre))
        return float((solid ^ body.solid).volume()) > _TOUCH


def _stops(first: float, last: float) -> list[float]:
    """Angles from one to another: twice as far apart each time, up to a full step, as seen from the nearer of the two.

    What a body is turned through is hollow where its hull is not, and bulges over both ends by as much.
    """
    middle, near = (last - first) / 2.0, [0.0]
    while near[-1] < middle:
        near.append(min(near[-1] + min(_CLOSE * 2.0 ** (len(near) - 1), _STEP), middle))
    return [*(first + gone for gone in near), *(last - gone for gone in reversed(near[:-1]))]


def _z_to(along: Array) -> Array:
    """A rotation (3, 3) that takes Z to a direction."""
    aside = np.cross(along, np.eye(3)[int(np.argmin(np.abs(along)))])
    x = aside / np.linalg.norm(aside)
    return np.column_stack([x, np.cross(along, x), along])
