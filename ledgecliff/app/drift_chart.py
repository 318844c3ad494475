"""A number of the record against time, painted as it is laid out."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen

from ledgecliff.core.drawing.drift_layout import DriftLayout, drift_layout
from ledgecliff.core.drawing.layout import TEXT_SIZE
from ledgecliff.core.record.drift import Drift

from .chart import Chart
from .theme import Theme

#: How large a value is, and how near the pointer must come to it (pixels).
_SPOT, _NEAR = 3.0, 6.0


class DriftChart(Chart):
    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, "The number against time")
        self._found: Drift | None = None
        self.setMinimumHeight(150)

    def sizeHint(self) -> QSize:
        return QSize(320, 180)

    def show_drift(self, found: Drift | None) -> None:
        self._found = found
        self.update()

    def shown(self) -> DriftLayout | None:
        found = self._found
        return None if found is None else drift_layout(found, float(self.width()), float(self.height()))

    def tip_at(self, at: QPointF) -> str:
        layout = self.shown()
        if layout is None:
            return ""
        tips = [each.tip for each in layout.spots if (QPointF(*each.at) - at).manhattanLength() < _NEAR]
        return "\n".join([*tips, *(each.words for each in layout.marks if abs(each.x - at.x()) < _NEAR)])

    def paint(self, painter: QPainter) -> None:
        layout = self.shown()
        if layout is not None:
            self._paint(painter, layout)

    def _paint(self, painter: QPainter, layout: DriftLayout) -> None:
        color, frame = self.theme.color, layout.frame
        painter.setPen(QPen(color("faint"), 0.8))
        painter.drawRect(QRectF(frame.left, frame.top, frame.width, frame.height))
        for mark in layout.marks:
            painter.setPen(QPen(color("accent"), 1.4))
            painter.drawLine(QPointF(mark.x, frame.top), QPointF(mark.x, frame.bottom))
            painter.drawText(QPointF(mark.x + 3.0, frame.top + TEXT_SIZE), mark.words[:24])
        for level in layout.levels:
            style = Qt.PenStyle.SolidLine if level.is_mean else Qt.PenStyle.DashLine
            painter.setPen(QPen(color("zero"), 1.2, style))
            painter.drawLine(QPointF(level.left, level.y), QPointF(frame.right, level.y))
            painter.setPen(color("ink"))
            place = QRectF(0.0, level.y - TEXT_SIZE, frame.left - 6.0, 2.0 * TEXT_SIZE)
            painter.drawText(place, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, level.words)
        painter.setPen(QPen(color("quiet"), 1.0))
        painter.drawPolyline([QPointF(*each.at) for each in layout.spots])
        for each in layout.spots:
            painter.setBrush(color("accent" if each.jumped else "ink"))
            painter.setPen(Qt.PenStyle.NoPen)
            size = _SPOT * (1.8 if each.jumped else 1.0)
            if each.jumped:  # told apart by its shape as well
                painter.drawRect(QRectF(each.at[0] - size, each.at[1] - size, 2.0 * size, 2.0 * size))
            else:
                painter.drawEllipse(QPointF(*each.at), size, size)
        painter.setPen(color("quiet"))
        below = QRectF(frame.left, frame.bottom + 3.0, frame.width, TEXT_SIZE + 6.0)
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft, layout.times[0])
        painter.drawText(below, Qt.AlignmentFlag.AlignRight, layout.times[1])
