"""The budget lens in the window: pairs to one scale, what else there is, taken and undone."""

from __future__ import annotations

from unittest import mock

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from ledgecliff.core.drawing.budget_layout import worst_first
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

    def show_pairs(self):
        """Without waiting for what else there is."""
        self.document.show_scene(3)
        self.document.show_lens("budget")
        self.wait_for(lambda: self.lens.weighing.budget is not None, "the budget")

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
        self.show_pairs()
        self.assertFalse(self.rows()[0].keeps)

    def test_a_click_picks_the_feature_and_its_tape(self):
        self.show_pairs()
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

    def press(self, button):
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)

    def test_the_whole_route_is_taken_and_undone(self):
        self.show_budget()
        before = self.document.job
        self.press(self.lens.of_route)
        best = self.lens.weighing.routes[0]
        self.assertIn("Op 20: X and Y from main bore", best.change)
        self.lens.table.selectRow(0)
        self.press(self.lens.take)
        self.assertEqual(self.document.job, best.job)
        self.commands.undo()
        self.assertEqual(self.document.job, before)

    def test_the_chain_of_a_pair_lights_the_route(self):
        """Its links add up to the pair; scenes that it runs through are lit, and a link is looked at on the stage."""
        self.show_pairs()
        self.assertFalse(any(card.lit for card in self.desk.route.cards))
        self.press(self.lens.of_chain)
        links = self.lens._links()
        pair = worst_first(self.lens.weighing.budget)[0]
        self.assertAlmostEqual(sum(each.u**2 for each in links), pair.u**2, 12)
        self.assertEqual(self.lens.table.model().rowCount(), len(links))
        lit = [card.scene.title for card in self.desk.route.cards if card.lit]
        self.assertIn("Op 10", lit)
        self.assertIn("Op 20", lit)
        number = next(k for k, each in enumerate(links) if each.b.setup == 1 and each.b.kind == "feature")
        self.lens.table.selectRow(number)
        self.press(self.lens.take)
        self.assertEqual((self.document.scene.title, self.document.lens), ("Op 20", "datum"))
        self.assertEqual(self.document.picked, links[number].b.source)

    def test_the_chain_is_drawn_and_picked_from(self):
        """A click on a line picks its row, one on a node what is looked at; another pair by its button."""
        self.show_pairs()
        self.press(self.lens.of_chain)
        chart, links = self.lens.chain, self.lens._links()
        layout = chart.layout_now()
        self.assertEqual(len(layout.lines), len(links))
        (ax, ay), (bx, by) = layout.lines[-1].points[:2]
        self.click_at(chart, (ax + bx) / 2.0, (ay + by) / 2.0)
        self.assertEqual(self.lens.table.currentIndex().row(), len(links) - 1)
        chart.grab()
        first = self.lens.says.text()
        self.press(self.lens.next_pair)
        self.assertNotEqual(self.lens.says.text(), first)
        self.assertIn(worst_first(self.lens.weighing.budget)[1].asked.feature, self.lens.says.text())
        layout = chart.layout_now()
        node = next(each for each in layout.nodes if each.node.kind == "zero" and each.node.setup == 0)
        self.click_at(chart, node.box.left + node.box.width / 2.0, node.box.top + node.box.height / 2.0)
        chart.grab()
        self.press(self.lens.take)
        self.assertEqual((self.document.scene.title, self.document.picked), ("Op 10", "wcs"))

    def click_at(self, widget, x, y):
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=QPoint(round(x), round(y)))

    def test_beside_rehearsals(self):
        """Both distributions of every pair; another plan throws them away; of loads one part."""
        self.show_pairs()
        self.press(self.lens.beside)
        self.assertIn("40 worlds", self.lens.says.text())
        self.assertFalse(self.lens.table.isVisible())
        with mock.patch("ledgecliff.app.weighing_worlds.WORLDS", 6):
            self.press(self.lens.rehearse)
            self.assertEqual(self.lens.rehearse.text(), "Enough")
            self.wait_for(lambda: self.lens.worlds.spread is not None, "all worlds", 90_000)
        rows = self.lens.spread.layout_now().rows
        self.assertEqual(len(rows), len(self.lens.worlds.spread.pairs))
        self.assertTrue(all(row.agrees for row in rows))
        self.assertIn("6 parts", rows[0].words)
        self.lens.spread.grab()
        self.asked(0.06)
        self.assertIsNone(self.lens.worlds.spread)
        self.commands.undo()
        self.open(demo_job("rack-shoes"))
        self.document.show_scene(1)
        self.document.show_lens("budget")
        self.assertIn("40 worlds", self.lens.says.text())
        with mock.patch("ledgecliff.app.weighing_worlds.WORLDS", 2):
            self.press(self.lens.rehearse)
            self.wait_for(lambda: self.lens.worlds.spread is not None, "both worlds", 90_000)
        self.assertIn("Of every load one part is looked at", self.lens.says.text())
        self.assertIn("2 parts", self.lens.spread.layout_now().rows[0].words)

    def test_enough_ends_the_rehearsals(self):
        self.show_pairs()
        self.press(self.lens.beside)
        self.press(self.lens.rehearse)
        self.press(self.lens.rehearse)
        self.wait_for(lambda: not self.lens.worlds.busy(), "the end")
        self.assertIsNone(self.lens.worlds.spread)
        self.assertTrue(self.lens.rehearse.isEnabled())

    def test_something_cheaper_is_found(self):
        """Beside the findings of the rules, once it was looked for; gone with the plan it was found for."""
        self.asked(0.06)
        self.show_budget()
        self.wait_for(lambda: self.document.findings is not None, "all findings")
        self.assertIn("CHEAPER_KEEPS_IT", {each.code for each in self.document.findings})
        self.commands.undo()
        self.wait_for(lambda: self.document.findings is not None, "all findings")
        self.assertNotIn("CHEAPER_KEEPS_IT", {each.code for each in self.document.findings})

    def test_how_well_things_are_known_is_typed(self):
        """In inches a micrometre is not shown as nothing; silly values are refused with what was there kept."""
        self.document.show_unit("in")
        self.commands.show_view("table")
        panel = self.desk.stage.table_page.panel

        def field(label):
            return next(each for each in panel.fields if each.spec.label == label)

        self.assertEqual((field("Touches to").entry.text(), field("Cuts land to").entry.text()), ("0.00004", "0.00016"))
        for label, text in (("Ball known to", "-1"), ("Ball known to", "x"), ("Parts within (K)", "warm")):
            self.type_in(field(label).entry, text)
            self.assertTrue(field(label).said.text(), (label, text))
        machine = self.document.job.machine
        self.assertEqual((machine.probe.radius_scatter, machine.temperature_spread), (None, None))
        self.type_in(field("Ball known to").entry, "0.00008")
        self.type_in(field("Parts within (K)").entry, "5")
        machine = self.document.job.machine
        self.assertAlmostEqual(machine.probe.radius_scatter, 0.00008 * 25.4, 9)
        self.assertEqual((machine.temperature_spread, field("Ball known to").entry.text()), (5.0, "0.00008"))
