"""Title and names of setups, edited where they stand."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ledgecliff.app.in_place import InPlace
from tests.app.gui import GuiTestCase
from tests.helpers import demo


class InPlaceTest(GuiTestCase):
    def entry(self):
        return next((each for each in self.window.findChildren(InPlace) if each.isVisible()), None)

    def typed(self, text, key=Qt.Key.Key_Return):
        entry = self.entry()
        entry.selectAll()
        QTest.keyClicks(entry, text)
        QTest.keyClick(entry, key)
        QTest.qWait(1)

    def names(self):
        return [setup.name for setup in self.document.job.setups]

    def test_the_title_by_a_click(self):
        QTest.mouseClick(self.window.title, Qt.MouseButton.LeftButton)
        self.assertEqual(self.entry().text(), demo().title)
        self.assertEqual(self.entry().selectedText(), demo().title)
        self.typed("Float housing, second batch")
        self.assertEqual(self.document.job.title, "Float housing, second batch")
        self.assertEqual(self.window.title.text(), "Float housing, second batch")
        self.assertIsNone(self.entry())
        self.commands.undo()
        self.assertEqual(self.document.job, demo())

    def test_a_setup_by_a_double_click_on_its_card_also_when_folded(self):
        for folded, name in ((False, "Op 15"), (True, "Op 12")):
            if folded:
                self.desk.route.toggle_fold()
            card = self.desk.route.cards[1]
            QTest.mouseDClick(card, Qt.MouseButton.LeftButton)
            at = self.entry().mapTo(self.window, self.entry().rect().center())
            self.assertTrue(card.rect().adjusted(-60, -10, 60, 10).contains(card.mapFrom(self.window, at)))
            self.typed(name)
            self.assertEqual(self.names(), [name, "Op 20"])
            self.assertEqual(card.scene.title, name)

    def test_stock_and_turn_have_no_name_to_edit(self):
        for index in (0, 2, 4):
            QTest.mouseDClick(self.desk.route.cards[index], Qt.MouseButton.LeftButton)
            self.assertIsNone(self.entry())

    def test_from_the_menu_of_the_card_for_the_keyboard(self):
        self.desk.route.menu_of(3).actions()[0].trigger()
        self.typed("Op 30")
        self.assertEqual(self.names(), ["Op 10", "Op 30"])

    def test_a_name_that_another_setup_has_is_refused_and_stays_in_the_line(self):
        self.desk.route.rename(3)
        self.typed("Op 10")
        self.assertEqual(self.document.job, demo())
        self.assertEqual(self.entry().text(), "Op 10")
        self.assertTrue(self.desk.notices.isVisible())
        QTest.keyClick(self.entry(), Qt.Key.Key_Escape)
        QTest.qWait(1)
        self.assertIsNone(self.entry())
        self.assertEqual(self.document.job, demo())

    def test_escape_leaves_it_and_looking_elsewhere_takes_it(self):
        self.desk.route.rename(1)
        self.typed("Op 99", Qt.Key.Key_Escape)
        self.assertEqual(self.document.job, demo())
        self.desk.route.rename(1)
        entry = self.entry()
        entry.setText("Op 11")
        self.window.finder.setFocus()
        QTest.qWait(1)
        self.assertEqual(self.names(), ["Op 11", "Op 20"])
        self.assertIsNone(self.entry())
