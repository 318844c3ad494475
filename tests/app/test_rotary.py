"""A rotary axis in the real window: put on the machine, a fixture on it, a setup stood at an index."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QLabel, QPushButton, QWidget

from ledgecliff.core.findings.rules import findings_of
from ledgecliff.store.demo import demo_job
from tests.app.gui import GuiTestCase

OP_20 = 3
#: A test cut with hardly a step, while what was moved along has not been moved back.
SHIFTED = {"Step between both": "0.004", "Moved along by": "3", "That one, as believed": "-210.5"}


class RotaryTest(GuiTestCase):
    def table(self):
        self.window.actions_by_id["view_table"].trigger()
        self.app.processEvents()
        return self.desk.stage.table_page.panel

    def press(self, words):
        button = next(
            each
            for each in self.table().findChildren(QPushButton)
            if each.text() == words and each.isVisibleTo(self.table())
        )
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.app.processEvents()

    def pick(self, label, words):
        choice = next(each for each in self.table().choices if each.box.accessibleName() == label)
        choice.box.setCurrentIndex(choice.box.findText(words))
        choice.box.activated.emit(choice.box.currentIndex())
        self.app.processEvents()

    def field(self, label):
        return next(each for each in self.table().fields if each.spec.label == label)

    def words(self):
        return " ".join(label.text() for label in self.table().findChildren(QLabel))

    def test_from_an_axis_to_an_index_and_back(self):
        station = self.document.job.setups[1].station
        before = self.document.plan.setups[1].planned_offset
        self.table()
        self.desk.stage.table_page.pick(station)
        self.press("Add a rotary axis")
        self.assertIn(
            "Which way A turns is not known. With the spindle retracted and all clear, turn it to +90 and look",
            self.words(),
        )
        self.type_in(self.field("Centre Y").entry, "-180")
        self.type_in(self.field("Centre Z").entry, "-400")
        self.pick("Stands on", "axis A")
        self.assertEqual(self.document.plan.setups[1].planned_offset.tolist(), before.tolist())
        self.press("Take A off")
        self.assertIn("stands on it", self.table().refused.text())

        self.window.actions_by_id["view_part"].trigger()
        self.show_lens(OP_20, "hold")
        index = next(each for each in self.panel().fields if each.spec.label == "A stands at")
        self.type_in(index.entry, "90")
        ways = ["right-handed, at +90", "left-handed, at +90"]
        shown = {each.accessibleName(): each.pixmap() for each in self.table().findChildren(QLabel)}
        right, left = (shown[words].toImage() for words in ways)
        self.assertNotEqual(right, left)
        self.window.actions_by_id["view_part"].trigger()
        self.assertIn("which way A turns is not known", index.said.text())
        self.pick("Sense", "right-handed on the part")
        self.assertNotIn("Which way A turns", self.words())
        self.assertNotIn("right-handed, at +90", self.words())
        self.window.actions_by_id["view_part"].trigger()
        index = next(each for each in self.panel().fields if each.spec.label == "A stands at")
        self.type_in(index.entry, "twelve")
        self.assertTrue(index.said.text())
        up = self.document.plan.setups[1].setup.orientation.matrix()
        self.type_in(index.entry, "30")
        self.assertEqual([(each.word, each.degrees) for each in self.document.job.setups[1].index], [("A", 30.0)])
        turned = self.document.plan.setups[1].setup.orientation.matrix()
        # Right-handed about +X: what was up has leant 30 degrees to the front.
        self.assertAlmostEqual(float(turned[1] @ up[2]), -0.5)
        self.pick("Stands on", "the table")
        self.assertEqual(self.document.job.setups[1].index, ())
        self.press("Take A off")
        self.assertEqual(self.document.job.machine.carriers, ())

    def test_what_is_known_of_an_axis(self):
        """Days, words and mishaps are typed, refused in words, and undone."""
        self.open(demo_job("sluice-valve-block"))
        self.assertEqual(self.field("Freed, clamped").entry.text(), "M78, M79")
        for label, text, why in (
            ("Found on", "yesterday", "is no day"),
            ("Swept flat", "2026-02-30", "is no day"),
            ("Freed, clamped", "M78", "and another that clamps it"),
            ("Freed, clamped", "open, shut", ""),
            ("Repeats to", "-1", ""),
        ):
            field, before = self.field(label), self.document.job
            self.type_in(field.entry, text)
            self.assertTrue(field.said.text(), label)
            self.assertIn(why, field.said.text())
            self.assertEqual(self.document.job, before)
        self.press("Crash")
        self.assertIn("Its centre no longer counts since", self.words())
        self.assertIn("CENTRE_STALE", {finding.code for finding in findings_of(self.document.plan)})
        self.commands.undo()
        self.press("Copy the sense test")
        self.assertIn("(sense test of A, cradle)", self.app.clipboard().text())
        self.pick("Spindle", "horizontal, Y points up")
        self.assertEqual(self.document.job.machine.spindle, "horizontal")

    def test_a_turn_by_the_axes(self):
        """The way that registers it is listed with its error; the tape tells every school; nothing is to be marked."""
        self.open(demo_job("sluice-valve-block"))
        self.show_lens(2, "turn")
        rows = [self.panel().ways.item(k).text() for k in range(self.panel().ways.count())]
        self.assertIn("rotary index   ±0.013", rows[-1])
        said = " ".join(label.text() for label in self.panel().findChildren(QLabel))
        self.assertIn("It stays clamped", said)
        self.assertIn("A90 C0", said)
        self.assertNotIn("Mark the end", said)

    def test_a_centre_page_by_page(self):
        """The worked example by hand; a test cut cannot be kept while what was moved along stands shifted."""
        self.open(demo_job("sluice-valve-block"))
        self.press("Find its centre…")
        sheet = self.desk.stage.centre_sheet

        def choose(title, **typed):
            sheet.way.setCurrentText(title)
            sheet.way.activated.emit(sheet.way.currentIndex())
            for label, text in typed.items():
                entry = next(
                    each for each in sheet.findChildren(QWidget) if each.accessibleName() == label.replace("_", " ")
                )
                entry.setCurrentText(text) if isinstance(entry, QComboBox) else self.type_in(entry, text)

        choose("Test cut, half the step")
        self.assertIn("That one, as believed: nothing is typed", sheet.left.text())
        choose(
            "Test cut, half the step",
            Step_between_both="0.004",
            Moved_along_by="3",
            **{"That one, as believed": "-210.5"},
        )
        self.assertIn("still stands shifted", sheet.left.text())
        sheet.buttons["keep"].click()
        self.assertIn("SHIFT_IN_PLACE", {finding.code for finding in findings_of(self.document.plan)})
        self.assertEqual(self.document.job.machine.carriers[0].found_on, "2026-03-02", "nothing else is kept of it")
        self.commands.undo()
        self.press("Find its centre…")
        choose("Test cut, half the step", **SHIFTED)
        choose("Test cut, half the step", Moved_back="yes")
        self.assertTrue(sheet.buttons["keep"].isEnabled())
        choose("Faces of the trunnion", Radius_of_ball_or_finder="2", Y_there="-270.6",
               **{"Z of the face, level": "-330.25", "Y there, second": "-150.5"})  # fmt: skip
        self.assertIn(-210.55, [line.mm for line in self.desk.tape.tape.lines])
        sheet.buttons["keep"].click()
        cradle = self.document.job.machine.carriers[0]
        self.assertEqual((cradle.centre.y, cradle.origin), (-210.55, "trunnion faces"))
        self.assertFalse(self.desk.stage.has_sheet())
        self.commands.undo()
        self.assertEqual(self.document.job.machine.carriers[0].centre.y, -210.5)
