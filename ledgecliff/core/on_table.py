"""What stands on a machine: its stations, and the setups of a job that are clamped there."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from .blanks import moved
from .frames import Array, Placement, rotation
from .holding.holding import JAW_TURN_DEG
from .holding.own_fixtures import model_placement
from .model.holding import Chuck, Fixture, Jig, Plate, Spoilboard, VBlock, Vise
from .model.machine import Machine
from .model.own_fixture import OwnFixture
from .model.stations import Station
from .places import tf_m_station
from .plan import Plan
from .setup_plan import SetupPlan
from .solids.geometry import FixtureModels


@dataclass(frozen=True, eq=False)
class OnTable:
    """A station of a machine, the setups of the job that are clamped there, where its zero is, and the box of all of it
    (machine, mm).  What is carried is told where it stands with its carriers at rest."""

    station: Station
    setups: tuple[SetupPlan, ...]
    m_zero: Array
    m_low: Array
    m_high: Array

    @property
    def source(self) -> str:
        return f"station-{self.station.id}"

    @property
    def drawn(self) -> tuple[SetupPlan, ...]:
        """The setups clamped there as the first of them has the axes: all of them at once nobody could read."""
        return tuple(each for each in self.setups if each.setup.index == self.setups[0].setup.index)

    @property
    def words(self) -> str:
        """Its name, and who is clamped there in which offset."""
        who = ", ".join(f"{each.setup.name} {each.setup.offset}" for each in self.setups)
        return f"{self.station.name} · {who}" if who else f"{self.station.name} · free"


def on_table(plan: Plan, machine: Machine) -> tuple[OnTable, ...]:
    """Every station of a machine, in the order of the machine's own list."""
    return tuple(_on_table(plan, machine, station) for station in machine.stations)


def _on_table(plan: Plan, machine: Machine, station: Station) -> OnTable:
    setups = tuple(
        each for each in plan.setups if each.setup.machine == machine.id and each.setup.station == station.id
    )
    tf_m = tf_m_station(machine, station)
    places = [
        placed(each.located.tf_m_u, corners)
        for each in setups
        if each.setup.index == setups[0].setup.index
        for corners in _corners_of(each)
    ]
    if not places:
        fixture = machine.fixture(station.fixture)
        assert fixture is not None, "the job's own validation keeps fixtures true"
        places = [placed(tf_m, _corners(*_box(fixture, plan.models.fixtures)))]
    every = np.concatenate(places)
    return OnTable(station, setups, tf_m.shift, every.min(axis=0), every.max(axis=0))


def placed(tf: Placement, places: Array) -> Array:
    """Places (N, 3), each taken along."""
    moved: Array = places @ tf.turn.T + tf.shift
    return moved


def _corners_of(setup: SetupPlan) -> Iterator[Array]:
    """Of the stock and of everything that holds it, in ``u``."""
    holding = setup.holding
    yield _corners(*holding.u_stock)
    for block in holding.blocks:
        yield _corners(np.array(block.low), np.array(block.high))


def _corners(low: Array, high: Array) -> Array:
    """The eight corners (8, 3) of a box."""
    ends = np.array(list(np.ndindex(2, 2, 2)), dtype=float)
    corners: Array = low + ends * (high - low)
    return corners


def _box(fixture: Fixture, models: FixtureModels) -> tuple[Array, Array]:
    """The room that an empty fixture takes in its own frame (mm): a vise opened as far as it goes."""
    match fixture:
        case Vise():
            half, thick = fixture.jaw_width / 2.0, fixture.jaw_thickness
            back = fixture.opening_max / 2.0 if fixture.centring else 0.0
            low = np.array([-half, back - fixture.opening_max - thick, -fixture.bed_height])
            turned = rotation("z", JAW_TURN_DEG[fixture.fixed_jaw])
            ends = np.array([low, [half, back + thick, fixture.jaw_height]]) @ turned.T
            return ends.min(axis=0), ends.max(axis=0)
        case Plate() | Spoilboard() | Jig():
            half_x, half_y = fixture.length / 2.0, fixture.width / 2.0
            return np.array([-half_x, -half_y, -fixture.thickness]), np.array([half_x, half_y, 0.0])
        case VBlock():
            along = (fixture.length, fixture.width) if fixture.along == "x" else (fixture.width, fixture.length)
            half_x, half_y = along[0] / 2.0, along[1] / 2.0
            return np.array([-half_x, -half_y, -fixture.height]), np.array([half_x, half_y, 0.0])
        case OwnFixture():
            there = [moved(models.solid(each, fine=False), model_placement(fixture)) for each in fixture.models]
            bounds = np.array([each.bounding_box() for each in there])
            return bounds[:, :3].min(axis=0), bounds[:, 3:].max(axis=0)
        case Chuck(opens="up"):
            radius = fixture.diameter / 2.0
            return np.array([-radius, -radius, -fixture.height]), np.array([radius, radius, 0.0])
        case Chuck():
            radius = fixture.diameter / 2.0
            behind = (-fixture.length, 0.0) if fixture.opens == "right" else (0.0, fixture.length)
            return np.array([behind[0], -radius, -fixture.height]), np.array([behind[1], radius, radius])


def moved_to(each: OnTable, way: tuple[float, float], grid: float) -> tuple[float, float]:
    """Where on the machine, on a ``grid`` (mm), a station comes to stand that is dragged by ``way`` on the plan."""
    x, y = each.station.at.x + way[0], each.station.at.y + way[1]
    return (_on(x, grid), _on(y, grid))


def _on(value: float, grid: float) -> float:
    return round(math.floor(value / grid + 0.5) * grid, 4)
