"""A group of fields under its heading, folded away and opened by it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget


class Group(QWidget):
    """``folded`` are the keys of all groups that are folded, among them this one's while it is."""

    def __init__(self, title: str, folded: set[str], key: str) -> None:
        super().__init__()
        self._title, self._folded, self._key = title, folded, key
        self.head = QPushButton()
        self.head.setProperty("group", True)
        # Tab goes from field to field; all groups fold by a command.
        self.head.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.head.clicked.connect(lambda: self.fold(not self.is_folded))
        self.body = QWidget()
        self.inside = QVBoxLayout(self.body)
        self.inside.setContentsMargins(0, 0, 0, 0)
        self.inside.setSpacing(3)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(self.body)
        self._show()

    @property
    def is_folded(self) -> bool:
        return self._key in self._folded

    def fold(self, folded: bool) -> None:
        (self._folded.add if folded else self._folded.discard)(self._key)
        self._show()

    def _show(self) -> None:
        folded = self.is_folded
        self.body.setVisible(not folded)
        self.head.setText(f"{'▸' if folded else '▾'} {self._title}")
        self.head.setAccessibleName(f"{self._title}, {'folded' if folded else 'open'}")
        self.head.setToolTip("Open this group" if folded else "Fold this group away")


def open_around(widget: QWidget) -> None:
    """Opens the group that a widget is hidden in."""
    parent = widget.parentWidget()
    while parent is not None:
        if isinstance(parent, Group):
            parent.fold(False)
        parent = parent.parentWidget()
