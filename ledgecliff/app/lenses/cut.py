"""The cut lens: the operations of a setup by what they remove, one of them on the stage."""

from __future__ import annotations

from typing import cast

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QListWidget

from ledgecliff.core.changing import value_at
from ledgecliff.core.edits.setups import (
    OPERATION_KINDS,
    OperationKind,
    add_operation,
    features_for,
    move_operation,
    move_setup,
    remove_operation,
    remove_setup,
)
from ledgecliff.core.model.machine import CUTTER_SHAPES
from ledgecliff.core.quantities import said, said_volume, spell

from ..cut_fields import cutter_section, operation_section
from ..fields import ChoiceField
from .base import LensPanel

#: Height of the list (pixels).
_LIST_HEIGHT = 138
_WORDS: dict[OperationKind, str] = {
    "face": "face the top",
    "outline": "cut round the outline",
    "seen": "all that is seen from above",
    "bore": "bore right through",
    "hole": "hole to its depth",
    "pocket": "pocket to its floor",
    "slot": "slot to its floor",
    "region": "a rectangle to a depth",
    "edge break": "edge break",
}


class CutPanel(LensPanel):
    def key(self) -> object:
        operations = self.job.setups[self.setup_index].operations
        chosen = self._chosen()
        about = operations[chosen] if chosen is not None else None
        return self.setup_index, len(operations), chosen, about and (about.removes, about.tool), self._kind_names()

    def _kind_names(self) -> tuple[str, ...]:
        return tuple(feature.name for feature in self.job.part.features)

    def _chosen(self) -> int | None:
        count = len(self.job.setups[self.setup_index].operations)
        return min(self.document.operation, count - 1) if count else None

    def build(self) -> None:
        self.add_heading("Operations, in order")
        self.list = QListWidget()
        self.list.setAccessibleName("Operations of this setup")
        self.list.setToolTip("Pick one: the stage shows the stock as it finds it and, dash-dotted, as it leaves it.")
        self.list.setFixedHeight(_LIST_HEIGHT)
        self.list.setObjectName("tight")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._picked)
        self.add_widget(self.list)
        self.buttons = self.add_buttons(
            ("Earlier", "One place up in the order", lambda: self._move(-1)),
            ("Later", "One place down in the order", lambda: self._move(+1)),
            ("Remove", "Take this operation out", self._remove),
        )
        self.add_choice(
            ChoiceField(
                "Add", "One more operation at the end, by what it removes.", self._offers, lambda: None, self._add
            )
        )
        chosen = self._chosen()
        self._result = self.add_quiet("")
        if chosen is not None:
            operation = self.job.setups[self.setup_index].operations[chosen]
            self.add_sections((operation_section(self.setup_index, chosen, operation),))
            cutter = cutter_section(self.job, self.setup_index, operation.tool)
            if cutter is not None:
                self.add_sections((cutter,))
                self._add_shape(operation.tool)
        self.add_heading("This setup")
        self.add_buttons(
            ("Earlier", "This setup one place earlier in the route", lambda: self._move_setup(-1)),
            ("Later", "This setup one place later in the route", lambda: self._move_setup(+1)),
            ("Remove setup", "Take the whole setup out of the route", self._remove_setup),
        )
        self.refresh_more()

    def _add_shape(self, tool: int) -> None:
        numbers = [cutter.tool for cutter in self.machine.cutters]
        path = (*self.machine_path, "cutters", numbers.index(tool), "shape")
        self.add_choice(
            ChoiceField(
                "Shape",
                "Of the cutter's end.",
                lambda: [(shape, shape) for shape in CUTTER_SHAPES],
                lambda: value_at(self.job, path),
                lambda shape: self.document.set_value("cutter's shape", path, shape),
            )
        )

    def refresh_more(self) -> None:
        setup = self.plan.setups[self.setup_index]
        unit, chosen = self.document.unit, self._chosen()
        texts = []
        for number, operation in enumerate(setup.setup.operations, start=1):
            volume = spell(said_volume(setup.cutting.removed(number - 1).volume()), unit)
            texts.append(f"{number}. {operation.name} · T{operation.tool} · {volume}")
        self.show_rows(self.list, texts, -1 if chosen is None else chosen)
        for button in self.buttons:
            button.setEnabled(chosen is not None)
        if chosen is None:
            self._result.setText("Nothing is cut in this setup yet.")
            return
        use = setup.tool_uses[chosen]
        left = setup.cutting.after(chosen).volume
        words = f"Cuts {said(use.depth)} deep; leaves {said_volume(left)}. Upright hatching: what it takes away."
        for clash in use.clashes:
            words += f" {clash.part.capitalize()} meets {clash.with_what} by {said(clash.by)}."
        self._result.setText(spell(words, unit))

    def _picked(self, row: int) -> None:
        if row >= 0:
            self.document.show_operation(row)

    def _offers(self) -> list[tuple[str, object]]:
        offers: list[tuple[str, object]] = [("…", None)]
        for kind in OPERATION_KINDS:
            wanted = features_for(kind, self.job)
            if kind in ("bore", "hole", "pocket", "slot", "edge break"):
                offers += [(f"{_WORDS[kind]}: {feature.name}", (kind, feature.name)) for feature in wanted]
            else:
                offers.append((_WORDS[kind], (kind, None)))
        return offers

    def _add(self, value: object) -> None:
        if value is None:
            return
        kind, name = cast("tuple[OperationKind, str | None]", value)
        index = self.setup_index
        self.document.apply(f"{kind}", lambda job: add_operation(job, index, kind, name))
        self.document.show_operation(len(self.job.setups[index].operations) - 1)

    def _move(self, by: int) -> None:
        index, chosen = self.setup_index, self._chosen()
        if chosen is not None:
            self.document.apply("order of operations", lambda job: move_operation(job, index, chosen, by))
            self.document.show_operation(min(max(chosen + by, 0), len(self.job.setups[index].operations) - 1))

    def _remove(self) -> None:
        index, chosen = self.setup_index, self._chosen()
        if chosen is not None:
            self.document.apply("remove operation", lambda job: remove_operation(job, index, chosen))

    def _move_setup(self, by: int) -> None:
        index = self.setup_index
        to = min(max(index + by, 0), len(self.job.setups) - 1)
        self.document.apply("order of setups", lambda job: move_setup(job, index, by))
        self.document.show_setup(to)

    def _remove_setup(self) -> None:
        index = self.setup_index
        self.document.apply("remove setup", lambda job: remove_setup(job, index))
