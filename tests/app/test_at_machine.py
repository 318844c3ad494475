"""The page at the machine: the checklist of a setup one by one, readings judged, kept, and taken up again."""

from __future__ import annotations

import unittest
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ledgecliff.store.record_db import RecordDb, Wanted
from ledgecliff.store.register_place import PLACE, register_place
from tests.app.gui import GuiTestCase


class AtMachineTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        place = mock.patch.dict("os.environ", {PLACE: str(self.folder / "shop.db")})
        place.start()
        self.addCleanup(place.stop)
        self.page = self.desk.stage.at_machine
        self.addCleanup(self.page.close)

    def begun(self, scene):
        self.document.show_scene(scene)
        self.commands.walk_at_machine()
        self.wait_for(lambda: not self.page.reading.busy(), "what the record has of it")

    def press(self, button):
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)

    def test_only_of_a_setup(self):
        self.document.show_scene(0)
        self.commands.walk_at_machine()
        self.assertFalse(self.page.isVisible())
        self.assertIn("show one first", self.desk.notices.label.text())

    def test_gone_through_readings_judged_and_taken_up_again(self):
        self.begun(3)
        self.assertTrue(self.page.isVisible())
        self.assertIn("Op 20 · G55 · step 1 of", self.page.head.text())
        self.assertIn("mark the end that stays", self.page.words.text())
        asked = next(k for k, check in enumerate(self.page.walk.checks) if check.asked is not None)
        QTest.keyClick(self.page, Qt.Key.Key_Return)
        self.assertIn("step 2 of", self.page.head.text())
        self.press(self.page.left)
        while self.page.walk.at < asked:
            self.press(self.page.done)
        self.press(self.page.done)
        self.assertIn("type what was read", self.page.said.text())
        self.type_in(self.page.entry, "20")
        self.assertIn("NOT RIGHT", self.page.said.text())
        self.assertEqual(self.page.walk.at, asked)
        self.type_in(self.page.entry, "wide")
        self.assertIn("wide", self.page.said.text())
        self.document.show_unit("in")
        self.type_in(self.page.entry, f"{self.page.walk.check.asked.expected / 25.4:.4f}")
        self.assertEqual(self.page.walk.at, asked + 1)
        self.wait_for(lambda: not self.desk.stage.record_desk.busy(), "the record")
        db = RecordDb(register_place())
        self.addCleanup(db.close)
        kept = db.page(Wanted(kind="ticked"))
        self.assertEqual(len(kept), asked + 1)
        self.assertAlmostEqual(kept[0].numbers["off"], 0.0, 2)
        self.page.close()
        # As if the window had been killed: what was ticked is in the record.
        self.page.walk = None
        self.begun(3)
        self.assertEqual(self.page.walk.at, asked + 1)
        self.assertEqual(len(self.page.walk.left_out()), 1)
        QTest.keyClick(self.page, Qt.Key.Key_Left)
        self.assertEqual(self.page.walk.at, asked)
        self.press(self.page.again)
        self.assertTrue(self.page.done.isEnabled())
        QTest.keyClick(self.page, Qt.Key.Key_Escape)
        self.assertFalse(self.page.isVisible())
        self.wait_for(lambda: not self.desk.stage.record_desk.busy(), "the record")

    def test_a_plan_that_is_changed_meanwhile_is_not_gone_on_with(self):
        self.begun(1)
        self.press(self.page.done)
        self.document.set_value("title", ("title",), "Another title")
        self.assertEqual(self.page.walk.at, 1, "nothing that matters")
        self.document.set_value("parallels", ("setups", 0, "hold", "parallels_height"), 37.5)
        self.assertEqual(self.page.walk.at, 0)
        self.assertIn("the list begins anew", self.page.said.text())
        self.assertIn("37.500", self.page.words.text())
        self.wait_for(lambda: not self.page.reading.busy() and not self.desk.stage.record_desk.busy(), "the record")

    def test_at_the_end_it_says_so(self):
        self.begun(1)
        while not self.page.walk.is_over:
            self.press(self.page.done)
        self.assertIn("All of it is done.", self.page.words.text())
        self.wait_for(lambda: not self.desk.stage.record_desk.busy(), "the record")


if __name__ == "__main__":
    unittest.main()
