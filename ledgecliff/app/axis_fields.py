"""Fields and choices of a machine's rotary axes, and of where they stand while a setup is clamped."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from functools import partial
from typing import TYPE_CHECKING, Any, get_args

from PySide6.QtGui import QGuiApplication, QPixmap
from PySide6.QtWidgets import QGridLayout, QLabel, QWidget

from ledgecliff.core.changing import Path, set_value
from ledgecliff.core.drawing.pictures import sense_pictures
from ledgecliff.core.edits.rotary import (
    clamping_words,
    happened_to,
    rotaries,
    stand_at,
    stand_on,
    with_clamping_words,
    with_rotary,
    without_rotary,
)
from ledgecliff.core.frames import AXES
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.stations import CentreOrigin, Mishap, Rotary, Station, WayRound
from ledgecliff.core.places import rotaries_under, stands_at
from ledgecliff.core.programs.sense_test import SEEN, sense_test

from .field_table import FieldSpec, Section, length
from .fields import ChoiceField
from .machine_groups import MachineGroups
from .scene_card import colored

if TYPE_CHECKING:
    from .table_page import TablePanel

_SENSES = (("not known yet", None), ("right-handed on the part", "right-handed"), ("left-handed", "left-handed"))
#: Width and height of a picture that the sense is told by (pixels).
_PICTURE = (132, 96)
_LOOK = "With the spindle retracted and all clear, turn it to +90 and look"
_CLAMPING = "The M word that frees it and the one that clamps it, such as M78, M79. Blank: it does so by itself."
_SENSE_HELP = {about: f"{_LOOK}: right-handed, {right}; left-handed, {left}." for about, (right, left) in SEEN.items()}


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


class AxisGroups(MachineGroups):
    """What the table's panel has about rotary axes."""

    def __init__(
        self, panel: TablePanel, machine: Machine, find_centre: Callable[[str], None], go_through: Callable[[], None]
    ) -> None:
        super().__init__(panel, machine)
        self._find_centre, self._go_through = find_centre, go_through

    def build(self) -> None:
        for axis in rotaries(self._machine):
            self._build(axis)
        self._panel.add_heading("Rotary axes")
        self._panel.add_choice(
            ChoiceField(
                "Spindle",
                "How it lies: what views are called follows.",
                lambda: [("upright, along Z", "vertical"), ("horizontal, Y points up", "horizontal")],
                lambda: self._machine.spindle,
                lambda lies: self._apply(
                    "spindle", lambda job: set_value(job, ("machines", self._number, "spindle"), lies)
                ),
            )
        )
        self._panel.add_buttons(
            ("Add a rotary axis", "On the table; say then what it turns about, where, and which way",
             lambda: self._apply("rotary axis", partial(with_rotary, machine=self._number))),
            *((("Step by step…", "What is known of every axis, what is still to be done, and the way to it",
                self._go_through),) if rotaries(self._machine) else ()),
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

    def _rotary(self, axis: str) -> Rotary:
        return next(each for each in rotaries(self._machine) if each.id == axis)

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
        day, words = "A day, such as 2026-03-09. Blank: nobody has said.", _CLAMPING
        fields = (
            FieldSpec("Name", (*path, "name"), "text", "What it is called at this machine."),
            *centre,
            length("Known to", why, *path, "uncertainty", optional=True),
            FieldSpec("Found on", (*path, "found_on"), "text", day, True),
            FieldSpec("Sense seen", (*path, "sense_seen_on"), "text", day, True),
            FieldSpec("Level at", (*path, "flat_deg"), "angle", level),
            FieldSpec("Swept flat", (*path, "flat_swept_on"), "text", day, True),
            FieldSpec("Repeats to", (*path, "repeat_deg"), "angle", "Plus or minus. Blank: nobody has said.", True),
            FieldSpec("Goes from", (*path, "lowest_deg"), "angle", ends, True),
            FieldSpec("Goes to", (*path, "highest_deg"), "angle", ends, True),
            FieldSpec(
                "Freed, clamped",
                (*path, "free_word"),
                "text",
                words,
                True,
                change=lambda job, given: with_clamping_words(job, path, str(given or "")),
                show=lambda _free: clamping_words(self._rotary(axis.id)),
            ),
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
            ("Word means", "How the control takes it.", "way_round", [(each, each) for each in get_args(WayRound)]),
            ("Carried by", "What it stands on.", "on", [("the table", None), *((o.name, o.id) for o in others)]),
        ):  # fmt: skip
            self._choice(axis.id, label, why, field, choices)
        if axis.sense is None:
            self._show_both_ways(axis)
            self._panel.add_quiet(f"Which way {axis.word} turns is not known. {_SENSE_HELP[axis.about]}")
        self._panel.add_buttons(
            ("Find its centre…", "Page by page: what is touched, what is read, and what comes of it",
             lambda: self._find_centre(axis.id)),
            ("Copy the sense test", "A short program: to nought, to +90, a stop to look after each",
             lambda: QGuiApplication.clipboard().setText(sense_test(self._machine, self._rotary(axis.id)))),
        )  # fmt: skip
        for happened in axis.happened:
            self._panel.add_quiet(f"{happened.on}: {happened.what}")
        if (stale := axis.stale_since()) is not None:
            self._panel.add_quiet(f"Its centre no longer counts since {stale.on} ({stale.what}): find it anew.")
        self._panel.add_buttons(
            *((each.capitalize(), "Happened today: the centre found before no longer counts",
               partial(self._apply, each, partial(happened_to, machine=self._number, axis=axis.id, what=each,
                                                  day=date.today().isoformat())))
              for each in get_args(Mishap)),
        )  # fmt: skip
        self._panel.add_buttons(
            (f"Take {axis.word} off", "Out of this machine, where nothing stands on it",
             lambda: self._apply(f"without {axis.name}", lambda job: without_rotary(job, self._number, axis.id))),
        )  # fmt: skip

    def _show_both_ways(self, axis: Rotary) -> None:
        """Two pictures to choose by: what is clamped there with the axis at +90, were it of either sense."""
        plan = self._panel.document.plan
        setups = plan.setups if plan is not None else ()
        setup = next((each for each in setups if axis in rotaries_under(each.machine, each.setup)), None)
        if setup is None:
            return
        row, both = QWidget(), sense_pictures(setup, axis.about, *_PICTURE)
        grid = QGridLayout(row)
        for column, (words, picture) in enumerate(
            zip(("right-handed, at +90", "left-handed, at +90"), both, strict=True)
        ):
            shown, caption = QLabel(), QLabel(words)
            shown.setPixmap(QPixmap.fromImage(colored(picture, self._panel.theme)))
            shown.setAccessibleName(words)
            caption.setProperty("quiet", True)
            grid.addWidget(shown, 0, column)
            grid.addWidget(caption, 1, column)
        self._panel.add_widget(row)

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
