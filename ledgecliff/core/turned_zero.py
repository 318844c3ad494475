"""How far off a zero is that is taken from the setup before while rotary axes have turned the part since.

An error ``e`` of a centre (believed less true) moves what is turned about it by ``(1 - R) e``: nothing where nothing
turns, ``e`` less ``e`` turned at 90 degrees, ``2 e`` at 180.  An axis that comes to stand a little beyond its word
moves a place by that angle times how far it is from the axis.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from .frames import AXES, Array
from .model.machine import Machine
from .model.setup import Setup
from .model.stations import Rotary
from .places import moved_by_centre, tf_m_carrier, turned_between
from .scatter import Scatter


@dataclass(frozen=True, eq=False)
class TurnedOff:
    """What one axis leaves: ``centre`` (3, 3) is how far a zero is off along machine X, Y and Z (rows) for each
    coordinate of the centre, each of them off by as much as it may be; ``repeat`` (3,) for the angle.  None where
    nobody has said how well either is known (mm)."""

    rotary: Rotary
    centre: Array | None
    repeat: Array | None

    def scatter(self, k: int) -> Scatter | None:
        """Both together along a machine axis; coordinates of a centre are independent, and even."""
        parts = [] if self.centre is None else [*self.centre[k]]
        parts += [] if self.repeat is None else [self.repeat[k]]
        return Scatter("even", float(np.linalg.norm(parts))) if self.centre is not None else None

    def most(self, k: int, unsaid: float) -> float:
        """At worst (mm); ``unsaid`` is what a centre counts for that nobody has said anything of."""
        centre = unsaid if self.centre is None else float(np.abs(self.centre[k]).sum())
        return centre + (0.0 if self.repeat is None else abs(float(self.repeat[k])))


def turned_off(machine: Machine, before: Setup, after: Setup, m_zero: Array) -> tuple[TurnedOff, ...]:
    """What every axis leaves that turns between two setups of one clamping; ``m_zero`` (3,) is the zero after it."""
    found = []
    for rotary in turned_between(machine, before, after):
        moved = moved_by_centre(machine, before, after, rotary)
        centre = None if rotary.uncertainty is None else rotary.uncertainty * moved
        found.append(TurnedOff(rotary, centre, _by_angle(machine, after, rotary, m_zero)))
    return tuple(found)


def _by_angle(machine: Machine, after: Setup, rotary: Rotary, m_zero: Array) -> Array | None:
    """How far ``m_zero`` goes while the axis turns by as much as it repeats."""
    if rotary.repeat_deg is None:
        return None
    beneath = tf_m_carrier(machine, rotary, after.index)
    along = beneath.turn @ np.eye(3)[AXES.index(rotary.about)]
    arm = m_zero - beneath(np.array(rotary.centre.as_tuple()))
    way: Array = math.radians(rotary.repeat_deg) * np.cross(along, arm)
    return way
