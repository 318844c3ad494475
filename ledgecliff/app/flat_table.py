"""A table that is only read: texts in columns, of which the first is a name, and for each row what is said of it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView, QWidget

Index = QModelIndex | QPersistentModelIndex
ROOT = QModelIndex()
#: A column is no narrower than this (pixels).
_NARROWEST = 24


class FlatRows(QAbstractTableModel):
    """``rows`` are the texts of each and its words for who cannot see them; all but the names are aligned ``so``."""

    def __init__(
        self, heads: Sequence[str], rows: Sequence[tuple[Sequence[str], str]], so: Qt.AlignmentFlag, parent: QWidget
    ) -> None:
        super().__init__(parent)
        self._heads, self._rows, self._so = heads, rows, so

    def rowCount(self, parent: Index = ROOT) -> int:
        return 0 if parent.isValid() else len(self._rows)

    def columnCount(self, parent: Index = ROOT) -> int:
        return 0 if parent.isValid() else len(self._heads)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        (texts, words), column = self._rows[index.row()], index.column()
        match role:
            case Qt.ItemDataRole.DisplayRole:
                return texts[column]
            case Qt.ItemDataRole.AccessibleTextRole:
                return words
            case Qt.ItemDataRole.TextAlignmentRole if column:
                return int(self._so)
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation != Qt.Orientation.Horizontal or role != Qt.ItemDataRole.DisplayRole:
            return None
        return self._heads[section]


class FlatTable(QTableView):
    """As high as its rows; one row at a time can be picked."""

    def __init__(self, most: int) -> None:
        """``most`` is how high it may become (pixels)."""
        super().__init__()
        self._most = most
        self.setObjectName("tight")
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setTabKeyNavigation(False)
        self.setShowGrid(False)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.verticalHeader().hide()

    def show_rows(self, rows: FlatRows) -> None:
        before = self.model()
        self.setModel(rows)
        if before is not None:
            before.deleteLater()
        head, side = self.horizontalHeader(), self.verticalHeader()
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        head.setMinimumSectionSize(_NARROWEST)
        side.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.setFixedHeight(min(head.sizeHint().height() + side.length() + 2 * self.frameWidth() + 2, self._most))
