"""The stage's drawing board: two views to one scale, one above the other sharing X, or side by side."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from ledgecliff.core.drawing.items import Drawing, Point2
from ledgecliff.core.drawing.layout import NARROW_BELOW, lay_out
from ledgecliff.core.drawing.marks import Layout, Placing
from ledgecliff.core.edits.placing import Draggable
from ledgecliff.core.quantities import Unit

from .drawing_painter import DrawingPainter, rect, text_width
from .theme import Theme, font

#: A press that moves less than this is a click (pixels).
_DRAG_FROM = 4


@dataclass(frozen=True)
class Ghost:
    """Where what is being dragged would come to lie, in millimetres of the plan: its box, or outlines instead."""

    low: Point2
    high: Point2
    words: str
    outlines: tuple[tuple[Point2, ...], ...] = ()


class Canvas(QWidget):
    """Shows a pair of drawings; a click on what has a source picks it."""

    picked = Signal(str)
    #: Name of what is dragged and how far, in millimetres of the plan; while it goes, and where it is let go.
    dragged = Signal(str, float, float)
    dropped = Signal(str, float, float)
    #: There is room for the names of heights now, or no more.
    heights_named = Signal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("paper")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setAccessibleName("Drawing of the scene, plan view and front view")
        self.theme = theme
        self.unit: Unit = "mm"
        self.picked_source = ""
        self.drawings: tuple[Drawing, ...] = ()
        self._laid_out: tuple[object, list[Layout]] | None = None
        #: The ball during a rehearsal: its centre in the WCS, its radius, and the way behind it.
        self._ball: tuple[Point2, Point2, float] | None = None
        self.draggables: tuple[Draggable, ...] = ()
        self.ghost: Ghost | None = None
        self._grasped: Draggable | None = None
        self._grasped_at = QPointF()

    def minimumSizeHint(self) -> QSize:
        return QSize(320, 260)

    @property
    def names_heights(self) -> bool:
        """Whether the ladder says what its heights are of; where it does not, the tape tells them."""
        return self.width() >= NARROW_BELOW

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if (event.oldSize().width() >= NARROW_BELOW) != self.names_heights:
            self.heights_named.emit()

    def show_drawings(self, drawings: tuple[Drawing, ...]) -> None:
        self.drawings = drawings
        self._ball = None
        self.update()

    def show_ball(self, plan_at: Point2, front_at: Point2, radius: float) -> None:
        self._ball = (plan_at, front_at, radius)
        self.update()

    def hide_ball(self) -> None:
        self._ball = None
        self.update()

    def layouts(self) -> list[Layout]:
        """The drawings as they stand on the board: worked out again when anything of that has changed."""
        state = (self.drawings, self.width(), self.height(), self.unit, self.picked_source)
        if self._laid_out is None or self._laid_out[0] != state:
            size, picked = (self.width(), self.height()), self.picked_source
            laid_out = lay_out(self.drawings, *size, self.unit, text_width, picked, on_screen=True)
            self._laid_out = (state, laid_out)
        return self._laid_out[1]

    def placings(self) -> list[Placing]:
        return [layout.placing for layout in self.layouts()]

    @property
    def targets(self) -> list[tuple[QRectF, str]]:
        """Which source lies where on the board."""
        return [(rect(box), source) for layout in self.layouts() for box, source in layout.targets]

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), self.theme.color("paper"))
        paint = DrawingPainter(painter, self.theme)
        for k, layout in enumerate(self.layouts()):
            placing = layout.placing
            paint.paint(layout)
            if k == 0 and self.ghost is not None:
                self._paint_ghost(painter, placing)
            if self._ball is not None:
                plan_at, front_at, radius = self._ball
                self._paint_ball(painter, placing, plan_at if k == 0 else front_at, radius)
        painter.end()

    def _paint_ball(self, painter: QPainter, placing: Placing, at: Point2, radius: float) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(self.theme.pen("search"))
        painter.setBrush(self.theme.color("accent"))
        size = max(radius * placing.scale, 4.0)
        painter.drawEllipse(QPointF(*placing.point(at)), size, size)
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def point(self, drawing: int, at: Point2) -> QPointF:
        """Where a place of a drawing (by its number, from 0) lies on the board."""
        return QPointF(*self.layouts()[drawing].placing.point(at))

    @staticmethod
    def _box(placing: Placing, low: Point2, high: Point2) -> QRectF:
        return QRectF(QPointF(*placing.point(low)), QPointF(*placing.point(high))).normalized()

    def _source_at(self, at: QPointF) -> str:
        return next((source for box, source in reversed(self.targets) if box.contains(at)), "")

    def _draggable_at(self, at: QPointF) -> Draggable | None:
        """What can be dragged under a place on the plan, the first drawing."""
        if not self.draggables or not self.drawings:
            return None
        placing = self.placings()[0]
        for thing in self.draggables:
            if self._box(placing, thing.low, thing.high).contains(at):
                return thing
        return None

    def _way(self, at: QPointF) -> Point2:
        """From where the drag began to ``at``, in millimetres of the plan."""
        scale = self.placings()[0].scale
        return ((at.x() - self._grasped_at.x()) / scale, -(at.y() - self._grasped_at.y()) / scale)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._grasped, self._grasped_at = self._draggable_at(event.position()), event.position()
        self.picked.emit(self._source_at(event.position()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._grasped is not None and event.buttons() & Qt.MouseButton.LeftButton:
            if (at - self._grasped_at).manhattanLength() >= _DRAG_FROM or self.ghost is not None:
                self.dragged.emit(self._grasped.name, *self._way(at))
            return
        if self._source_at(at):
            self.setCursor(Qt.CursorShape.PointingHandCursor)
        else:
            over = self._draggable_at(at) is not None
            self.setCursor(Qt.CursorShape.OpenHandCursor if over else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._grasped is not None and self.ghost is not None:
            self.ghost = None
            self.dropped.emit(self._grasped.name, *self._way(event.position()))
        self._grasped = None

    def show_ghost(self, ghost: Ghost) -> None:
        self.ghost = ghost
        self.update()

    def _paint_ghost(self, painter: QPainter, placing: Placing) -> None:
        assert self.ghost is not None, "painted while something is dragged"
        words = self.ghost.words
        box = self._box(placing, self.ghost.low, self.ghost.high)
        painter.setPen(self.theme.pen("phantom", picked=True))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for outline in self.ghost.outlines:
            painter.drawPolyline([QPointF(*placing.point(point)) for point in outline])
        if not self.ghost.outlines:
            painter.drawRect(box)
        if words:
            painter.setFont(font(12))
            place = QRectF(box.left(), box.top() - 20.0, max(box.width(), 260.0), 18.0)
            painter.fillRect(place, self.theme.color("accent_soft"))
            painter.setPen(self.theme.color("ink"))
            painter.drawText(place, int(Qt.AlignmentFlag.AlignCenter), words)
