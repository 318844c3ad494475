"""Fields and choices of a machine's rotary axes, and of where they stand while a setup is clamped."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any, get_args

from ledgecliff.core.changing import Path, set_value
from ledgecliff.core.edits.rotary import rotaries, stand_at, stand_on, with_rotary, without_rotary
from ledgecliff.core.frames import AXES
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.stations import CentreOrigin, Rotary, Station
from ledgecliff.core.places import rotaries_under, stands_at

from .field_table import FieldSpec, Section, length
from .fields import ChoiceField

if TYPE_CHECKING:
    from .lenses.base import LensPanel

_SENSES = (("not known yet", None), ("right-handed on the part", "right-handed"), ("left-handed", "left-handed"))
_LOOK = "With the spindle retracted and all clear, turn it to +90 and look"
_SENSE_HELP = {
    "x": f"{_LOOK}: right-handed, the back side of the part comes up; left-handed, the front side.",
    "y": f"{_LOOK}: right-handed, the left side of the part comes up; left-handed, the right side.",
    "z": f"{_LOOK} from above: right-handed, the part goes counter-clockwise; left-handed, clockwise.",
}


def index_section(job: Job, setup: int) -> tuple[Section, ...]:
    """Where the axes stand that carry a setup; nothing where none does."""
    held = job.setups[setup]
    under = rotaries_under(job.machine_of(held), held)
    if not under:
        return ()
    return (Section("Index", tuple(_stands(setup, axis) for axis in reversed(under))),)


def _stands(setup: int, axis: Rotary) -> FieldSpec:
    why = (
        f"Where {axis.name} stands while this setup is clamped. Part and fixture turn along, a zero carried over stays."
    )
    return FieldSpec(
        f"{axis.word} stands at",
        ("setups", setup, "index"),
        "angle",
        why,
        change=lambda job, degrees: stand_at(job, setup, axis.word, degrees),
        show=lambda index: f"{stands_at(axis, index):.10g}",
    )


class AxisGroups:
    """What the table's panel has about rotary axes."""

    def __init__(self, panel: LensPanel, machine: Machine) -> None:
        self._panel, self._id = panel, machine.id

    @property
    def _machine(self) -> Machine:
        return next(each for each in self._panel.job.machines if each.id == self._id)

    @property
    def _number(self) -> int:
        return self._panel.job.number_of(self._machine)

    def build(self) -> None:
        for axis in rotaries(self._machine):
            self._build(axis)
        self._panel.add_heading("Rotary axes")
        self._panel.add_buttons(
            ("Add a rotary axis", "On the table; say then what it turns about, where, and which way",
             lambda: self._apply("rotary axis", partial(with_rotary, machine=self._number))),
        )  # fmt: skip

    def station_stands_on(self, station: Station) -> None:
        """What a station stands on, to choose."""
        self._panel.add_choice(
            ChoiceField(
                "Stands on",
                "What carries the fixture. It stays where it is with all axes at nought.",
                lambda: [("the table", None), *((each.name, each.id) for each in self._machine.carriers)],
                lambda: next((each.on for each in self._machine.stations if each.id == station.id), None),
                lambda on: self._apply(
                    f"what {station.name} stands on",
                    lambda job: stand_on(job, self._number, station.id, None if on is None else str(on)),
                ),
            )
        )

    def _build(self, axis: Rotary) -> None:
        path = ("machines", self._number, "carriers", self._machine.carriers.index(axis))
        about = f"about {axis.about.upper()}"
        centre = tuple(
            length(f"Centre {each.upper()}", "Of its axis on the machine, all axes at nought.", *path, "centre", each)
            for each in AXES
            if each != axis.about
        )
        why = "Plus or minus; what zeros that are turned about it are off by. Blank: nobody has said."
        level = "The word's value that reads as level, and is called nought."
        ends = "Blank: it goes round without end."
        fields = (
            FieldSpec("Name", (*path, "name"), "text", "What it is called at this machine."),
            *centre,
            length("Known to", why, *path, "uncertainty", optional=True),
            FieldSpec("Level at", (*path, "flat_deg"), "angle", level),
            FieldSpec("Goes from", (*path, "lowest_deg"), "angle", ends, True),
            FieldSpec("Goes to", (*path, "highest_deg"), "angle", ends, True),
        )
        self._panel.add_sections((Section(f"{axis.word}: {axis.name}, {about}", fields),))
        others = [each for each in self._machine.carriers if each.id != axis.id]
        origins: list[tuple[str, object]] = [
            ("nobody has said", None),
            *((each, each) for each in get_args(CentreOrigin)),
        ]
        for label, why, field, choices in (
            ("Centre found by", "A centre that is only assumed is told where a zero hangs on it.", "origin", origins),
            ("Sense", _SENSE_HELP[axis.about], "sense", list(_SENSES)),
            ("Word", "The word that moves it.", "word", [(each, each) for each in "ABC"]),
            ("Turns about", "Which machine axis.", "about", [(each.upper(), each) for each in AXES]),
            ("Carried by", "What it stands on.", "on", [("the table", None), *((o.name, o.id) for o in others)]),
        ):  # fmt: skip
            self._choice(axis.id, label, why, field, choices)
        if axis.sense is None:
            self._panel.add_quiet(f"Which way {axis.word} turns is not known. {_SENSE_HELP[axis.about]}")
        self._panel.add_buttons(
            (f"Take {axis.word} off", "Out of this machine, where nothing stands on it",
             lambda: self._apply(f"without {axis.name}", lambda job: without_rotary(job, self._number, axis.id))),
        )  # fmt: skip

    def _choice(self, axis: str, label: str, why: str, field: str, choices: list[tuple[str, Any]]) -> None:
        def path() -> Path:
            places = [each.id for each in self._machine.carriers]
            return ("machines", self._number, "carriers", places.index(axis), field)

        def now() -> object:
            return next((getattr(each, field) for each in rotaries(self._machine) if each.id == axis), None)

        self._panel.add_choice(
            ChoiceField(
                label,
                why,
                lambda: choices,
                now,
                lambda value: self._apply(label.lower(), lambda job: set_value(job, path(), value)),
            )
        )

    def _apply(self, words: str, change: Any) -> None:
        self._panel.document.apply(words, change)
