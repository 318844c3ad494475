"""Touching off by hand in the window: pages, picking on the drawing, the tape, the register, corrections."""

from __future__ import annotations

from unittest import mock

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QPushButton

from ledgecliff.store.register_db import RegisterDb
from ledgecliff.store.register_place import register_place
from tests.app.gui import GuiTestCase


class ByHandTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.document.show_scene(1)
        QTest.keyClick(self.window, Qt.Key.Key_5, Qt.KeyboardModifier.AltModifier)

    def button(self, words):
        return next(
            each for each in self.panel().findChildren(QPushButton) if each.text() == words and each.isVisible()
        )

    def read(self, label, text):
        self.type_in(self.field(label).entry, text)

    def walls(self, low, high, words=("Left wall", "Right wall")):
        for label, text in zip(words, (low, high), strict=True):
            self.read(label, text)

    def pick_on_drawing(self, source):
        canvas = self.desk.stage.canvas
        self.wait_for(lambda: any(key == source for _, key in canvas.targets), f"{source} to be drawn")
        box = next(box for box, key in canvas.targets if key == source)
        at = QPoint(int(box.center().x()), int(box.center().y()))
        QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=at)

    def whole_setup(self):
        self.button("Next").click()
        self.walls("-574.9", "-464.9")
        self.button("Next").click()
        self.walls("-253.1", "-175.1", ("Front wall", "Back wall"))
        self.button("Next").click()
        self.read("Reading", "-310")
        self.read("Tool length", "96")
        self.button("Next").click()

    def test_answer_and_next_stay_in_sight_however_far_the_page_is_scrolled(self):
        for size in ((1280, 800), (1024, 640)):
            self.window.resize(*size)
            self.panel().show_page("x")
            self.walls("-574.9", "-464.9")
            QTest.qWait(1)
            panel, bar = self.panel(), self.panel().verticalScrollBar()
            for value in (0, 10_000):
                bar.setValue(value)
                QTest.qWait(1)
                for widget in (panel.number, self.button("Next"), self.button("Back")):
                    corners = (widget.rect().topLeft(), widget.rect().bottomRight())
                    self.assertTrue(all(panel.rect().contains(widget.mapTo(panel, at)) for at in corners), size)
                    self.assertTrue(widget.isVisible())
            self.assertEqual(panel.number.text(), "G54 X  −519.900")
            # At the end of the way the last line of the column stands over them, not under.
            last = panel.fields[-1]
            self.assertLessEqual(
                last.mapTo(panel, last.rect().bottomLeft()).y(), panel.number.mapTo(panel, QPoint(0, 0)).y()
            )

    def test_without_a_page_there_is_no_foot(self):
        here = self.document.job.setups[0].station
        k = [station.id for station in self.document.job.machine.stations].index(here)
        self.document.set_value("turn", ("machines", 0, "stations", k, "turn_deg"), 30.0)
        QTest.qWait(1)
        self.assertFalse([each for each in self.panel().findChildren(QPushButton) if each.isVisible()])
        self.assertEqual(self.panel().viewport().height(), self.panel().height())

    def test_at_a_turned_station_it_is_told_why_not(self):
        """Readings count along the machine's axes; nothing else of the window minds."""
        self.button("Next").click()
        here = self.document.job.setups[0].station
        k = [station.id for station in self.document.job.machine.stations].index(here)
        self.document.set_value("turn", ("machines", 0, "stations", k, "turn_deg"), 30.0)
        words = [label.text() for label in self.panel().findChildren(QLabel)]
        self.assertTrue(any("its station is turned 30° about Z" in text for text in words), words)
        self.assertIn("turned 30°", " ".join(line.text for line in self.desk.tape.tape.lines))
        self.document.set_value("turn", ("machines", 0, "stations", k, "turn_deg"), 0.0)
        self.assertTrue(self.panel().number.text().startswith("G54 X"))

    def test_a_whole_setup_in_order_into_the_register(self):
        self.assertEqual(self.document.lens, "hand")
        self.whole_setup()
        panel = self.panel()
        self.assertEqual(panel.found.text().split(), ["X", "−519.900", "Y", "−214.100", "Z", "−407.500"])
        self.assertIn("free", panel.kept.text())
        self.button("Keep in the register").click()
        self.assertIn("in use, tape", panel.kept.text())
        db = RegisterDb(register_place())
        self.addCleanup(db.close)
        entry = db.entries(self.document.job.machine)[0]
        self.assertEqual((entry.code, entry.value.x, entry.use.setup), ("G54", -519.9, "Op 10"))
        # Corrected later: what was typed is still there, and the tape says how far it moved.
        self.document.show_lens("hold")
        self.document.show_lens("hand")
        panel.show_page("x")
        self.assertEqual(self.field("Left wall").entry.text(), "−574.900")
        self.read("Right wall", "-464.7")
        panel.show_page("end")
        self.button("Keep in the register").click()
        self.assertEqual(len(db.history(self.document.job.machine, "G54")), 2)
        self.assertAlmostEqual(db.entries(self.document.job.machine)[0].value.x, -519.8)

    def test_a_side_picked_on_the_drawing_gives_sign_and_reading(self):
        """The right side, by an edge finder of 10: E = reading - 5 - 50."""
        self.panel().show_page("x")
        self.choose("Method", "edge")
        for source, expected in (("surface-right side", "−520.000"), ("surface-left side", "−410.000")):
            self.pick_on_drawing(source)
            self.read("Reading", "-465")
            self.assertIn(expected, self.panel().number.text())
        self.assertIn("left side must read −50.000", self.panel().reads.text())
        self.pick_on_drawing("surface-stock top")
        self.assertEqual(self.panel().page, "z")

    def test_a_forgotten_radius_is_named_and_the_tape_follows(self):
        self.panel().show_page("x")
        self.choose("Method", "edge")
        self.pick_on_drawing("surface-left side")
        self.read("Reading", "-570")
        self.assertIn("the tool's radius is forgotten", self.panel().doubt.text())
        texts = [line.text for line in self.desk.tape.tape.lines]
        self.assertIn("left side, moving +", texts)
        self.read("Reading", "-575")
        self.assertFalse(self.panel().doubt.isVisible())

    def test_in_inches_and_with_nonsense(self):
        self.document.show_unit("in")
        self.panel().show_page("x")
        self.choose("Method", "edge")
        self.read("Reading", "-22.6378")
        self.assertIn("−20.4724", self.panel().number.text())
        self.read("Reading", "over there")
        self.assertTrue(self.field("Reading").said.isVisible())
        self.assertIn("−20.4724", self.panel().number.text())

    def test_lengths_are_said_once_for_the_machine(self):
        self.choose("Lengths from", "a reference plane")
        self.read("Plane stands at", "-250")
        self.assertEqual(self.document.job.machine.reference_z, -250.0)
        self.panel().show_page("z")
        self.assertEqual([field.spec.label for field in self.panel().fields], ["On the surface", "On the reference"])
        self.assertEqual(self.document.job.machine.lengths_from, "reference plane")

    def test_a_cutter_of_the_table_brings_its_length(self):
        self.panel().show_page("z")
        cutter = self.document.job.machine.cutters[0]
        self.choose("Touched with", f"T{cutter.tool} {cutter.name}")
        self.assertEqual(self.field("Tool length").entry.text(), f"{cutter.length:.3f}")

    def test_the_gauge_block_is_put_where_it_is_picked(self):
        self.panel().show_page("end")
        self.pick_on_drawing("surface-jaw top")
        self.assertEqual(self.document.job.setups[0].hover.over, "jaw top")
        self.assertEqual(self.panel().page, "end")
        self.button("Show the hover check").click()
        self.assertIn("on the jaw top", self.desk.stage.program.toPlainText())

    def test_the_tape_is_written(self):
        self.whole_setup()
        for name, start in (("tape.txt", "G54"), ("tape.html", "<!DOCTYPE html>"), ("tape.pdf", "%PDF")):
            path = self.folder / name
            with mock.patch.object(self.desk.files, "ask_save", return_value=path):
                self.button("Write the tape…").click()
            self.assertTrue(path.read_bytes().startswith(start.encode()), name)
            self.assertIn(name, self.desk.notices.label.text())

    def test_nothing_to_write_says_why(self):
        self.panel().show_page("end")
        self.button("Keep in the register").click()
        self.assertIn("no axis is found yet", self.panel().refused.text())
        self.button("Show the hover check").click()
        self.assertEqual(self.document.lens, "release")
        self.assertIn("hover check", self.desk.stage.program.toPlainText())


class ByEyeTest(GuiTestCase):
    """Whatever is in the spindle stands here; what is typed at the control, and corrected after the hover check."""

    def setUp(self):
        super().setUp()
        self.show_lens(3, "hand")

    def test_the_probe_above_the_stock(self):
        self.panel().show_page("z")
        self.choose("Method", "above it, by eye")
        self.choose("Touched with", "T30 the probe")
        self.assertEqual(self.document.picked, "surface-stock top")
        self.type_in(self.field("Machine shows").entry, "-270.5")
        # -270.5 less 10 above, the probe's 142.6 and the 32.5 that the top must read.
        self.assertIn("−455.600", self.panel().number.text())
        self.panel().show_page("end")
        self.assertIn("Say first whether this control sets or adds", self.panel().to_type.text())
        self.choose("Its offset page", "sets it: what is typed stands there afterwards")
        self.assertEqual(self.panel().to_type.text(), "G55 Z: type −455.600")
        self.type_in(self.field("Room at the hover check").entry, "0.24")
        self.assertEqual(self.panel().correcting.text(), "G55 Z: type −455.840")
        self.choose("Its offset page", "adds it to what stands there")
        self.assertEqual(self.panel().correcting.text(), "G55 Z: type −0.240")
        self.assertIn("set it to 0 there, then type −455.600", self.panel().to_type.text())
