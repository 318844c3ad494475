"""The window's top: menus at the left, the job and its state in the middle, command finder and unit at the right."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCompleter, QHBoxLayout, QLabel, QLineEdit, QMenuBar, QPushButton, QWidget

from .actions import ACTIONS


class TopBar(QWidget):
    #: The words of a command that was typed or picked.
    command_wanted = Signal(str)
    unit_wanted = Signal()

    def __init__(self, menus: QMenuBar) -> None:
        super().__init__()
        self.setObjectName("desk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.title, self.state = QLabel(), QLabel()
        for label, kind in ((self.title, "head"), (self.state, "quiet")):
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setProperty(kind, True)
        self.finder = QLineEdit()
        self.finder.setPlaceholderText("Find a command   Ctrl+J")
        self.finder.setFixedWidth(210)
        self.finder.setAccessibleName("Find a command")
        completer = QCompleter([spec.text for spec in ACTIONS])
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        completer.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        completer.activated.connect(self.command_wanted)
        self.finder.setCompleter(completer)
        self.finder.returnPressed.connect(lambda: self.command_wanted.emit(self.finder.text()))
        self.unit_button = QPushButton("mm")
        self.unit_button.setToolTip("Switch the unit that is shown (Ctrl+U)")
        self.unit_button.clicked.connect(self.unit_wanted)
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 2, 10, 2)
        row.addWidget(menus)
        row.addStretch(1)
        row.addWidget(self.title)
        row.addWidget(self.state)
        row.addStretch(1)
        row.addWidget(self.finder)
        row.addWidget(self.unit_button)
