"""The shelves of the shop in a row, in place of the route: what outlives a job."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QWidget

#: Each shelf by the name of its sheet: words, and what lies there.
SHELVES: tuple[tuple[str, str, str], ...] = (
    ("register", "Offset register", "What every work offset holds, and for whom"),
    ("record", "Record", "What was measured and done, and numbers against time"),
    ("shop", "Library", "Vises, parallels, jaws, plates, cutters; the machine new jobs begin with"),
    ("tools", "Tool table", "Numbers, lengths, wear and what D holds"),
    ("profile", "Text profile", "How programs are spelled for the machine's control"),
    ("programs", "Toolpath programs", "What the programs that will run call, and how far they go"),
)


class ShelfStrip(QWidget):
    wanted = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 6, 8, 6)
        group = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        for name, words, why in SHELVES:
            button = QPushButton(words)
            button.setCheckable(True)
            button.setToolTip(why)
            button.clicked.connect(lambda _checked=False, name=name: self.wanted.emit(name))
            group.addButton(button)
            self.buttons[name] = button
            row.addWidget(button)
        row.addStretch(1)

    def show_shelf(self, name: str) -> None:
        self.buttons[name].setChecked(True)
