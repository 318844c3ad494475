"""Zeros compared in the window: rows as they come, a ghost on the drawing, one press takes it and one undoes it."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ledgecliff.app.comparing import CompareZeros
from ledgecliff.core.drawing.items import Zero
from tests.app.gui import GuiTestCase


class CompareTest(GuiTestCase):
    def compare(self, axis):
        self.findings()
        compare = self.panel().findChild(CompareZeros)
        QTest.mouseClick(compare.buttons[axis], Qt.MouseButton.LeftButton)
        self.wait_for(lambda: not self.panel().comparing.busy(), "zeros to be compared", 90_000)
        return self.panel().findChild(CompareZeros)

    def rows(self, compare):
        model = compare.table.model()
        return [[model.index(row, column).data() for column in range(4)] for row in range(model.rowCount())]

    def pick(self, compare, words):
        compare.table.selectRow([row[0] for row in self.rows(compare)].index(words))

    def ghosts(self):
        return [
            item.at
            for drawing in self.desk.stage.canvas.drawings
            for item in drawing.items
            if isinstance(item, Zero) and item.proposed
        ]

    def test_looked_at_taken_and_undone(self):
        self.show_lens(1, "datum")
        before = self.document.job
        compare = self.compare("x")
        self.assertEqual(self.ghosts(), [])
        self.pick(compare, "stock left side")
        self.assertEqual(self.ghosts(), [(-50.0, 0.0), (-50.0, 0.0)], "in both views")
        self.assertIn("touch 1, stock left side, Op 10", compare.says.text())
        self.assertEqual(self.document.job, before, "looking changes nothing")
        QTest.mouseClick(compare.take, Qt.MouseButton.LeftButton)
        self.assertEqual(self.document.job.setups[0].datum.x.source, "stock minus side")
        self.assertEqual((self.ghosts(), self.panel().comparing.candidates), ([], ()), "of the plan before")
        self.commands.undo()
        self.assertEqual(self.document.job, before)

    def test_the_present_one_cannot_be_taken_and_z_is_no_ghost_in_the_plan(self):
        self.show_lens(3, "datum")
        compare = self.compare("z")
        rows = self.rows(compare)
        self.assertEqual([row[3] for row in rows if row[0] == "parallels"], ["now"])
        self.pick(compare, "parallels")
        self.assertFalse(compare.take.isEnabled())
        self.pick(compare, "stock top")
        self.assertTrue(compare.take.isEnabled())
        self.assertEqual(self.ghosts(), [(0.0, 32.5)])
        self.assertIn("Brings an error", compare.says.text())

    def test_another_scene_or_axis_drops_what_was_looked_at(self):
        self.show_lens(1, "datum")
        self.pick(self.compare("x"), "stock left side")
        compare = self.compare("y")
        self.assertEqual({row[0] for row in self.rows(compare)} & {"stock left side"}, set())
        self.assertEqual(self.ghosts(), [])
        self.pick(compare, "stock front side")
        self.document.show_scene(3)
        self.document.show_lens("datum")
        self.assertEqual((self.ghosts(), self.panel().comparing.axis), ([], None))

    def test_by_the_keyboard_and_in_inches(self):
        self.show_lens(1, "datum")
        self.document.show_unit("in")
        compare = self.compare("z")
        self.pick(compare, "part top")
        compare.table.setFocus()
        QTest.keyClick(compare.table, Qt.Key.Key_Up)
        self.assertEqual(compare.picked().choice.words, "stock top")
        self.assertRegex(self.rows(compare)[0][1], r"^±0\.000\d$")
        self.document.show_unit("mm")
        self.assertRegex(self.rows(compare)[0][1], r"^±0\.0\d\d$", "what is shown follows the unit")
        self.assertIn(" mm", compare.says.text())
        self.assertEqual(compare.picked().choice.words, "stock top")
        compare.take.setFocus()
        QTest.keyClick(compare.take, Qt.Key.Key_Return)
        self.assertEqual(self.document.job.setups[0].datum.z.source, "stock top")
