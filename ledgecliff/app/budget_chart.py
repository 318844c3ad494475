"""The error budget painted as it is laid out: stacked lengths, the tolerance beside them."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QFontMetricsF, QMouseEvent, QPainter, QPen

from ledgecliff.core.budget.budget import Budget
from ledgecliff.core.drawing.budget_layout import BudgetLayout, Row, budget_layout
from ledgecliff.core.quantities import Unit

from .chart import Chart
from .theme import Theme

#: Fills by turns, so that neighbours are told apart without their colour.
_FILLS = (
    Qt.BrushStyle.SolidPattern, Qt.BrushStyle.BDiagPattern, Qt.BrushStyle.Dense5Pattern, Qt.BrushStyle.FDiagPattern,
    Qt.BrushStyle.Dense7Pattern, Qt.BrushStyle.NoBrush,
)  # fmt: skip


class BudgetChart(Chart):
    #: A pair: its number, the worst from 0, and its feature.
    picked = Signal(int, str)

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, "What each pair of features may be off")
        self._shown: tuple[Budget, float, Unit] | None = None

    def show_budget(self, budget: Budget | None, share: float, unit: Unit) -> None:
        self._shown = None if budget is None else (budget, share, unit)
        layout = self.layout_now()
        self.setFixedHeight(0 if layout is None else int(layout.height) + 4)
        self.setAccessibleDescription(
            "" if layout is None else "; ".join(f"{r.words}: {r.amount}" for r in layout.rows)
        )
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(480, 200)

    def layout_now(self) -> BudgetLayout | None:
        if self._shown is None:
            return None
        budget, share, unit = self._shown
        return budget_layout(budget, share, float(self.width()), unit)

    def tip_at(self, at: QPointF) -> str:
        layout = self.layout_now()
        for row in layout.rows if layout is not None else ():
            for piece in row.pieces:
                box = piece.box
                if QRectF(box.left, box.top, max(box.width, 3.0), box.height).contains(at):
                    return piece.tip
        return ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        layout = self.layout_now()
        rows = layout.rows if layout is not None else ()
        for number, row in reversed(list(enumerate(rows))):
            if event.position().y() >= row.top:
                self.picked.emit(number, row.feature)
                break
        super().mousePressEvent(event)

    def paint(self, painter: QPainter) -> None:
        layout = self.layout_now()
        if layout is not None and layout.rows:
            self._paint_scale(painter, layout)
            for row in layout.rows:
                self._paint_row(painter, layout, row)

    def _paint_scale(self, painter: QPainter, layout: BudgetLayout) -> None:
        painter.setPen(QPen(self.theme.color("quiet"), 1.0))
        y = 20.0
        painter.drawLine(QPointF(layout.left, y), QPointF(layout.right, y))
        for x in (layout.left, layout.right):
            painter.drawLine(QPointF(x, y - 4.0), QPointF(x, y + 4.0))
        words = QRectF(layout.left, 0.0, layout.right - layout.left, y - 3.0)
        painter.drawText(words, Qt.AlignmentFlag.AlignLeft, "0")
        painter.drawText(words, Qt.AlignmentFlag.AlignRight, layout.scale)

    def _paint_row(self, painter: QPainter, layout: BudgetLayout, row: Row) -> None:
        color, (at, high) = self.theme.color, layout.bar
        wide = layout.right - layout.left
        fits = QFontMetricsF(painter.font())
        painter.setPen(color("ink"))
        room = wide - fits.horizontalAdvance(row.amount) - 12.0
        words = fits.elidedText(row.words, Qt.TextElideMode.ElideRight, room)
        line = QRectF(layout.left, row.top, wide, at - 4.0)
        painter.drawText(line, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words)
        painter.setPen(color("error" if row.keeps is False else "ink"))
        mark = {True: "✓ ", False: "✕ ", None: ""}[row.keeps]
        painter.drawText(line, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, mark + row.amount)
        for piece in row.pieces:
            box = QRectF(piece.box.left, piece.box.top, piece.box.width, piece.box.height)
            painter.setPen(QPen(color("ink"), 1.0))
            painter.setBrush(QBrush(color("accent_soft" if piece.tone == 0 else "quiet"), _FILLS[piece.tone]))
            painter.drawRect(box)
            if piece.number:
                disc = QRectF(box.center().x() - 7.0, box.center().y() - 7.0, 14.0, 14.0)
                painter.setBrush(color("paper"))
                painter.setPen(Qt.PenStyle.NoPen)
                painter.drawEllipse(disc)
                painter.setPen(color("ink"))
                painter.drawText(disc, Qt.AlignmentFlag.AlignCenter, piece.number)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for x, style in ((row.limit, Qt.PenStyle.SolidLine), (row.stated, Qt.PenStyle.DashLine)):
            if x is not None:
                painter.setPen(QPen(color("zero"), 2.0, style))
                painter.drawLine(QPointF(x, row.top + at - 5.0), QPointF(x, row.top + at + high + 5.0))
        painter.setPen(color("quiet"))
        below = QRectF(layout.left, row.top + at + high + 5.0, wide, 20.0)
        told = fits.elidedText(row.largest, Qt.TextElideMode.ElideRight, wide)
        painter.drawText(below, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, told)
