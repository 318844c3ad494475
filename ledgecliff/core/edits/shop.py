"""Edits of the shop's library: what lies on its shelves, and what goes from and to a job."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from ..changing import Path, add_item, changed, free_name, remove_item, set_value, value_at
from ..errors import InvalidValueError
from ..frames import Axis
from ..model.base import Model
from ..model.holding import (
    Chuck,
    Fixture,
    Jaws,
    Jig,
    ParallelsSet,
    Plate,
    SoftJaws,
    Spoilboard,
    StepJaws,
    VBlock,
    Vise,
    VJaws,
)
from ..model.machine import Cutter, Machine
from ..model.own_fixture import OwnFixture
from ..model.shop import NamedJaws, Shop
from ..model.stations import Station
from .standing import Standing, new_station, with_place, with_standing
from .tools import free_number


@dataclass(frozen=True)
class Shelf:
    """What is shown together of the library: a title, the list that has it, what a new thing is at first, and which
    things of that list it ``holds``; nothing new lies on one of
    what is made elsewhere."""

    title: str
    path: Path
    new: Callable[[str], Model] | None
    holds: Callable[[Any], bool] = lambda _thing: True


def _vise(name: str) -> Vise:
    return Vise(
        name=name, jaw_width=125, jaw_height=40, jaw_thickness=16, opening_min=0, opening_max=125, grip_min=3,
        clamping_scatter=0.01,
    )  # fmt: skip


def _plate(name: str) -> Plate:
    return Plate(name=name, length=300, width=200, thickness=20)


def _board(name: str) -> Spoilboard:
    return Spoilboard(name=name, length=600, width=400, thickness=18)


def _v_block(name: str) -> VBlock:
    return VBlock(name=name, length=80, width=60, height=50, groove=40)


def _chuck(name: str) -> Chuck:
    return Chuck(name=name, diameter=125, length=90, height=110)


def _parallels(name: str) -> ParallelsSet:
    return ParallelsSet(name=name, heights=(20.0, 25.0, 30.0), thickness=10, length=150)


def _on_machine(title: str, kind: type[Model], new: Callable[[str], Model] | None) -> Shelf:
    return Shelf(f"On the machine: {title}", ("machine", "fixtures"), new, lambda thing: isinstance(thing, kind))


def _on_shelf(title: str, kind: type[Model], new: Callable[[str], Model] | None) -> Shelf:
    return Shelf(title, ("fixtures",), new, lambda thing: isinstance(thing, kind))


def _jaws(title: str, jaws: Jaws) -> Shelf:
    def of_kind(thing: Any) -> bool:
        return bool(thing.jaws.kind == jaws.kind)

    return Shelf(title, ("jaws",), lambda name: NamedJaws(name=name, jaws=jaws), of_kind)


SHELVES: tuple[Shelf, ...] = (
    _on_machine("vises", Vise, _vise),
    _on_machine("plates", Plate, _plate),
    _on_machine("spoilboards", Spoilboard, _board),
    _on_machine("V-blocks", VBlock, _v_block),
    _on_machine("chucks", Chuck, _chuck),
    _on_machine("fixtures from models", OwnFixture, None),
    _on_shelf("Vises", Vise, _vise),
    Shelf("Parallels", ("parallels",), _parallels),
    _jaws("Stepped jaws", StepJaws(height=35, depth=3)),
    _jaws("Soft jaws", SoftJaws(depth=8)),
    _jaws("V-jaws", VJaws(width=30)),
    _on_shelf("Plates", Plate, _plate),
    _on_shelf("Spoilboards", Spoilboard, _board),
    _on_shelf("V-blocks", VBlock, _v_block),
    _on_shelf("Chucks", Chuck, _chuck),
    _on_shelf("Fixtures from models", OwnFixture, None),
    Shelf("Cutters", ("machine", "cutters"), lambda name: Cutter(tool=1, name=name, diameter=10, length=100)),
)


def things_on(shop: Shop, shelf: Shelf) -> tuple[tuple[int, Model], ...]:
    """What lies on a shelf, with its number in the list that it shares with others."""
    return tuple((k, thing) for k, thing in enumerate(value_at(shop, shelf.path)) if shelf.holds(thing))


def add_new(shop: Shop, shelf: Shelf) -> Shop:
    """One more thing on a shelf, under a name (and, a cutter, a number) of its own; a fixture with a station.

    Raises InvalidValueError for a shelf of what is made elsewhere.
    """
    if shelf.new is None:
        raise InvalidValueError(
            shelf.title,
            "such a fixture is made from a model in a job (Hold, A fixture from a model…); then keep it here",
        )
    thing = shelf.new(free_name("new", _names(shop)))
    if isinstance(thing, Cutter):
        thing = thing.model_copy(update={"tool": free_number(shop.machine)})
    if not isinstance(thing, Vise | Plate | Spoilboard | VBlock | Chuck):
        return add_item(shop, shelf.path, thing)
    station = new_station(shop.machine, thing)
    if shelf.path == ("fixtures",):
        return changed(shop, {"fixtures": (*shop.fixtures, thing), "stations": (*shop.stations, station)})
    return changed(shop, {"machine": with_standing(shop.machine, Standing(thing, station))})


def remove(shop: Shop, shelf: Shelf, index: int) -> Shop:
    """The thing with a number taken off its shelf, and a fixture off its stations."""
    thing = value_at(shop, (*shelf.path, index))
    if shelf.path == ("fixtures",):
        kept, left = _without(shop.fixtures, shop.stations, thing)
        return changed(shop, {"fixtures": kept, "stations": left})
    if shelf.path == ("machine", "fixtures"):
        kept, left = _without(shop.machine.fixtures, shop.machine.stations, thing)
        # A chuck's axis came with it.
        used = {station.on for station in left} | {each.on for each in shop.machine.carriers}
        own = {station.on for station in shop.machine.stations if station.fixture == thing.name} - used
        carriers = tuple(each for each in shop.machine.carriers if each.id not in own or not isinstance(thing, Chuck))
        update = {"fixtures": kept, "stations": left, "carriers": carriers}
        return changed(shop, {"machine": shop.machine.model_copy(update=update)})
    return remove_item(shop, shelf.path, index)


def _without(
    fixtures: tuple[Fixture, ...], stations: tuple[Station, ...], thing: Fixture
) -> tuple[tuple[Fixture, ...], tuple[Station, ...]]:
    kept = tuple(each for each in fixtures if each is not thing)
    return kept, tuple(each for each in stations if each.fixture != thing.name)


def renamed(shop: Shop, path: Path, name: str) -> Shop:
    """A thing of the library under another name; stations follow the fixture that stands there."""
    thing, before = value_at(shop, path), value_at(shop, (*path, "name"))
    if path[:-1] not in (("fixtures",), ("machine", "fixtures")):
        return set_value(shop, (*path, "name"), name)
    whole: Shop | Machine = shop if path[0] == "fixtures" else shop.machine
    fixtures = tuple(each.model_copy(update={"name": name}) if each is thing else each for each in whole.fixtures)
    stations = tuple(_called(each, before, name) if each.fixture == before else each for each in whole.stations)
    fields: dict[str, object] = {"fixtures": fixtures, "stations": stations}
    if isinstance(whole, Shop):
        return changed(shop, fields)
    return changed(shop, {"machine": whole.model_copy(update=fields)})


def _called(station: Station, before: str, name: str) -> Station:
    """A station was called as its fixture unless somebody named it."""
    return station.model_copy(
        update={"fixture": name, "name": name if station.name == before else station.name}
    )  # fmt: skip


def station_path(shop: Shop, path: Path) -> Path | None:
    """Where the first station of a fixture stands in the library; None where it has none."""
    stations: Path = ("stations",) if path[0] == "fixtures" else ("machine", "stations")
    name = value_at(shop, (*path, "name"))
    number = next((k for k, each in enumerate(value_at(shop, stations)) if each.fixture == name), None)
    return None if number is None else (*stations, number)


def with_station_at(shop: Shop, path: Path, axis: Axis, mm: float) -> Shop:
    """A station of the library moved along one axis; what it stands on that belongs to it is moved along."""
    if path[0] == "stations":
        return set_value(shop, (*path, "at", axis), mm)
    return changed(shop, {"machine": with_place(shop.machine, int(path[2]), axis, mm)})


def _names(shop: Shop) -> set[str]:
    return {thing.name for shelf in SHELVES for _, thing in things_on(shop, shelf)}  # type: ignore[attr-defined]


def heights_text(heights: tuple[float, ...]) -> str:
    """The heights of a set of parallels as they are typed, in mm."""
    return ", ".join(f"{height:g}" for height in heights)


def with_heights(shop: Shop, index: int, text: str) -> Shop:
    """A set of parallels with the heights in ``text``; raises InvalidValueError when it cannot be read."""
    try:
        heights = [float(part) for part in text.split(",") if part.strip()]
    except ValueError as error:
        raise InvalidValueError("heights", f"{error}; write numbers apart by commas, such as 20, 25, 30") from error
    return set_value(shop, ("parallels", index, "heights"), sorted(heights))


def keep_fixture(shop: Shop, fixture: Fixture, station: Station) -> Shop:
    """The library with a job's fixture in it and where it stands, in place of one of the same name.

    Raises InvalidValueError for a jig, which is made for one part.
    """
    if isinstance(fixture, Jig):
        raise InvalidValueError(fixture.name, "a jig is made for one part and stays with its job; keep the job's file")
    kept = tuple(each for each in shop.fixtures if each.name != fixture.name)
    places = tuple(each for each in shop.stations if each.fixture != fixture.name)
    here = station.model_copy(update={"on": None, "name": fixture.name})
    return changed(shop, {"fixtures": (*kept, fixture), "stations": (*places, here)})


def keep_machine(shop: Shop, machine: Machine) -> Shop:
    """The library with a machine of a job, its fixtures and cutters, as what new jobs begin with."""
    return set_value(shop, ("machine",), machine)
