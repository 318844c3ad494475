"""Bodies of what carries fixtures, as they stand on the machine: what turns along, and what is turned past."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import assert_never

import manifold3d
import numpy as np

from .blanks import axis_frame, box, moved, transformed
from .frames import Array, Axis, rotation
from .holding.holding import JAW_TURN_DEG, Holding
from .model.carrier_body import BoxBody, CarrierBody, ColumnBody, RoundBody
from .model.holding import Chuck, Vise
from .model.machine import Machine
from .model.setup import Setup
from .model.stations import IndexAngle
from .places import axis_of, carrying_axis, station_of, tf_m_body, tf_m_station
from .solids.facets import facets_for
from .solids.geometry import COARSE_DEFLECTION

#: How thick what carries a fixture is taken to be where nobody has said (mm).
_FOOT = 20.0
#: Where (degrees about the column, against the clock seen from its upper end) the first face of a column looks, counted
#: from the machine axis after the one that it lies along.
_FIRST_FACE: dict[Axis, float] = {"x": 90.0, "y": 0.0, "z": -90.0}


@dataclass(frozen=True, eq=False)
class StandingBody:
    """A body on the machine, and the id of the carrier or station that it is part of: ``on`` is that of the rotary axis
    that takes it along, if any."""

    owner: str
    name: str
    m_solid: manifold3d.Manifold
    on: str | None


def standing_bodies(machine: Machine, index: Iterable[IndexAngle] = ()) -> Iterator[StandingBody]:
    """Every body of the machine's carriers, the rotary axes standing at ``index``."""
    index = tuple(index)
    for carrier in machine.carriers:
        for body in carrier.bodies:
            name = body.name if body.name == carrier.name else f"{body.name} of {carrier.name}"
            solid = moved(body_solid(body), tf_m_body(machine, carrier, index))
            yield StandingBody(carrier.id, name, solid, axis_of(machine, carrier))


def vise_bodies(machine: Machine, index: Iterable[IndexAngle] = ()) -> Iterator[StandingBody]:
    """What vises that rotary axes take along have below their beds, as high as those stand over what carries them.  On
    a table nothing gets there; turned up by an axis, all of it is met."""
    index = tuple(index)
    for station in machine.stations:
        fixture, on = machine.fixture(station.fixture), carrying_axis(machine, station)
        if isinstance(fixture, Vise) and fixture.bed_height and on is not None:
            low, high = vise_room(fixture)
            solid = moved(box(low, (*high[:2], 0.0)), tf_m_station(machine, station, index))
            yield StandingBody(station.id, f"body of {station.name}", solid, on)


def vise_room(vise: Vise) -> tuple[Array, Array]:
    """Lowest and highest corner (3,) of the room that a vise takes in its own frame, opened as far as it goes (mm)."""
    half, thick = vise.jaw_width / 2.0, vise.jaw_thickness
    back = vise.opening_max / 2.0 if vise.centring else 0.0
    low = np.array([-half, back - vise.opening_max - thick, -vise.bed_height])
    turned = rotation("z", JAW_TURN_DEG[vise.fixed_jaw])
    ends = np.array([low, [half, back + thick, vise.jaw_height]]) @ turned.T
    return ends.min(axis=0), ends.max(axis=0)


@lru_cache(maxsize=256)
def body_solid(body: CarrierBody) -> manifold3d.Manifold:
    """A body in the frame it is stated in; rounds are all within their facets, so that nothing is missed that meets
    them."""
    match body:
        case BoxBody():
            return box(body.low.as_tuple(), body.high.as_tuple())
        case RoundBody():
            facets = facets_for(body.diameter / 2.0, COARSE_DEFLECTION)
            return _prism(body, facets, body.diameter / 2.0, 0.0)
        case ColumnBody():
            return _prism(body, body.faces, body.distance, _FIRST_FACE[body.along])
        case _:
            assert_never(body)


def _prism(body: RoundBody | ColumnBody, faces: int, distance: float, first_deg: float) -> manifold3d.Manifold:
    """A prism whose first face looks to ``first_deg``: drawn, a corner would stand at nought."""
    radius = distance / math.cos(math.pi / faces)
    upright = manifold3d.Manifold.cylinder(body.length, radius, radius, faces)
    upright = upright.rotate((0.0, 0.0, first_deg + 180.0 / faces))
    return transformed(upright, axis_frame(body.along), np.array(body.at.as_tuple()))


def assumed_foot(machine: Machine, setup: Setup, level: Holding) -> manifold3d.Manifold | None:
    """What a fixture is taken to stand on, in its own frame: as far as its blocks reach while it stands ``level``, and
    so thick; None where what carries it has bodies of its own."""
    if any(each.bodies for each in machine.carried_by(station_of(machine, setup))):
        return None
    low = np.min([block.low for block in level.blocks], axis=0)
    high = np.max([block.high for block in level.blocks], axis=0)
    return moved(box((low[0], low[1], level.foot - _FOOT), (high[0], high[1], level.foot)), level.tf_s_u)


def takes_foot_along(machine: Machine, setup: Setup) -> str | None:
    """The id of the rotary axis that takes along what a fixture stands on: none does under a chuck, which hangs on
    its own."""
    fixture = machine.fixture_at(setup.station)
    if isinstance(fixture, Chuck) and not fixture.stands:
        return None
    return carrying_axis(machine, station_of(machine, setup))
