"""A list of rows in a panel: long texts take two lines, and it is as high as its rows are."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QListWidget


class RowList(QListWidget):
    def __init__(self, name: str, tip: str, most: int) -> None:
        """``most`` is how high it may become (pixels)."""
        super().__init__()
        self._most = most
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self.setObjectName("tight")
        self.setWordWrap(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def fit(self) -> None:
        """Once its rows are others."""
        self.doItemsLayout()  # only then is it known which take two lines
        rows = sum(self.visualItemRect(self.item(k)).height() for k in range(self.count()))
        height = min((rows or self.fontMetrics().height()) + 2 * self.frameWidth() + 2, self._most)
        if height != self.height():
            self.setFixedHeight(height)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if event.size().width() != event.oldSize().width():
            self.fit()
