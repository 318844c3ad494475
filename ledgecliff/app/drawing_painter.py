"""Paints drawings that are laid out, with Qt.  Where everything stands was decided in the core."""

from __future__ import annotations

from functools import lru_cache
from typing import assert_never

import numpy as np
from PySide6.QtCore import QByteArray, QDataStream, QIODevice, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPainterPath, QPen, QPolygonF, QTransform

from ledgecliff.core.drawing.items import Fill, Lines, Point2
from ledgecliff.core.drawing.layout import TEXT_SIZE
from ledgecliff.core.drawing.marks import Band, Box, Disc, Head, Layout, Mark, Patch, Placing, Run, Words

from .theme import Theme, font


def text_width(text: str) -> float:
    """How wide a text of a drawing is (pixels)."""
    return QFontMetricsF(font(int(TEXT_SIZE))).horizontalAdvance(text)


def rect(box: Box) -> QRectF:
    return QRectF(box.left, box.top, box.width, box.height)


#: Elements of a path as Qt streams them: 0 moves to a place, 1 draws a line to it.
_ELEMENT = np.dtype([("kind", ">i4"), ("x", ">f8"), ("y", ">f8")])


@lru_cache(maxsize=512)
def lines_mm(item: Lines) -> QPainterPath:
    """Lines in millimetres as one path, read from Qt's own stream: thousands of them are made in Qt and not here."""
    ends = item.segments.reshape(-1, 2)
    elements = np.empty(len(ends), dtype=_ELEMENT)
    elements["kind"], elements["x"], elements["y"] = np.arange(len(ends)) % 2, ends[:, 0], ends[:, 1]
    count, start_and_rule = np.array([len(ends)], dtype=">i4"), np.zeros(2, dtype=">i4")
    data = QByteArray(count.tobytes() + elements.tobytes() + start_and_rule.tobytes())
    path = QPainterPath()
    if len(ends):
        QDataStream(data, QIODevice.OpenModeFlag.ReadOnly) >> path
    return path


@lru_cache(maxsize=1024)
def _path_mm(item: Fill) -> QPainterPath:
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    for ring in item.rings:
        path.addPolygon(QPolygonF([QPointF(x, y) for x, y in ring]))
        path.closeSubpath()
    return path


def _points(places: tuple[Point2, ...]) -> list[QPointF]:
    return [QPointF(x, y) for x, y in places]


class DrawingPainter:
    """Paints layouts one after the other."""

    def __init__(self, painter: QPainter, theme: Theme) -> None:
        self._painter, self._theme = painter, theme

    def paint(self, layout: Layout) -> None:
        painter = self._painter
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        transform = _transform(layout.placing)
        for mark in layout.marks:
            self._mark(mark, transform, layout.picked)
        painter.restore()

    def _mark(self, mark: Mark, transform: QTransform, picked: str) -> None:
        painter, theme = self._painter, self._theme
        painter.setBrush(Qt.BrushStyle.NoBrush)
        match mark:
            case Fill():
                self._fill(transform.map(_path_mm(mark)), mark)
            case Lines():
                # Pens are cosmetic, so the lines may stay in millimetres.
                painter.setPen(theme.pen(mark.line, picked=bool(picked) and mark.source == picked))
                painter.setTransform(transform, combine=True)
                painter.drawPath(lines_mm(mark))
                painter.setTransform(transform.inverted()[0], combine=True)
            case Run():
                painter.setPen(theme.pen(mark.line, picked=mark.picked))
                painter.drawPolyline(_points(mark.points))
            case Band():
                pen = QPen(self._see_through(mark.colour, mark.alpha), mark.width)
                pen.setCapStyle(Qt.PenCapStyle.FlatCap)
                painter.setPen(pen)
                painter.drawLine(QPointF(*mark.start), QPointF(*mark.end))
            case Head():
                painter.setPen(theme.pen(mark.line, picked=mark.picked))
                painter.setBrush(painter.pen().color())
                painter.drawPolygon(_points(mark.corners))
            case Disc():
                self._disc(mark)
            case Patch():
                painter.fillRect(rect(mark.box), self._see_through(mark.colour, mark.alpha))
            case Words():
                self._words(mark)
            case _:
                assert_never(mark)

    def _see_through(self, colour: str, alpha: float) -> QColor:
        shown = self._theme.color(colour)
        shown.setAlphaF(alpha)
        return shown

    def _fill(self, path: QPainterPath, fill: Fill) -> None:
        tint, hatch = self._theme.surface(fill.surface)
        self._painter.fillPath(path, tint)
        if hatch is not None:
            self._painter.fillPath(path, hatch)

    def _disc(self, disc: Disc) -> None:
        painter, at = self._painter, QPointF(*disc.at)
        painter.setPen(self._theme.pen(disc.line, picked=disc.picked))
        painter.setBrush(self._theme.color(disc.fill))
        painter.drawEllipse(at, disc.radius, disc.radius)
        if disc.quartered:
            painter.setBrush(painter.pen().color())
            size = 2.0 * disc.radius
            painter.drawPie(QRectF(at.x() - disc.radius, at.y() - disc.radius, size, size), 180 * 16, 90 * 16)

    def _words(self, words: Words) -> None:
        painter = self._painter
        painter.setFont(font(int(TEXT_SIZE), bold=words.bold))
        painter.setPen(self._theme.color(words.colour))
        x, y = words.at
        side = {"left": Qt.AlignmentFlag.AlignLeft, "right": Qt.AlignmentFlag.AlignRight}.get(
            words.anchor, Qt.AlignmentFlag.AlignHCenter
        )
        # A box of no width at the place: the text runs out of it to the side it is anchored away from.
        flags = int(side | Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextDontClip | Qt.TextFlag.TextSingleLine)
        painter.drawText(QRectF(x, y - TEXT_SIZE, 0.0, 2.0 * TEXT_SIZE), flags, words.text)


def _transform(placing: Placing) -> QTransform:
    """Millimetres of the view to pixels."""
    return QTransform(placing.scale, 0.0, 0.0, placing.down, placing.x, placing.y)
