"""Seals and release in the real window: what each setup has come to, released by name, hazards by reason, compared."""

from __future__ import annotations

import json
import unittest
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ledgecliff.store.register_place import PLACE
from tests.app.gui import GuiTestCase


class ReleaseSheetTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        place = mock.patch.dict("os.environ", {PLACE: str(self.folder / "shop.db")})
        place.start()
        self.addCleanup(place.stop)
        self.sheet = self.desk.stage.release_sheet
        self.desk.files.ask_folder = lambda: self.folder / "out"
        modifiers = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        QTest.keyClick(self.window, Qt.Key.Key_L, modifiers)
        self.wait_for(lambda: self.sheet.table.rowCount() == 2, "the seals")

    def seal(self, row):
        return self.sheet.table.item(row, 2).text()

    def press(self, key):
        QTest.mouseClick(self.sheet.buttons[key], Qt.MouseButton.LeftButton)
        self.wait_for(lambda: self.commands._work is None, "the worker to end", 60_000)

    def test_released_edited_and_compared(self):
        self.assertEqual([self.seal(0), self.seal(1)], ["checked", "checked"])
        self.sheet.table.item(1, 0).setCheckState(Qt.CheckState.Unchecked)
        self.type_in(self.sheet.by, "Ada")
        self.press("release")
        self.assertIn("seal", self.sheet.words.text())
        told = json.loads((self.folder / "out" / "release.json").read_text(encoding="utf-8"))
        self.assertEqual((told["by"], told["setups"]), ("Ada", ["Op 10"]))
        self.wait_for(lambda: self.seal(0) == "released", "the seal")
        self.assertEqual(self.seal(1), "checked")
        self.assertEqual(self.desk.route.cards[1].seal, "▣ released")
        self.assertIn("Ada", self.sheet.table.item(0, 3).text())
        self.assertIn("01-op-10-probe.ngc", self.sheet.words.text(), "what came of it is still to be read")
        # An edit takes it back, and what was edited is said.
        self.document.set_value("overtravel", ("setups", 0, "probing", "overtravel"), 6.0)
        self.wait_for(lambda: self.sheet.table.rowCount() and self.seal(0) == "checked", "the seal to go")
        self.assertEqual(self.sheet.table.item(0, 4).text(), "changed since it was released: probing")
        self.document.undo_stack.undo()
        self.wait_for(lambda: self.sheet.table.rowCount() and self.seal(0) == "released", "the seal again")
        program = next((self.folder / "out").glob("*probe.ngc"))
        program.write_text(program.read_text(encoding="utf-8").replace("G21", "G20"), encoding="utf-8")
        self.press("compare")
        self.assertIn(f"{program.name} was changed", self.sheet.words.text())
        self.desk.following.look_beside_again()
        self.wait_for(
            lambda: any(each.code == "RELEASED_FILES_DIFFER" for each in self.document.findings or ()), "the finding"
        )

    def test_a_hazard_by_its_reason_only(self):
        self.document.set_value("parallels", ("setups", 0, "hold", "parallels_height"), 36.0)
        self.wait_for(lambda: self.sheet.reasons, "the hazards")
        self.press("release")
        self.assertIn("a hazard stands", self.desk.notices.label.text())
        self.assertFalse((self.folder / "out").exists())
        for entry in self.sheet.reasons.values():
            self.type_in(entry, "one place here")
        self.press("release")
        told = json.loads((self.folder / "out" / "release.json").read_text(encoding="utf-8"))
        self.assertEqual({each["reason"] for each in told["overrides"]}, {"one place here"})
        self.wait_for(lambda: self.seal(0) == "released", "the seal")

    def test_what_is_missing_is_said(self):
        self.type_in(self.sheet.by, "  ")
        self.press("release")
        self.assertIn("write who releases it", self.sheet.said.text())
        self.type_in(self.sheet.by, "Ada")
        for row in range(2):
            self.sheet.table.item(row, 0).setCheckState(Qt.CheckState.Unchecked)
        self.press("release")
        self.assertIn("no setup is ticked", self.sheet.said.text())
        self.press("compare")
        self.assertIn("cannot be read", self.desk.notices.label.text())


if __name__ == "__main__":
    unittest.main()
