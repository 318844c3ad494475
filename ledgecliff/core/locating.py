"""Where a setup's clamping is on the machine, and what its work offset must hold there."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from .datums import Wcs
from .frames import Array, Placement
from .holding import Holding
from .model.machine import Machine
from .model.setup import Setup
from .places import tf_m_s
from .turned_zero import TurnedOff

#: What is left of angles that add up to none (degrees).
_NO_TURN_DEG = 1e-9


@dataclass(frozen=True, eq=False)
class Located:
    """Where one clamping of a setup stands: at which station, and what follows from that.

    ``tf_m_u`` takes what the setup is worked out in to the machine; it turns about Z only.  ``m_offset`` (3,) is the
    work offset's value, which ``code`` keeps, turned by ``turn_deg`` about Z.  ``local_shift`` (3,) is what a program
    adds by itself, along the axes as they are turned (mm).
    """

    station: str
    tf_m_u: Placement
    m_offset: Array
    turn_deg: float
    code: str
    local_shift: Array

    def m_of(self, w_place: Array | tuple[float, float, float]) -> Array:
        """Where (3,) a place of the WCS is on the machine: ``m = E + T w``; several places (N, 3) at once as well."""
        moved: Array = self.m_offset + (np.asarray(w_place, dtype=float) + self.local_shift) @ self.tf_m_u.turn.T
        return moved


@dataclass(frozen=True, eq=False)
class Clamping:
    """A setup as it is clamped: how the stock is held, where its zero is, where all of it stands.

    ``level`` is the same holding as it is while its station stands level; ``still`` says that the part has stayed
    clamped since the setup before, turned by rotary axes alone, and ``turned`` is what the rotary axes leave that
    have turned since the setup before, where the part stays clamped and an axis takes its zero from that.
    """

    setup: Setup
    level: Holding
    holding: Holding
    wcs: Wcs
    located: Located
    turned: tuple[TurnedOff, ...] = ()
    still: bool = False


def located(machine: Machine, setup: Setup, holding: Holding, wcs: Wcs) -> Located:
    """The place of a setup at its own station, and the work offset that follows from it."""
    tf_m_u = tf_m_s(machine, setup).after(holding.tf_s_u)
    turn = tf_m_u.turn
    turn_deg = math.degrees(math.atan2(float(turn[1, 0]), float(turn[0, 0])))
    if abs(turn_deg) < _NO_TURN_DEG:
        turn_deg = 0.0
    return Located(setup.station, tf_m_u, tf_m_u(wcs.u_origin), turn_deg, setup.offset, np.zeros(3))
