"""Views of the work: Part, Table and Shop, each with its own strip, chosen by words and keys."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from ledgecliff.core.tape.scenes import holding_tape
from tests.app.gui import GuiTestCase
from tests.helpers import demo_plan


class ViewsTest(GuiTestCase):
    def strips(self):
        desk = self.desk
        return [name for name, strip in (("part", desk.route), ("table", desk.table_strip), ("shop", desk.shelf_strip))
                if strip.isVisible()]  # fmt: skip

    def test_words_and_keys_choose_them(self):
        for key, view in ((Qt.Key.Key_F3, "table"), (Qt.Key.Key_F5, "shop"), (Qt.Key.Key_F2, "part")):
            QTest.keyClick(self.window, key)
            self.assertEqual((self.desk.stage.view, self.strips()), (view, [view]))
            self.assertTrue(self.window.view_words[view].isChecked())
        QTest.mouseClick(self.window.view_words["table"], Qt.MouseButton.LeftButton)
        self.assertEqual(self.strips(), ["table"])

    def test_a_shelf_is_found_from_anywhere_and_left_to_where_one_was(self):
        QTest.keyClick(self.window, Qt.Key.Key_F3)
        QTest.keyClick(self.window, Qt.Key.Key_G, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual((self.desk.stage.view, self.desk.stage.shelf), ("shop", "register"))
        self.desk.shelf_strip.buttons["tools"].click()
        self.assertTrue(self.desk.stage.tool_sheet.isVisible())
        self.assertFalse(self.desk.stage.lens_bar.isVisible(), "no lens is lit behind it")
        QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Escape)
        self.assertEqual(self.desk.stage.view, "table")
        QTest.keyClick(self.window, Qt.Key.Key_F5)
        self.assertEqual(self.desk.stage.shelf, "tools", "the shelf that was looked at last")

    def test_a_lens_or_a_scene_leads_back_to_the_part(self):
        for leave in (
            lambda: self.commands.show_lens("probe"),
            lambda: self.document.show_scene(3 if self.document.scene_index != 3 else 1),
        ):
            QTest.keyClick(self.window, Qt.Key.Key_F3)
            leave()
            self.assertEqual((self.desk.stage.view, self.strips()), ("part", ["part"]))


class TablePageTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        QTest.keyClick(self.window, Qt.Key.Key_F3)
        self.page = self.desk.stage.table_page
        self.app.processEvents()

    def test_a_station_is_picked_in_strip_list_and_drawing_and_the_tape_follows(self):
        right = self.document.job.machine.stations[1]
        self.desk.table_strip.buttons[1].click()
        self.assertEqual((self.desk.tape.tape.title, self.page.panel.list.currentRow()), ("right vise", 1))
        self.page.panel.list.setCurrentRow(0)
        self.assertEqual(self.desk.tape.tape.title, "left vise")
        box = next(box for box, source in self.page.canvas.targets if source == f"station-{right.id}")
        QTest.mouseClick(self.page.canvas, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
        self.assertEqual(self.desk.tape.tape.title, "right vise")
        self.assertTrue(self.desk.table_strip.buttons[1].isChecked())

    def test_typed_places_move_offsets_and_can_be_undone(self):
        before = self.document.plan.setups[0].planned_offset[0]
        field = next(field for field in self.page.panel.fields if field.spec.label == "X")
        self.type_in(field.entry, "-500")
        self.assertAlmostEqual(self.document.plan.setups[0].planned_offset[0], before + 20.0)
        self.commands.undo()
        self.assertAlmostEqual(self.document.plan.setups[0].planned_offset[0], before)

    def test_a_station_is_dragged(self):
        canvas, station = self.page.canvas, self.document.job.machine.stations[0]
        scale = canvas.placings()[0].scale
        box = self.page.panel.stations()[0]
        at = canvas.point(0, (float(box.m_low[0]) + 4.0, float(box.m_low[1]) + 4.0)).toPoint()
        way = QPoint(30, -20)
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=at)
        QTest.mouseMove(canvas, at + QPoint(10, -5))
        QTest.mouseMove(canvas, at + way)
        self.assertIn("X ", canvas.ghost.words)
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=at + way)
        moved = self.document.job.machine.stations[0].at
        self.assertAlmostEqual(moved.x, station.at.x + 30 / scale, delta=0.6)
        self.assertAlmostEqual(moved.y, station.at.y + 20 / scale, delta=0.6)
        self.assertEqual(moved.x, round(moved.x), "on whole millimetres")

    def test_owners_of_all_codes_are_listed(self):
        words = self.page.panel._offsets.text()
        self.assertIn("G54  Op 10", words)
        self.assertIn("G56  free", words)


class LadderTest(GuiTestCase):
    def test_heights_are_told_once(self):
        """By name beside the drawing where there is room, else on the tape, with their numbers beside the drawing."""
        self.show_lens(1, "hold")
        for width, on_tape in ((1280, False), (1024, True), (1280, False)):
            self.window.resize(width, 800)
            QTest.qWait(20)
            self.window.grab()
            told = [line.text for line in self.desk.tape.tape.lines]
            self.assertEqual("vise bed" in told, on_tape, width)
            self.assertIn("grip", told)
            front = self.desk.stage.canvas.layouts()[1]
            drawn = [mark.text for mark in front.marks if hasattr(mark, "text")]
            self.assertEqual("vise bed" in drawn, not on_tape, width)
            self.assertIn("−70.500", drawn)

    def test_sheets_have_all_of_it(self):
        lines = holding_tape(demo_plan().setups[0]).lines
        self.assertIn("vise bed", [line.text for line in lines])
