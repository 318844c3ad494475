"""Edits of the shop's library: what lies on its shelves, and what goes from and to a job."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ..changing import Path, add_item, free_name, remove_item, set_value, value_at
from ..errors import InvalidValueError
from ..model.base import Model, Point
from ..model.holding import Chuck, Fixture, Jig, ParallelsSet, Plate, SoftJaws, Spoilboard, StepJaws, VBlock, Vise
from ..model.job import Job
from ..model.machine import Cutter
from ..model.shop import NamedJaws, Shop

_AT = Point(x=-300.0, y=-200.0, z=-450.0)


@dataclass(frozen=True)
class Shelf:
    """A list of the library: its title, where it stands, and what a new thing on it is at first."""

    title: str
    path: Path
    new: Callable[[str], Model]


def _vise(name: str) -> Vise:
    return Vise(
        name=name, at=_AT, jaw_width=125, jaw_height=40, jaw_thickness=16, opening_min=0, opening_max=125, grip_min=3,
        clamping_scatter=0.01,
    )  # fmt: skip


def _plate(name: str) -> Plate:
    return Plate(name=name, at=_AT, length=300, width=200, thickness=20)


def _board(name: str) -> Spoilboard:
    return Spoilboard(name=name, at=_AT, length=600, width=400, thickness=18)


def _v_block(name: str) -> VBlock:
    return VBlock(name=name, at=_AT, length=80, width=60, height=50, groove=40)


def _chuck(name: str) -> Chuck:
    return Chuck(name=name, at=_AT, diameter=125, length=90, height=110)


def _parallels(name: str) -> ParallelsSet:
    return ParallelsSet(name=name, heights=(20.0, 25.0, 30.0), thickness=10, length=150)


SHELVES: tuple[Shelf, ...] = (
    Shelf("On the machine: vises", ("machine", "vises"), _vise),
    Shelf("On the machine: plates", ("machine", "plates"), _plate),
    Shelf("On the machine: spoilboards", ("machine", "boards"), _board),
    Shelf("On the machine: V-blocks", ("machine", "v_blocks"), _v_block),
    Shelf("On the machine: chucks", ("machine", "chucks"), _chuck),
    Shelf("Vises", ("vises",), _vise),
    Shelf("Parallels", ("parallels",), _parallels),
    Shelf("Stepped jaws", ("jaws",), lambda name: NamedJaws(name=name, jaws=StepJaws(height=35, depth=3))),
    Shelf("Soft jaws", ("jaws",), lambda name: NamedJaws(name=name, jaws=SoftJaws(depth=8))),
    Shelf("Plates", ("plates",), _plate),
    Shelf("Spoilboards", ("boards",), _board),
    Shelf("V-blocks", ("v_blocks",), _v_block),
    Shelf("Chucks", ("chucks",), _chuck),
    Shelf("Cutters", ("machine", "cutters"), lambda name: Cutter(tool=1, name=name, diameter=10, length=100)),
)


def things_on(shop: Shop, shelf: Shelf) -> tuple[tuple[int, Model], ...]:
    """What lies on a shelf, with its number in the list; jaws lie on the shelf of their kind."""
    found = enumerate(value_at(shop, shelf.path))
    if shelf.path != ("jaws",):
        return tuple(found)
    kind = shelf.new("-").jaws.kind  # type: ignore[attr-defined]
    return tuple((k, thing) for k, thing in found if thing.jaws.kind == kind)


def add_new(shop: Shop, shelf: Shelf) -> Shop:
    """One more thing on a shelf, under a name (and, a cutter, a number) of its own."""
    thing = shelf.new(free_name("new", _names(shop)))
    if isinstance(thing, Cutter):
        used = {shop.machine.probe.tool, *(cutter.tool for cutter in shop.machine.cutters)}
        thing = thing.model_copy(update={"tool": next(n for n in range(1, 10_000) if n not in used)})
    return add_item(shop, shelf.path, thing)


def remove(shop: Shop, shelf: Shelf, index: int) -> Shop:
    return remove_item(shop, shelf.path, index)


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


def keep_fixture(shop: Shop, fixture: Fixture) -> Shop:
    """The library with a job's fixture in it, in place of one of the same name.

    Raises InvalidValueError for a jig, which is made for one part.
    """
    if isinstance(fixture, Jig):
        raise InvalidValueError(fixture.name, "a jig is made for one part and stays with its job; keep the job's file")
    shelf = {Vise: "vises", Plate: "plates", Spoilboard: "boards", VBlock: "v_blocks", Chuck: "chucks"}[type(fixture)]
    kept = [each for each in getattr(shop, shelf) if each.name != fixture.name]
    return set_value(shop, (shelf,), [*kept, fixture])


def keep_machine(shop: Shop, job: Job) -> Shop:
    """The library with a job's machine, its fixtures and cutters, as what new jobs begin with."""
    return set_value(shop, ("machine",), job.machine)
