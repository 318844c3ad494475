"""Toolpath programs beside the plan, and the tool table, in the window."""

from __future__ import annotations

import shutil

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import job_text
from tests.app.gui import GuiTestCase
from tests.helpers import changed

GOOD = """%
G21 G17 G90 G40 G49 G80
T1 M6 (50 mm face mill)
G54
G43 H1
M3 S9000
G0 X0 Y0 Z10
G1 Z0 F300
X40 Y10
M30
%
"""
BAD = GOOD.replace("T1 M6", "T2 M6").replace("G54", "G55").replace("X40", "X400")


class ProgramsSheetTest(GuiTestCase):
    opens_demo = False

    def setUp(self):
        super().setUp()
        (self.folder / "face.ngc").write_text(GOOD)
        (self.folder / "bad.ngc").write_text(BAD)
        shutil.copy(demo_job("float-housing").parent / "float_housing.step", self.folder)
        path = ("setups", 0, "operations")
        job = changed(((*path, 0, "program"), "face.ngc"), ((*path, 1, "program"), "gone.ngc"))
        (self.folder / "job.json").write_text(job_text(job), encoding="utf-8")
        self.open(self.folder / "job.json")
        QTest.keyClick(self.window, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
        self.sheet = self.desk.stage.programs_sheet

    def texts(self, table):
        return [[table.item(k, c).text() for c in range(table.columnCount())] for k in range(table.rowCount())]

    def settled(self):
        self.wait_for(lambda: not self.sheet.busy(), "the programs to be read")
        self.app.processEvents()

    def test_programs_are_read_and_shown_beside_the_plan(self):
        states = [row[4] for row in self.texts(self.sheet.overview)]
        self.assertEqual(states[:3], ["not read yet", "not there", "no file named"])
        self.sheet.buttons["read"].click()
        self.settled()
        self.assertEqual(self.texts(self.sheet.overview)[0][2:], ["G54  T1", "face.ngc", "11 lines"])
        row = self.texts(self.sheet.extents)[0]
        self.assertEqual(row[:8], ["G54", "T1", "+0.000", "+40.000", "+0.000", "+10.000", "+0.000", "+10.000"])
        self.assertEqual(row[8], "parallels of Op 10, Z −32.500")
        self.assertEqual(self.texts(self.sheet.found), [])
        self.document.show_unit("in")
        self.assertEqual(self.texts(self.sheet.extents)[0][3], "+1.5748")

    def test_a_file_is_named_for_an_operation_and_what_differs_is_told_with_its_line(self):
        self.sheet.overview.selectRow(0)
        self.sheet.attach(self.folder / "bad.ngc")
        self.settled()
        self.assertEqual(self.document.job.setups[0].operations[0].program, "bad.ngc")
        found = {row[2]: (row[0], row[1]) for row in self.texts(self.sheet.found)}
        words = " ".join(found)
        for part in (
            "G55 is called, but Op 10 keeps its zero in G54",
            "is planned with T1",
            "runs with the length of H1",
        ):
            self.assertIn(part, words)
        self.assertEqual(next(place for text, place in found.items() if "length of H1" in text), ("hazard", "5"))
        self.assertIn("wrong", self.texts(self.sheet.overview)[0][4])
        self.document.undo_stack.undo()
        self.assertEqual(self.document.job.setups[0].operations[0].program, "face.ngc")

    def test_a_file_only_looked_at_changes_nothing(self):
        before = self.document.job
        self.sheet.look_at(self.folder / "bad.ngc")
        self.settled()
        self.assertEqual(self.texts(self.sheet.overview)[-1][:4], ["", "", "", "bad.ngc"])
        self.assertIn("calls G55; tools T2 H1; in millimetres", self.sheet.words.text())
        self.assertIs(self.document.job, before)
        self.sheet.look_at(self.folder / "nowhere.ngc")
        self.settled()
        self.assertIn("cannot be read", self.texts(self.sheet.overview)[-1][4])

    def test_a_large_file_can_be_cancelled(self):
        big = self.folder / "big.ngc"
        big.write_text(GOOD.replace("M30\n%\n", "") + "X1.5 Y2.25 Z-1\nX3 Y4 Z-2\n" * 600_000)
        self.sheet.look_at(big)
        self.wait_for(lambda: self.sheet.notices.progress.value() > 0, "some of it to be read")
        self.sheet.notices.buttons[0].click()
        self.settled()
        self.assertEqual(self.texts(self.sheet.overview)[-1][4], "not read yet")

    def test_nothing_to_read_says_what_to_do(self):
        self.document.apply("none", lambda _job: changed())
        self.sheet.buttons["read"].click()
        self.assertIn("no operation names a file", self.sheet.said.text())


class ToolSheetTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        QTest.keyClick(
            self.window, Qt.Key.Key_T, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        )
        self.sheet = self.desk.stage.tool_sheet

    def type(self, row, column, text):
        self.sheet.table.item(row, column).setText(text)

    def cutter(self, row):
        return self.document.job.machine.cutters[row]

    def test_columns_are_typed_in_any_unit(self):
        self.type(1, 3, "4.5 in")
        self.type(1, 5, "0.2")
        self.type(1, 7, "setter, Monday")
        cutter = self.cutter(1)
        self.assertEqual((cutter.length, cutter.compensation, cutter.origin), (114.3, 0.2, "setter, Monday"))
        self.findings()
        self.assertIn("D2 holds 0.200 mm", self.sheet.wrong.text())
        self.assertIn("COMPENSATION_LEFT", self.codes())
        self.sheet.buttons["clear"].click()
        self.assertNotIn("COMPENSATION_LEFT", self.codes())
        self.document.undo_stack.undo()
        self.assertEqual(self.sheet.table.item(1, 5).text(), "0.200")

    def test_a_length_that_is_not_set_is_a_hazard(self):
        self.sheet.table.item(1, 6).setCheckState(Qt.CheckState.Unchecked)
        self.assertFalse(self.cutter(1).is_set)
        self.assertIn("TOOL_NOT_SET", self.codes())

    def test_silly_values_are_refused_and_the_old_ones_come_back(self):
        for column, text, words in (
            (0, "1", "share one number"),
            (3, "long", "long"),
            (2, "-4", "diameter"),
            (0, "x", "tool"),
        ):
            before = self.document.job
            shown = self.sheet.table.item(1, column).text()
            self.type(1, column, text)
            self.assertTrue(self.sheet.said.isVisible(), text)
            self.assertIn(words, self.sheet.said.text())
            self.assertEqual(self.sheet.table.item(1, column).text(), shown)
            self.assertIs(self.document.job, before)

    def test_tools_come_and_go_but_not_those_that_are_called(self):
        count = self.sheet.table.rowCount()
        self.sheet.buttons["add"].click()
        self.assertEqual(self.sheet.table.rowCount(), count + 1)
        self.assertFalse(self.cutter(count).is_set)
        self.sheet.table.setCurrentCell(count, 0)
        self.sheet.buttons["remove"].click()
        self.assertEqual(self.sheet.table.rowCount(), count)
        self.sheet.table.setCurrentCell(0, 0)
        self.sheet.buttons["remove"].click()
        self.assertIn("not in the machine's cutters", self.sheet.said.text())
        self.sheet.buttons["close"].click()
        self.assertFalse(self.sheet.isVisible())


class ControlOffsetsTest(GuiTestCase):
    def type_into(self, label, text):
        self.field(label).entry.setText(text)
        self.field(label).entry.setModified(True)
        self.field(label).entry.editingFinished.emit()

    def test_offsets_of_the_control_are_stated_and_then_offered(self):
        self.show_lens(1, "release")
        self.assertEqual(self.field("Standard").entry.text(), "G54, G55, G56, G57, G58, G59")
        self.type_into("Called by", "G154")
        self.assertIn("say first how many", self.field("Called by").said.text())
        self.type_into("Extended ones", "99")
        self.type_into("Called by", "g154")
        self.type_into("Standard", "G54, G81")
        self.assertIn("does something else", self.field("Standard").said.text())
        self.assertEqual(len(self.document.job.machine.offsets), 6)
        self.show_lens(1, "datum")
        kept = self.choice("Kept in").box
        self.assertIn("G154 P99", [kept.itemText(k) for k in range(kept.count())])
