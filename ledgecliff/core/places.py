"""Where stations stand on the machine: the chain from the table over what carries them.

Frames: a fixture and what it holds are worked out in the fixture's own frame ``s``, whose zero a station puts
somewhere; ``tf_m_s`` takes it to the machine.  A rotary axis takes places as they are described, all rotary axes at
nought, to where they are: ``m = C + R(s a) (m_0 - C)`` with ``C`` on its axis, ``s`` its sense and ``a`` its word less
the reading that counts as nought; of a chain the axis that stands lower is applied last.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np

from .frames import AXES, IDENTITY, Array, Placement, rotation
from .model.base import Point
from .model.machine import Machine
from .model.setup import Setup
from .model.stations import AxisTurn, Carrier, IndexAngle, Mount, Rotary, Station

#: A face whose direction is off an axis of rotation by less than this, as a share, does not look along it.
_ACROSS = 1e-6
#: A share of a centre's error that is less moves nothing.
_NOTHING = 1e-9
#: A direction that is off by less than this is upright.
_UPRIGHT = 1e-12


def station_of(machine: Machine, setup: Setup) -> Station:
    """Where a setup's fixture stands."""
    station = machine.station(setup.station)
    assert station is not None, "the job's own validation keeps stations true"
    return station


def rotaries_under(machine: Machine, setup: Setup) -> tuple[Rotary, ...]:
    """The rotary axes that carry a setup, the uppermost first."""
    return tuple(each for each in machine.carried_by(station_of(machine, setup)) if isinstance(each, Rotary))


def may_index(machine: Machine, before: Setup, after: Setup) -> bool:
    """Whether rotary axes may turn one setup into the other: both stand at one station that some carry."""
    same = (before.machine, before.station) == (after.machine, after.station)
    return same and bool(rotaries_under(machine, after))


def turned_between(machine: Machine, before: Setup, after: Setup) -> tuple[Rotary, ...]:
    """The rotary axes that stand otherwise in ``after`` than ``before``, of those that carry it."""
    return tuple(
        each for each in rotaries_under(machine, after) if stands_at(each, before.index) != stands_at(each, after.index)
    )


def hanging_on_centre(machine: Machine, before: Setup, after: Setup) -> tuple[Rotary, ...]:
    """The rotary axes on whose centre it hangs where what stays clamped comes to lie: those that turn it, and those
    that carry one that does while they stand turned themselves."""
    return tuple(
        each
        for each in rotaries_under(machine, after)
        if float(np.abs(moved_by_centre(machine, before, after, each)).max()) > _NOTHING
    )


def moved_by_centre(machine: Machine, before: Setup, after: Setup, rotary: Rotary) -> Array:
    """How far (3, 3) what stays clamped from one setup to the other comes to lie elsewhere on the machine for a
    millimetre of a rotary axis's centre along X, Y and Z (columns): ``1 - R`` for one axis."""
    stations = tuple(machine.station(each.station) for each in (before, after))
    hangs_on = (machine.carriers, stations, before.index, after.index, rotary)
    return _moved_by_centre(_Between(hangs_on, machine, before, after, rotary))


@dataclass(frozen=True)
class _Between:
    """Known by what the result hangs on alone: setups differ in much else."""

    hangs_on: tuple[object, ...]
    machine: Machine = field(compare=False)
    before: Setup = field(compare=False)
    after: Setup = field(compare=False)
    rotary: Rotary = field(compare=False)


@lru_cache(maxsize=256)
def _moved_by_centre(between: _Between) -> Array:
    machine, before, after, rotary = between.machine, between.before, between.after, between.rotary

    def shift(centre: Array) -> Array:
        x, y, z = (float(value) for value in centre)
        elsewhere = rotary.model_copy(update={"centre": Point(x=x, y=y, z=z)})
        carriers = tuple(elsewhere if each.id == rotary.id else each for each in machine.carriers)
        there = machine.model_copy(update={"carriers": carriers})
        return tf_m_s(there, after).after(tf_m_s(there, before).inverse()).shift

    here = np.array(rotary.centre.as_tuple())
    at_rest = shift(here)
    moved = np.column_stack([shift(here + way) - at_rest for way in np.eye(3)])
    moved.setflags(write=False)
    return moved


def tf_m_carrier(machine: Machine, carrier: Station | Mount | Rotary, index: Iterable[IndexAngle] = ()) -> Placement:
    """What takes a place in the frame of what carries ``carrier`` to the machine, rotary axes standing at ``index``.

    Axes that ``index`` does not name stand at what counts as nought.
    """
    result = IDENTITY
    for under in machine.carried_by(carrier):
        result = _tf_of(under, index).after(result)
    return result


def tf_m_body(machine: Machine, carrier: Carrier, index: Iterable[IndexAngle] = ()) -> Placement:
    """What takes the frame that a carrier's own bodies are stated in to the machine: its own, and of a rotary axis one
    that lies at its centre."""
    own = _tf_of(carrier, index)
    if isinstance(carrier, Rotary):
        own = own.after(Placement(np.eye(3), np.array(carrier.centre.as_tuple())))
    return tf_m_carrier(machine, carrier, index).after(own)


def carrying_axis(machine: Machine, each: Station | Carrier) -> str | None:
    """The id of the rotary axis that takes along what stands there; None where nothing does."""
    return next((under.id for under in machine.carried_by(each) if isinstance(under, Rotary)), None)


def axis_of(machine: Machine, carrier: Carrier) -> str | None:
    """The id of the rotary axis that takes a carrier's own bodies along, which may be that carrier."""
    return carrier.id if isinstance(carrier, Rotary) else carrying_axis(machine, carrier)


def distance_of(machine: Machine, mount: Mount) -> float | None:
    """How far (mm) the middle of a face stands from the rotary axis that takes it along, square to the face as it is
    meant to stand; None where none does, or the face looks along that."""
    found = face_on_axis(machine, mount)
    return None if found is None else float((found[0] - found[1]) @ found[2])


def face_on_axis(machine: Machine, mount: Mount) -> tuple[Array, Array, Array] | None:
    """A face's zero, a place on the axis that takes it along, and the direction out of the face across that axis, all
    on the machine with the axes at nought."""
    axis = axis_of(machine, mount)
    if axis is None:
        return None
    rotary = next(each for each in machine.carriers if each.id == axis)
    assert isinstance(rotary, Rotary), "found as one"
    square = mount.model_copy(update={"tilt_x_deg": 0.0, "tilt_y_deg": 0.0})
    tf_face, tf_axis = tf_m_body(machine, square), tf_m_carrier(machine, rotary)
    out = tf_face.turn[:, 2]
    along = tf_axis.turn[:, AXES.index(rotary.about)]
    if abs(float(out @ along)) > _ACROSS:
        return None
    return tf_face.shift, tf_axis(np.array(rotary.centre.as_tuple())), out


def tf_m_station(machine: Machine, station: Station, index: Iterable[IndexAngle] = ()) -> Placement:
    """What takes the frame of the fixture that stands at a station to the machine."""
    own = Placement(rotation("z", station.turn_deg), np.array(station.at.as_tuple()))
    return tf_m_carrier(machine, station, index).after(own)


def _tf_of(carrier: Mount | Rotary, index: Iterable[IndexAngle]) -> Placement:
    if isinstance(carrier, Mount):
        return Placement(_product(carrier.turns), np.array(carrier.at.as_tuple()))
    turns = _turned_by(carrier, index)
    if not turns:
        return IDENTITY
    centre, turn = np.array(carrier.centre.as_tuple()), _product(turns)
    return Placement(turn, centre - turn @ centre)


def _product(turns: Iterable[AxisTurn]) -> Array:
    matrix = np.eye(3)
    for turn in turns:
        matrix = rotation(turn.about, turn.degrees) @ matrix
    return matrix


def stands_at(rotary: Rotary, index: Iterable[IndexAngle]) -> float:
    """The value of a rotary axis's word at an index (degrees); nought where it is not named."""
    return next((angle.degrees for angle in index if angle.word == rotary.word), rotary.flat_deg)


def _turned_by(rotary: Rotary, index: Iterable[IndexAngle]) -> tuple[AxisTurn, ...]:
    degrees = (stands_at(rotary, index) - rotary.flat_deg) * (-1.0 if rotary.sense == "left-handed" else 1.0)
    return (AxisTurn(about=rotary.about, degrees=math.fmod(degrees, 360.0)),) if degrees else ()


def turns_of_place(machine: Machine, setup: Setup) -> tuple[AxisTurn, ...]:
    """How what a setup is clamped in stands turned, one turn after the other; none where its station is only turned
    about Z and stands so, which turns its work offset along: what an index turns lies otherwise in a WCS that does
    not."""
    station = station_of(machine, setup)
    matrix = tf_m_station(machine, station, setup.index).turn
    indexed = any(stands_at(each, setup.index) != each.flat_deg for each in rotaries_under(machine, setup))
    if matrix[2, 2] > 1.0 - _UPRIGHT and not indexed:
        return ()
    turns = [AxisTurn(about="z", degrees=station.turn_deg)] if station.turn_deg else []
    for under in machine.carried_by(station):
        turns += under.turns if isinstance(under, Mount) else _turned_by(under, setup.index)
    return tuple(turns)


def as_it_lies(machine: Machine, setup: Setup) -> Setup:
    """The setup with its part as it lies at its station and index: its orientation turned along with what holds it."""
    turns = turns_of_place(machine, setup)
    if not turns:
        return setup
    orientation = setup.orientation.model_copy(update={"tilted": (*setup.orientation.tilted, *turns)})
    return setup.model_copy(update={"orientation": orientation})


def tf_m_s(machine: Machine, setup: Setup) -> Placement:
    """What takes the frame of what holds a setup to the machine, at its index."""
    return tf_m_station(machine, station_of(machine, setup), setup.index)
