"""What turning a rotary axis sweeps: how high, and through what stands beside it.

Everything on an axis is taken once all the way round.  Of flat-faced bodies the farthest places are corners: along a
straight edge the distance from an axis is greatest at one of its ends.
"""

from __future__ import annotations

import math
from collections.abc import Iterator

import manifold3d
import numpy as np

from .blanks import moved
from .frames import Array, Placement
from .places import rotaries_under
from .setup_plan import SetupPlan
from .simulator.axes import Axes, TrueAxis, axes_at, carrying_axis, planned_axes, swept_height

#: Facets of a swept body, which stand round it; what is shared by less only touches (mm³).
_FACETS, _TOUCH = 180, 1.0
#: A corner so far within what is swept (mm) is met, whatever facets stand off.
_SURELY = 0.1


def highest_swept(setup: SetupPlan) -> float:
    """How high (machine Z) stock and holding come while each axis under a setup is turned all the way round, the others
    at its index."""
    axes = axes_at(setup.setup, planned_axes(setup.machine))
    corners = _corners(setup)
    return max(swept_height(corners, *axes.line(axis)) for axis in _under(setup, axes))


def neighbours_swept(setup: SetupPlan) -> Iterator[str]:
    """The names of what stands on the table, or on other axes, in the way of what is swept."""
    axes = axes_at(setup.setup, planned_axes(setup.machine))
    corners = _corners(setup)
    swept = [(axis, _Swept(corners, *axes.line(axis))) for axis in _under(setup, axes)]
    for block in setup.neighbours.swept_past:
        station = setup.machine.station(block.station or "")
        theirs = {axis.id for axis in axes.carry(None if station is None else carrying_axis(setup.machine, station))}
        body = moved(block.solid(), setup.located.tf_m_u)
        if any(each.meets(body) for axis, each in swept if axis.id not in theirs):
            yield block.name


def _under(setup: SetupPlan, axes: Axes) -> list[TrueAxis]:
    ids = {each.id for each in rotaries_under(setup.machine, setup.setup)}
    return [axis for axis in axes.all if axis.id in ids]


def _corners(setup: SetupPlan) -> Array:
    """Corners (N, 3) of stock and holding on the machine."""
    tf_m_u, orientation = setup.located.tf_m_u, setup.setup.orientation.matrix()
    found = [setup.holding.stock.mesh.vertices @ orientation.T]
    for block in setup.holding.blocks:
        found.append(np.asarray(block.solid().to_mesh().vert_properties, dtype=float)[:, :3])
    corners: Array = np.vstack(found) @ tf_m_u.turn.T + tf_m_u.shift
    return corners


class _Swept:
    """A body that contains all that is swept: the convex outline of places along the axis and from it, all round.

    Within that outline lies every edge, whose distance from an axis is a convex function of the place on it.
    """

    def __init__(self, corners: Array, centre: Array, along: Array) -> None:
        self._centre, self._along = centre, along
        out, ahead = self._places(corners)
        out = out / math.cos(math.pi / _FACETS)
        half = np.column_stack([np.append(out, [0.0, 0.0]), np.append(ahead, [ahead.min(), ahead.max()])])
        self._outline = manifold3d.CrossSection.hull_points(half)

    def _places(self, places: Array) -> tuple[Array, Array]:
        """How far (N,) places are from the axis, and along it."""
        off = places - self._centre
        ahead: Array = off @ self._along
        out: Array = np.linalg.norm(off - np.outer(ahead, self._along), axis=1)
        return out, ahead

    def meets(self, body: manifold3d.Manifold) -> bool:
        """Whether a body on the machine stands in it: surely where one of its corners does, else where they share
        room."""
        corners = np.column_stack(self._places(np.asarray(body.to_mesh().vert_properties, dtype=float)[:, :3]))
        (ring,) = self._outline.to_polygons()
        start, end = np.asarray(ring), np.roll(np.asarray(ring), -1, axis=0)
        ways = (end - start) / np.linalg.norm(end - start, axis=1)[:, None]
        # To the left of every edge of a convex outline, which goes round against the clock, lies its inside.
        inward = np.column_stack([-ways[:, 1], ways[:, 0]])
        deep = np.min([(corners - at) @ way for at, way in zip(start, inward, strict=True)], axis=0)
        if float(deep.max()) > _SURELY:
            return True
        solid = moved(self._outline.revolve(_FACETS), Placement(_turn_to(self._along), self._centre))
        return float((solid ^ body).volume()) > _TOUCH


def _turn_to(along: Array) -> Array:
    """A rotation (3, 3) that takes Z to a direction."""
    aside = np.cross(along, np.eye(3)[int(np.argmin(np.abs(along)))])
    x = aside / np.linalg.norm(aside)
    return np.column_stack([x, np.cross(along, x), along])
