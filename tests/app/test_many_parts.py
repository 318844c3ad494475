"""Setups that stand many times, and blanks that differ, in the real window."""

from __future__ import annotations

from datetime import date

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from ledgecliff.core.edits.bench import add_step
from ledgecliff.core.model.holding import PlateHold
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import write_job
from tests.app.gui import GuiTestCase
from tests.app.test_rotary import TablePanelCase
from tests.core.measuring.test_instance_results import pasted
from tests.core.programs.test_instance_programs import SECOND, lying, run, shoes
from tests.core.test_fence import board_plan
from tests.core.test_supports import held

SIZES = "63.62 63.05 62.88 63.41 63.90 63.18 62.95 63.33 63.77 63.10 63.55 62.80"


class PatternTest(TablePanelCase):
    opens_demo = False

    def setUp(self):
        super().setUp()
        self.open(demo_job("rack-shoes"))
        self.table()

    def pattern(self, number=0):
        return self.document.job.setups[number].pattern

    def names(self):
        return [each.name for each in self.document.plan.instances(0)]

    def test_a_blank_as_it_was_measured(self):
        self.take(*self.names()[:2])
        self.type_in(self.field("Blank's X").entry, "2.4 in")
        keys = [each.key for each in self.document.plan.instances(0)]
        self.assertEqual([self.pattern().at(key).measured.x for key in keys[:2]], [60.96, 60.96])
        self.assertIn("INSTANCE_TOO_SMALL", self.codes())
        entry = self.field("Blank's X").entry
        entry.setFocus()
        entry.selectAll()
        QTest.keyClick(entry, Qt.Key.Key_Delete)
        QTest.keyClick(entry, Qt.Key.Key_Return)
        self.assertNotIn("INSTANCE_TOO_SMALL", self.codes())

    def take(self, *names):
        """Picks instances in the list."""
        listed = self.table().patterns.list
        listed.clearSelection()
        for k, each in enumerate(self.document.plan.instances(0)):
            if each.name in names:
                listed.item(k).setSelected(True)
        self.app.processEvents()

    def test_from_one_station_to_a_grid_and_back(self):
        self.pick("Stands at", "one station")
        self.assertIsNone(self.pattern())
        self.pick("Stands at", "a grid")
        for label, text in (("Columns", "4"), ("Column pitch", "3 in"), ("Rows", "2"), ("Row pitch", "100 + 18")):
            self.type_in(self.field(label).entry, text)
        layout = self.pattern().layout
        self.assertEqual((layout.columns, layout.rows, layout.row_pitch), (4, 2, 118.0))
        self.assertAlmostEqual(layout.column_pitch, 76.2)
        self.assertEqual(self.names(), ["1", "2", "3", "4", "5", "6", "7", "8"])
        self.type_in(self.field("First number").entry, "11")
        self.type_in(self.field("Before it").entry, "S")
        self.pick("To and fro", "yes")
        self.assertEqual(self.names()[:2], ["S11", "S12"])
        self.type_in(self.field("Columns").entry, "0")
        self.assertTrue(self.field("Columns").said.text())
        self.assertEqual(self.pattern().layout.columns, 4)
        for _ in range(9):
            self.document.undo_stack.undo()
        self.assertEqual(len(self.document.plan.instances(0)), 10)

    def test_a_group_is_shifted_and_its_face_cut_again(self):
        self.pick("Groups", "rows")
        back = list(dict.fromkeys(each.place.group for each in self.document.plan.instances(0)))[1]
        before = self.pattern().group(back)
        was = 0.0 if before is None else before.shift.x
        shifts = [each for each in self.table().fields if each.spec.label == "Shift X"]
        self.type_in(shifts[1].entry, "0.02 in")
        group = self.pattern().group(back)
        self.assertAlmostEqual(group.shift.x, 0.508)
        self.assertNotAlmostEqual(group.shift.x, was)
        self.assertEqual(group.shifted_on, date.today().isoformat())
        y = group.shift.y
        recuts = [each for each in self.table().fields if each.spec.label == "Re-cut"]
        self.type_in(recuts[1].entry, "-Y 0.2")
        # A part that rests against the front of its block lies as much further back as was cut off.
        self.assertAlmostEqual(self.pattern().group(back).shift.y, y + 0.2)
        recuts = [each for each in self.table().fields if each.spec.label == "Re-cut"]
        self.type_in(recuts[1].entry, "up 0.2")
        self.assertIn("no way a face looks", recuts[1].said.text())

    def test_skipped_finished_and_a_new_load(self):
        self.take("2", "3")
        self.table().patterns.reason.setText("bad blank")
        self.press("Skip")
        states = {each.name: (each.state, each.reason) for each in self.document.plan.instances(0)}
        self.assertEqual((states["2"], states["3"]), (("skipped", "bad blank"),) * 2)
        self.take("4")
        self.press("Finished")
        self.press("New load")
        states = {each.name: each.state for each in self.document.plan.instances(0)}
        self.assertEqual((states["4"], states["2"]), ("on", "skipped"))
        self.assertIn("bad blank", self.table().patterns.list.item(1).text())

    def test_nudged_by_keys_and_typed(self):
        self.take("4")
        page = self.desk.stage.table_page
        canvas = page.canvas
        canvas.setFocus()
        before = self.document.plan.instances(0)[3].m_zero
        QTest.keyClick(canvas, Qt.Key.Key_Right)
        self.app.processEvents()
        moved = self.document.plan.instances(0)[3].m_zero - before
        self.assertGreater(moved[0], 0.0)
        self.assertEqual((moved[1], moved[2]), (0.0, 0.0))
        self.type_in(self.field("Own shift X").entry, "1/4 in")
        np_moved = self.document.plan.instances(0)[3].m_zero - before
        self.assertAlmostEqual(float(np_moved[0]), 6.35)
        self.assertEqual(self.document.plan.instances(0)[2].state, "on")

    def test_codes_are_counted_before_a_school_is_chosen(self):
        self.pick("Groups", "all together")
        words = self.table().patterns.codes.text()
        self.assertIn("10", words)
        self.pick("Zeros are kept in", "own each")
        offsets = [each.offset for each in self.document.plan.instances(0)]
        self.assertEqual(len(set(offsets)), 10)
        taken = {each.offset for each in self.document.plan.instances(1)}
        self.assertFalse(taken & set(offsets))
        self.pick("Zeros are kept in", "local shifts")
        self.assertEqual(len({each.offset for each in self.document.plan.instances(0)}), 1)

    def test_where_the_table_ends_and_what_a_miss_costs(self):
        self.document.set_value("none", ("machines", 0, "table"), None)
        self.press("State it")
        self.assertEqual(self.document.job.machine.table.left, self.document.job.machine.travel_min.x)
        self.type_in(self.field("Left").entry, "-40 in")
        self.assertEqual(self.document.job.machine.table.left, -1016.0)
        self.press("Not known")
        self.assertIsNone(self.document.job.machine.table)
        field = self.field("Stop, miss, wrong")
        self.type_in(field.entry, "1, 20, 2%")
        self.assertEqual(self.document.job.setups[0].probing.costs.wrong, 0.02)
        self.assertEqual(field.entry.text(), "1, 20, 2%")
        self.type_in(field.entry, "1, 20")
        self.assertIn("give what a stop costs", field.said.text())
        self.assertEqual(self.document.job.setups[0].probing.costs.miss, 20.0)

    def test_an_operation_over_its_group(self):
        name = self.document.job.setups[0].operations[0].name
        self.pick(name, "over its group in one sweep")
        self.assertEqual(self.pattern().over_groups, (name,))
        self.pick(name, "at each instance")
        self.assertEqual(self.pattern().over_groups, ())

    def test_too_many_for_the_control(self):
        self.type_in(self.field("Columns").entry, "40")
        self.pick("Zeros are kept in", "own each")
        self.assertTrue(self.table().refused.text())
        self.assertEqual(self.pattern().school, "local shifts")


class RehearsedTest(GuiTestCase):
    opens_demo = False

    def test_all_instances_are_shown_and_their_results_come_back(self):
        plan = shoes(((*SECOND, "missing"), "skip it"), ((*SECOND, "seating"), True))
        name = plan.instances(1)[1].name
        result = run(plan, lying("Op 20", name, z=1.5))
        path = self.folder / "shoes.json"
        write_job(plan.job, path)
        self.open(path)
        self.show_lens(3, "rehearse")
        QGuiApplication.clipboard().setText(pasted(result, "Op 20"))
        returned = self.panel().returned
        paste = next(each for each in self.panel().findChildren(QPushButton) if each.text() == "Paste")
        QTest.mouseClick(paste, Qt.MouseButton.LeftButton)
        self.assertIn(f"Missing or not seated: instance {name}.", returned.words.text())
        self.choose("Instance", f"instance {plan.instances(1)[2].name}")
        self.assertEqual(len(returned.results()), len(returned._rows()))
        kept = self.document.plan.instances(1)[2]
        self.assertIn(f"{kept.offset} then holds", returned.words.text())
        self.choose("Instance", f"instance {name}")
        self.assertEqual(returned.results(), ())
        self.panel().run_wanted.emit(1)
        self.wait_for(lambda: self.document.rehearsal is not None, "the rehearsal")
        shown = [self.panel().offsets.item(k, 0).text() for k in range(self.panel().offsets.rowCount())]
        # Nine shoes of Op 10, which come to Op 20 in two loads.
        self.assertEqual(sum(words.endswith("off by") for words in shown), 9 + 9)


class FenceTest(GuiTestCase):
    opens_demo = False

    def test_put_at_a_side_and_the_zero_taken_from_it(self):
        path = self.folder / "board.json"
        write_job(board_plan(None, made=False).job, path)
        self.open(path)
        self.show_lens(1, "hold")
        self.choose("Fence", "at the front")
        self.type_in(self.field("High").entry, "1/2 in")
        self.assertAlmostEqual(self.document.job.setups[0].hold.fence.height, 12.7)
        self.assertIn("FENCE_NOT_CUT", self.codes())
        button = next(each for each in self.panel().findChildren(QPushButton) if each.text() == "Zero from the fence")
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.app.processEvents()
        self.assertEqual(self.document.job.setups[0].datum.y.source, "fixture value")
        # The step that cuts it is drawn beside the machine, with its tape.
        plan = self.document.plan
        self.document.apply("cut it", lambda job: add_step(job, "make fixture", 0, "6" * 12, plan))
        self.show_lens(1, "bench")
        self.assertNotIn("FENCE_NOT_CUT", self.codes())
        self.assertEqual(self.desk.stage.canvas.drawings[0].name, "Plan · fence on board")
        self.show_lens(2, "hold")
        self.choose("Fence", "none")
        self.assertIsNone(self.document.job.setups[0].hold.fence)


class SupportTest(GuiTestCase):
    opens_demo = False

    def press(self, words):
        button = next(each for each in self.panel().findChildren(QPushButton) if each.text() == words)
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.app.processEvents()

    def test_put_under_an_overhang_sized_and_taken_away(self):
        path = self.folder / "long.json"
        write_job(held().job, path)
        self.open(path)
        self.show_lens(1, "hold")
        self.press("Add a support")
        (support,) = self.document.job.setups[0].hold.supports
        self.assertIn("SUPPORT_NOT_CUT", self.codes())
        self.assertIn("support 1", [getattr(item, "text", "") for item in self.desk.stage.canvas.drawings[0].items])
        self.assertTrue([line for line in self.desk.tape.tape.lines if line.text == "left high" and line.mm == 90.0])
        self.type_in(self.field("Comes off").entry, "1/8 in")
        self.assertAlmostEqual(self.document.job.setups[0].hold.supports[0].cut, 3.175)
        self.press("Remove last support")
        self.assertEqual(self.document.job.setups[0].hold.supports, ())
        self.assertGreater(support.length, 20.0)

    def test_nothing_to_carry_is_said(self):
        path = self.folder / "flat.json"
        write_job(held(hold=PlateHold()).job, path)
        self.open(path)
        self.show_lens(1, "hold")
        before = self.document.job
        self.press("Add a support")
        self.assertIs(self.document.job, before)
        self.assertIn("hangs free nowhere", self.panel().refused.text())


class BatchTest(GuiTestCase):
    opens_demo = False

    def setUp(self):
        super().setUp()
        self.open(demo_job("rack-shoes"))
        self.show_lens(0, "stock")

    def press(self, words):
        button = next(each for each in self.panel().findChildren(QPushButton) if each.text() == words)
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.app.processEvents()

    def test_sizes_typed_groups_and_one_of_them_run(self):
        self.press("Measured blanks")
        batch = self.panel().batch
        batch.sizes.setPlainText("62.80 63.0s5")
        self.press("Take sizes")
        self.assertIn("sizes, line 1", self.panel().refused.text())
        self.assertEqual(self.document.job.stock.batch.sizes, ())
        batch.sizes.setPlainText(SIZES)
        self.press("Take sizes")
        self.assertEqual(len(self.document.job.stock.batch.sizes), 12)
        texts = [batch.list.item(k).text() for k in range(batch.list.count())]
        self.assertEqual(len(texts), 3)
        self.assertIn("Group 1: 6 blanks, 62.800 mm to 63.180 mm: 0.495 mm off at the stop", texts[0])
        self.assertIn("33.3 % by the stop", batch.odds.text())
        self.choose("Comes off", "as much at both ends of the smallest")
        self.assertIn("0.400 mm off at the stop", batch.list.item(0).text())
        self.type_in(self.field("Off everywhere").entry, "0.02 in")
        self.assertIn("6 will not clean up", batch.list.item(0).text())
        self.press("Take this group")
        self.assertIn("none is picked", self.panel().refused.text())
        batch.list.setCurrentRow(2)
        self.press("Take this group")
        self.assertAlmostEqual(self.document.job.stock.measured.x, (63.77 + 63.90) / 2)
        before = self.document.plan.instances(0)[0].located.tf_m_u.shift
        batch.list.setCurrentRow(0)
        batch.setup.setCurrentIndex(1)
        self.press("Take this group")
        moved = self.document.plan.instances(0)[0].located.tf_m_u.shift - before
        self.assertLess(float(moved[0]), -0.3)
        batch.list.setCurrentRow(2)
        batch.setup.setCurrentIndex(2)
        batch.moved.setChecked(True)
        self.press("Take this group")
        self.document.undo_stack.undo()
        self.press("No batch")
        self.assertIsNone(self.document.job.stock.batch)

    def test_sizes_from_touches(self):
        self.open(demo_job("float-housing"))
        self.show_lens(1, "rehearse")
        QGuiApplication.clipboard().setText("#500 = 1.2\n#501 = 99.9\n#510 = -0.4\n#511 = 68.05")
        self.press("Paste")
        self.press("Keep sizes")
        self.assertEqual(self.document.job.stock.batch.sizes, (99.9,))
        self.press("Keep sizes")
        self.assertIn("already", self.panel().refused.text())

    def test_a_table_of_inches_and_none(self):
        self.press("Measured blanks")
        table = self.folder / "sizes.csv"
        table.write_text("blank,length\n1,63.1 mm\n2,2.5 in\n", encoding="utf-8")
        self.panel().batch.read(table)
        self.assertEqual(self.document.job.stock.batch.sizes, (63.1, 63.5))


if __name__ == "__main__":
    import unittest

    unittest.main()
