"""A picture over time, painted as it is laid out: bars, blocks, waits, marks; what each of them is as a tip."""

from __future__ import annotations

from typing import assert_never

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QBrush, QColor, QHelpEvent, QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent
from PySide6.QtWidgets import QToolTip, QWidget

from ledgecliff.core.drawing.layout import TEXT_SIZE
from ledgecliff.core.drawing.marks import Box
from ledgecliff.core.drawing.run_layout import PAD, Piece, RunLayout
from ledgecliff.core.model.run import TaskRef

from .drawing_painter import rect
from .theme import Theme, font


class TimeBand(QWidget):
    """As high as its layout; who derives from it lays out for a width, and may paint over it."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.shown: RunLayout | None = None
        self._marked: frozenset[TaskRef] = frozenset()
        self.setMouseTracking(True)

    def laid_out(self, width: float) -> RunLayout | None:
        raise NotImplementedError

    def paint_over(self, painter: QPainter) -> None:
        """Nothing, unless somebody has something."""

    def set_theme(self, theme: Theme) -> None:
        self.theme = theme
        self.update()

    def lay_out(self) -> None:
        self.shown = self.laid_out(float(self.width()))
        self.setFixedHeight(int(self.shown.height) + 1 if self.shown is not None else 1)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(600, self.height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if event.size().width() != event.oldSize().width():
            self.lay_out()

    def mark(self, refs: frozenset[TaskRef]) -> None:
        self._marked = refs
        self.update()

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            pieces = () if self.shown is None else self.shown.pieces
            at = (float(event.pos().x()), float(event.pos().y()))
            tips = [each.tip for each in pieces if each.tip and each.box.grown(2.0, 2.0).holds(at)]
            if tips:
                QToolTip.showText(event.globalPos(), "\n".join(tips), self)
            else:
                QToolTip.hideText()
            return True
        return super().event(event)

    # --- painting ---------------------------------------------------------------------------

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self.shown is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self.theme.color("paper"))
        for piece in self.shown.pieces:
            self._paint(painter, piece)
        self.paint_over(painter)
        painter.end()

    def _paint(self, painter: QPainter, piece: Piece) -> None:
        theme, box = self.theme, piece.box
        marked = bool(self._marked.intersection(piece.refs))
        match piece.kind:
            case "block":
                tint = theme.color("accent_soft" if marked else "raw" if piece.second else "parallel")
                self._box(painter, box, tint, 1.0, "ink")
                self._words(painter, piece, bold=True)
            case "bar":
                colour = "accent" if marked else "ink"
                tint = theme.color("accent_soft" if marked else "paper")
                self._box(painter, box, tint, 2.4 if piece.frozen else 1.0, colour)
                self._words(painter, piece)
            case "wait":
                painter.fillRect(rect(box), QBrush(theme.color("faint"), Qt.BrushStyle.BDiagPattern))
            case "act":
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.color("zero" if marked else "accent"))
                middle = box.middle[1]
                painter.drawPolygon(
                    QPolygonF([QPointF(box.left, box.top), QPointF(box.right, middle), QPointF(box.left, box.bottom)])
                )
            case "name":
                self._words(painter, piece, indent=0.0)
            case "title":
                self._words(painter, piece, bold=True, indent=0.0)
            case "work":
                painter.fillRect(rect(box), theme.color("parallel"))
            case "cut":
                painter.fillRect(rect(box), theme.color("quiet"))
            case "under":
                self._line(painter, box, QPen(theme.color("faint"), 0.5))
            case "hour":
                self._line(painter, Box(box.left, box.top, 0.0, 4.0), QPen(theme.color("quiet"), 1.0))
                place = QRectF(box.left - 30.0, box.top + 4.0, 60.0, box.height - 4.0)
                painter.setPen(theme.color("quiet"))
                painter.drawText(place, Qt.AlignmentFlag.AlignCenter, piece.words)
            case "bound":
                self._line(painter, box, QPen(theme.color("zero"), 1.4, Qt.PenStyle.DashLine))
            case _:
                assert_never(piece.kind)

    def _box(self, painter: QPainter, box: Box, tint: QColor, thick: float, colour: str) -> None:
        painter.setPen(QPen(self.theme.color(colour), thick))
        painter.setBrush(tint)
        painter.drawRect(rect(box))

    def _line(self, painter: QPainter, box: Box, pen: QPen) -> None:
        painter.setPen(pen)
        painter.drawLine(QPointF(box.left, box.top), QPointF(box.right, box.bottom))

    def _words(self, painter: QPainter, piece: Piece, *, bold: bool = False, indent: float = PAD) -> None:
        painter.setFont(font(int(TEXT_SIZE), bold=bold))
        painter.setPen(self.theme.color("ink"))
        place = rect(piece.box).adjusted(indent, 0.0, 200.0, 0.0)
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, piece.words)
        painter.setFont(font(int(TEXT_SIZE)))
