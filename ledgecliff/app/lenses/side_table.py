"""Features against the six directions, as a table."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView, QWidget

from ledgecliff.core.model.orientation import DIRECTIONS, shown
from ledgecliff.core.sides.from_where import SideRow

_Index = QModelIndex | QPersistentModelIndex
_ROOT = QModelIndex()
#: It is never higher than this (pixels): the orders stand below it.
_HEIGHT = 190


class _Rows(QAbstractTableModel):
    """A feature a row: its name, then a mark for each direction."""

    def __init__(self, rows: tuple[SideRow, ...], parent: QWidget) -> None:
        super().__init__(parent)
        self.rows = rows

    def rowCount(self, parent: _Index = _ROOT) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: _Index = _ROOT) -> int:
        return 0 if parent.isValid() else 1 + len(DIRECTIONS)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        row, column = self.rows[index.row()], index.column()
        match role:
            case Qt.ItemDataRole.DisplayRole:
                return row.name if column == 0 else row.marks[column - 1]
            case Qt.ItemDataRole.AccessibleTextRole:
                return row.words
            case Qt.ItemDataRole.TextAlignmentRole if column:
                return int(Qt.AlignmentFlag.AlignCenter)
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation != Qt.Orientation.Horizontal or role != Qt.ItemDataRole.DisplayRole:
            return None
        return "" if section == 0 else shown(DIRECTIONS[section - 1])


class SideTable(QTableView):
    #: A feature, by its name.
    picked = Signal(str)

    def __init__(self, rows: tuple[SideRow, ...]) -> None:
        super().__init__()
        self.setObjectName("tight")
        self.setModel(_Rows(rows, self))
        self.setAccessibleName("From which side each feature can be cut")
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setTabKeyNavigation(False)
        self.setShowGrid(False)
        self.verticalHeader().hide()
        head = self.horizontalHeader()
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        head.setMinimumSectionSize(26)
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        height = head.sizeHint().height() + self.verticalHeader().length() + 2 * self.frameWidth() + 2
        self.setFixedHeight(min(height, _HEIGHT))
        self.selectionModel().currentRowChanged.connect(lambda now, _before: self.picked.emit(rows[now.row()].name))
