"""A rotary axis in the real window: put on the machine, a fixture on it, a setup stood at an index."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QLabel, QLineEdit, QPushButton, QWidget

from ledgecliff.core.changing import set_value
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.store.demo import demo_job
from tests.app.gui import GuiTestCase

OP_20 = 3
#: A test cut with hardly a step, while what was moved along has not been moved back.
SHIFTED = {"Step between both": "0.004", "Moved along by": "3", "That one, as believed": "-210.5"}


class TablePanelCase(GuiTestCase):
    """Presses, picks and types on the panel of the machine's table."""

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

    def choose_way(self, sheet, title):
        sheet.way.setCurrentText(title)
        sheet.way.activated.emit(sheet.way.currentIndex())

    def enter(self, sheet, label, text):
        entry = next(each for each in sheet.findChildren(QWidget) if each.accessibleName() == label)
        self.type_in(entry, text)


class RotaryTest(TablePanelCase):
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
        self.wait_for(lambda: self.panel().weighing.found, "the present way is weighed")
        rows = [self.panel().ways.item(k).text() for k in range(self.panel().ways.count())]
        self.assertRegex(rows[-1], r"● rotary index   0\.0\d\d$")
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

    def test_a_centre_by_probe(self):
        """What is typed makes the program; what its variables hold is pasted, and kept."""
        self.open(demo_job("sluice-valve-block"))
        self.press("Find its centre…")
        sheet = self.desk.stage.centre_sheet
        self.assertFalse(sheet.buttons["paste"].isVisibleTo(sheet))
        self.choose_way(sheet, "By probe: faces of the trunnion")
        self.assertIn("nothing is typed there yet", sheet.left.text())
        sheet.buttons["copy"].click()
        self.assertIn("nothing is typed there yet", sheet.left.text())
        entries = {each.accessibleName(): each for each in sheet.findChildren(QLineEdit)}
        self.assertEqual(entries["Second angle from level"].text(), "-30")  # as far as it goes
        for label, text in (
            ("Touched at X", "-402"), ("Z of the table's face, level", "-434"), ("Second angle from level", "-60"),
            ("From the axis to the table's edge", "4.5 in"),
        ):  # fmt: skip
            self.enter(sheet, label, text)
        self.assertIn("does not go to -60°", sheet.left.text())
        self.enter(sheet, "Second angle from level", "-30")
        self.assertIn("run the program, then paste", sheet.left.text())
        sheet.buttons["copy"].click()
        self.assertIn("A-30.0", self.app.clipboard().text())
        self.assertIn("#501 face at +90, ball's middle", sheet.left.text())
        self.app.clipboard().setText("#500 = -434\n#501 = nearly")
        sheet.buttons["paste"].click()
        self.assertIn("line 2", sheet.left.text())
        self.app.clipboard().setText("#500 = -434.05\n#501 = -166.632\n502 -253.5")
        sheet.buttons["paste"].click()
        self.assertTrue(sheet.buttons["keep"].isEnabled(), sheet.left.text())
        self.assertTrue(any("centre Y" in line.text for line in self.desk.tape.tape.lines))
        sheet.buttons["keep"].click()
        self.assertEqual(self.document.job.machine.carriers[0].origin, "trunnion faces")
        self.commands.undo()
        self.press("Find its centre…")
        self.choose_way(sheet, "Bar at 0 and 180")
        self.assertFalse(sheet.buttons["paste"].isVisibleTo(sheet))


class CarriersTest(TablePanelCase):
    """What carries fixtures, in the panel beside the drawing."""

    def test_a_tombstone_is_typed_and_a_face_measured(self):
        self.press("Add a rotary axis")
        self.pick("Turns about", "Y")
        self.pick("In hand", "axis A")
        self.type_in(self.field("Tombstone").entry, "6, 150, 0, 200")
        self.assertIn("is not known", self.field("Tombstone").said.text())
        self.pick("Sense", "right-handed on the part")
        self.type_in(self.field("Tombstone").entry, "many")
        self.assertIn("say faces", self.field("Tombstone").said.text())
        self.type_in(self.field("Tombstone").entry, "6, 5.5 in, 0, 200")
        names = [each.name for each in self.document.job.machine.carriers]
        self.assertEqual(names[1:3], ["face at A0", "face at A60"])
        self.pick("In hand", "face at A60")
        self.assertEqual(self.field("From the axis").entry.text(), "139.700")
        self.type_in(self.field("From the axis").entry, "139.712")
        self.type_in(self.field("Tilt about Y").entry, "0.01")
        self.type_in(self.field("Measured on").entry, "2026-05-04")
        face = self.document.job.machine.carriers[2]
        self.assertEqual((face.tilt_y_deg, face.measured_on), (0.01, "2026-05-04"))
        self.assertEqual(self.field("Turned").entry.text(), "Y -60")
        self.type_in(self.field("Turned").entry, "W 3")
        self.assertIn("is no turn", self.field("Turned").said.text())
        self.press("Take face at A60 off")
        self.assertEqual(len(self.document.job.machine.carriers), 6)

    def test_bodies_and_pallets(self):
        self.open(demo_job("sluice-valve-block"))
        self.table()
        cradle = self.document.job.machine.carriers[0].id
        self.desk.stage.table_page.canvas.picked.emit(f"carrier-{cradle}")
        self.app.processEvents()
        self.assertEqual(self.field("X from").entry.text(), "\N{MINUS SIGN}600.000")
        self.type_in(self.field("X from").entry, "-550")
        self.assertIn("ends before it begins", self.field("X from").said.text())
        self.press("Take bed off")
        self.press("Add a round")
        names = [body.name for body in self.document.job.machine.carriers[0].bodies]
        self.assertEqual(names, ["left arm", "right arm", "round"])
        self.press("Add a pallet")
        self.assertEqual(self.document.job.machine.carriers[-1].name, "pallet")
        self.assertIsNone(self.document.job.machine.carriers[-1].on)
        self.press("… on this")
        self.assertEqual(self.document.job.machine.carriers[-1].on, cradle)
        self.pick("In hand", "pallet 2")
        self.pick("It stands on", "the table")
        self.assertIsNone(self.document.job.machine.carriers[-1].on)
        self.pick("In hand", "turntable")
        self.press("Table and cradle")
        self.assertEqual(len(self.document.job.machine.carriers[1].bodies), 2)


class StepByStepTest(TablePanelCase):
    def buttons(self):
        sheet = self.desk.stage.axes_sheet
        return {each.accessibleName(): each for each in sheet.findChildren(QPushButton) if each.isVisibleTo(sheet)}

    def test_a_new_axis_from_its_sense_to_its_centre(self):
        self.press("Add a rotary axis")
        self.press("Step by step…")
        sheet = self.desk.stage.axes_sheet
        self.assertIn("4 of 5 steps are still to be done", sheet.state.text())
        self.buttons()["A: which way it turns: Copy the test"].click()
        self.assertIn("(sense test of A, axis A)", self.app.clipboard().text())
        box = next(each for each in sheet.findChildren(QComboBox) if each.accessibleName() == "A: which way it turns")
        box.setCurrentIndex(box.findText("left-handed"))
        box.activated.emit(box.currentIndex())
        self.app.processEvents()
        self.assertEqual(self.document.job.machine.carriers[0].sense, "left-handed")
        self.assertTrue(self.document.job.machine.carriers[0].sense_seen_on)
        self.assertIn("3 of 5", sheet.state.text())
        self.buttons()["A: centre: Find it…"].click()
        self.assertEqual(self.desk.stage.centre_sheet.way.currentText(), "Faces of the trunnion")
        self.window.actions_by_id["axes"].trigger()
        self.buttons()["A: level: Sweep it…"].click()
        self.assertEqual(self.desk.stage.centre_sheet.way.currentText(), "Level of the table")

    def test_what_stands_shifted_is_said_to_be_moved_back(self):
        self.open(demo_job("sluice-valve-block"))
        cradle = ("machines", 0, "carriers", 0, "shift_in_place")
        self.document.apply("shift", lambda job: set_value(job, cradle, 3.0))
        self.window.actions_by_id["axes"].trigger()
        self.assertIn("1 of 10", self.desk.stage.axes_sheet.state.text())
        self.buttons()["A: nothing stands shifted: It is moved back"].click()
        self.app.processEvents()
        self.assertEqual(self.document.job.machine.carriers[0].shift_in_place, 0.0)
        self.assertIn("Everything is known", self.desk.stage.axes_sheet.state.text())
