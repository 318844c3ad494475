"""The tape: a roll of paper with the arithmetic of what is shown."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QFont,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
)
from PySide6.QtWidgets import QFrame, QScrollArea, QWidget

from ledgecliff.core.quantities import Unit, format_length
from ledgecliff.core.tape_lines import SIMULATED, Tape, TapeLine, line_words

from .theme import Theme, font, scaled

_SIDE, _TOOTH = 16, 9


def _row() -> int:
    """Height of a line (pixels), which goes with the size of the text."""
    return scaled(21)


def _more_row() -> int:
    """Height of each further row of a line's words (pixels)."""
    return scaled(16)


def _head() -> int:
    """Height of title and subtitle (pixels)."""
    return scaled(58)


def _font_of(line: TapeLine) -> QFont:
    return font(12 if line.kind == "note" else 13, bold=line.kind in ("heading", "total"))


class _Roll(QWidget):
    """The paper itself; lines are picked with the mouse or with Up and Down."""

    picked = Signal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Tape")
        self.theme = theme
        self.unit: Unit = "mm"
        self.tape = Tape("", "", ())
        self.picked_source = ""
        self.row = -1

    def sizeHint(self) -> QSize:
        return QSize(280, _head() + sum(self._height(line) for line in self.tape.lines) + 3 * _TOOTH + 26)

    def minimumSizeHint(self) -> QSize:
        return QSize(210, self.sizeHint().height())

    def _height(self, line: TapeLine) -> int:
        """Words that are too long for one row take another: nothing of a tape is cut."""
        more = 7 if line.kind == "heading" else 5 if line.kind in ("total", "sum") else 0
        return _row() + more + self._more_rows(line) * _more_row()

    def _more_rows(self, line: TapeLine) -> int:
        room = self._words_room(line)
        metrics = QFontMetrics(_font_of(line))
        words = line_words(self.tape, line, self.unit)
        if metrics.horizontalAdvance(words) <= room:
            return 0
        box = metrics.boundingRect(0, 0, room, 10_000, int(Qt.TextFlag.TextWordWrap), words)
        return max(round(box.height() / metrics.height()) - 1, 0)

    def _words_room(self, line: TapeLine) -> int:
        number = "" if line.mm is None else format_length(line.mm, self.unit, sign=line.signed)
        metrics = QFontMetrics(_font_of(line))
        taken = metrics.horizontalAdvance(number) + 10 if number else 0
        return max(self.width() - 2 * (_SIDE + 4) - taken - (0 if line.kind in ("heading", "total") else 10), 40)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.updateGeometry()

    def _place(self, line: TapeLine, top: int) -> QRect:
        """Where a line may leave ink: the stroke under a total lies on the border of the next."""
        return QRect(0, top - 2, self.width(), self._height(line) + 4)

    def show_tape(self, tape: Tape) -> None:
        old, self.tape = self.tape, tape
        self.row = min(self.row, len(tape.lines) - 1)
        self._say()
        if [*map(self._height, old.lines)] != [*map(self._height, tape.lines)]:
            self.updateGeometry()
            self.adjustSize()
            self.update()
            return
        # Of a tape as long as before what has changed is painted: an edit changes few lines.
        if old.simulated != tape.simulated:
            self.update()
        if (old.title, old.subtitle) != (tape.title, tape.subtitle):
            self.update(0, 0, self.width(), _head())
        for before, after, top in zip(old.lines, tape.lines, self._tops(), strict=False):
            if before != after:
                self.update(self._place(after, top))

    def _say(self) -> None:
        """What a screen reader reads: the line in hand, else the whole tape's title."""
        text = f"{self.tape.title}, {self.tape.subtitle}" + (f", {SIMULATED}" if self.tape.simulated else "")
        if 0 <= self.row < len(self.tape.lines):
            line = self.tape.lines[self.row]
            text = line_words(self.tape, line, self.unit) + (
                "" if line.mm is None else f" {format_length(line.mm, self.unit, sign=line.signed)}"
            )
        self.setAccessibleDescription(text)

    def _tops(self) -> list[int]:
        tops, y = [], _head()
        for line in self.tape.lines:
            tops.append(y)
            y += self._height(line)
        return [*tops, y]

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        theme = self.theme
        self._paper(painter)
        left, right = _SIDE + 4, self.width() - _SIDE - 4
        painter.setPen(theme.color("ink"))
        painter.setFont(font(15, bold=True))
        painter.drawText(QRectF(left, 12, right - left, scaled(20)), int(Qt.AlignmentFlag.AlignLeft), self.tape.title)
        painter.setFont(font(12))
        painter.setPen(theme.color("quiet"))
        painter.drawText(
            QRectF(left, scaled(32), right - left, scaled(17)),
            int(Qt.AlignmentFlag.AlignLeft),
            f"{self.tape.subtitle} · {self.unit}",
        )
        painter.setPen(QPen(theme.color("ink"), 1.2))
        painter.drawLine(QPointF(left, _head() - 6), QPointF(right, _head() - 6))
        for k, (line, top) in enumerate(zip(self.tape.lines, self._tops(), strict=False)):
            if event.region().intersects(self._place(line, top)):
                self._line(painter, line, QRectF(left, top, right - left, self._height(line)), k)
        painter.end()

    def _paper(self, painter: QPainter) -> None:
        """White roll with a torn lower edge."""
        width, bottom = self.width() - 2 * 8, self.height() - _TOOTH - 6
        edge = [QPointF(8, 4), QPointF(8 + width, 4), QPointF(8 + width, bottom)]
        teeth = max(int(width / _TOOTH), 1)
        for k in range(teeth * 2, -1, -1):
            edge.append(QPointF(8 + k * width / (2 * teeth), bottom + (_TOOTH / 2 if k % 2 else 0)))
        painter.setPen(QPen(self.theme.color("faint"), 0.8))
        painter.setBrush(self.theme.color("simulated" if self.tape.simulated else "roll"))
        painter.drawPolygon(QPolygonF(edge))
        if self.tape.simulated:
            self._mark_simulated(painter, QPolygonF(edge))

    def _mark_simulated(self, painter: QPainter, paper: QPolygonF) -> None:
        """Across all of the roll, however far it is unrolled: nobody takes these numbers for measured ones."""
        painter.save()
        shape = QPainterPath()
        shape.addPolygon(paper)
        painter.setClipPath(shape)
        painter.setFont(font(30, bold=True))
        painter.setPen(self.theme.color("simulated_ink"))
        for top in range(_head() + 90, self.height() + 200, 190):
            painter.save()
            painter.translate(self.width() / 2.0, top)
            painter.rotate(-32.0)
            painter.drawText(QRectF(-220, -24, 440, 48), int(Qt.AlignmentFlag.AlignCenter), "SIMULATED")
            painter.restore()
        painter.restore()

    def _line(self, painter: QPainter, line: TapeLine, box: QRectF, k: int) -> None:
        theme = self.theme
        row = QRectF(box.left(), box.bottom() - _row(), box.width(), _row())
        if line.source and line.source == self.picked_source:
            painter.fillRect(row.adjusted(-6, 0, 6, 0), theme.color("accent_soft"))
        if k == self.row and self.hasFocus():
            painter.setPen(QPen(theme.color("accent"), 1.2, Qt.PenStyle.DotLine))
            painter.drawRect(row.adjusted(-6, 1, 6, -1))
        bold = line.kind in ("heading", "total")
        painter.setFont(_font_of(line))
        painter.setPen(theme.color("quiet" if line.kind == "note" else "ink"))
        number = "" if line.mm is None else format_length(line.mm, self.unit, sign=line.signed)
        words, room = line_words(self.tape, line, self.unit), self._words_room(line)
        indent, more = 0 if bold else 10, self._more_rows(line) * _more_row()
        middle = int(Qt.AlignmentFlag.AlignVCenter)
        place = QRectF(row.left() + indent, row.top() - more, room, row.height() + more)
        painter.drawText(place, middle | int(Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap), words)
        painter.drawText(row, middle | int(Qt.AlignmentFlag.AlignRight), number)
        if line.kind in ("total", "sum"):
            painter.setPen(QPen(theme.color("ink"), 1.0))
            y = row.top() - 1 - more
            painter.drawLine(QPointF(row.right() - 92, y), QPointF(row.right(), y))
        if line.kind == "total":
            painter.drawLine(QPointF(row.right() - 92, row.bottom() + 1), QPointF(row.right(), row.bottom() + 1))

    def _pick(self, row: int) -> None:
        self.row = row
        self._say()
        self.update()
        self.picked.emit(self.tape.lines[row].source)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        tops = self._tops()
        y = event.position().y()
        for k in range(len(self.tape.lines)):
            if tops[k] <= y < tops[k + 1]:
                self._pick(k)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if step is None or not self.tape.lines:
            super().keyPressEvent(event)
            return
        self._pick(max(0, min(self.row + step, len(self.tape.lines) - 1)))


class TapeView(QScrollArea):
    picked = Signal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setWidgetResizable(True)
        self.roll = _Roll(theme)
        self.roll.picked.connect(self.picked)
        #: What is shown, with what the drawing tells in its stead.
        self.whole = self.roll.tape
        self.setWidget(self.roll)
        self.setObjectName("desk")
        self.setToolTip("The arithmetic of what is shown. Click a line to see where its number comes from.")

    @property
    def tape(self) -> Tape:
        return self.roll.tape

    def show_tape(self, tape: Tape, *, beside_ladder: bool = False) -> None:
        """``beside_ladder`` leaves out what the drawing tells already; a copy has all of it."""
        self.whole = tape
        self.roll.show_tape(tape.beside_ladder() if beside_ladder else tape)

    def show_unit(self, unit: Unit) -> None:
        self.roll.unit = unit
        self.roll.update()

    def show_picked(self, source: str) -> None:
        self.roll.picked_source = source
        self.roll.update()

    def set_theme(self, theme: Theme) -> None:
        self.roll.theme = theme
        self.roll.update()
