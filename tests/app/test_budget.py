"""The budget lens in the window: pairs to one scale, what else there is, taken and undone."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from ledgecliff.core.edits.tolerances import seen_from, with_asked
from ledgecliff.store.demo import demo_job
from tests.app.gui import GuiTestCase


class BudgetTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.open(demo_job("float-housing-by-jaw"))
        self.lens = self.desk.stage.budget

    def show_budget(self, scene=3):
        self.document.show_scene(scene)
        self.document.show_lens("budget")
        weighing = self.lens.weighing
        self.wait_for(
            lambda: weighing.budget is not None and not weighing.busy(), "the budget and what else there is", 90_000
        )

    def edge(self):
        return [each.name for each in self.document.job.part.features].index("bore edge break")

    def asked(self, value):
        edge = self.edge()
        self.document.apply("asked", lambda job: seen_from(with_asked(job, edge, "position", value), edge, "main bore"))

    def rows(self):
        return self.lens.chart.layout_now().rows

    def test_taken_and_undone(self):
        self.show_budget()
        before = self.lens.weighing.budget.pairs[0].expanded
        self.assertEqual(self.lens.weighing.ranked[0].change, "X and Y from main bore")
        self.assertIn("Nearest: X and Y from main bore", self.lens.says.text())
        self.lens.table.selectRow(0)
        QTest.mouseClick(self.lens.take, Qt.MouseButton.LeftButton)
        self.show_budget()
        self.assertLess(self.lens.weighing.budget.pairs[0].expanded, before / 2.0)
        self.assertEqual(self.document.job.setups[1].datum.x.feature, "main bore")
        self.assertIn("Nothing that was tried comes nearer", self.lens.says.text())
        self.commands.undo()
        self.show_budget()
        self.assertEqual(self.lens.weighing.budget.pairs[0].expanded, before)

    def test_to_one_scale_with_the_tolerance(self):
        self.asked(0.06)
        self.show_budget()
        (asked, other) = self.rows()
        pair = next(each for each in self.lens.weighing.budget.pairs if each.asked.tolerance is not None)
        layout = self.lens.chart.layout_now()
        per_mm = (layout.right - layout.left) / 0.06
        self.assertAlmostEqual(asked.limit, layout.right, 6, "nothing is longer than the tolerance")
        self.assertAlmostEqual(asked.stated - layout.left, 0.03 * per_mm, 6)
        self.assertAlmostEqual(sum(each.box.width for each in asked.pieces), pair.expanded * per_mm, 3)
        self.assertEqual((asked.keeps, other.keeps, other.limit), (True, None, None))
        self.assertIn("keeps the tolerance", self.lens.says.text())
        self.document.show_unit("in")
        self.assertEqual(self.lens.chart.layout_now().scale, "0.0024")
        self.asked(0.02)
        self.show_budget()
        self.assertFalse(self.rows()[0].keeps)

    def test_a_click_picks_the_feature_and_its_tape(self):
        self.show_budget()
        row = self.rows()[1]
        at = QPoint(int(row.pieces[0].box.left) + 4, int(row.pieces[0].box.top) + 4)
        QTest.mouseClick(self.lens.chart, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
        self.assertEqual(self.document.picked, row.feature)
        self.assertIn("May be off", " ".join(line.text for line in self.desk.tape.tape.lines))

    def test_nothing_is_seen_from_another_side(self):
        self.open(demo_job("lamp-lid"))
        self.show_budget()
        self.assertIn("No feature has a tolerance yet", self.lens.says.text())
        self.assertFalse(self.lens.table.isVisible() or self.lens.take.isVisible())
