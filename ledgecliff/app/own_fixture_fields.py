"""Fields of a fixture of the shop's own: where its zero is, how far its parts go, and what things on it are called."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from ledgecliff.core.changing import Path
from ledgecliff.core.edits.own_fixtures import call_fixture, rename_thing
from ledgecliff.core.model.holding import OwnHold
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.own_fixture import OwnFixture

from .field_table import FieldSpec, Section, length

Named = Literal["faces", "bores", "spigots"]
_ONE: dict[Named, str] = {"faces": "Face", "bores": "Bore", "spigots": "Spigot"}


def own_sections(own: OwnFixture, hold: OwnHold, path: Path, fixture: Path, setup: int) -> tuple[Section, ...]:
    """``path`` leads to the hold, ``fixture`` to the fixture itself."""
    sections = [*_place(own, hold, path), *_moving(own, fixture), *_screws(own, fixture)]
    zero = tuple(length(f"Model {axis.upper()}", "Of the fixture's zero.", *fixture, "zero", axis) for axis in "xyz")
    repeats = length("Repeats within", "How far a part may lie off its faces.", *fixture, "seat_scatter")
    sections += [Section("Its zero in its model", (*zero, repeats)), _names(own, fixture, setup)]
    return tuple(sections)


def _place(own: OwnFixture, hold: OwnHold, path: Path) -> list[Section]:
    """Where the stock lies along an axis where nothing of the fixture says it."""
    if hold.over is not None:
        return []
    fields = [
        length(letter, f"Middle of the stock from the fixture's zero, along machine {letter}.", *path, letter.lower())
        for k, letter in enumerate("XY")
        if not own.against(k)
    ]
    return [Section("Place in the fixture", tuple(fields))] if fields else []


def _moving(own: OwnFixture, fixture: Path) -> list[Section]:
    fields = tuple(
        length(f"{part.name} goes", "How far it can move to clamp.", *fixture, "moving", k, "travel")
        for k, part in enumerate(own.moving)
    )
    return [Section("How far its parts go", fields)] if fields else []


def _screws(own: OwnFixture, fixture: Path) -> list[Section]:
    return [
        Section(
            f"Screw {k + 1} of the fixture",
            (
                length("X", "From the fixture's zero.", *fixture, "screws", k, "x"),
                length("Y", "From the fixture's zero.", *fixture, "screws", k, "y"),
                length("Head", "Diameter of its head.", *fixture, "screws", k, "head_diameter"),
                length("Head, high", "Over what it presses on.", *fixture, "screws", k, "head_height"),
            ),
        )
        for k in range(len(own.screws))
    ]


def _names(own: OwnFixture, fixture: Path, setup: int) -> Section:
    """What everything on it is called that a zero, a touch or a hold may name."""

    def rename(kind: Named, index: int) -> Callable[[Job, object], Job]:
        return lambda job, text: rename_thing(job, setup, kind, index, str(text))

    fields = [FieldSpec("Fixture", (*fixture, "name"), "text", "What people call it.", change=_call(setup))]
    for kind, word in _ONE.items():
        for k, _thing in enumerate(getattr(own, kind)):
            why = "Zeros, touches and the hold name it so."
            path = (*fixture, kind, k, "name")
            fields.append(FieldSpec(f"{word} {k + 1}", path, "text", why, change=rename(kind, k)))
    for k, _part in enumerate(own.moving):
        fields.append(FieldSpec(f"Moving part {k + 1}", (*fixture, "moving", k, "name"), "text", "What moves."))
    return Section("What things are called", tuple(fields))


def _call(setup: int) -> Callable[[Job, object], Job]:
    return lambda job, text: call_fixture(job, setup, str(text))
