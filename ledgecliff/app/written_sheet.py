"""What the sheets of documents beside jobs share: a picture over time, a table of rows below, and words beside that."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QHBoxLayout, QLabel, QScrollArea, QTableWidget, QWidget

from .register_offer import ROW_HEIGHT
from .sheet import Sheet
from .written_desk import WrittenDesk

#: What of a row can be done in a cell.
CAN_PICK = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
CAN_TYPE = CAN_PICK | Qt.ItemFlag.ItemIsEditable


class WrittenSheet(Sheet):
    """The row of the title has what can be done with every such document."""

    def __init__(self, title: str, desk: WrittenDesk) -> None:
        super().__init__(title)
        self._held_by = desk

    def add_hands(self, head: QHBoxLayout, looked_for: str, *between: QWidget) -> None:
        """Undo and redo, what counts, and what can be done about the search for ``looked_for``."""
        desk = self._held_by
        head.addWidget(self._button("undo", "Undo", "Take back the last change (Ctrl+Z)", desk.undo))
        head.addWidget(self._button("redo", "Redo", "Make it again (Ctrl+Shift+Z)", desk.redo))
        for widget in between:
            head.addWidget(widget)
        again = f"All is read anew, and {looked_for} looked for once more"
        head.addWidget(self._button("again", "Look again", again, desk.look_again))
        enough = f"Take the best {looked_for} found by now"
        head.addWidget(self._button("enough", "Enough", enough, desk.enough))

    def show_hands(self) -> None:
        """What of that can be done now."""
        desk = self._held_by
        self.buttons["again"].setEnabled(desk.held is not None)
        self.buttons["enough"].setEnabled(desk.busy())
        self.buttons["undo"].setEnabled(desk.undo_stack.canUndo())
        self.buttons["redo"].setEnabled(desk.undo_stack.canRedo())


def paper(widget: QWidget) -> QScrollArea:
    """As wide as there is room, and scrolled up and down where it is higher."""
    area = QScrollArea()
    area.setObjectName("paper")
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(widget)
    return area


def words_label(text: str) -> QLabel:
    """Words of any length, to be copied too."""
    label = QLabel(text)
    label.setObjectName("paper")
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setWordWrap(True)
    label.setAlignment(Qt.AlignmentFlag.AlignTop)
    label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    return label


def made_into_rows(table: QTableWidget, headings: Sequence[str], name: str) -> QTableWidget:
    """Rows that are picked whole, several at once."""
    table.setObjectName("tight")
    table.setColumnCount(len(headings))
    table.setHorizontalHeaderLabels(list(headings))
    table.verticalHeader().hide()
    table.verticalHeader().setDefaultSectionSize(ROW_HEIGHT)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
    table.setAlternatingRowColors(True)
    table.setWordWrap(False)
    table.setAccessibleName(name)
    return table
