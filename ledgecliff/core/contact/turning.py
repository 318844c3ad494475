"""When does a body that an axis turns meet one that stands still: conservative advancement round a circle.

No place of the turned body goes farther than its distance from the axis times the angle, so that the gap between both,
shared by the farthest such distance, is an angle that can be turned without touching.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from ..frames import Array, Placement, rotation_about
from .first_contact import TOUCHING, Body, ContactStopped

#: The shortest step along the arc (mm): bodies that run past each other nearer than this are turned on by so much.
_LEAST_STEP = 0.1


def meets_turning(
    mover: Body,
    other: Body,
    line: tuple[Array, Array],
    degrees: float,
    should_stop: Callable[[], bool] = lambda: False,
) -> float | None:
    """How far (degrees, from nought up) ``mover`` is turned by ``degrees`` about a ``line``, a place (3,) on it and its
    direction, before it meets ``other``; None where it does not.  What touches before anything turns, as a chuck the
    axis it is screwed to, runs on each other and is not met.  Raises ContactStopped when told to."""
    centre, along = line
    far = _apart(mover, other, centre, along)
    if far is None or mover.gap_after(_turned(centre, along, 0.0), other) <= TOUCHING:
        return None
    turned, whole = 0.0, math.radians(abs(degrees))
    while turned < whole:
        if should_stop():
            raise ContactStopped
        gap = mover.gap_after(_turned(centre, along, math.copysign(turned, degrees)), other)
        if gap <= TOUCHING:
            return math.degrees(turned)
        turned += max(gap, _LEAST_STEP) / far
    end = mover.gap_after(_turned(centre, along, math.radians(degrees)), other)
    return abs(degrees) if end <= TOUCHING else None


def _apart(mover: Body, other: Body, centre: Array, along: Array) -> float | None:
    """How far the farthest place of ``mover`` is from the axis (mm); None where the other is out of its reach: beside
    it along the axis, or farther away all of it than that."""
    out, ahead = _places(mover.vertices, centre, along)
    _, theirs = _places(other.vertices, centre, along)
    far = float(out.max())
    if theirs.max() < ahead.min() or theirs.min() > ahead.max() or far <= 0.0:
        return None
    low, high = np.array(other.low), np.array(other.high)
    (middle,), _ = _places(((low + high) / 2.0)[None, :], centre, along)
    return None if float(middle) - float(np.linalg.norm(high - low)) / 2.0 > far else far


def _places(places: Array, centre: Array, along: Array) -> tuple[Array, Array]:
    """How far (N,) places are from an axis, and along it."""
    off = places - centre
    ahead: Array = off @ along
    out: Array = np.linalg.norm(off - np.outer(ahead, along), axis=1)
    return out, ahead


def _turned(centre: Array, along: Array, radians: float) -> Placement:
    turn = rotation_about(along, radians)
    return Placement(turn, centre - turn @ centre)
