"""What all charts share: they are painted on paper as they are laid out, and say what lies under the pointer."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF
from PySide6.QtGui import QHelpEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QToolTip, QWidget

from ledgecliff.core.drawing.layout import TEXT_SIZE

from .theme import Theme, font


class Chart(QWidget):
    def __init__(self, theme: Theme, accessible_name: str) -> None:
        super().__init__()
        self.theme = theme
        self.setMouseTracking(True)
        self.setAccessibleName(accessible_name)

    def paint(self, painter: QPainter) -> None:
        """Everything on the empty paper."""
        raise NotImplementedError

    def tip_at(self, _at: QPointF) -> str:
        """What is said of the place under the pointer."""
        return ""

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            QToolTip.showText(event.globalPos(), self.tip_at(QPointF(event.pos())), self)
            return True
        return super().event(event)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(int(TEXT_SIZE)))
        painter.fillRect(self.rect(), self.theme.color("paper"))
        self.paint(painter)
        painter.end()
