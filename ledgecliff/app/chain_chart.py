"""A pair's chain painted as it is laid out: nodes to go to, lines to pick."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPen, QPolygonF

from ledgecliff.core.budget.links import Link, Node
from ledgecliff.core.drawing.chain_layout import ChainLayout, LinkLine, chain_layout
from ledgecliff.core.drawing.marks import Box
from ledgecliff.core.quantities import Unit

from .chart import Chart
from .theme import Theme

_SIDES = {
    "left": Qt.AlignmentFlag.AlignLeft, "right": Qt.AlignmentFlag.AlignRight, "middle": Qt.AlignmentFlag.AlignHCenter,
}  # fmt: skip


class ChainChart(Chart):
    #: A link, by its number.
    link_picked = Signal(int)
    #: What a link begins or ends at.
    node_picked = Signal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__(theme, "The chain from the one feature to the other")
        self._shown: tuple[Sequence[Link], Sequence[Node], Sequence[str], Unit] | None = None
        self._link: int | None = None
        self._node: Node | None = None

    def show_chain(self, links: Sequence[Link], features: Sequence[Node], setups: Sequence[str], unit: Unit) -> None:
        """``features`` are the pair's own, ``setups`` the names of all."""
        self._shown = (links, features, setups, unit)
        layout = self.layout_now()
        assert layout is not None, "it has just been given"
        self.setFixedHeight(int(layout.height) + 4)
        # Of many setups wider than what it is in, which scrolls then.
        self.setMinimumWidth(int(chain_layout(links, features, setups, 0.0, unit).width))
        told = (f"{links[each.number].a.words} to {links[each.number].b.words}: {each.words}" for each in layout.lines)
        self.setAccessibleDescription("; ".join(told))
        self.update()

    def mark(self, link: int | None, node: Node | None) -> None:
        """What is picked stands out."""
        self._link, self._node = link, node
        self.update()

    def layout_now(self) -> ChainLayout | None:
        if self._shown is None:
            return None
        links, features, setups, unit = self._shown
        return chain_layout(links, features, setups, float(self.width()), unit)

    def tip_at(self, at: QPointF) -> str:
        layout = self.layout_now()
        line = None if layout is None else layout.line_at((at.x(), at.y()))
        return "" if line is None else line.tip

    def mousePressEvent(self, event: QMouseEvent) -> None:
        layout, at = self.layout_now(), (event.position().x(), event.position().y())
        if layout is not None:
            node, line = layout.node_at(at), layout.line_at(at)
            if node is not None:
                self.node_picked.emit(node)
            elif line is not None:
                self.link_picked.emit(line.number)
        super().mousePressEvent(event)

    def paint(self, painter: QPainter) -> None:
        layout = self.layout_now()
        if layout is not None:
            self._paint(painter, layout)

    def _paint(self, painter: QPainter, layout: ChainLayout) -> None:
        color, fits = self.theme.color, QFontMetricsF(painter.font())
        middle = Qt.AlignmentFlag.AlignCenter
        painter.setPen(color("quiet"))
        for box, words in layout.headings:
            painter.drawText(_rect(box), middle, fits.elidedText(words, Qt.TextElideMode.ElideRight, box.width - 8.0))
        painter.setPen(QPen(color("quiet"), 1.0, Qt.PenStyle.DotLine))
        for points in layout.plain:
            painter.drawPolyline(QPolygonF([QPointF(*point) for point in points]))
        for line in layout.lines:
            self._paint_line(painter, fits, line)
        for each in layout.nodes:
            rect, picked = _rect(each.box), each.node == self._node
            painter.setPen(QPen(color("accent" if picked else "ink"), 2.0 if picked else 1.0))
            painter.setBrush(color("accent_soft" if picked else "paper"))
            painter.drawRect(rect)
            painter.setPen(color("ink"))
            words = fits.elidedText(each.words, Qt.TextElideMode.ElideMiddle, each.box.width - 8.0)
            painter.drawText(rect, middle, words)

    def _paint_line(self, painter: QPainter, fits: QFontMetricsF, line: LinkLine) -> None:
        color, picked = self.theme.color, line.number == self._link
        pen = QPen(color("accent" if picked else "quiet"), line.thick)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        pen.setJoinStyle(Qt.PenJoinStyle.MiterJoin)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([QPointF(*point) for point in line.points]))
        painter.setPen(color("ink"))
        words = line.words
        if fits.horizontalAdvance(words) > line.at.width:
            words = words.split(" · ")[0]
        painter.drawText(_rect(line.at), _SIDES[line.side] | Qt.AlignmentFlag.AlignVCenter, words)


def _rect(box: Box) -> QRectF:
    return QRectF(box.left, box.top, box.width, box.height)
