"""Groups of fields that fold and stay so, refusals that push nothing, choices whose texts are not cut."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QSettings, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QPushButton

from ledgecliff.app.fields import ChoiceField
from ledgecliff.app.groups import Group
from tests.app.gui import GuiTestCase


class GroupTest(GuiTestCase):
    def group(self, title):
        return next(each for each in self.panel().findChildren(Group) if title in each.head.text())

    def test_a_group_folds_and_is_folded_in_the_next_setup_and_the_next_window(self):
        self.show_lens(1, "hold")
        name = self.field("Name")
        QTest.mouseClick(self.group("This setup").head, Qt.MouseButton.LeftButton)
        self.assertFalse(name.isVisible())
        self.assertEqual(self.group("This setup").head.text(), "▸ This setup")
        self.assertTrue(self.field("Height").isVisible())
        self.show_lens(3, "hold")
        self.assertFalse(self.field("Name").isVisible())
        settings = QSettings(str(self.folder / "kept.ini"), QSettings.Format.IniFormat)
        self.desk.keep(settings)
        fresh = self.make_window()
        fresh.desk.restore(settings)
        self.assertEqual(fresh.desk.document.folded, {"HoldPanel This setup"})
        QTest.mouseClick(self.group("This setup").head, Qt.MouseButton.LeftButton)
        self.assertTrue(self.field("Name").isVisible())
        self.assertEqual(self.document.folded, set())

    def test_the_finder_opens_the_group_of_a_field(self):
        self.show_lens(1, "hold")
        self.commands.fold_groups()
        self.assertFalse(any(field.isVisible() for field in self.panel().fields))
        self.window.finder.setFocus()
        QTest.keyClicks(self.window.finder, "jaw height")
        QTest.keyClick(self.window.finder, Qt.Key.Key_Return)
        field = self.field("Jaw height")
        self.assertTrue(field.isVisible() and field.entry.hasFocus())
        self.assertFalse(self.field("Name").isVisible(), "only that one")

    def test_all_fold_and_open_by_the_keyboard(self):
        self.show_lens(1, "cut")
        for expected in (False, True):
            QTest.keyClick(
                self.window, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
            )
            self.assertEqual({group.body.isVisible() for group in self.panel().findChildren(Group)}, {expected})

    def test_cautions_do_not_fold(self):
        self.show_lens(1, "release")
        self.assertFalse(any("Caution" in each.head.text() for each in self.panel().findChildren(Group)))


class RefusalTest(GuiTestCase):
    def test_what_is_refused_is_said_in_sight_and_no_button_moves(self):
        self.show_lens(1, "cut")
        panel = self.panel()
        buttons = [each for each in panel.findChildren(QPushButton) if each.isVisible()]
        before = [each.mapTo(panel, QPoint(0, 0)) for each in buttons]
        panel.attempt(lambda: self.document.set_value("name", ("setups", 0, "name"), "Op 20"))
        QTest.qWait(1)
        self.assertEqual([each.mapTo(panel, QPoint(0, 0)) for each in buttons], before)
        at = panel.refused.mapTo(panel, panel.refused.rect().bottomRight())
        self.assertTrue(panel.refused.isVisible() and panel.rect().contains(at))
        self.assertLessEqual(panel.viewport().geometry().bottom(), panel.refused.mapTo(panel, QPoint(0, 0)).y())
        panel.attempt(lambda: None)
        self.assertFalse(panel.refused.isVisible())
        self.assertEqual(panel.viewport().height(), panel.height())


class ChoiceTest(GuiTestCase):
    def test_no_text_of_a_choice_is_cut_in_any_lens_with_large_letters_too(self):
        for larger in (0, 2):
            for _ in range(larger):
                self.window.larger_text()
            for scene, lens in ((0, "stock"), (1, "hold"), (1, "datum"), (1, "hand"), (2, "turn"), (1, "release")):
                self.show_lens(scene, lens)
                QTest.qWait(1)
                boxes = [each.box for each in self.panel().findChildren(ChoiceField) if each.isVisible()]
                for box in boxes:
                    room = box.width() - box.height()  # the arrow is about as wide as high
                    for k in range(box.count()):
                        with self.subTest(f"{lens}, {box.accessibleName()}", text=box.itemText(k)):
                            self.assertLessEqual(box.fontMetrics().horizontalAdvance(box.itemText(k)), room)
            self.assertIsInstance(boxes[0], QComboBox)


class RowsTest(GuiTestCase):
    def test_no_row_is_cut_and_none_is_hidden_while_there_is_room(self):
        """A long name takes two lines, in a wide and a narrow window, and with larger letters."""
        self.document.set_value(
            "name", ("setups", 1, "operations", 1, "name"), "counterbore and edge break, both at once"
        )
        for width in (1280, 1024):
            self.window.resize(width, 800)
            self.show_lens(3, "cut")
            QTest.qWait(20)
            rows = self.panel().list
            heights = [rows.visualItemRect(rows.item(k)).height() for k in range(rows.count())]
            self.assertGreater(heights[1], 1.5 * heights[0], "it takes two lines")
            self.assertLessEqual(rows.visualItemRect(rows.item(1)).bottom(), rows.viewport().height())
            self.window.larger_text()
            QTest.qWait(20)
            rows = self.panel().list
            self.assertLessEqual(rows.visualItemRect(rows.item(1)).bottom(), rows.viewport().height())
            self.window.smaller_text()
