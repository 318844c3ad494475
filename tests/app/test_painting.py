"""What is painted: lines as they were laid out, and of a tape that changes no more than what changes."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np
from PySide6.QtCore import QEvent, QObject, QPoint
from PySide6.QtGui import QImage, QPaintEvent, QRegion
from PySide6.QtTest import QTest

from ledgecliff.app.drawing_painter import lines_mm
from ledgecliff.app.tape_view import TapeView
from ledgecliff.app.theme import DAY
from ledgecliff.core.drawing.items import Lines
from ledgecliff.core.tape_lines import Tape, TapeLine
from tests.app.gui import application


class LinesTest(unittest.TestCase):
    def test_each_line_goes_from_its_start_to_its_end(self):
        """Of tiny, huge and negative places: what the path holds is what the drawing said, to the last digit."""
        rng = np.random.default_rng(15)
        segments = rng.normal(size=(500, 2, 2)) * 10.0 ** rng.integers(-6, 7, size=(500, 1, 1))
        path = lines_mm(Lines(segments, "visible"))
        elements = [path.elementAt(k) for k in range(path.elementCount())]
        self.assertEqual([element.isMoveTo() for element in elements], [True, False] * 500)
        self.assertEqual([element.isLineTo() for element in elements], [False, True] * 500)
        np.testing.assert_array_equal([(element.x, element.y) for element in elements], segments.reshape(-1, 2))

    def test_no_lines_are_an_empty_path(self):
        self.assertTrue(lines_mm(Lines(np.empty((0, 2, 2)), "visible")).isEmpty())


class TapeTest(unittest.TestCase):
    OLD = Tape(
        "G54 · Op 10",
        "planned",
        (
            TapeLine("heights", kind="heading"),
            TapeLine("parallels", 24.0),
            TapeLine("stock", 34.0),
            TapeLine("top", 58.0, "total", "top"),
            TapeLine("from the bed", kind="note"),
        ),
    )

    def setUp(self):
        self.app = application()
        self.view = TapeView(DAY)
        self.addCleanup(self.view.deleteLater)
        self.view.resize(300, 400)
        self.view.show_tape(self.OLD)
        self.view.show()
        self.assertTrue(QTest.qWaitForWindowExposed(self.view, 5000), "the tape did not come up")
        self.settle()

    def settle(self) -> None:
        """Until the screen asks for nothing more: it has a window painted again in its own time."""
        seen = Painted()
        self.view.roll.installEventFilter(seen)
        for _ in range(200):
            seen.region = QRegion()
            QTest.qWait(25)
            if seen.region.isEmpty():
                break
        self.view.roll.removeEventFilter(seen)

    def show_tape(self, tape: Tape) -> Painted:
        """What of the roll is painted for it."""
        seen = Painted()
        self.view.roll.installEventFilter(seen)
        self.view.show_tape(tape)
        QTest.qWait(10)
        self.view.roll.removeEventFilter(seen)
        return seen

    def image(self) -> QImage:
        return self.view.roll.grab().toImage()

    def changed_lines(self) -> Tape:
        lines = list(self.OLD.lines)
        lines[1], lines[3] = TapeLine("parallels", 26.0), TapeLine("top", 60.0, "total", "top")
        return replace(self.OLD, lines=tuple(lines))

    def test_what_differs_is_painted(self):
        """Every pixel that is not as it was lies in what is painted; a total's strokes stand out of its line."""
        lines = self.changed_lines().lines
        for new in (
            self.changed_lines(),
            replace(self.OLD, lines=(*self.OLD.lines[:3], TapeLine("top", 58.0, "sum"), self.OLD.lines[4])),
            replace(self.OLD, lines=(*self.OLD.lines[:3], TapeLine("top", 58.0), self.OLD.lines[4])),
            replace(self.OLD, lines=(*self.OLD.lines[:3], TapeLine("top", kind="heading"), self.OLD.lines[4])),
            Tape("G55 · Op 20", "planned", lines),
            replace(self.OLD, subtitle="rehearsed"),
            replace(self.OLD, lines=self.OLD.lines[:-1]),
            replace(self.OLD, lines=(*self.OLD.lines, TapeLine("room", -2.5, "sum"))),
        ):
            for before, after in ((self.OLD, new), (new, self.OLD)):
                self.show_tape(before)
                old = self.image()
                painted = self.show_tape(after).region
                for place in differing(old, self.image()):
                    self.assertTrue(painted.contains(place), (after, place))

    def test_what_does_not_differ_is_not_painted(self):
        painted = self.show_tape(self.changed_lines()).region
        heights = sum(rect.height() for rect in painted)
        self.assertLess(heights, 0.4 * self.view.roll.height())
        self.assertTrue(self.show_tape(self.changed_lines()).region.isEmpty())


class Painted(QObject):
    """Keeps what of a widget is painted."""

    def __init__(self) -> None:
        super().__init__()
        self.region = QRegion()

    def eventFilter(self, _watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QPaintEvent):
            self.region += event.region()
        return False


def differing(one: QImage, other: QImage) -> list[QPoint]:
    """Places that both have and show otherwise."""
    width, height = min(one.width(), other.width()), min(one.height(), other.height())
    return [QPoint(x, y) for y in range(height) for x in range(width) if one.pixel(x, y) != other.pixel(x, y)]
