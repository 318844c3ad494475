"""The cut lens: the operations of a setup by what they remove, one of them on the stage."""

from __future__ import annotations

from ledgecliff.core.adding.cutting import NewCut, cuttable
from ledgecliff.core.changing import value_at
from ledgecliff.core.edits.setups import (
    CUT_WORDS,
    FEATURE_KINDS,
    OPERATION_KINDS,
    features_for,
    move_operation,
    move_setup,
    remove_operation,
    remove_setup,
)
from ledgecliff.core.model.machine import CUTTER_SHAPES
from ledgecliff.core.quantities import said, said_volume, spell

from ..adding import AddHere, Adding, Groups
from ..cut_fields import cutter_section, operation_section
from ..document import Document
from ..fields import ChoiceField
from ..row_list import RowList
from .base import LensPanel

#: Height of the list at most (pixels).
_LIST_HEIGHT = 138


class CutPanel(LensPanel):
    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.adding = Adding(document, "cut", cuttable)

    def key(self) -> object:
        operations = self.job.setups[self.setup_index].operations
        chosen = self._chosen()
        about = operations[chosen] if chosen is not None else None
        parted = self.job.parting is not None
        return (
            self.setup_index,
            len(operations),
            chosen,
            about and (about.removes, about.tool),
            self._kind_names(),
            parted,
        )

    def _kind_names(self) -> tuple[str, ...]:
        return tuple(feature.name for feature in self.job.part.features)

    def _chosen(self) -> int | None:
        count = len(self.job.setups[self.setup_index].operations)
        return min(self.document.operation, count - 1) if count else None

    def build(self) -> None:
        self.add_heading("Operations, in order")
        tip = "Pick one: the stage shows the stock as it finds it and, dash-dotted, as it leaves it."
        self.list = RowList("Operations of this setup", tip, _LIST_HEIGHT)
        self.list.currentRowChanged.connect(self._picked)
        self.add_widget(self.list)
        self.buttons = self.add_buttons(
            ("Earlier", "One place up in the order", lambda: self._move(-1)),
            ("Later", "One place down in the order", lambda: self._move(+1)),
            ("Remove", "Take this operation out", self._remove),
        )
        self.add_heading("Add an operation", folds=True)
        self.add_widget(AddHere(self.adding, self.document, self._groups, self._add))
        self.add_heading("What the picked one does")
        chosen = self._chosen()
        self._result = self.add_quiet("")
        if chosen is not None:
            operation = self.job.setups[self.setup_index].operations[chosen]
            self.add_sections((operation_section(self.job, self.setup_index, chosen, operation),))
            if self.job.parting is not None and hasattr(operation, "to_parting"):
                self._add_end(chosen)
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

    def _add_end(self, chosen: int) -> None:
        path = ("setups", self.setup_index, "operations", chosen, "to_parting")
        self.add_choice(
            ChoiceField(
                "Goes",
                "All the way, or shortened on purpose to where it meets what is cut from the other side.",
                lambda: [("all the way", False), ("to the parting plane", True)],
                lambda: value_at(self.job, path),
                lambda value: self.document.set_value("how deep it goes", path, value),
            )
        )

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
        self.list.fit()
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

    def _groups(self) -> Groups:
        plain = [kind for kind in OPERATION_KINDS if kind not in FEATURE_KINDS]
        yield "all over the stock", [(CUT_WORDS[kind], NewCut(kind)) for kind in plain]
        for kind in FEATURE_KINDS:
            wanted = features_for(kind, self.job)
            if wanted:
                yield CUT_WORDS[kind], [(feature.name, NewCut(kind, feature.name)) for feature in wanted]

    def _add(self, new: NewCut) -> None:
        index = self.setup_index

        def add() -> None:
            self.document.apply(new.kind, lambda job: new.to(job, index))
            self.document.show_operation(len(self.job.setups[index].operations) - 1)

        self.attempt(add)

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
