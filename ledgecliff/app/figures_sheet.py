"""Figures from the record: how fixtures and touches repeat, how blanks of a lot vary; taken by one step."""

from __future__ import annotations

from PySide6.QtWidgets import QTableWidget

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.job import Job
from ledgecliff.core.quantities import Unit, format_length
from ledgecliff.core.record.entries import RecordEntry
from ledgecliff.core.record.figures import Figure, figures_of, with_figure

from .document import Document
from .record_reading import FiguresReading
from .register_offer import fill_row, fit_columns
from .sheet import Sheet
from .written_sheet import made_into_rows, words_label

_COLUMNS = ("What", "Now", "Comes from", "Of the record", "Values", "Newest", "Number")
_WORDS = (
    "A figure is the standard deviation of the record's values since its last mark (of what is pushed against a face "
    "the one to that side; of sizes half the width of an even spread). Five values are needed, more say more. Lots of "
    "blanks: say in Stock which one they are from, and put measured sizes x, y, z into the record about that batch."
)


class FiguresSheet(Sheet):
    def __init__(self, document: Document) -> None:
        super().__init__("Figures from the record")
        self._document = document
        self._entries: tuple[RecordEntry, ...] = ()
        self.found: tuple[Figure, ...] = ()
        self.reading = FiguresReading(document)
        self.add_head(
            ("take", "Take over", "The picked figures into this job, as one step that can be undone", self._take),
            ("close", "Back to the job", "Put this sheet away (Esc)", self.closed.emit),
        )
        self.table = made_into_rows(QTableWidget(), _COLUMNS, "Figures of the record beside those of the job")
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.column.addWidget(self.table, 1)
        self.column.addWidget(words_label(_WORDS))
        self.reading.found.connect(self._read)
        self.reading.failed.connect(self._refuse)
        document.plan_changed.connect(self._look_again)

    def _refuse(self, words: str) -> None:
        self.said.setText(words)
        self.said.show()

    def _look_again(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        job = self._document.job
        if job is not None:
            self.reading.ask(job)
        self._show()

    def _read(self, entries: tuple[RecordEntry, ...]) -> None:
        self._entries = entries
        self._show()

    def _show(self) -> None:
        job, unit = self._document.job, self._document.unit
        self.found = () if job is None else figures_of(job, self._entries)
        self.table.setRowCount(len(self.found))
        for row, each in enumerate(self.found):
            lacking = f"{each.lacking} values more" if each.figure is None else _said(each.figure, unit)
            origin = "stated" if each.stated is None else f"{each.stated.values} values, {each.stated.newest}"
            cells = [each.what, _said(each.now, unit), origin, lacking, str(each.values), each.newest, each.number]
            fill_row(self.table, row, cells, (1, 3, 4))
        fit_columns(self.table)

    def _take(self) -> None:
        rows = sorted({index.row() for index in self.table.selectionModel().selectedRows()})
        if not rows:
            raise InvalidValueError("figures", "none is picked; pick the rows that are to be taken over")
        wanted = [self.found[row] for row in rows]

        def change(job: Job) -> Job:
            for each in wanted:
                job = with_figure(job, each)
            return job

        self._document.apply("figures from the record", change)


def _said(figure: float | tuple[float, ...], unit: Unit) -> str:
    values = figure if isinstance(figure, tuple) else (figure,)
    return " × ".join(format_length(value, unit) for value in values)
