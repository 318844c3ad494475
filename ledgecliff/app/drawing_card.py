"""A small drawing in a panel."""

from __future__ import annotations

from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from ledgecliff.core.drawing.items import Drawing
from ledgecliff.core.drawing.layout import lay_out
from ledgecliff.core.quantities import Unit

from .drawing_painter import DrawingPainter, text_width
from .theme import Theme, scaled

_HEIGHT = 170


class DrawingCard(QWidget):
    def __init__(self, theme: Theme, words: str) -> None:
        super().__init__()
        self._theme, self._drawing = theme, Drawing("", (), (0.0, 0.0), (1.0, 1.0))
        self._unit: Unit = "mm"
        self.setAccessibleName(words)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(scaled(_HEIGHT))

    def show_drawing(self, drawing: Drawing, unit: Unit) -> None:
        self._drawing, self._unit = drawing, unit
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._theme.color("paper"))
        for layout in lay_out((self._drawing,), self.width(), self.height(), self._unit, text_width):
            DrawingPainter(painter, self._theme).paint(layout)
