"""What all sheets share that lie over the stage until they are put away."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ledgecliff.core.errors import LedgecliffError

#: A button: its key, its words, what it does in words, and what it does.
Command = tuple[str, str, str, Callable[[], object]]


class Sheet(QWidget):
    """A headed column; what a button is refused is said under the head."""

    closed = Signal()

    def __init__(self, title: str = "") -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.title, self.said = QLabel(title), QLabel()
        for label, kind in ((self.title, "head"), (self.said, "bad")):
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setProperty(kind, True)
        self.said.setWordWrap(True)
        self.said.hide()
        self.buttons: dict[str, QPushButton] = {}
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(16, 12, 16, 12)

    def add_head(self, *commands: Command, beside_title: bool = True) -> QHBoxLayout:
        """Title and buttons in one row, or the buttons in a row of their own; gives the title's row."""
        head, row = self.add_row(), QHBoxLayout()
        head.addWidget(self.title)
        head.addStretch(1)
        if beside_title:
            row = head
        else:
            self.column.addLayout(row)
        for command in commands:
            if command[0] == "close" and not beside_title:
                row.addStretch(1)
            row.addWidget(self._button(*command))
        self.column.addWidget(self.said)
        return head

    def add_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 4)
        self.column.addLayout(row)
        return row

    def _button(self, key: str, words: str, tip: str, action: Callable[[], object]) -> QPushButton:
        button = self.buttons[key] = QPushButton(words)
        button.setToolTip(tip)
        button.clicked.connect(lambda: self.attempt(action))
        return button

    def attempt(self, action: Callable[[], object]) -> None:
        """What a hand asks for; words about what went wrong before are put away when it goes well."""
        if self.guarded(action):
            self.said.hide()

    def guarded(self, action: Callable[[], object]) -> bool:
        """Whether ``action`` went well; what the core refuses is said."""
        try:
            action()
        except LedgecliffError as error:
            self.said.setText(str(error))
            self.said.show()
            return False
        return True

    def open(self) -> None:
        """It comes over the stage."""
        self.refresh()

    def refresh(self) -> None:
        """Job, unit or rehearsal are others while it lies there."""

    def put_away(self) -> None:
        """The stage is wanted again."""
