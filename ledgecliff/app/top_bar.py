"""The window's top: menus at the left, the job and its state in the middle, command finder and unit at the right."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QMenuBar, QPushButton, QWidget

from .finder import Finder


class Title(QLabel):
    """The job's title; a click edits it where it stands."""

    edit_wanted = Signal()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.edit_wanted.emit()
        event.accept()


class TopBar(QWidget):
    unit_wanted = Signal()
    #: One of the views of the work.
    view_wanted = Signal(str)

    def __init__(self, menus: QMenuBar) -> None:
        super().__init__()
        self.setObjectName("desk")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.title, self.state = Title(), QLabel()
        self.title.setCursor(Qt.CursorShape.IBeamCursor)
        self.title.setToolTip("The job's title: click to edit it")
        for label, kind in ((self.title, "head"), (self.state, "quiet")):
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setProperty(kind, True)
        self.finder = Finder()
        self.unit_button = QPushButton("mm")
        self.unit_button.setToolTip("Switch the unit that is shown (Ctrl+U)")
        self.unit_button.clicked.connect(self.unit_wanted)
        self.views: dict[str, QPushButton] = {}
        self._views = QButtonGroup(self)
        row = QHBoxLayout(self)
        row.setContentsMargins(4, 2, 10, 2)
        for action in ("part", "table", "run", "shop"):
            word = QPushButton(action.capitalize())
            word.setCheckable(True)
            word.setProperty("view", True)
            word.clicked.connect(lambda _checked=False, view=action: self.view_wanted.emit(view))
            self._views.addButton(word)
            self.views[action] = word
            row.addWidget(word)
        row.addWidget(menus)
        row.addStretch(1)
        row.addWidget(self.title)
        row.addWidget(self.state)
        row.addStretch(1)
        row.addWidget(self.finder)
        row.addWidget(self.unit_button)
