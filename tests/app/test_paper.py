"""What goes on paper in the real window: every kind looked at and written; the first article typed and taken in."""

from __future__ import annotations

import unittest
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ledgecliff.core.model.part import Tolerance
from ledgecliff.sheets.wanted import KIND_WORDS
from ledgecliff.store.register_place import PLACE
from tests.app.gui import GuiTestCase


class PaperTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        place = mock.patch.dict("os.environ", {PLACE: str(self.folder / "shop.db")})
        place.start()
        self.addCleanup(place.stop)
        self.sheet = self.desk.stage.paper_sheet
        self.document.set_value("tolerance", ("part", "features", 0, "tolerance"), Tolerance(size=0.02))
        QTest.keyClick(self.window, Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier)

    def cell(self, row, column):
        return self.sheet.table.item(row, column).text()

    def read(self):
        self.wait_for(lambda: not self.sheet.reading.busy() and not self.desk.stage.record_desk.busy(), "the record")

    def test_every_kind_is_looked_at_and_written(self):
        self.assertTrue(self.sheet.isVisible())
        for kind, words in KIND_WORDS.items():
            self.sheet.show_kind(kind)
            self.read()
            self.assertGreater(self.sheet.table.rowCount(), 0, kind)
            out = self.folder / f"{kind}.html"
            self.desk.files.ask_save = lambda *_, out=out: out
            QTest.mouseClick(self.sheet.buttons["write"], Qt.MouseButton.LeftButton)
            self.wait_for(out.exists, "the sheet")
            self.wait_for(lambda: self.commands._work is None, "the worker to end")
            self.assertIn(f"{words} written", self.desk.notices.label.text())
        self.sheet.show_kind("setup")
        self.sheet.setup.setCurrentIndex(1)
        self.sheet.setup.activated.emit(1)
        self.assertEqual({self.cell(row, 0) for row in range(self.sheet.table.rowCount())}, {"Op 10"})

    def test_first_article_typed_judged_and_taken_in(self):
        self.sheet.show_kind("first-article")
        self.read()
        table = self.sheet.table
        self.assertEqual(
            [self.cell(0, k) for k in range(7)], ["main bore", "diameter", "22.000", "21.980", "22.020", "", ""]
        )
        self.sheet.by.setText("Ada")
        table.item(0, 5).setText("22.5")
        self.wait_for(lambda: self.cell(0, 6) == "FAIL", "the verdict")
        self.assertEqual((self.cell(0, 5), self.cell(0, 8)), ("22.500", "Ada"))
        self.wait_for(lambda: any(f.code == "FIRST_ARTICLE_OUT" for f in self.document.findings or ()), "the finding")
        table.item(0, 5).setText("wide")
        self.assertIn("wide", self.sheet.said.text())
        self.assertEqual(self.cell(0, 5), "22.500", "what was there stands")
        given = self.folder / "in.csv"
        given.write_text("feature,what,measured\nmain bore,diameter,22.01\n", encoding="utf-8")
        self.sheet.ask_table = lambda: given
        QTest.mouseClick(self.sheet.buttons["take_in"], Qt.MouseButton.LeftButton)
        self.wait_for(lambda: self.cell(0, 6) == "pass", "the verdict")
        self.sheet.ask_save = lambda: self.folder / "out.csv"
        QTest.mouseClick(self.sheet.buttons["table"], Qt.MouseButton.LeftButton)
        self.assertIn("22.01", (self.folder / "out.csv").read_text(encoding="utf-8"))
        self.type_in(self.sheet.part, "2")
        self.wait_for(lambda: self.cell(0, 5) == "", "another part")
        QTest.mouseClick(self.sheet.buttons["touches"], Qt.MouseButton.LeftButton)
        self.assertIn("none of these features is in the record", self.sheet.said.text())
        self.type_in(self.sheet.parts, "many")
        QTest.mouseClick(self.sheet.buttons["write"], Qt.MouseButton.LeftButton)
        self.assertIn("takes 1 to 10000", self.sheet.said.text())
        self.wait_for(lambda: not self.desk.stage.record_desk.busy(), "the end")


if __name__ == "__main__":
    unittest.main()
