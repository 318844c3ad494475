"""Commands, themes, settings, names for screen readers, contrast, and the smallest window."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QPushButton, QWidget

from ledgecliff.app.actions import ACTIONS, MENUS
from ledgecliff.core.lenses import LENSES
from tests.app.gui import GuiTestCase


class CommandTest(GuiTestCase):
    def test_every_lens_has_its_fields_and_a_tab(self):
        keys = {lens.key for lens in LENSES}
        self.assertEqual(set(self.desk.stage.panels), keys - {"coordinates", "budget"})
        self.assertEqual(set(self.desk.stage.tabs), keys)

    def test_the_table_is_sound(self):
        ids = [spec.id for spec in ACTIONS]
        self.assertEqual(len(ids), len(set(ids)))
        keys = [spec.shortcut for spec in ACTIONS if spec.shortcut]
        self.assertEqual(len(keys), len(set(keys)))
        for spec in ACTIONS:
            owner = self.window if spec.of_window else self.commands
            self.assertTrue(spec.tip and callable(getattr(owner, spec.handler)), spec.id)
            self.assertIn(spec.menu, MENUS)

    def test_the_finder_runs_a_command(self):
        QTest.keyClick(self.window, Qt.Key.Key_J, Qt.KeyboardModifier.ControlModifier)
        self.type_in(self.window.finder, "Probe")
        self.assertEqual(self.document.lens, "probe")
        self.assertEqual(self.window.finder.text(), "")
        self.type_in(self.window.finder, "make coffee")
        self.assertEqual(self.document.lens, "probe")

    def test_copying_tape_and_picture(self):
        self.commands.copy_tape()
        text = QGuiApplication.clipboard().text()
        self.assertIn("Op 10", text)
        self.assertIn("grip\t+4.000\n", text)
        self.assertIn("jaw top\t-28.500\n", text)
        self.commands.copy_picture()
        self.assertFalse(QGuiApplication.clipboard().pixmap().isNull())

    def test_themes_repaint_without_complaint(self):
        for _ in range(2):
            self.window.switch_theme()
            self.window.grab()

    def test_settings_are_remembered(self):
        self.commands.switch_unit()
        self.window.switch_theme()
        self.window.resize(1100, 700)
        self.window.close()
        again = self.make_window()
        self.assertEqual(again.desk.document.unit, "in")
        self.assertEqual(again.theme.name, "night")

    def test_help_and_about_say_something(self):
        self.window.show_help()
        self.commands.show_about()
        self.assertIn("Ledgecliff", self.desk.notices.label.text())


class PlainTextTest(GuiTestCase):
    def test_no_name_of_a_job_becomes_markup(self):
        """A setup called like HTML is shown letter by letter: labels plain, tooltips escaped."""
        self.document.set_value("name", ("setups", 0, "name"), "<img src=x>")
        self.document.set_value("offset", ("setups", 0, "offset"), "G99")
        self.app.processEvents()
        for widget in self.window.findChildren(QWidget):
            self.assertNotIn("<img", widget.toolTip())
            if isinstance(widget, QLabel) and "<img" in widget.text():
                self.assertEqual(widget.textFormat(), Qt.TextFormat.PlainText, widget.text())
        self.assertIn("&lt;img", self.desk.route.cards[1].toolTip())


class AccessTest(GuiTestCase):
    def test_what_can_be_used_has_a_name(self):
        """Screen readers get a name for every entry, list, button and card that is shown."""
        for scene in range(5):
            for lens in ("part", "stock", "sides", "hold", "cut", "datum", "probe", "rehearse", "release"):
                self.show_lens(scene, lens)
                for widget in self.window.findChildren(QWidget):
                    kind = widget.metaObject().className()
                    if widget.isVisible() and kind in ("QPushButton", "_Entry", "QComboBox", "SceneCard", "QLineEdit"):
                        named = widget.accessibleName() or (isinstance(widget, QPushButton) and widget.text())
                        self.assertTrue(named, (kind, widget.toolTip()))

    def test_text_stands_out_from_its_ground(self):
        """WCAG 2 contrast of at least 4.5 for words, in both themes."""
        from ledgecliff.app.theme import DAY, NIGHT

        def luminance(color):
            parts = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in color.getRgbF()[:3]]
            return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

        for theme in (DAY, NIGHT):
            for ink in ("ink", "quiet", "hazard", "error", "warning"):
                for ground in ("paper", "strip", "accent_soft", "desk"):
                    a, b = sorted((luminance(theme.color(ink)), luminance(theme.color(ground))))
                    self.assertGreaterEqual((b + 0.05) / (a + 0.05), 4.5, (theme.name, ink, ground))


class LayoutTest(GuiTestCase):
    def test_nothing_is_cut_at_the_smallest_size(self):
        """At 1024 x 640 panel and tape fit their width; only height scrolls."""
        self.window.resize(1024, 640)
        self.app.processEvents()
        for scene, lens in (
            (0, "part"), (0, "stock"), (0, "sides"), (1, "hold"), (1, "cut"), (2, "hold"), (3, "datum"), (3, "probe"),
            (3, "rehearse"),
        ):  # fmt: skip
            self.show_lens(scene, lens)
            self.app.processEvents()
            panel = self.panel()
            self.assertLessEqual(panel.widget().minimumSizeHint().width(), panel.viewport().width(), (scene, lens))
            self.assertLessEqual(self.desk.tape.roll.width(), self.desk.tape.viewport().width())
        self.assertEqual(self.window.width(), 1024)
        self.assertEqual(self.window.mapToGlobal(QPoint(0, 0)).isNull(), self.window.pos().isNull())
