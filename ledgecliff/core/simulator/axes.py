"""Rotary axes as they truly are, how they stand, and where that takes what is on them.

What stands on an axis is taken along from where it was put by ``m = C + R(a) (m_0 - C)``, with ``C`` on the axis of
rotation as it lies with all axes at nought and ``a`` the word less what counts as nought; of a chain the axis that
stands lower turns what the upper one has turned.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..frames import AXES, IDENTITY, Array, Placement, rotation_about
from ..model.machine import Machine
from ..model.setup import Setup
from ..model.stations import Rotary
from ..places import carrying_axis, tf_m_carrier

#: A line that leans less than this off upright turns nothing higher.
_LEVEL = 1e-12


@dataclass(frozen=True, eq=False)
class TrueAxis:
    """``id`` is which of the machine's axes it is, ``word`` what moves it, ``on`` the axis that carries it.

    It turns right-handed about a line through ``m_centre`` (3,) along ``m_along`` (3,), a unit vector, all axes at
    nought; that of a left-handed one points the other way.  ``flat_deg`` is the word's value that counts as nought.
    """

    id: str
    word: str
    m_centre: Array
    m_along: Array
    flat_deg: float = 0.0
    on: str | None = None


class Axes:
    """How a machine's rotary axes stand: ``angles`` are their words, and each stands so far ``beyond`` its own."""

    def __init__(self, axes: Sequence[TrueAxis] = ()) -> None:
        self._axes = {axis.id: axis for axis in axes}
        self.angles = {axis.word: axis.flat_deg for axis in axes}
        self.beyond: dict[str, float] = {}

    def copied(self) -> Axes:
        """The same axes, which stand alike and turn by themselves from now on."""
        copied = Axes(tuple(self._axes.values()))
        copied.angles |= self.angles
        copied.beyond |= self.beyond
        return copied

    @property
    def all(self) -> tuple[TrueAxis, ...]:
        return tuple(self._axes.values())

    def of_word(self, word: str) -> TrueAxis | None:
        return next((axis for axis in self._axes.values() if axis.word == word), None)

    def carry(self, carrier: str | None) -> tuple[TrueAxis, ...]:
        """The axes that take along what stands on ``carrier``, the uppermost first."""
        chain: list[TrueAxis] = []
        while carrier is not None:
            chain.append(self._axes[carrier])
            carrier = chain[-1].on
        return tuple(chain)

    def tf_now_nought(self, carrier: str | None) -> Placement:
        """What takes what stands on ``carrier`` from where it is with all axes at nought to where it is now."""
        result = IDENTITY
        for axis in self.carry(carrier):
            result = _turned(axis, self.angles[axis.word] + self.beyond.get(axis.word, 0.0)).after(result)
        return result

    def line(self, axis: TrueAxis) -> tuple[Array, Array]:
        """A place on an axis of rotation and its direction, (3,) each, as those beneath it stand now."""
        beneath = self.tf_now_nought(axis.on)
        return beneath(axis.m_centre), beneath.turn @ axis.m_along


def _turned(axis: TrueAxis, word_deg: float) -> Placement:
    degrees = math.fmod(word_deg - axis.flat_deg, 360.0)
    if degrees == 0.0:
        return IDENTITY
    turn = rotation_about(axis.m_along, math.radians(degrees))
    return Placement(turn, axis.m_centre - turn @ axis.m_centre)


def swept_height(points: Array, centre: Array, along: Array, between: tuple[float, float] = (-180.0, 180.0)) -> float:
    """How high (Z) any of the ``points`` (N, 3) comes, turned about a line through ``centre`` along ``along`` by any
    angle ``between`` two (degrees, from where they are; all the way round without).

    A point at ``h`` along the line and ``r`` from it goes round a circle: by ``a`` it comes to
    ``c_z + h a_z + r s cos(a - b)`` with ``s = sqrt(1 - a_z^2)`` and ``b`` where it is highest.
    """
    off = np.asarray(points, dtype=float) - centre
    ahead = off @ along
    steep = math.sqrt(max(1.0 - float(along[2]) ** 2, 0.0))
    if steep < _LEVEL:
        return float(np.max(centre[2] + ahead * along[2]))
    up = (np.array([0.0, 0.0, 1.0]) - along[2] * along) / steep
    x, y = off @ up, off @ np.cross(along, up)
    highest = np.degrees(np.arctan2(-y, x))
    first, last = between
    # The next time it is highest from the first angle on; where that is beyond the last, one of both ends is.
    comes_by = first + np.mod(highest - first, 360.0)
    ends = [x * math.cos(math.radians(angle)) - y * math.sin(math.radians(angle)) for angle in between]
    out = np.where(comes_by <= last, np.hypot(x, y), np.maximum(*ends))
    return float(np.max(centre[2] + ahead * along[2] + out * steep))


def planned_axes(machine: Machine) -> tuple[TrueAxis, ...]:
    """The machine's rotary axes as they are entered."""
    axes = []
    for each in machine.carriers:
        if isinstance(each, Rotary):
            beneath = tf_m_carrier(machine, each)
            along = np.eye(3)[AXES.index(each.about)] * (-1.0 if each.sense == "left-handed" else 1.0)
            centre = beneath(np.array(each.centre.as_tuple()))
            axes.append(
                TrueAxis(each.id, each.word, centre, beneath.turn @ along, each.flat_deg, carrying_axis(machine, each))
            )
    return tuple(axes)


def clamp_words(machine: Machine) -> dict[str, tuple[str, bool]]:
    """Of each word of the machine's that frees or clamps a rotary axis: which axis, and whether it frees it."""
    rotaries = [each for each in machine.carriers if isinstance(each, Rotary) and each.free_word]
    return {
        said: (each.word, said == each.free_word) for each in rotaries for said in (each.free_word, each.clamp_word)
    }


def axes_at(setup: Setup, axes: Sequence[TrueAxis]) -> Axes:
    """The axes as they stand while a setup is clamped: at its index, else at what counts as nought."""
    result = Axes(axes)
    result.angles |= {angle.word: angle.degrees for angle in setup.index}
    return result
