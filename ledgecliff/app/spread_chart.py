"""The budget's distributions beside those that rehearsals have seen, painted as they are laid out."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QFontMetricsF, QPainter, QPen, QPolygonF

from ledgecliff.core.drawing.spread_layout import SpreadLayout, SpreadRow, spread_layout
from ledgecliff.core.frames import Array
from ledgecliff.core.quantities import Unit
from ledgecliff.core.rehearsal.spread import SpreadPair

from .chart import Chart
from .theme import Theme


class SpreadChart(Chart):
    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, "What the budget says of each pair beside what rehearsals have seen")
        self._shown: tuple[Sequence[SpreadPair], Sequence[Array], Unit] | None = None

    def show_spread(self, pairs: Sequence[SpreadPair], drawn: Sequence[Array], unit: Unit) -> None:
        self._shown = (pairs, drawn, unit)
        layout = self.layout_now()
        assert layout is not None, "it has just been given"
        self.setFixedHeight(int(layout.height) + 4)
        self.setAccessibleDescription("; ".join(f"{row.words}: {row.verdict}" for row in layout.rows))
        self.update()

    def layout_now(self) -> SpreadLayout | None:
        if self._shown is None:
            return None
        pairs, drawn, unit = self._shown
        return spread_layout(pairs, drawn, float(self.width()), unit)

    def paint(self, painter: QPainter) -> None:
        layout = self.layout_now()
        if layout is not None:
            for row in layout.rows:
                self._paint_row(painter, layout, row)

    def _paint_row(self, painter: QPainter, layout: SpreadLayout, row: SpreadRow) -> None:
        color, fits = self.theme.color, QFontMetricsF(painter.font())
        wide, foot = layout.right - layout.left, row.top + layout.foot
        line = QRectF(layout.left, row.top, wide, 20.0)
        left = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        right = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        verdict = f"{'✓' if row.agrees else '✕'} {row.verdict}"
        room = wide - fits.horizontalAdvance(verdict) - 12.0
        painter.setPen(color("ink"))
        painter.drawText(line, left, fits.elidedText(row.words, Qt.TextElideMode.ElideRight, room))
        painter.setPen(color("ink" if row.agrees else "error"))
        painter.drawText(line, right, verdict)
        painter.setPen(QPen(color("quiet"), 1.0))
        painter.setBrush(QBrush(color("accent_soft")))
        for bar in row.bars:
            painter.drawRect(QRectF(bar.left, bar.top, bar.width, bar.height))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(color("ink"), 2.0))
        painter.drawPolyline(QPolygonF([QPointF(*point) for point in row.curve]))
        painter.setPen(QPen(color("quiet"), 1.0))
        painter.drawLine(QPointF(layout.left, foot), QPointF(layout.right, foot))
        painter.drawLine(QPointF(row.zero, foot - 4.0), QPointF(row.zero, foot + 4.0))
        for x, style in zip(row.means, (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine), strict=True):
            painter.setPen(QPen(color("zero"), 2.0, style))
            painter.drawLine(QPointF(x, foot), QPointF(x, foot - 14.0))
        painter.setPen(color("quiet"))
        below = QRectF(layout.left, foot + 4.0, wide, 18.0)
        for words, side in ((row.ends[0], left), (row.ends[1], right), ("0", Qt.AlignmentFlag.AlignHCenter)):
            painter.drawText(below, side, words)
