"""The finder: type a few letters of anything, take the first with Enter, or walk the list with Up and Down."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QFocusEvent, QKeyEvent
from PySide6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem

if TYPE_CHECKING:
    from .things import Thing

#: So many things are listed at most, and how wide and high the list is (pixels).
_MOST, _WIDTH, _ROW = 12, 520, 28


class Finder(QLineEdit):
    def __init__(self) -> None:
        super().__init__()
        self.setPlaceholderText("Find anything   Ctrl+J")
        self.setFixedWidth(210)
        self.setAccessibleName("Find a command, setup, feature, field or finding")
        #: What there is to be found, asked each time that somebody begins to type.
        self.ask: Callable[[], list[Thing]] = list
        self._things: list[Thing] = []
        self.shown: list[Thing] = []
        self.list: QListWidget | None = None
        self.textEdited.connect(self._search)
        self.returnPressed.connect(self.take)

    def _list(self) -> QListWidget:
        """Over everything else in the window, made when it is first wanted."""
        if self.list is None:
            self.list = QListWidget(self.window())
            self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            self.list.setObjectName("found")
            self.list.setAccessibleName("What was found")
            self.list.itemClicked.connect(lambda _item: self.take())
        return self.list

    def _search(self, text: str) -> None:
        if not self._things:
            self._things = self.ask()
        from .things import things_found  # brings in nearly everything, which the bare window does without

        self.shown = things_found(self._things, text, _MOST) if text.strip() else []
        found = self._list()
        found.clear()
        for thing in self.shown:
            words = f"{thing.words}   {thing.detail}" + (f"   ({thing.why_not})" if thing.why_not else "")
            item = QListWidgetItem(words)
            if thing.why_not:
                item.setFlags(Qt.ItemFlag.NoItemFlags)
            found.addItem(item)
        found.setCurrentRow(0)
        found.setVisible(bool(self.shown))
        if self.shown:
            at = self.mapTo(self.window(), QPoint(self.width() - _WIDTH, self.height() + 2))
            found.setGeometry(max(at.x(), 4), at.y(), _WIDTH, _ROW * len(self.shown) + 8)
            found.raise_()

    def take(self) -> None:
        """Does what stands first, or what was walked to; it clears itself."""
        found = self._list()
        row = max(found.currentRow(), 0)
        thing = self.shown[row] if row < len(self.shown) else None
        if thing is None or thing.why_not:
            return
        self.put_away()
        thing.run()

    def put_away(self) -> None:
        self.clear()
        self._things, self.shown = [], []
        if self.list is not None:
            self.list.hide()
        self.clearFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if event.key() == Qt.Key.Key_Escape:
            self.put_away()
        elif step is not None and self.shown:
            found = self._list()
            found.setCurrentRow(min(max(found.currentRow() + step, 0), len(self.shown) - 1))
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        under = self.list
        if under is not None and not under.underMouse():
            under.hide()
            self._things = []
