"""What stands on a machine and where: fixtures with their stations, put there and moved."""

from __future__ import annotations

from dataclasses import dataclass

from ..changing import free_name, set_value
from ..frames import Axis
from ..model.base import Point
from ..model.holding import Chuck, Fixture
from ..model.machine import Machine
from ..model.shop import Shop
from ..model.stations import Rotary, Station
from .free_ids import free_id


@dataclass(frozen=True)
class Standing:
    """A fixture and where it stands, or would stand."""

    fixture: Fixture
    station: Station

    @property
    def name(self) -> str:
        return self.station.name


def standing_on(machine: Machine) -> tuple[Standing, ...]:
    """What stands on a machine, station by station."""
    return tuple(Standing(machine.fixture_at(station.id), station) for station in machine.stations)


def to_choose(machine: Machine, shop: Shop | None) -> tuple[Standing, ...]:
    """What stands on a machine, then what the shop has besides, each name once."""
    found = list(standing_on(machine))
    if shop is not None:
        shelf = (_usually(shop, fixture) for fixture in shop.fixtures)
        taken = {each.fixture.name for each in found}
        found += [each for each in (*standing_on(shop.machine), *shelf) if each.fixture.name not in taken]
    return tuple(found)


def _usually(shop: Shop, fixture: Fixture) -> Standing:
    """Where what lies on the shelf usually stands; where nothing says so, where the machine's first fixture does."""
    station = next((each for each in shop.stations if each.fixture == fixture.name), None)
    return Standing(fixture, station or new_station(shop.machine, fixture))


def new_station(machine: Machine, fixture: Fixture) -> Station:
    """A station for a fixture that has none: where the machine's first one is, for want of a better place."""
    at = machine.stations[0].at if machine.stations else Point(x=0.0, y=0.0, z=0.0)
    name = free_name(fixture.name, [station.name for station in machine.stations])
    return Station(id=free_id(machine, "station", name), name=name, fixture=fixture.name, at=at)


def with_standing(machine: Machine, standing: Standing) -> Machine:
    """The machine with a fixture at its station, where it does not stand there yet; a chuck with its axis, if any."""
    fixture, station = standing.fixture, standing.station
    if machine.station(station.id) is not None:
        return machine
    carriers = machine.carriers
    if _hangs(fixture):
        axis = _axis_for(machine, station)
        carriers = (*carriers, *((axis,) if axis not in carriers else ()))
        station = station.model_copy(update={"on": axis.id})
    fixtures = machine.fixtures if machine.fixture(fixture.name) is not None else (*machine.fixtures, fixture)
    name = free_name(station.name, [each.name for each in machine.stations])
    station = station.model_copy(update={"name": name})
    update = {"fixtures": fixtures, "carriers": carriers, "stations": (*machine.stations, station)}
    return Machine.model_validate(machine.model_copy(update=update).model_dump())


def _axis_for(machine: Machine, station: Station) -> Rotary:
    """The rotary axis on which a chuck stands: the machine's own through its place, or one that comes with it."""
    at = station.at
    for each in machine.carriers:
        if isinstance(each, Rotary) and each.about == "x" and (each.centre.y, each.centre.z) == (at.y, at.z):
            return each
    name = free_name(f"axis of {station.fixture}"[:78], [carrier.name for carrier in machine.carriers])
    own = free_id(machine, "axis", name.removeprefix("axis of "))
    return Rotary(id=own, name=name, word="A", about="x", centre=at)


def _hangs(fixture: Fixture) -> bool:
    return isinstance(fixture, Chuck) and not fixture.stands


def with_place(machine: Machine, station: int, axis: Axis, mm: float) -> Machine:
    """A station moved along one axis; the axis that a chuck stands on is moved along with it."""
    now = machine.stations[station]
    at = now.at.model_copy(update={axis: mm})
    machine = set_value(machine, ("stations", station, "at"), at)
    under = next((k for k, each in enumerate(machine.carriers) if each.id == now.on), None)
    if under is not None and _hangs(machine.fixture_at(now.id)):
        machine = set_value(machine, ("carriers", under, "centre"), at)
    return machine
