"""Paints a ``Drawing`` with Qt.  It decides pixels; what there is to draw was decided in the core."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QFontMetricsF, QPainter, QPainterPath, QPen, QPolygonF, QTransform

from ledgecliff.core.drawing.items import (
    Ball,
    Dimension,
    Drawing,
    Fill,
    Label,
    Ladder,
    Lines,
    Point2,
    Spot,
    Stroke,
    Touchable,
    Zero,
)
from ledgecliff.core.quantities import Unit, format_length, spell

from .theme import Theme, font

#: Room for one lane of dimensions, below and beside a view (pixels).
LANE_BELOW, LANE_BESIDE = 26, 56
#: Room for the words of the ladder right of a front view (pixels), and where there is little.
LADDER_ROOM, NARROW_LADDER_ROOM = 206, 180
_ARROW = 7.0
#: How far an arrow that points from outside reaches.
_OUTSIDE = 2.5 * _ARROW
_ROW = 17.0
#: Words keep so far from either edge of the picture.
_WORDS_EDGE = 6.0


@dataclass(frozen=True)
class Placing:
    """Millimetres of the view to pixels: scale, and where the view's (0, 0) lies."""

    scale: float
    x: float
    y: float

    def point(self, at: Point2) -> QPointF:
        return QPointF(self.x + at[0] * self.scale, self.y - at[1] * self.scale)


def room_needed(drawing: Drawing, *, narrow: bool) -> tuple[int, int, int]:
    """Pixels that dimensions and ladder take left, right and below."""
    dimensions = [item for item in drawing.items if isinstance(item, Dimension)]

    def lanes(side: str) -> int:
        return max((item.lane for item in dimensions if item.side == side), default=0)

    right = lanes("right") * LANE_BESIDE
    ladders = [item for item in drawing.items if isinstance(item, Ladder)]
    if ladders:
        right = max(right, NARROW_LADDER_ROOM if narrow else LADDER_ROOM)
    # Arrows of a dimension beside that is too short for them stand under the view.
    tails = int(_OUTSIDE) if any(item.side != "below" for item in dimensions) else 0
    deeper = any(rung.y < drawing.low[1] for ladder in ladders for rung in ladder.rungs)
    below = max(lanes("below") * LANE_BELOW, tails, int(_ROW) if deeper else 0)
    return lanes("left") * LANE_BESIDE, right, below


@lru_cache(maxsize=512)
def _lines_mm(item: Lines) -> list[QLineF]:
    """Qt's lines in millimetres: made once, painted often."""
    return [QLineF(ax, ay, bx, by) for (ax, ay), (bx, by) in item.segments.tolist()]


@lru_cache(maxsize=1024)
def _path_mm(item: Fill) -> QPainterPath:
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    for ring in item.rings:
        path.addPolygon(QPolygonF([QPointF(x, y) for x, y in ring]))
        path.closeSubpath()
    return path


#: Width of the band along a face that can be touched, and length of the arrow that shows how (pixels).
_BAND, _WAY = 8.0, 38.0


class DrawingPainter:
    """Paints one drawing; afterwards ``targets`` tells which source lies where."""

    def __init__(self, painter: QPainter, theme: Theme, unit: Unit, picked: str, *, narrow: bool = False) -> None:
        self._painter = painter
        self._theme = theme
        self._unit = unit
        self._picked = picked
        self._ladder_room = NARROW_LADDER_ROOM if narrow else LADDER_ROOM
        self._placing = Placing(1.0, 0.0, 0.0)
        self._drawing: Drawing | None = None
        self.targets: list[tuple[QRectF, str]] = []

    def paint(self, drawing: Drawing, placing: Placing) -> None:
        self._drawing, self._placing = drawing, placing
        painter = self._painter
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(12))
        for item in drawing.items:
            match item:
                case Fill():
                    self._fill(item)
                case Lines():
                    self._lines(item)
                case Stroke():
                    self._stroke(item)
                case Label():
                    self._label(item)
                case Dimension():
                    self._dimension(item)
                case Zero():
                    self._zero(item)
                case Spot():
                    self._spot(item)
                case Touchable():
                    self._touchable(item)
                case Ball():
                    self._ball(item)
                case Ladder():
                    self._ladder(item)
        painter.restore()

    def _is_picked(self, source: str) -> bool:
        return bool(source) and source == self._picked

    def _fill(self, item: Fill) -> None:
        path = self._transform().map(_path_mm(item))
        tint, hatch = self._theme.surface(item.surface)
        self._painter.fillPath(path, tint)
        if hatch is not None:
            self._painter.fillPath(path, hatch)

    def _lines(self, item: Lines) -> None:
        # Pens are cosmetic, so the lines may stay in millimetres.
        self._painter.setPen(self._theme.pen(item.line, picked=self._is_picked(item.source)))
        self._painter.setTransform(self._transform(), combine=True)
        self._painter.drawLines(_lines_mm(item))
        self._painter.setTransform(self._transform().inverted()[0], combine=True)

    def _transform(self) -> QTransform:
        """Millimetres of the view to pixels."""
        return QTransform(self._placing.scale, 0.0, 0.0, -self._placing.scale, self._placing.x, self._placing.y)

    def _stroke(self, item: Stroke) -> None:
        self._painter.setPen(self._theme.pen(item.line, picked=self._is_picked(item.source)))
        self._painter.setBrush(Qt.BrushStyle.NoBrush)
        points = [self._placing.point(at) for at in item.points]
        self._painter.drawPolyline(points)

    def _label(self, item: Label) -> None:
        at, text = self._placing.point(item.at), spell(item.text, self._unit)
        width = QFontMetricsF(self._painter.font()).horizontalAdvance(text)
        left = at.x() - {"left": 0.0, "centre": width / 2.0, "right": width}[item.anchor]
        self._words(QRectF(left, at.y() - 8.0, width, 16.0), text, item.source, boxed=True)

    def _words(self, box: QRectF, text: str, source: str, *, boxed: bool) -> None:
        """Text in ``box``, on a patch of paper so that lines below do not run through it, pushed into view."""
        painter, theme = self._painter, self._theme
        box.moveLeft(max(min(box.left(), painter.window().right() - box.width() - _WORDS_EDGE), _WORDS_EDGE))
        box.moveTop(max(min(box.top(), painter.window().bottom() - box.height() - _WORDS_EDGE), _WORDS_EDGE))
        picked = self._is_picked(source)
        if boxed or picked:
            patch = theme.color("accent_soft" if picked else "paper")
            patch.setAlpha(255 if picked else 225)
            painter.fillRect(box.adjusted(-3, 0, 3, 0), patch)
        painter.setPen(theme.color("ink"))
        painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextDontClip), text)
        if source:
            self.targets.append((box.adjusted(-4, -3, 4, 3), source))

    def _dimension(self, item: Dimension) -> None:
        assert self._drawing is not None, "paint sets it"
        text = format_length(item.mm, self._unit, sign=item.signed)
        width = QFontMetricsF(self._painter.font()).horizontalAdvance(text) + 2.0
        start, end = self._placing.point(item.start), self._placing.point(item.end)
        low, high = self._placing.point(self._drawing.low), self._placing.point(self._drawing.high)
        if item.side == "below":
            y = low.y() + item.lane * LANE_BELOW - 8.0
            a, b = QPointF(start.x(), y), QPointF(end.x(), y)
            middle = QPointF((a.x() + b.x()) / 2.0, y)
        else:
            x = (
                low.x() - item.lane * LANE_BESIDE + 24.0
                if item.side == "left"
                else high.x() + item.lane * LANE_BESIDE - 24.0
            )
            a, b = QPointF(x, start.y()), QPointF(x, end.y())
            middle = QPointF(x, (a.y() + b.y()) / 2.0)
        thin = self._theme.pen("thin")
        self._painter.setPen(thin)
        self._painter.drawLine(start, a)
        self._painter.drawLine(end, b)
        self._painter.setPen(self._theme.pen("holding", picked=self._is_picked(item.source)))
        room = QLineF(a, b).length()
        needed = width + 3 * _ARROW if item.side == "below" else 16.0 + 3 * _ARROW
        if room >= needed:
            self._painter.drawLine(a, b)
            self._arrow(a, b)
            self._arrow(b, a)
        else:
            # Too narrow for arrows inside: they point from outside, the number stands beside.
            outward = QLineF(a, b)
            outward.setLength(max(room, 0.1))
            step = outward.unitVector()
            step.setLength(_OUTSIDE)
            before = QPointF(a.x() - step.dx(), a.y() - step.dy())
            after = QPointF(b.x() + step.dx(), b.y() + step.dy())
            self._painter.drawLine(before, after)
            self._arrow(a, before)
            self._arrow(b, after)
            if item.side == "below":
                middle = QPointF(after.x() + width / 2.0 + 2.0, after.y())
            else:
                top = before if before.y() < after.y() else after
                middle = QPointF(top.x(), top.y() - 9.0)
        self._words(QRectF(middle.x() - width / 2.0, middle.y() - 8.0, width, 16.0), text, item.source, boxed=True)

    def _arrow(self, tip: QPointF, towards: QPointF) -> None:
        """A slim filled head at ``tip`` whose shaft runs ``towards`` the other point."""
        along = QLineF(tip, towards)
        if along.length() < 0.5:
            return
        along.setLength(_ARROW)
        side = along.normalVector()
        side.setLength(2.0)
        head = QPolygonF(
            [
                tip,
                QPointF(along.p2().x() + side.dx(), along.p2().y() + side.dy()),
                QPointF(along.p2().x() - side.dx(), along.p2().y() - side.dy()),
            ]
        )
        self._painter.setBrush(self._painter.pen().color())
        self._painter.drawPolygon(head)
        self._painter.setBrush(Qt.BrushStyle.NoBrush)

    def _zero(self, item: Zero) -> None:
        """Our own mark: a ring quartered by two letters' arrows, the near quarter filled."""
        painter, theme = self._painter, self._theme
        at, color = self._placing.point(item.at), theme.color("zero")
        painter.setPen(QPen(color, 2.0))
        for dx, dy, letter in ((34.0, 0.0, item.letters[0]), (0.0, -34.0, item.letters[1])):
            tip = QPointF(at.x() + dx, at.y() + dy)
            painter.drawLine(at, tip)
            self._arrow(tip, at)
            box = QRectF(tip.x() - 7 + (11 if dx else 0), tip.y() - 8 - (11 if dy else 0), 14, 16)
            patch = theme.color("paper")
            patch.setAlpha(210)
            painter.fillRect(box, patch)
            painter.setFont(font(12, bold=True))
            painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter), letter)
            painter.setFont(font(12))
        painter.setBrush(theme.color("paper"))
        painter.drawEllipse(at, 6.0, 6.0)
        painter.setBrush(color)
        painter.drawPie(QRectF(at.x() - 6, at.y() - 6, 12, 12), 180 * 16, 90 * 16)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        self.targets.append((QRectF(at.x() - 9, at.y() - 9, 18, 18), "wcs"))

    def _spot(self, item: Spot) -> None:
        painter, at = self._painter, self._placing.point(item.at)
        picked = self._is_picked(item.source)
        painter.setPen(self._theme.pen("thin", picked=picked))
        size = 6.0 if picked else 4.0
        painter.drawLine(QPointF(at.x() - size, at.y()), QPointF(at.x() + size, at.y()))
        painter.drawLine(QPointF(at.x(), at.y() - size), QPointF(at.x(), at.y() + size))
        self.targets.append((QRectF(at.x() - 8, at.y() - 8, 16, 16), item.source))

    def _touchable(self, item: Touchable) -> None:
        """A broad band along the face; the picked one with the way the tool comes."""
        painter, theme = self._painter, self._theme
        start, end = self._placing.point(item.start), self._placing.point(item.end)
        picked = self._is_picked(item.source)
        band = theme.color("accent" if picked else "touch")
        band.setAlpha(200 if picked else 90)
        pen = QPen(band, _BAND)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        painter.setPen(pen)
        painter.drawLine(start, end)
        if picked:
            middle = QPointF((start.x() + end.x()) / 2.0, (start.y() + end.y()) / 2.0)
            tail = middle - QPointF(item.way[0], -item.way[1]) * _WAY
            painter.setPen(theme.pen("search", picked=True))
            painter.drawLine(tail, middle)
            self._arrow(middle, tail)
        box = QRectF(start, end).normalized()
        self.targets.append((box.adjusted(-_BAND, -_BAND, _BAND, _BAND), item.source))

    def _ball(self, item: Ball) -> None:
        painter, theme = self._painter, self._theme
        at, start, end = (self._placing.point(p) for p in (item.at, item.start, item.end))
        picked = self._is_picked(item.source)
        painter.setPen(theme.pen("approach", picked=picked))
        painter.drawLine(start, end)
        painter.setPen(theme.pen("search", picked=picked))
        painter.drawLine(start, at)
        if QLineF(start, at).length() > 2.0:
            self._arrow(at, start)
        radius = max(item.radius * self._placing.scale, 3.0)
        painter.setBrush(theme.color("accent_soft" if picked else "paper"))
        painter.drawEllipse(at, radius, radius)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        # The number stands beyond the surface; a touch that runs into the picture has it beside.
        along = QLineF(at, end)
        if along.length() < 2.0:
            along = QLineF(at, at + QPointF(1.0 if item.number % 2 else -1.0, -0.6))
        along.setLength(radius + 11.0)
        box = QRectF(along.p2().x() - 6.0, along.p2().y() - 7.5, 12.0, 15.0)
        self._words(box, str(item.number), item.source, boxed=True)
        self.targets.append((QRectF(at.x() - radius, at.y() - radius, 2 * radius, 2 * radius), item.source))

    def _ladder(self, item: Ladder) -> None:
        """Heights as words right of the view, spread so that no two overlap, led to their height."""
        assert self._drawing is not None, "paint sets it"
        painter, theme = self._painter, self._theme
        edge = self._placing.point(self._drawing.high).x() + 8.0
        rungs = sorted(item.rungs, key=lambda rung: -rung.y)
        # What is deeper than the view shows (a table far below) is named at the view's foot.
        foot = self._placing.point(self._drawing.low).y() + 0.75 * _ROW
        wanted = [min(self._placing.point((0.0, rung.y)).y(), foot) for rung in rungs]
        rows = _spread(wanted, _ROW)
        metrics = QFontMetricsF(painter.font())
        numbers = [format_length(rung.mm, self._unit, sign=True) for rung in rungs]
        column = max(metrics.horizontalAdvance(number) for number in numbers) + 2.0
        for rung, number, height, row in zip(rungs, numbers, wanted, rows, strict=True):
            picked = self._is_picked(rung.source)
            painter.setPen(theme.pen("thin", picked=picked))
            painter.drawLine(QPointF(edge - 6.0, height), QPointF(edge + 4.0, height))
            painter.drawLine(QPointF(edge + 4.0, height), QPointF(edge + 16.0, row))
            box = QRectF(edge + 18.0, row - _ROW / 2.0, self._ladder_room - 28.0, _ROW)
            if picked:
                painter.fillRect(box, theme.color("accent_soft"))
            painter.setPen(theme.color("ink"))
            painter.drawText(
                QRectF(box.left(), box.top(), column, _ROW),
                int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), number,
            )  # fmt: skip
            painter.setPen(theme.color("quiet"))
            words = QRectF(box.left() + column + 7.0, box.top(), box.width() - column - 7.0, _ROW)
            name = rung.text.split(" (")[0] if self._ladder_room < LADDER_ROOM else rung.text
            text = metrics.elidedText(name, Qt.TextElideMode.ElideRight, words.width())
            painter.drawText(words, int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter), text)
            self.targets.append((box, rung.source))


def _spread(wanted: list[float], row: float) -> list[float]:
    """Rows at least ``row`` apart, in order, as near to ``wanted`` (rising) as that allows."""
    groups: list[tuple[float, int]] = []
    for value in wanted:
        groups.append((value, 1))
        # Groups that would overlap join and settle about their common middle.
        while len(groups) > 1:
            (a, m), (b, n) = groups[-2:]
            if b - (n - 1) * row / 2 - (a + (m - 1) * row / 2) >= row:
                break
            groups[-2:] = [((a * m + b * n) / (m + n), m + n)]
    return [middle + (k - (count - 1) / 2) * row for middle, count in groups for k in range(count)]
