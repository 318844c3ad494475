"""Fields and choices of what carries fixtures: pallets, faces as they measure, and bodies that turn along."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from ledgecliff.core.changing import Path, set_value
from ledgecliff.core.edits.carriers import (
    carrier_path,
    new_body,
    turns_in_words,
    with_body,
    with_distance,
    with_pallet,
    with_tombstone_typed,
    with_trunnion_table,
    with_turns_typed,
    without_body,
    without_mount,
)
from ledgecliff.core.frames import AXES
from ledgecliff.core.model.carrier_body import BoxBody, CarrierBody, ColumnBody
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.stations import Carrier, Mount, Rotary
from ledgecliff.core.places import distance_of
from ledgecliff.core.quantities import format_length

from .field_table import FieldSpec, Section, length
from .fields import ChoiceField
from .machine_groups import MachineGroups

if TYPE_CHECKING:
    pass

_FRAME = {
    True: "From the axis's centre along the machine's axes, all rotary axes at nought.",
    False: "In its own frame: Z out of its face, zero in it.",
}


class CarrierGroups(MachineGroups):
    """What the table's panel has about the carrier in hand."""

    def build(self) -> None:
        panel, carrier = self._panel, self._panel.carrier_in_hand()
        panel.add_heading("What carries, and its bodies")
        if carrier is not None:
            panel.add_choice(
                ChoiceField(
                    "In hand",
                    "A pallet, a face or an axis; also by picking its body in the drawing.",
                    lambda: [(each.name, each.id) for each in self._machine.carriers],
                    lambda: carrier.id,
                    lambda chosen: panel.take_carrier(str(chosen)),
                )
            )
        self._add_new(carrier)
        if isinstance(carrier, Mount):
            self._mount(carrier)
        if carrier is not None:
            for body in carrier.bodies:
                self._body(carrier, body)

    def _add_new(self, carrier: Carrier | None) -> None:
        pallet = ("Add a pallet", "On the table, of a size to begin with", partial(with_pallet, machine=self._number))
        if carrier is None:
            self._buttons(pallet)
            return
        why = f"A pallet on {carrier.name}, which goes where that goes"
        self._buttons(pallet, ("… on this", why, partial(with_pallet, machine=self._number, on=carrier.id)))
        box, round_, column = (
            (
                f"Add a {kind}",
                f"One more body of {carrier.name}, of a size to begin with",
                partial(with_body, machine=self._number, carrier=carrier.id, body=new_body(carrier, kind)),
            )
            for kind in ("box", "round", "column")
        )
        self._buttons(box, round_)
        if not isinstance(carrier, Rotary) or carrier.about != "z":
            self._buttons(column)
        else:
            why = "A round for this table and a cradle on the axis that tilts it, of sizes to begin with"
            self._buttons(
                column,
                ("Table and cradle", why, partial(with_trunnion_table, machine=self._number, table=carrier.id)),
            )
        if isinstance(carrier, Rotary) and carrier.about != "z":
            self._on_axis(carrier)

    def _on_axis(self, axis: Rotary) -> None:
        path, unit = carrier_path(self._panel.job, self._number, axis.id), self._panel.document.unit
        example = ", ".join(("4", *(format_length(value, unit) for value in (150.0, -60.0, 360.0))))
        why = f"Faces, their distance from the axis, and from where to where along it: {example}"
        self._panel.add_fields(
            FieldSpec(
                "Tombstone",
                (*path, "bodies"),
                "text",
                why,
                True,
                change=lambda job, text: self._tombstone(job, axis.id, str(text or "")),
                show=lambda _bodies: "",
            )
        )

    def _tombstone(self, job: Job, axis: str, text: str) -> Job:
        return with_tombstone_typed(job, self._number, axis, text, self._panel.document.unit) if text else job

    def _mount(self, mount: Mount) -> None:
        path = carrier_path(self._panel.job, self._number, mount.id)
        at = "Where its zero lies, in the frame of what carries it."
        fields = [
            FieldSpec("Name", (*path, "name"), "text", "What it is called at this machine."),
            *(length(f"At {axis.upper()}", at, *path, "at", axis) for axis in AXES),
            FieldSpec(
                "Turned",
                (*path, "turned"),
                "text",
                "About which machine axis and how far, one turn after the other, such as Y -90. Blank: not.",
                True,
                change=lambda job, text: with_turns_typed(job, self._number, mount.id, str(text or "")),
                show=lambda _turned: turns_in_words(self._mount_of(mount.id)),
            ),
        ]
        if distance_of(self._machine, mount) is not None:
            fields.append(
                FieldSpec(
                    "From the axis",
                    (*path, "at"),
                    "length",
                    "As it was measured, square to the face; what stands on it goes along.",
                    change=lambda job, mm: with_distance(job, self._number, mount.id, mm),
                    show=lambda _at: self._distance(mount.id),
                )
            )
        tilt = "As it was measured: how far it stands out of square"
        fields += [
            FieldSpec("Tilt about X", (*path, "tilt_x_deg"), "angle", f"{tilt}, about its own X; plus: its top out."),
            FieldSpec("Tilt about Y", (*path, "tilt_y_deg"), "angle", f"{tilt}, about its own Y; plus: its left out."),
            FieldSpec("Measured on", (*path, "measured_on"), "text", "A day, such as 2026-03-09.", True),
        ]
        self._panel.add_sections((Section(mount.name, tuple(fields)),))
        others = [each for each in self._machine.carriers if each.id != mount.id]
        self._panel.add_choice(
            ChoiceField(
                "It stands on",
                "What carries it. Its own numbers count from there.",
                lambda: [("the table", None), *((each.name, each.id) for each in others)],
                lambda: self._mount_of(mount.id).on,
                lambda on: self._apply("what it stands on", lambda job: set_value(job, (*path, "on"), on)),
            )
        )
        self._buttons(
            (
                f"Take {mount.name} off",
                "Where nothing stands on it",
                lambda job: without_mount(job, self._number, mount.id),
            )
        )

    def _mount_of(self, mount: str) -> Mount:
        found = next(each for each in self._machine.carriers if each.id == mount)
        assert isinstance(found, Mount), "asked for one"
        return found

    def _distance(self, mount: str) -> str:
        distance = distance_of(self._machine, self._mount_of(mount))
        return "" if distance is None else format_length(distance, self._panel.document.unit)

    def _body(self, carrier: Carrier, body: CarrierBody) -> None:
        number = [each.name for each in carrier.bodies].index(body.name)
        path = (*carrier_path(self._panel.job, self._number, carrier.id), "bodies", number)
        self._panel.add_sections((Section(f"{body.name} of {carrier.name}", _fields(carrier, body, path)),))
        self._buttons(
            (
                f"Take {body.name} off",
                f"{carrier.name} is without it",
                lambda job: without_body(job, self._number, carrier.id, body.name),
            )
        )

    def _buttons(self, *buttons: tuple[str, str, Callable[[Job], Job]]) -> None:
        self._panel.add_buttons(*((words, tip, partial(self._apply, words.lower(), do)) for words, tip, do in buttons))


def _fields(carrier: Carrier, body: CarrierBody, path: Path) -> tuple[FieldSpec, ...]:
    """What a body is made of, in the order in which one measures it."""
    why = _FRAME[isinstance(carrier, Rotary)]
    name = FieldSpec("Called", (*path, "name"), "text", "What findings and the machine's alarms call it.")
    if isinstance(body, BoxBody):
        ends = (
            length(f"{axis.upper()} {word}", why, *path, end, axis)
            for axis in AXES
            for word, end in (("from", "low"), ("to", "high"))
        )
        return (name, *ends)
    begins = (length(f"Begins at {axis.upper()}", why, *path, "at", axis) for axis in AXES)
    along = f"Toward plus {body.along.upper()}."
    if isinstance(body, ColumnBody):
        return (
            name,
            FieldSpec("Faces", (*path, "faces"), "count", "3 to 24; pallets and faces that stand on it stay."),
            length("Face from axis", "From its middle to each face.", *path, "distance"),
            *begins,
            length("Goes on for", along, *path, "length"),
        )
    return (
        name,
        length("Diameter", "Of the round.", *path, "diameter"),
        *begins,
        length("Goes on for", along, *path, "length"),
    )
