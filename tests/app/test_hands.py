"""Hands: the finder, Tab and Enter, keys, text sizes, a route that folds, and a menu on each setup's card."""

from __future__ import annotations

import os
import stat
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QPlainTextEdit, QPushButton

from ledgecliff.app.actions import ACTIONS
from ledgecliff.app.theme import text_size
from ledgecliff.app.things import Thing, things_found
from ledgecliff.core.edits.setups import copy_setup
from ledgecliff.store.printing import PrintingError, print_pdf, printers
from tests.app.gui import GuiTestCase


class FinderTest(GuiTestCase):
    def found(self, text):
        self.window.find_command()
        self.window.finder.clear()
        QTest.keyClicks(self.window.finder, text)
        return [thing.words for thing in self.window.finder.shown]

    def test_the_shops_own_words_lead_to_commands(self):
        for text, words in (
            ("zero", "Datum"), ("touch", "Probe"), ("vise", "Hold"), ("G54", "The offset register"),
            ("dark", "Night shift"), ("simulate", "Rehearse"), ("flip", "Play the turn"),
        ):  # fmt: skip
            self.assertIn(words, self.found(text), text)

    def test_setups_features_fields_and_findings_are_found(self):
        self.show_lens(1, "hold")
        self.assertEqual(self.found("Op 20")[0], "Op 20")
        self.assertIn("bolt hole NE", self.found("bolt"))
        self.assertIn("Height", self.found("height"))
        self.findings()
        self.window.finder.put_away()
        self.assertTrue(any("port" in words for words in self.found("reaches port")))

    def test_enter_takes_the_first_and_it_clears_itself(self):
        self.found("Op 20")
        QTest.keyClick(self.window.finder, Qt.Key.Key_Return)
        self.assertEqual(self.document.scene.title, "Op 20")
        self.assertEqual(self.window.finder.text(), "")
        self.assertFalse(self.window.finder.list.isVisible())
        self.found("bolt hole")
        QTest.keyClick(self.window.finder, Qt.Key.Key_Down)
        second = self.window.finder.shown[1].words
        QTest.keyClick(self.window.finder, Qt.Key.Key_Return)
        self.assertEqual((self.document.lens, self.document.picked), ("part", second))

    def test_what_cannot_be_done_now_is_grey_with_its_reason_and_is_not_done(self):
        self.assertEqual(self.found("Undo")[0], "Undo")
        self.assertEqual(self.window.finder.shown[0].why_not, "nothing was changed yet")
        before = self.document.job
        QTest.keyClick(self.window.finder, Qt.Key.Key_Return)
        self.assertEqual(self.document.job, before)

    def test_what_can_be_done_comes_first_and_the_best_fit_before_others(self):
        grey = Thing("probe", "", "", lambda: None, "not now")
        part, whole = Thing("probe twice", "", "", lambda: None), Thing("probe", "x", "", lambda: None)
        far = Thing("ball", "", "probe", lambda: None)
        self.assertEqual(things_found([far, grey, part, whole], "probe", 9), [whole, part, far, grey])
        self.assertEqual(things_found([far, part], "probe ball", 9), [far])


class KeysTest(GuiTestCase):
    def test_tab_goes_route_lenses_fields_findings_tape(self):
        self.show_lens(1, "hold")
        self.findings()
        self.wait_for(lambda: self.document.all_tried, "remedies")
        QTest.qWait(20)
        containers = {
            "route": self.desk.route, "lenses": self.desk.stage.lens_bar, "fields": self.panel(),
            "findings": self.desk.findings, "tape": self.desk.tape,
        }  # fmt: skip
        self.desk.route.cards[0].setFocus()
        seen = []
        for _ in range(200):
            focus = QApplication.focusWidget()
            where = next((name for name, place in containers.items() if place.isAncestorOf(focus)), None)
            if where is not None and (not seen or seen[-1] != where):
                seen.append(where)
            if seen and seen[-1] == "tape":
                break
            QTest.keyClick(focus, Qt.Key.Key_Tab)
        self.assertEqual(seen, list(containers))

    def test_nothing_keeps_tab_for_itself(self):
        self.show_lens(1, "release")
        QTest.qWait(20)
        for text in self.window.findChildren(QPlainTextEdit):
            self.assertTrue(text.tabChangesFocus())

    def test_enter_presses_the_button_that_has_the_focus(self):
        self.show_lens(1, "cut")
        self.findings()
        self.desk.stage.tabs["datum"].setFocus()
        QTest.keyClick(self.desk.stage.tabs["datum"], Qt.Key.Key_Return)
        self.assertEqual(self.document.lens, "datum")
        self.desk.route.cards[3].setFocus()
        QTest.keyClick(self.desk.route.cards[3], Qt.Key.Key_Return)
        self.assertEqual(self.document.scene_index, 3)

    def test_menus_have_letters_and_the_sheet_names_every_key(self):
        for menu in self.window.menus.values():
            self.assertTrue(menu.title().startswith("&"))
        QTest.keyClick(
            self.window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        )
        sheet = self.desk.stage.sheets["keys"]
        self.assertTrue(sheet.isVisible())
        from PySide6.QtWidgets import QLabel

        words = {label.text() for label in sheet.findChildren(QLabel)}
        for spec in ACTIONS:
            self.assertTrue(not spec.shortcut or spec.text in words, spec.id)

    def test_escape_and_the_lit_word_close_a_sheet_and_no_lens_is_lit_behind_it(self):
        self.show_lens(1, "hold")
        tabs = self.desk.stage.tabs
        for close in (
            lambda: QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Escape),
            lambda: QTest.mouseClick(self.window.view_words["part"], Qt.MouseButton.LeftButton),
        ):
            self.commands.open_sheet("keys")
            self.assertFalse(any(tab.isVisible() for tab in tabs.values()))
            close()
            self.assertFalse(self.desk.stage.sheets["keys"].isVisible())
            self.assertTrue(tabs["hold"].isChecked() and tabs["hold"].isVisible())

    def test_text_grows_shrinks_and_is_remembered(self):
        self.addCleanup(self.window._step_text, 0)
        size = self.desk.findings.font().pixelSize()
        self.window.larger_text()
        self.assertEqual(text_size(), 115)
        self.assertGreater(self.desk.findings.more.fontMetrics().height(), 0)
        self.assertGreater(QApplication.font().pixelSize(), size if size > 0 else 13)
        self.window.close()
        again = self.make_window()
        self.assertEqual(text_size(), 115)
        again.smaller_text()
        again.smaller_text()
        self.assertEqual(text_size(), 85)
        again.smaller_text()
        self.assertEqual(text_size(), 85, "it goes no further")
        again.larger_text()


class RouteTest(GuiTestCase):
    def test_a_low_window_folds_it_and_a_hand_decides(self):
        self.window.resize(1280, 650)
        self.app.processEvents()
        self.assertTrue(self.desk.route.folded)
        self.assertLess(self.desk.route.height(), 60)
        self.desk.route.fold_button.click()
        self.window.resize(1280, 640)
        self.app.processEvents()
        self.assertFalse(self.desk.route.folded, "a hand has opened it")
        self.window.close()
        self.assertFalse(self.make_window().desk.route.folded)

    def test_between_many_setups_turns_are_narrow(self):
        wide = self.desk.route.cards[2].sizeHint().width()
        for k in range(4):
            self.document.apply("copy", lambda job, k=k: copy_setup(job, 0, f"{k:012x}"))
        self.assertLess(self.desk.route.cards[2].sizeHint().width(), wide / 3)
        self.assertIn("about X", self.desk.route.cards[-3].accessibleName() + self.desk.route.cards[-3].toolTip())

    def test_a_turn_shows_the_part_on_its_way(self):
        self.findings()
        self.assertIsNotNone(self.desk.route.cards[2]._picture)

    def test_a_setup_is_copied_added_moved_and_removed_on_its_card(self):
        def press(index, words, within=None):
            menu = self.desk.route.menu_of(index)
            actions = (
                menu.actions()
                if within is None
                else next(a for a in menu.actions() if within in a.text()).menu().actions()
            )
            next(action for action in actions if action.text() == words).trigger()
            return [setup.name for setup in self.document.job.setups]

        self.assertIsNone(self.desk.route.menu_of(0), "the stock is no setup")
        self.assertEqual(press(1, "Copy Op 10"), ["Op 10", "Op 30", "Op 20"])
        codes = [setup.offset for setup in self.document.job.setups]
        self.assertEqual(len(set(codes)), 3)
        self.assertEqual(press(3, "Later"), ["Op 10", "Op 20", "Op 30"])
        self.assertEqual(press(1, "part +X", within="Add a setup"), ["Op 10", "Op 20", "Op 30", "Op 40"])
        self.assertEqual(press(5, "Remove Op 30"), ["Op 10", "Op 20", "Op 40"])


class NightTest(GuiTestCase):
    def test_a_file_dialog_can_be_read_by_night(self):
        """Names against their ground in the dialog as it is painted: the lightest on the darkest, 4.5 and more."""
        self.window.switch_theme()
        self.addCleanup(self.window.switch_theme)
        (self.folder / "a job with a long name.json").write_text("{}")
        dialog = QFileDialog(self.window, "Open", str(self.folder))
        dialog.setOption(QFileDialog.Option.DontUseNativeDialog)
        dialog.show()
        QTest.qWait(200)
        for name in ("treeView", "listView", "sidebar"):
            view = dialog.findChild(object, name)
            colours = view.palette()
            ground, ink = colours.color(colours.ColorRole.Base), colours.color(colours.ColorRole.Text)
            self.assertGreaterEqual(_contrast(ink, ground), 4.5, name)
        image = (
            dialog.findChild(object, "listView" if dialog.viewMode() == QFileDialog.ViewMode.List else "treeView")
            .grab()
            .toImage()
        )
        shades = [image.pixelColor(x, y) for x in range(0, image.width(), 2) for y in range(0, image.height(), 2)]
        lightest, darkest = max(shades, key=_luminance), min(shades, key=_luminance)
        self.assertGreaterEqual(_contrast(lightest, darkest), 4.5)
        dialog.close()


def _luminance(color):
    parts = [c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in color.getRgbF()[:3]]
    return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]


def _contrast(one, other):
    a, b = sorted((_luminance(one), _luminance(other)))
    return (b + 0.05) / (a + 0.05)


class PrintingTest(GuiTestCase):
    def put(self, name, text):
        path = self.folder / "bin" / name
        path.parent.mkdir(exist_ok=True)
        path.write_text(f"#!/bin/sh\n{text}\n")
        path.chmod(path.stat().st_mode | stat.S_IXUSR)
        patch = mock.patch.dict(os.environ, {"PATH": f"{path.parent}:{os.environ['PATH']}"})
        patch.start()
        self.addCleanup(patch.stop)

    def test_the_sheet_goes_to_a_printer(self):
        out = self.folder / "printed.pdf"
        self.put("lpstat", "echo hall")
        self.put("lp", f'cat > "{out}"; echo "$@" > "{out}.args"')
        self.assertEqual(printers(), ("hall",))
        self.commands.print_sheet()
        self.wait_for(lambda: not self.commands.busy(), "the printer")
        self.assertIn("sent to hall", self.desk.notices.label.text())
        self.assertTrue(out.read_bytes().startswith(b"%PDF"))
        self.assertIn("-d hall -t Float housing", (self.folder / "printed.pdf.args").read_text())

    def test_of_several_one_is_asked_for_and_of_none_it_is_said(self):
        self.put("lpstat", "printf 'hall\noffice\n'")
        self.put("lp", "exit 1")
        self.commands.print_sheet()
        self.assertEqual([button.text() for button in self.desk.notices.buttons[:2]], ["hall", "office"])
        self.put("lpstat", "exit 0")
        self.commands.print_sheet()
        self.assertIn("No printer is set up", self.desk.notices.label.text())

    def test_what_the_print_system_refuses_is_said(self):
        self.put("lp", "echo 'the queue is full' >&2; exit 1")
        with self.assertRaisesRegex(PrintingError, "the queue is full"):
            print_pdf(b"%PDF", "hall", "x")


class CardButtonsTest(GuiTestCase):
    def test_every_button_that_is_seen_says_what_it_does(self):
        for button in self.window.findChildren(QPushButton):
            if button.isVisible():
                self.assertTrue(button.text() or button.accessibleName(), button.objectName())
