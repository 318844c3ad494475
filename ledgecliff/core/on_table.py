"""What stands on a machine: its stations, and the setups of a job that are clamped there."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from .blanks import moved
from .carrier_bodies import vise_room
from .frames import Array, Placement
from .holding.own_fixtures import model_placement
from .model.holding import Chuck, Fixture, Jig, Plate, Spoilboard, VBlock, Vise
from .model.machine import Machine
from .model.own_fixture import OwnFixture
from .model.stations import Carrier, IndexAngle, Mount, Station
from .patterns.instances import Instance, pattern_of
from .places import distance_of, station_of, tf_m_s, tf_m_station
from .plan import Plan
from .setup_plan import SetupPlan
from .solids.geometry import FixtureModels

#: So many setups are named in a drawing.
_FEW = 2


@dataclass(frozen=True, eq=False)
class OnTable:
    """A station of a machine, the setups of the job that are clamped there, where its zero is with its carriers at
    rest, and the box of all of it (machine, mm) as the axes are shown.  Each of the setups that are ``drawn`` has
    with it what takes it there from where it is at its own index."""

    station: Station
    setups: tuple[SetupPlan, ...]
    m_zero: Array
    m_low: Array
    m_high: Array
    drawn: tuple[tuple[SetupPlan, Placement], ...]
    #: Of the first of them that has a pattern: every instance, with what takes ``u`` of it to where it is shown.
    instances: tuple[tuple[Instance, Placement], ...] = ()
    patterned: SetupPlan | None = None
    #: What carries it, down to the table, and how far each of them that is a face is from its axis (mm).
    under: tuple[tuple[Carrier, float | None], ...] = ()
    #: Setups that are clamped elsewhere and stand on its face too, by their patterns.
    too: tuple[str, ...] = ()

    @property
    def source(self) -> str:
        return f"station-{self.station.id}"

    @property
    def words(self) -> str:
        """Its name, and who is clamped there in which offset."""
        many = {self.patterned.index: f" × {len(self.instances)}"} if self.patterned is not None else {}
        who = ", ".join(f"{each.setup.name} {each.setup.offset}{many.get(each.index, '')}" for each in self.setups)
        who = who or (f"{', '.join(self.too)} too" if self.too else "free")
        return f"{self.station.name} · {who}"

    @property
    def short_words(self) -> str:
        """The same where there is little room: of many setups the first, and how many more."""
        if len(self.setups) <= _FEW:
            return self.words
        first = self.setups[0].setup
        return f"{self.station.name} · {first.name} {first.offset} and {len(self.setups) - 1} more"


def shown_index(plan: Plan, machine: Machine, station: str) -> tuple[IndexAngle, ...]:
    """Where the machine's axes are shown with a station in hand: where its first setup has them."""
    setups = (each.setup for each in plan.setups)
    return next((setup.index for setup in setups if (setup.machine, setup.station) == (machine.id, station)), ())


def on_table(plan: Plan, machine: Machine, index: tuple[IndexAngle, ...] = ()) -> tuple[OnTable, ...]:
    """Every station of a machine, in the order of the machine's own list, the rotary axes standing at ``index``."""
    mine = tuple(each for each in plan.setups if each.setup.machine == machine.id)
    return tuple(
        _on_table(plan, machine, station, index, tuple(each for each in mine if each.setup.station == station.id))
        for station in machine.stations
    )


def clamped(plan: Plan, number: int, index: tuple[IndexAngle, ...] = ()) -> OnTable:
    """A setup (from 0) by itself where it is clamped, the rotary axes standing at ``index``."""
    each = plan.setups[number]
    return _on_table(plan, each.machine, station_of(each.machine, each.setup), index, (each,))


def _on_table(
    plan: Plan, machine: Machine, station: Station, index: tuple[IndexAngle, ...], setups: tuple[SetupPlan, ...]
) -> OnTable:
    shown = tf_m_station(machine, station, index)
    # All indexes of a station at once nobody could read: those that the first of its setups is clamped at.
    drawn = tuple(
        (each, shown.after(tf_m_s(machine, each.setup).inverse()))
        for each in setups
        if each.setup.index == setups[0].setup.index
    )
    patterned = next((each for each in setups if pattern_of(plan.job, each.index) is not None), None)
    instances: tuple[tuple[Instance, Placement], ...] = ()
    if patterned is not None:
        tf_s_u = patterned.holding.tf_s_u
        instances = tuple(
            (each, tf_m_station(machine, each.station, index).after(tf_s_u)) for each in plan.instances(patterned.index)
        )
    places = [
        placed(tf_shown.after(each.located.tf_m_u), corners)
        for each, tf_shown in drawn
        for corners in _corners_of(each)
    ]
    if patterned is not None:
        corners = _corners(*patterned.near_box)
        places += [placed(tf_shown, corners) for _, tf_shown in instances]
    if not places:
        fixture = machine.fixture(station.fixture)
        assert fixture is not None, "the job's own validation keeps fixtures true"
        places = [placed(shown, _corners(*_box(fixture, plan.models.fixtures)))]
    every = np.concatenate(places)
    under = tuple(
        (each, distance_of(machine, each) if isinstance(each, Mount) else None) for each in machine.carried_by(station)
    )
    at_rest = tf_m_station(machine, station).shift
    return OnTable(
        station, setups, at_rest, every.min(axis=0), every.max(axis=0), drawn, instances, patterned, under,
        _standing_too(plan, machine, station),
    )  # fmt: skip


def _standing_too(plan: Plan, machine: Machine, station: Station) -> tuple[str, ...]:
    """Setups of which instances stand on what carries a station, while they are clamped at another."""
    return tuple(
        each.setup.name
        for each in plan.setups
        if each.setup.machine == machine.id and each.setup.station != station.id and station.on is not None
        and any(face.carrier == station.on for face in getattr(pattern_of(plan.job, each.index), "faces", ()))
    )  # fmt: skip


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
            return vise_room(fixture)
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


def on_grid(way: tuple[float, float], grid: float) -> tuple[float, float]:
    """A way (mm) in whole steps of a ``grid``."""
    return (_on(way[0], grid), _on(way[1], grid))


def _on(value: float, grid: float) -> float:
    return round(math.floor(value / grid + 0.5) * grid, 4)
