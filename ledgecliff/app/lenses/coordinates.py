"""The coordinates of every named feature in every setup's WCS."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QAbstractItemView,
    QButtonGroup,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from ledgecliff.core.datums import coordinate_tape
from ledgecliff.core.feature_list import reference_words
from ledgecliff.core.frames import AXES
from ledgecliff.core.quantities import format_length
from ledgecliff.core.tape_lines import Tape

from ..document import Document
from ..flat_table import ROOT, Index

#: Columns before those of the first setup: which point of a feature is meant.
_BEFORE = 1


class CoordinateModel(QAbstractTableModel):
    """Rows are features; which point of each is meant, then three columns a setup."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        #: The setup that words about a feature's point are said for.
        self.setup = 0

    def reset(self) -> None:
        self.beginResetModel()
        self.endResetModel()

    def rowCount(self, parent: Index = ROOT) -> int:
        plan = self._document.plan
        return 0 if parent.isValid() or plan is None else len(plan.job.part.features)

    def columnCount(self, parent: Index = ROOT) -> int:
        plan = self._document.plan
        return 0 if parent.isValid() or plan is None else _BEFORE + 3 * len(plan.setups)

    def setup_of(self, column: int) -> int | None:
        return None if column < _BEFORE else (column - _BEFORE) // 3

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        plan = self._document.plan
        if plan is None or not index.isValid():
            return None
        setup, says = self.setup_of(index.column()), (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole)
        if setup is None:
            feature = plan.job.part.features[index.row()]
            return reference_words(feature, plan.setups[self.setup].setup.orientation) if role in says else None
        reading = plan.setups[setup].readings[index.row()]
        value = getattr(reading, AXES[(index.column() - _BEFORE) % 3])
        if role in says:
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
        number = self.setup_of(section)
        if number is None:
            return f"Point of it, as it\nlies in {plan.setups[self.setup].setup.name}"
        setup = plan.setups[number].setup
        return f"{setup.name} · {setup.offset}\n{'XYZ'[(section - _BEFORE) % 3]}"

    def feature_name(self, row: int) -> str:
        plan = self._document.plan
        return plan.job.part.features[row].name if plan and 0 <= row < len(plan.job.part.features) else ""


class CoordinatesLens(QWidget):
    """Opens at the setup on the stage; a button for each setup leaps to it, and a click in a column is about that."""

    picked = Signal(str)
    #: Another cell is looked at, and with it another arithmetic.
    tape_changed = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._document = document
        self._shown_for: object = None
        self.model = CoordinateModel(document)
        self.view = QTableView()
        self.view.setModel(self.model)
        self.view.setAlternatingRowColors(True)
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.view.setAccessibleName("Feature coordinates in every setup's WCS")
        self.view.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.view.selectionModel().currentChanged.connect(self._picked)
        words = QLabel(
            "What each feature's reference point reads in each setup. Check the toolpath programs against these. "
            "Pick a number to see its arithmetic on the tape."
        )
        words.setProperty("quiet", True)
        words.setWordWrap(True)
        self._leaps = QHBoxLayout()
        self._leaps.setSpacing(4)
        self.leap_buttons: list[QPushButton] = []
        self._group = QButtonGroup(self)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 12, 16, 12)
        column.addWidget(words)
        column.addLayout(self._leaps)
        column.addWidget(self.view, 1)

    def refresh(self) -> None:
        plan, scene = self._document.plan, self._document.scene
        if plan is None:
            return
        row = self.view.currentIndex().row()
        with QSignalBlocker(self.view.selectionModel()):
            self.model.reset()
        names = [setup.setup.name for setup in plan.setups]
        if [button.text() for button in self.leap_buttons] != names:
            self._make_leaps(names)
        # At another scene it opens at that scene's setup; an edit leaves it where it was.
        here = (self._document.scene_index, len(names))
        if here != self._shown_for:
            self._shown_for = here
            self.leap((scene.setup if scene is not None else None) or 0, max(row, 0))
        else:
            self.leap(min(self.model.setup, len(names) - 1), max(row, 0))

    def _make_leaps(self, names: list[str]) -> None:
        for button in self.leap_buttons:
            self._group.removeButton(button)
            self._leaps.removeWidget(button)
            button.deleteLater()
        while (item := self._leaps.takeAt(0)) is not None:
            del item
        self.leap_buttons = []
        for number, name in enumerate(names):
            button = QPushButton(name)
            button.setCheckable(True)
            button.setToolTip(f"To the columns of {name}")
            button.clicked.connect(lambda _checked=False, number=number: self.leap(number, self._row()))
            self._group.addButton(button)
            self._leaps.addWidget(button)
            self.leap_buttons.append(button)
        self._leaps.addStretch(1)

    def _row(self) -> int:
        return max(self.view.currentIndex().row(), 0)

    def leap(self, setup: int, row: int) -> None:
        """The columns of a setup into sight, one of its numbers in hand."""
        self.model.setup = setup
        self.leap_buttons[setup].setChecked(True)
        first = _BEFORE + 3 * setup
        if self.model.rowCount():
            self.view.setCurrentIndex(self.model.index(row, first))
            self.view.scrollTo(self.model.index(row, first + 2))
            self.view.scrollTo(self.model.index(row, first))
        self.tape_changed.emit()

    def _picked(self, index: QModelIndex, _before: QModelIndex) -> None:
        setup = self.model.setup_of(index.column())
        if setup is not None and setup != self.model.setup:
            self.model.setup = setup
            self.leap_buttons[setup].setChecked(True)
            self.model.headerDataChanged.emit(Qt.Orientation.Horizontal, 0, 0)
            self.model.dataChanged.emit(self.model.index(0, 0), self.model.index(self.model.rowCount() - 1, 0))
        self.picked.emit(self.model.feature_name(index.row()))
        self.tape_changed.emit()

    def tape(self) -> Tape | None:
        """The arithmetic of the number in hand; None where no feature is."""
        plan = self._document.plan
        feature = plan.job.part.feature(self.model.feature_name(self.view.currentIndex().row())) if plan else None
        if plan is None or feature is None or self.model.setup >= len(plan.setups):
            return None
        setup = plan.setups[self.model.setup]
        return coordinate_tape(feature, setup.wcs, setup.setup.name)
