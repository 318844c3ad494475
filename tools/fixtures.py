"""Putting fixtures on the demos' machines."""

from __future__ import annotations

from ledgecliff.core.edits.standing import Standing, with_standing
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.holding import Fixture
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.stations import Station
from ledgecliff.store.migrations import machine_id

MILL = machine_id("Mill 2, the long table")


def station_id(name: str, machine: str = MILL) -> str:
    """The id of the station where a fixture of that name stands."""
    return derived_id(machine, "station", name)


def station(fixture: Fixture, at: Point, machine: str = MILL) -> Station:
    return Station(id=station_id(fixture.name, machine), name=fixture.name, fixture=fixture.name, at=at)


def with_fixtures(machine: Machine, *placed: tuple[Fixture, Point]) -> Machine:
    """The machine with each fixture at its place."""
    for fixture, at in placed:
        machine = with_standing(machine, Standing(fixture, station(fixture, at, machine.id)))
    return machine
