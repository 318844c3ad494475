"""The picture of a run, painted: tool blocks over time and a lane for each station; picked, dragged together."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPen

from ledgecliff.core.drawing.run_layout import Piece, RunLayout, run_layout
from ledgecliff.core.model.run import TaskRef
from ledgecliff.core.runs.picture import RunPicture

from .drawing_painter import rect, text_width
from .theme import Theme
from .time_band import TimeBand

#: So far it is moved before a press is a drag (pixels).
_DRAG = 6


class RunBand(TimeBand):
    #: Tasks that were pressed: one, or all of a block.
    picked = Signal(object)
    #: A task or a block was dropped on another: the task, and those that are to follow it; or on itself.
    joined = Signal(object, object)
    kept = Signal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self._picture: RunPicture | None = None
        self._pressed: tuple[QPointF, Piece] | None = None
        self._at: QPointF | None = None
        self.setAccessibleName("The run over its hours")

    def show_picture(self, picture: RunPicture | None) -> None:
        self._picture = picture
        self.lay_out()

    def place_of(self, ref: TaskRef) -> QPointF | None:
        """The middle of a task's bar."""
        return self._middle(lambda each: each.kind != "block" and ref in each.refs)

    def place_of_block(self, ref: TaskRef) -> QPointF | None:
        """The middle of the block that a task is in."""
        return self._middle(lambda each: each.kind == "block" and ref in each.refs)

    def _middle(self, wanted: Callable[[Piece], bool]) -> QPointF | None:
        pieces = () if self.shown is None else self.shown.pieces
        found = next((each for each in pieces if wanted(each)), None)
        return None if found is None else QPointF(*found.box.middle)

    def laid_out(self, width: float) -> RunLayout | None:
        return None if self._picture is None else run_layout(self._picture, width, text_width)

    # --- hands ------------------------------------------------------------------------------

    def _piece(self, at: QPointF) -> Piece | None:
        return None if self.shown is None else self.shown.at((at.x(), at.y()))

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

    def paint_over(self, painter: QPainter) -> None:
        """What is being dragged."""
        if self._pressed is not None and self._at is not None:
            moved = rect(self._pressed[1].box).translated(self._at - self._pressed[0])
            painter.setPen(QPen(self.theme.color("accent"), 2.0, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(moved)
