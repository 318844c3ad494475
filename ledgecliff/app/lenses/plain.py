"""The lenses that are fields and choices: datum and finished."""

from __future__ import annotations

from functools import partial
from typing import cast

from PySide6.QtCore import Signal

from ledgecliff.core.comparing_zeros import ZeroCandidate, with_zero
from ledgecliff.core.datums import DatumChoice, datum_choices
from ledgecliff.core.edits import lying
from ledgecliff.core.frames import AXES, Axis
from ledgecliff.core.model.job import Codes
from ledgecliff.core.model.setup import SKEW_SOURCES
from ledgecliff.core.model.work_offsets import codes_of
from ledgecliff.core.programs.targets import with_codes

from ..comparing import CompareZeros, Comparing
from ..document import Document
from ..fields import ChoiceField
from ..probe_fields import datum_sections
from .base import LensPanel
from .bench import adding_choice


class FinishedPanel(LensPanel):
    def build(self) -> None:
        self.add_heading("The finished part")
        self.add_quiet("Read from its model. Named features are listed among the coordinates (Alt+6).")
        self.add_heading("After all setups")
        self.add_choice(adding_choice(self.document, lambda: len(self.job.setups)))


class DatumPanel(LensPanel):
    #: A zero that is looked at before it is taken (a ``ZeroCandidate``), or None.
    zero_looked_at = Signal(object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.comparing = Comparing(document)

    def build(self) -> None:
        self.add_heading("What sets each axis")
        for axis in AXES:
            self.add_choice(
                ChoiceField(
                    f"{axis.upper()} zero",
                    f"The surface that gives the zero of {axis.upper()}.",
                    partial(self._offered, axis),
                    partial(self._current, axis),
                    partial(self._apply, axis),
                )
            )
        self.add_heading("Compare zeros", folds=True)
        compare = CompareZeros(self.comparing, self.document, self._take)
        compare.looked_at.connect(self.zero_looked_at)
        self.add_widget(compare)
        self.add_heading("How it lies, and where it is kept")
        self.add_choice(
            ChoiceField(
                "Squared to",
                "The side that the WCS is squared to about Z; square to what holds the part without one.",
                lambda: [("square to what holds it", None), *((source, source) for source in SKEW_SOURCES)],
                lambda: self.document.job and self.document.job.setups[self.setup_index].datum.skew,
                lambda value: self.document.set_value("skew", ("setups", self.setup_index, "datum", "skew"), value),
            )
        )
        self.add_choice(
            ChoiceField(
                "Kept in",
                "The work offset of the control that holds this zero.",
                lambda: [(o.code, o.code) for o in codes_of(self.machine)] if self.document.job else [],
                lambda: self.document.job and self.document.job.setups[self.setup_index].offset,
                lambda value: self.document.set_value("work offset", ("setups", self.setup_index, "offset"), value),
            )
        )
        self.add_choice(
            ChoiceField(
                "Codes of this job",
                "A code for each setup, or one that is kept through all of them and found again after each turn.",
                lambda: [("one a setup", "one a setup"), ("one, found again in each", "one for all")],
                lambda: self.document.job and self.document.job.codes,
                lambda codes: self.document.apply("codes of the job", lambda job: with_codes(job, cast(Codes, codes))),
            )
        )
        self.add_sections(datum_sections(self.setup_index, lambda: self.document.unit, lambda: self.plan))

    def _offered(self, axis: Axis) -> list[tuple[str, object]]:
        return [(choice.words, choice) for choice in self._choices(axis)]

    def _choices(self, axis: Axis) -> tuple[DatumChoice, ...]:
        return datum_choices(axis, self.document.job, self.setup_index) if self.document.job else ()

    def _current(self, axis: Axis) -> DatumChoice | None:
        if self.document.job is None:
            return None
        datum = self.document.job.setups[self.setup_index].datum.axis(axis)
        return next((choice for choice in self._choices(axis) if choice.is_of(datum)), None)

    def _take(self, zero: ZeroCandidate) -> None:
        index, axis = self.setup_index, zero.axis
        self.attempt(
            lambda: self.document.apply(f"{axis.upper()} zero", lambda job: with_zero(job, index, axis, zero.choice))
        )

    def _apply(self, axis: Axis, value: object) -> None:
        index, choice = self.setup_index, cast(DatumChoice, value)
        self.document.apply(
            f"{axis.upper()} zero",
            lambda job: lying.set_datum(job, index, axis, choice.source, choice.feature, choice.dowel, choice.face),
        )
