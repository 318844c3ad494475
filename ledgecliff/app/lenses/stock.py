"""The stock lens: what form the blank has, what the caliper says, and how it lies round the part."""

from __future__ import annotations

from typing import cast

from PySide6.QtWidgets import QCheckBox

from ledgecliff.core.edits.parting import with_parting
from ledgecliff.core.edits.parts import STOCK_FORMS, StockForm, with_stock_form
from ledgecliff.core.frames import AXES, Axis

from ..batch_fields import BatchSection
from ..document import Document
from ..fields import ChoiceField
from ..stock_fields import PARTING, stock_sections
from ..theme import Theme
from .base import LensPanel
from .bench import adding_choice


class StockPanel(LensPanel):
    def __init__(self, document: Document, theme: Theme) -> None:
        super().__init__(document)
        self.batch = BatchSection(self, theme)

    def key(self) -> object:
        batch, setups = self.job.stock.batch, tuple(setup.name for setup in self.job.setups)
        return self.job.stock.form, self.job.parting is None, batch and batch.along, batch and setups

    def build(self) -> None:
        self.add_heading("Form of the stock")
        self.add_choice(
            ChoiceField(
                "Form",
                "Block, bar, tube or extrusion; overall sizes stay as they are until you change them.",
                self._forms,
                lambda: self.job.stock.form,
                self._take_form,
            )
        )
        if self.job.stock.form in ("round bar", "tube", "extrusion"):
            self.add_choice(
                ChoiceField(
                    "Lies along",
                    "The part axis along which the bar lies.",
                    lambda: [(f"part {axis.upper()}", axis) for axis in AXES],
                    lambda: getattr(self.job.stock, "along", None),
                    lambda axis: self.document.set_value("bar's direction", ("stock", "along"), axis),
                )
            )
        self.measured = QCheckBox("Measured on this very blank")
        self.measured.setToolTip("Ticked once a caliper was held to it; before that its sizes are assumed")
        self.measured.clicked.connect(
            lambda ticked: self.document.set_value("stock is measured", ("stock", "is_measured"), ticked)
        )
        self.add_widget(self.measured)
        self.add_sections(stock_sections(self.job.stock))
        self.add_choice(
            ChoiceField(
                "Grain",
                "The part axis along which fibres or rolling run; none for most metals.",
                lambda: [("none", None), *((f"along part {axis.upper()}", axis) for axis in AXES)],
                lambda: self.job.stock.grain,
                lambda axis: self.document.set_value("grain", ("stock", "grain"), cast("Axis | None", axis)),
            )
        )

        self.batch.build()
        self.add_heading("Where cuts from both sides meet", folds=True)
        self.add_choice(
            ChoiceField(
                "Parting plane",
                "One value that both sides share; on Cut each operation says whether it goes to it.",
                lambda: [("none", None), *((f"square to part {axis.upper()}", axis) for axis in AXES)],
                lambda: self.job.parting and self.job.parting.along,
                lambda axis: self.document.apply(
                    "parting plane", lambda job: with_parting(job, cast("Axis | None", axis), self.plan.geometry)
                ),
            )
        )
        if self.job.parting is not None:
            self.add_sections((PARTING,))
        self.add_heading("Before the first setup", folds=True)
        self.add_choice(adding_choice(self.document, lambda: 0))

    def refresh_more(self) -> None:
        self.measured.setChecked(self.job.stock.is_measured)
        self.batch.refresh()

    def _forms(self) -> list[tuple[str, object]]:
        forms = list(STOCK_FORMS)
        # Stock that is a model comes from its file; it is listed only while it is one.
        return [(form, form) for form in (*forms, *(["model"] if self.job.stock.form == "model" else []))]

    def _take_form(self, form: object) -> None:
        plan = self.plan
        if form != self.job.stock.form:
            self.document.apply("form of the stock", lambda job: with_stock_form(job, cast(StockForm, form), plan))
