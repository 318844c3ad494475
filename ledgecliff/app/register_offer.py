"""What the register offers to do, as a table with one button that does it: codes for a job, a table to take over."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

#: So many rows say how wide columns are.
_LOOKED_AT = 40
#: Rows of the register's tables (pixels).
ROW_HEIGHT = 25


@dataclass(frozen=True)
class Offer:
    """``numbers`` are the columns that hold some; without an ``accept`` there is nothing to do."""

    title: str
    said: str
    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    numbers: tuple[int, ...]
    words: str
    accept: Callable[[], None] | None


class OfferPane(QWidget):
    def __init__(self, attempt: Callable[[Callable[[], object]], None], leave: Callable[[], None]) -> None:
        super().__init__()
        self._attempt, self._leave = attempt, leave
        self._offer: Offer | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.title = QLabel()
        self.title.setProperty("head", True)
        self.said = QLabel()
        self.said.setWordWrap(True)
        self.said.setProperty("quiet", True)
        for label in (self.title, self.said):
            label.setTextFormat(Qt.TextFormat.PlainText)
            column.addWidget(label)
        self.table = QTableWidget(0, 0)
        self.table.setObjectName("tight")
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(ROW_HEIGHT)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.table.setAccessibleName("What is offered")
        column.addWidget(self.table, 1)
        row = QHBoxLayout()
        self.accept = QPushButton()
        self.accept.setProperty("main", True)
        self.accept.clicked.connect(lambda: attempt(self._do))
        self.leave = QPushButton("Leave it")
        self.leave.clicked.connect(leave)
        row.addWidget(self.accept)
        row.addWidget(self.leave)
        row.addStretch(1)
        column.addLayout(row)

    def show_offer(self, offer: Offer) -> None:
        self._offer = offer
        self.title.setText(offer.title)
        self.said.setText(offer.said)
        self.said.setVisible(bool(offer.said))
        self.accept.setText(offer.words)
        self.accept.setEnabled(offer.accept is not None)
        self.table.setColumnCount(len(offer.columns))
        self.table.setHorizontalHeaderLabels(list(offer.columns))
        self.table.setRowCount(len(offer.rows))
        for row, cells in enumerate(offer.rows):
            fill_row(self.table, row, list(cells), offer.numbers)
        self.table.horizontalHeader().setStretchLastSection(True)
        fit_columns(self.table)

    def _do(self) -> None:
        if self._offer is not None and self._offer.accept is not None:
            self._offer.accept()
            self._leave()


def fit_columns(table: QTableWidget) -> None:
    """Columns as wide as what the first rows hold, once they are filled: fitting at every cell takes for ever."""
    header = table.horizontalHeader()
    header.setResizeContentsPrecision(_LOOKED_AT)
    table.resizeColumnsToContents()
    # Fitting has made the last one narrow, and only asked again does it fill the rest.
    header.setStretchLastSection(False)
    header.setStretchLastSection(True)


def fill_row(table: QTableWidget, row: int, cells: list[str], numbers: tuple[int, ...], *, alarm: bool = False) -> None:
    """Texts into a row, numbers to the right; an alarming row is bold."""
    for column, text in enumerate(cells):
        item = QTableWidgetItem(text)
        if column in numbers:
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if alarm:
            font = item.font()
            font.setBold(True)
            item.setFont(font)
        table.setItem(row, column, item)
