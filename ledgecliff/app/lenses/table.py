"""The table of feature coordinates: every named feature in every setup's WCS."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt, Signal
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QLabel, QTableView, QVBoxLayout, QWidget

from ledgecliff.core.frames import AXES
from ledgecliff.core.quantities import format_length

from ..document import Document

_Index = QModelIndex | QPersistentModelIndex
_ROOT = QModelIndex()


class CoordinateModel(QAbstractTableModel):
    """Rows are features; three columns a setup."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document

    def reset(self) -> None:
        self.beginResetModel()
        self.endResetModel()

    def rowCount(self, parent: _Index = _ROOT) -> int:
        plan = self._document.plan
        return 0 if parent.isValid() or plan is None else len(plan.job.part.features)

    def columnCount(self, parent: _Index = _ROOT) -> int:
        plan = self._document.plan
        return 0 if parent.isValid() or plan is None else 3 * len(plan.setups)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        plan = self._document.plan
        if plan is None or not index.isValid():
            return None
        reading = plan.setups[index.column() // 3].readings[index.row()]
        value = getattr(reading, AXES[index.column() % 3])
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return format_length(value, self._document.unit, sign=True)
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        plan = self._document.plan
        if plan is None or role != Qt.ItemDataRole.DisplayRole:
            return None
        if orientation == Qt.Orientation.Vertical:
            return plan.job.part.features[section].name
        setup = plan.setups[section // 3].setup
        return f"{setup.name} · {setup.offset}\n{'XYZ'[section % 3]}"

    def feature_name(self, row: int) -> str:
        plan = self._document.plan
        return plan.job.part.features[row].name if plan else ""


class TableLens(QWidget):
    picked = Signal(str)

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._document = document
        self.model = CoordinateModel(document)
        self.view = QTableView()
        self.view.setModel(self.model)
        self.view.setAlternatingRowColors(True)
        self.view.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.view.setAccessibleName("Feature coordinates in every setup's WCS")
        self.view.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.view.selectionModel().currentRowChanged.connect(
            lambda index, _: self.picked.emit(self.model.feature_name(index.row()))
        )
        words = QLabel(
            "What each feature's reference point reads in each setup. Check the toolpath programs against these. "
            "Pick a row to see its arithmetic on the tape."
        )
        words.setProperty("quiet", True)
        words.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.addWidget(words)
        column.addWidget(self.view, 1)

    def refresh(self) -> None:
        row = self.view.currentIndex().row()
        self.model.reset()
        if row >= 0:
            self.view.selectRow(row)
