"""How far off a zero is that is taken from the setup before while rotary axes have turned the part since.

An error ``e`` of a centre (believed less true) moves what is turned about it by ``(1 - R) e``: nothing where nothing
turns, ``e`` less ``e`` turned at 90 degrees, ``2 e`` at 180.  What carries a turned axis, itself standing where it
stood, has put that elsewhere: ``(1 - R) (1 - R_c) e``, with ``R_c`` how far it stands turned.  An axis that comes to
stand a little beyond its word moves a place by that angle times how far it is from the axis, before as well as after.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .frames import Array
from .model.machine import Machine
from .model.setup import Setup
from .model.stations import IndexAngle, Rotary
from .places import hanging_on_centre, moved_by_centre, rotaries_under, stands_at, tf_m_s, turned_between


@dataclass(frozen=True, eq=False)
class TurnedOff:
    """What one axis leaves: ``centre`` (3, 3) is how far a zero is off along machine X, Y and Z (rows) for each
    coordinate of the centre, each of them off by as much as it may be; ``repeat`` (3, 2) for its angle, after and
    before.  None where nobody has said how well either is known (mm)."""

    rotary: Rotary
    centre: Array | None
    repeat: Array | None

    def most_of_any(self) -> float:
        """The most along any machine axis (mm)."""
        return max(self.most(k, 0.0) for k in range(3))

    def most(self, k: int, unsaid: float) -> float:
        """At worst (mm); ``unsaid`` is what a centre counts for that nobody has said anything of."""
        centre = unsaid if self.centre is None else float(np.abs(self.centre[k]).sum())
        return centre + (0.0 if self.repeat is None else float(np.abs(self.repeat[k]).sum()))


def turned_off(machine: Machine, before: Setup, after: Setup, m_zero: Array) -> tuple[TurnedOff, ...]:
    """What every axis leaves that turns between two setups of one clamping, or carries one that does; ``m_zero`` (3,)
    is the zero after it."""
    if not turned_between(machine, before, after):
        return ()
    found, hanging = [], hanging_on_centre(machine, before, after)
    for rotary in rotaries_under(machine, after):
        moved = moved_by_centre(machine, before, after, rotary)
        unsaid = rotary.uncertainty is None and rotary in hanging
        centre = None if unsaid else (rotary.uncertainty or 0.0) * moved
        found.append(TurnedOff(rotary, centre, _by_angle(machine, before, after, rotary, m_zero)))
    return tuple(each for each in found if each.centre is None or each.most_of_any() > 0.0)


def _by_angle(machine: Machine, before: Setup, after: Setup, rotary: Rotary, m_zero: Array) -> Array | None:
    """How far (3, 2) a zero is off by as much as an axis repeats, after and before: each time it is freed, turned and
    clamped anew."""
    if rotary.repeat_deg is None:
        return None
    there, here = tf_m_s(machine, after), tf_m_s(machine, before)
    # Where the zero was before, and where one of both takes it that stands a little further.
    m_before = here.after(there.inverse())(m_zero)
    after_beyond = tf_m_s(machine, _beyond(after, rotary)).after(here.inverse())(m_before) - m_zero
    before_beyond = there.after(tf_m_s(machine, _beyond(before, rotary)).inverse())(m_before) - m_zero
    return np.column_stack([after_beyond, before_beyond])


def _beyond(setup: Setup, rotary: Rotary) -> Setup:
    """The setup with an axis as far beyond its word as it repeats."""
    stands = stands_at(rotary, setup.index) + (rotary.repeat_deg or 0.0)
    others = tuple(angle for angle in setup.index if angle.word != rotary.word)
    return setup.model_copy(update={"index": (*others, IndexAngle(word=rotary.word, degrees=stands))})
