"""The picture of a run, painted: tool blocks over time and a lane for each station; picked, dragged together."""

from __future__ import annotations

from collections.abc import Callable
from typing import assert_never

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent
from PySide6.QtWidgets import QToolTip, QWidget

from ledgecliff.core.drawing.layout import TEXT_SIZE
from ledgecliff.core.drawing.marks import Box
from ledgecliff.core.drawing.run_layout import PAD, Piece, RunLayout, run_layout
from ledgecliff.core.model.run import TaskRef
from ledgecliff.core.runs.picture import RunPicture

from .drawing_painter import rect, text_width
from .theme import Theme, font

#: So far it is moved before a press is a drag (pixels).
_DRAG = 6


class RunBand(QWidget):
    #: Tasks that were pressed: one, or all of a block.
    picked = Signal(object)
    #: A task or a block was dropped on another: the task, and those that are to follow it; or on itself.
    joined = Signal(object, object)
    kept = Signal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._picture: RunPicture | None = None
        self._layout: RunLayout | None = None
        self._marked: frozenset[TaskRef] = frozenset()
        self._pressed: tuple[QPointF, Piece] | None = None
        self._at: QPointF | None = None
        self.setMouseTracking(True)
        self.setAccessibleName("The run over its hours")

    def show_picture(self, picture: RunPicture | None) -> None:
        self._picture = picture
        self._lay_out()

    def set_theme(self, theme: Theme) -> None:
        self._theme = theme
        self.update()

    def mark(self, refs: frozenset[TaskRef]) -> None:
        self._marked = refs
        self.update()

    def place_of(self, ref: TaskRef) -> QPointF | None:
        """The middle of a task's bar."""
        return self._middle(lambda each: each.kind != "block" and ref in each.refs)

    def place_of_block(self, ref: TaskRef) -> QPointF | None:
        """The middle of the block that a task is in."""
        return self._middle(lambda each: each.kind == "block" and ref in each.refs)

    def _middle(self, wanted: Callable[[Piece], bool]) -> QPointF | None:
        pieces = () if self._layout is None else self._layout.pieces
        found = next((each for each in pieces if wanted(each)), None)
        return None if found is None else QPointF(*found.box.middle)

    def _lay_out(self) -> None:
        self._layout = None
        if self._picture is not None:
            self._layout = run_layout(self._picture, float(self.width()), text_width)
        self.setFixedHeight(int(self._layout.height) + 1 if self._layout is not None else 1)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(600, self.height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if event.size().width() != event.oldSize().width():
            self._lay_out()

    # --- hands ------------------------------------------------------------------------------

    def _piece(self, at: QPointF) -> Piece | None:
        return None if self._layout is None else self._layout.at((at.x(), at.y()))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        piece = self._piece(event.position())
        self._pressed = None if piece is None else (event.position(), piece)
        self.picked.emit(frozenset() if piece is None else frozenset(piece.refs))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is not None:
            away = (event.position() - self._pressed[0]).manhattanLength()
            if away > _DRAG or self._at is not None:
                self._at = event.position()
                self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        pressed, dragged = self._pressed, self._at is not None
        self._pressed = self._at = None
        self.update()
        onto = self._piece(event.position())
        if pressed is None or onto is None or not dragged:
            return
        if onto.refs != pressed[1].refs:
            self.joined.emit(onto.refs[-1], pressed[1].refs)
        elif onto.kind == "block":
            self.kept.emit(onto.refs)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            pieces = () if self._layout is None else self._layout.pieces
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
        if self._layout is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), self._theme.color("paper"))
        for piece in self._layout.pieces:
            self._paint(painter, piece)
        if self._pressed is not None and self._at is not None:
            moved = rect(self._pressed[1].box).translated(self._at - self._pressed[0])
            painter.setPen(QPen(self._theme.color("accent"), 2.0, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(moved)
        painter.end()

    def _paint(self, painter: QPainter, piece: Piece) -> None:
        theme, box = self._theme, piece.box
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
        painter.setPen(QPen(self._theme.color(colour), thick))
        painter.setBrush(tint)
        painter.drawRect(rect(box))

    def _line(self, painter: QPainter, box: Box, pen: QPen) -> None:
        painter.setPen(pen)
        painter.drawLine(QPointF(box.left, box.top), QPointF(box.right, box.bottom))

    def _words(self, painter: QPainter, piece: Piece, *, bold: bool = False, indent: float = PAD) -> None:
        painter.setFont(font(int(TEXT_SIZE), bold=bold))
        painter.setPen(self._theme.color("ink"))
        place = rect(piece.box).adjusted(indent, 0.0, 200.0, 0.0)
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, piece.words)
        painter.setFont(font(int(TEXT_SIZE)))
