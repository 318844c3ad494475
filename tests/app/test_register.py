"""The offset register in the window: picking, typing, claiming, comparing, and what another window does meanwhile."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ledgecliff.core.changing import set_value
from ledgecliff.core.register.entries import Use, claimed, labelled, with_value
from ledgecliff.core.register.entries import Value as Held
from ledgecliff.store.register_db import RegisterDb
from ledgecliff.store.register_place import register_place
from tests.app.gui import GuiTestCase

LID = Use("Lamp lid", "Op 10", "", "left vise")


class RegisterSheetTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.show_lens(1, "hold")
        QTest.keyClick(self.window, Qt.Key.Key_G, Qt.KeyboardModifier.ControlModifier)
        self.sheet = self.desk.stage.register_sheet
        self.pane = self.sheet.entry_pane
        self.other = RegisterDb(register_place(), who=lambda: "the other window")
        self.addCleanup(self.other.close)

    def entry(self, code):
        return next(entry for entry in self.other.entries(self.document.job.machine) if entry.code == code)

    def write_elsewhere(self, entry):
        self.other.write(self.document.job.machine, [entry])

    def row(self, code):
        table = self.sheet.table
        rows = {table.item(k, 0).text(): k for k in range(table.rowCount())}
        return [table.item(rows[code], column).text() for column in range(table.columnCount())]

    def type(self, field, text):
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)

    def test_a_value_typed_with_units_is_kept_and_shown(self):
        self.assertTrue(self.sheet.isVisible())
        self.sheet.pick("G57")
        for axis, text in zip("xyz", ("-520", "-8.425 in", "-409.5"), strict=True):
            self.type(self.pane.values[axis], text)
        QTest.keyClick(self.pane.values["z"], Qt.Key.Key_Return)
        self.assertEqual(self.entry("G57").value, Held(-520.0, -213.995, -409.5))
        self.assertEqual(self.row("G57")[3:6], ["−520.000", "−213.995", "−409.500"])
        self.assertIn("G57", self.desk.tape.tape.title)
        self.document.show_unit("in")
        self.assertEqual(self.row("G57")[3], "−20.4724")
        self.type(self.pane.values["x"], "-20")
        self.pane.set_value.click()
        self.assertAlmostEqual(self.entry("G57").value.x, -508.0)
        self.assertEqual(self.pane.history.rowCount(), 2)

    def test_half_a_value_or_no_number_is_refused_and_stays_typed(self):
        self.sheet.pick("G57")
        self.type(self.pane.values["x"], "12")
        self.pane.set_value.click()
        self.assertIn("type all three", self.sheet.said.text())
        self.assertEqual(self.pane.values["x"].text(), "12")
        for axis in "yz":
            self.type(self.pane.values[axis], "one")
        self.pane.set_value.click()
        self.assertTrue(self.sheet.said.isVisible())
        self.assertEqual(self.entry("G57").revision, 0)

    def test_codes_for_the_job_are_offered_claimed_and_written_into_it(self):
        self.write_elsewhere(claimed(self.entry("G54"), LID))
        self.sheet.refresh()
        self.sheet.buttons["allocate"].click()
        pane = self.sheet.offer_pane
        codes = [pane.table.item(k, 2).text() for k in range(pane.table.rowCount())]
        self.assertEqual(codes, ["G56", "G55"])
        self.assertIn("1 setup would get another code", pane.said.text())
        pane.accept.click()
        self.assertEqual([setup.offset for setup in self.document.job.setups], ["G56", "G55"])
        self.assertEqual(self.entry("G56").use.setup, "Op 10")
        self.document.undo_stack.undo()
        self.assertEqual(self.document.job.setups[0].offset, "G54")

    def test_claiming_what_another_has_is_refused(self):
        self.write_elsewhere(claimed(self.entry("G54"), LID))
        self.sheet.refresh()
        self.sheet.pick("G54")
        self.pane.buttons["claim"].click()
        self.assertIn("Lamp lid · Op 10 has it", self.sheet.said.text())
        self.pane.buttons["release"].click()
        self.pane.buttons["claim"].click()
        self.assertFalse(self.sheet.said.isVisible())
        self.assertEqual(self.entry("G54").use.job, "Float housing")

    def test_what_another_window_changed_is_not_written_over(self):
        self.sheet.pick("G58")
        self.write_elsewhere(labelled(self.entry("G58"), "theirs"))
        self.type(self.pane.label, "mine")
        QTest.keyClick(self.pane.label, Qt.Key.Key_Return)
        self.assertIn("the other window has changed it meanwhile", self.sheet.said.text())
        self.assertEqual(self.entry("G58").label, "theirs")
        self.wait_for(lambda: self.row("G58")[6] == "theirs", "the other window's change")
        self.assertTrue(self.sheet.said.isVisible(), "what was refused is still said")

    def test_a_stale_value_is_told(self):
        self.write_elsewhere(with_value(self.entry("G54"), Held(1, 2, 3), "touches", found_for=LID))
        self.sheet.refresh()
        self.sheet.pick("G54")
        self.pane.buttons["claim"].click()
        self.assertEqual(self.row("G54")[1], "stale")
        self.assertIn("found for Lamp lid", self.pane.who.text())
        self.pane.buttons["clear"].click()
        self.assertEqual(self.row("G54")[1], "to be found")

    def test_the_controls_table_is_compared_and_taken_over(self):
        self.write_elsewhere(with_value(self.entry("G54"), Held(-1, -2, -3), "tape"))
        self.sheet.refresh()
        table = self.folder / "now.csv"
        table.write_text("code,x,y,z\nG54,-1,-2,-3.5\nG57,4,5,6\n", encoding="utf-8")
        self.sheet.compare(table)
        pane = self.sheet.offer_pane
        self.assertEqual([pane.table.item(0, column).text() for column in (0, 1, 4)], ["G54", "differs", "−0.500"])
        pane.accept.click()
        self.assertEqual((self.entry("G54").value.z, self.entry("G57").origin), (-3.5, "imported"))
        self.sheet.compare(table)
        self.assertFalse(pane.accept.isEnabled())
        table.write_text("code,x,y,z\nG99,1,2,3\n", encoding="utf-8")
        self.sheet.attempt(lambda: self.sheet.compare(table))
        self.assertIn("no work offset 'G99'", self.sheet.said.text())

    def test_search_and_writing_what_it_shows(self):
        for code, label in (("G54", "door"), ("G57", "window")):
            self.write_elsewhere(labelled(with_value(self.entry(code), Held(1, 2, 3), "tape"), label))
        self.sheet.refresh()
        self.sheet.search.setText("door")
        self.assertEqual((self.sheet.table.rowCount(), self.sheet.picked()), (1, "G54"))
        for name, verify, words in (
            ("a.csv", False, "G54,1.0000"),
            ("b.ngc", False, "G10 L2 P1"),
            ("c.ngc", True, "STOP G54 X"),
        ):
            self.sheet.write_file(self.folder / name, verify=verify)
            text = (self.folder / name).read_text(encoding="utf-8")
            self.assertIn(words, text)
            self.assertNotIn("G57", text)
        self.sheet.search.setText("nothing like it")
        self.sheet.attempt(lambda: self.sheet.write_file(self.folder / "d.ngc", verify=False))
        self.assertIn("has a value", self.sheet.said.text())
        self.assertEqual(self.sheet.picked(), "")

    def test_a_fixture_that_stays(self):
        self.sheet.pick("G59")
        box = self.pane.resident
        box.setCurrentIndex(1)
        box.activated.emit(1)
        self.assertEqual(self.row("G59")[1:3], ["resident", box.itemText(1)])
        self.document.apply("offset", lambda job: set_value(job, ("setups", 0, "offset"), "G59"))
        self.assertTrue(self.sheet.isVisible())
        self.sheet.buttons["close"].click()
        self.assertFalse(self.sheet.isVisible())
        self.assertNotIn("G59 ·", self.desk.tape.tape.subtitle)
