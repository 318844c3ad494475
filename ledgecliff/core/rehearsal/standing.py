"""Where what holds a setup really stands, and the machine's rotary axes as they truly are."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..frames import Array, Placement
from ..model.holding import Chuck
from ..model.machine import Machine
from ..model.setup import Setup
from ..model.stations import IndexAngle
from ..places import carrying_axis, station_of, tf_m_station
from ..simulator.axes import Axes, TrueAxis, axes_at, planned_axes
from .true_world import AxisError


@dataclass(frozen=True, eq=False)
class TrueStanding:
    """One fixture: ``tf_nought_s`` takes its frame to the machine, the ``axes`` all at nought; ``on`` is the id of the
    one that takes it along."""

    axes: tuple[TrueAxis, ...]
    on: str | None
    tf_nought_s: Placement

    def axes_at(self, setup: Setup, index_off: Sequence[IndexAngle] = ()) -> Axes:
        """The axes at a setup's index, each so far beyond it as ``index_off`` states."""
        axes = axes_at(setup, self.axes)
        axes.beyond |= {angle.word: angle.degrees for angle in index_off}
        return axes

    def tf_m_s(self, axes: Axes) -> Placement:
        """What takes the fixture's frame to the machine, the axes as they stand."""
        return axes.tf_now_nought(self.on).after(self.tf_nought_s)


def true_axes(machine: Machine, errors: Sequence[AxisError]) -> tuple[TrueAxis, ...]:
    """The machine's rotary axes, off as it is stated."""
    axes = {axis.id: axis for axis in planned_axes(machine)}
    for error in errors:
        entered = next((each for each in machine.carriers if each.name == error.axis and each.id in axes), None)
        if entered is None:
            continue
        axis, sense = axes[entered.id], -1.0 if error.sense == "the other way" else 1.0
        axes[entered.id] = replace(
            axis,
            m_centre=axis.m_centre + np.array(error.off.as_tuple()),
            m_along=sense * axis.m_along,
            flat_deg=axis.flat_deg + error.flat_off_deg,
        )
    return tuple(axes.values())


def true_standing(
    machine: Machine, setup: Setup, m_off: Array, errors: Sequence[AxisError], index_off: Sequence[IndexAngle] = ()
) -> TrueStanding:
    """``m_off`` (3,) is how far the fixture stands off where the true axes have it, along the machine's axes at the
    setup's index.  What a chuck turns is turned about the chuck's own axis, wherever that stands."""
    station = station_of(machine, setup)
    axes, on = true_axes(machine, errors), carrying_axis(machine, station)
    planned, fixture = tf_m_station(machine, station), machine.fixture_at(setup.station)
    is_chuck = on is not None and isinstance(fixture, Chuck) and not fixture.stands
    if is_chuck:
        axes = tuple(replace(axis, m_centre=planned.shift) if axis.id == on else axis for axis in axes)
    standing = TrueStanding(axes, on, planned)
    now = standing.axes_at(setup, index_off)
    there = standing.tf_m_s(now)
    there = Placement(there.turn, there.shift + m_off)
    if is_chuck:
        beneath = {axis.id: now.tf_now_nought(axis.on) for axis in axes}
        axes = tuple(
            replace(axis, m_centre=beneath[axis.id].inverse()(there.shift)) if axis.id == on else axis for axis in axes
        )
        now = TrueStanding(axes, on, planned).axes_at(setup, index_off)
    return TrueStanding(axes, on, now.tf_now_nought(on).inverse().after(there))
