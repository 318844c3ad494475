"""The machine's tool table as a sheet over the stage: every column to be typed, and what is wrong with them."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QLabel,
    QTableWidget,
    QTableWidgetItem,
)

from ledgecliff.core.changing import Path, remove_item
from ledgecliff.core.edits.tools import add_tool, without_compensation
from ledgecliff.core.findings.tool_table_rules import CODES
from ledgecliff.core.model.machine import Cutter, Machine
from ledgecliff.core.quantities import format_length, spell
from ledgecliff.core.typed import parse_length

from .document import Document
from .register_offer import ROW_HEIGHT, fit_columns
from .sheet import Sheet

#: Columns: their words, the cutter's field, and whether it is a length.
_COLUMNS: tuple[tuple[str, str, bool], ...] = (
    ("T = H = D", "tool", False),
    ("Description", "name", False),
    ("Diameter", "diameter", True),
    ("Length", "length", True),
    ("Length wear", "length_wear", True),
    ("D holds", "compensation", True),
    ("Length set", "is_set", False),
    ("Length from", "origin", False),
)


class ToolSheet(Sheet):
    def __init__(self, document: Document) -> None:
        super().__init__("Tool table")
        self._document = document
        self.add_head(
            ("add", "Add", "One more tool, under the next free number", self._add),
            ("remove", "Remove", "Take the picked tool out; one that is called stays", self._remove),
            ("clear", "Clear all D", "Nothing left in the radius column", self._clear),
            ("close", "Back to the job", "Put this sheet away", self.closed.emit),
        )
        self.about = QLabel()
        self.about.setTextFormat(Qt.TextFormat.PlainText)
        self.about.setProperty("quiet", True)
        self.about.setWordWrap(True)
        self.column.addWidget(self.about)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setHorizontalHeaderLabels([words for words, _, _ in _COLUMNS])
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(ROW_HEIGHT + 4)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectItems)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setAccessibleName("Tool table")
        header = self.table.horizontalHeader()
        header.setStretchLastSection(True)
        self.table.itemChanged.connect(self._typed)
        self.column.addWidget(self.table, 3)
        self.wrong = QLabel()
        self.wrong.setTextFormat(Qt.TextFormat.PlainText)
        self.wrong.setWordWrap(True)
        self.column.addWidget(self.wrong)
        document.findings_changed.connect(self._show_wrong)

    def guarded(self, action: Callable[[], object]) -> bool:
        """What was refused is taken back, so that the table shows what counts."""
        done = super().guarded(action)
        if not done:
            self.refresh()
        return done

    def _machine(self) -> Machine:
        machine = self._document.machine
        assert machine is not None, "asked only with a job"
        return machine

    def _machine_path(self) -> Path:
        job = self._document.job
        assert job is not None, "asked only with a job"
        return ("machines", job.number_of(self._machine()))

    def _path(self) -> Path:
        """Where the cutters of the machine on the stage stand in the job."""
        return (*self._machine_path(), "cutters")

    # --- what is shown --------------------------------------------------------------------

    def refresh(self) -> None:
        job, plan = self._document.job, self._document.plan
        if job is None or plan is None:
            return
        machine = self._machine()
        self.title.setText(f"Tool table · {machine.name}")
        self.about.setText(
            f"Lengths count from the {machine.lengths_from}; programs written here call H and D by the tool's own "
            f"number. T{machine.probe.tool} is the probe."
        )
        with QSignalBlocker(self.table):
            self.table.setRowCount(len(machine.cutters))
            for row, cutter in enumerate(machine.cutters):
                for column, (_, field, is_length) in enumerate(_COLUMNS):
                    self.table.setItem(row, column, self._item(cutter, field, is_length=is_length))
        fit_columns(self.table)
        self._show_wrong()

    def _show_wrong(self) -> None:
        if self._document.findings is None:
            self.wrong.setText("Being checked…")
            return
        found = [finding for finding in self._document.findings if finding.code in CODES]
        unit = self._document.unit
        self.wrong.setText(
            "\n".join(f"{each.severity}: {spell(each.fact, unit)} {spell(each.advice, unit)}" for each in found)
            or "Nothing is left in the columns of the tools that this job calls."
        )

    def _item(self, cutter: Cutter, field: str, *, is_length: bool) -> QTableWidgetItem:
        value = getattr(cutter, field)
        if field == "is_set":
            item = QTableWidgetItem("")
            item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if value else Qt.CheckState.Unchecked)
            return item
        item = QTableWidgetItem(format_length(value, self._document.unit) if is_length else str(value))
        if is_length:
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return item

    # --- changes ----------------------------------------------------------------------------

    def _typed(self, item: QTableWidgetItem) -> None:
        self.attempt(lambda: self._take(item.row(), item.column(), item))

    def _take(self, row: int, column: int, item: QTableWidgetItem) -> None:
        words, field, is_length = _COLUMNS[column]
        value: object = item.text().strip()
        if field == "is_set":
            value = item.checkState() is Qt.CheckState.Checked
        elif is_length:
            value = parse_length(item.text(), self._document.unit)
        elif field == "tool":
            value = int(item.text()) if item.text().strip().isdigit() else item.text()
        self._document.set_value(words.lower(), (*self._path(), row, field), value)
        self.refresh()

    def _add(self) -> None:
        path = self._machine_path()
        self._document.apply("add a tool", lambda job: add_tool(job, path))
        self.refresh()

    def _remove(self) -> None:
        row = self.table.currentRow()
        if row >= 0:
            path = self._path()
            self._document.apply("remove a tool", lambda job: remove_item(job, path, row))
            self.refresh()

    def _clear(self) -> None:
        path = self._machine_path()
        self._document.apply("clear all D", lambda job: without_compensation(job, path))
        self.refresh()
