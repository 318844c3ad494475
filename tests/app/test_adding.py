"""Adding at a feature, in the window: tried behind it, taken with one press, undone with one step, reasons in sight."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QPushButton

from ledgecliff.app.adding import AddHere
from tests.app.gui import GuiTestCase


class AddingTest(GuiTestCase):
    def at(self, feature):
        """Picks it, and waits until all was tried."""
        self.document.pick(feature)
        self.wait_for(lambda: self.panel().adding.offers is not None, "offers to be tried", 60_000)
        self.app.processEvents()  # what is put into a layout is shown with the next event
        return self.panel().findChild(AddHere)

    def buttons(self):
        return [
            each for each in self.panel().findChildren(QPushButton) if each.text().startswith("+ ") and each.isVisible()
        ]

    def words(self):
        return [each.text() for each in self.panel().findChildren(QLabel) if each.isVisible()]

    def test_a_step_is_added_where_it_can_run_and_undone(self):
        self.show_lens(1, "probe")
        self.at("main bore")
        QTest.mouseClick(self.buttons()[0], Qt.MouseButton.LeftButton)
        added = self.document.job.setups[0].probing.cycles[-1]
        self.assertEqual((added.feature, added.after), ("main bore", "pocket and bolt holes"))
        self.assertFalse({code for code in self.codes() if code.startswith("TOUCH_")})
        self.assertEqual(self.document.step, len(self.document.job.setups[0].probing.cycles) - 1, "it is on the stage")
        self.commands.undo()
        self.assertIsNone(self.document.job.setups[0].probing.cycles)

    def test_why_not_is_said_and_has_no_button(self):
        self.show_lens(1, "cut")
        self.at("port")
        self.assertEqual(self.buttons(), [])
        self.assertIn("✕ hole to its depth", self.words())
        self.assertTrue(any("nor in any other setup; add one" in each for each in self.words()))

    def test_a_feature_is_chosen_by_the_keyboard_and_another_lens_offers_its_own(self):
        self.show_lens(3, "cut")
        box = self.panel().findChild(AddHere).at.box
        box.setFocus()
        box.setCurrentIndex(box.findText("pocket"))
        QTest.keyClick(box, Qt.Key.Key_Down)
        box.activated.emit(box.currentIndex())
        self.assertEqual(self.document.picked, "counterbore")
        self.at("counterbore")
        cut = [offer.title for offer in self.panel().adding.offers]
        self.document.show_lens("probe")
        self.assertEqual(self.panel().adding.feature, "", "another lens picks nothing of itself")
        self.at("counterbore")
        self.assertNotEqual([offer.title for offer in self.panel().adding.offers], cut)

    def test_nothing_is_tried_of_what_is_no_feature(self):
        self.show_lens(1, "probe")
        self.at("fixed jaw")
        self.assertEqual((self.panel().adding.offers, self.buttons()), ((), []))
        self.assertFalse(self.panel().adding.busy())

    def test_an_edit_has_it_tried_anew_in_the_shown_unit(self):
        self.show_lens(3, "probe")
        self.at("counterbore")
        self.document.show_unit("in")
        self.at("main bore")
        self.at("counterbore")
        self.assertTrue(any(" in deep" in each for each in self.words()))
        self.document.set_value("operations", ("setups", 1, "operations"), ())
        self.at("counterbore")
        self.assertEqual(self.buttons(), [], "nothing cuts it any more")
