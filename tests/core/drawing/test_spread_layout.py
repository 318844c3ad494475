"""Both distributions of a pair on one scale, with as much area."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.budget.budget import budget_rehearsed
from ledgecliff.core.budget.drawing_lots import draw_along
from ledgecliff.core.drawing.spread_layout import spread_layout
from ledgecliff.core.rehearsal.spread import spread_of
from tests.helpers import shipped_plan


class SpreadLayoutTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.budget = budget_rehearsed(shipped_plan("float-housing-by-jaw"))
        cls.along = draw_along(cls.budget, 20_000)
        cls.pair = cls.budget.pairs[0]

    def layout(self, factor=1.0, shift=0.0, parts=400):
        """Of parts that are drawn from the budget itself, stretched and moved."""
        of = {(each.asked.feature, each.asked.to): each for each in self.budget.pairs}
        seen = []
        for k in range(parts):
            made = {}
            for key, pair in of.items():
                off = factor * self.along[self.budget.pairs.index(pair)][k] + shift
                made[key] = pair.asked.ways.T @ pair.worst * off
            seen.append(made)
        pairs = spread_of(seen, self.budget)
        return spread_layout(pairs, self.along, 600.0, "mm"), pairs

    def test_as_much_area_below_the_line_as_in_the_bars(self):
        layout, _ = self.layout()
        for row in layout.rows:
            x, y = np.array(row.curve).T
            below = float(np.sum(row.top + layout.foot - y) * (x[1] - x[0]))
            bars = sum(bar.width * bar.height for bar in row.bars)
            self.assertAlmostEqual(below / bars, 1.0, delta=0.01)
            self.assertTrue(row.agrees)
            self.assertTrue(layout.left <= min(bar.left for bar in row.bars))
            self.assertTrue(max(bar.right for bar in row.bars) <= layout.right + 1e-6)

    def test_what_lies_elsewhere_is_drawn_elsewhere(self):
        pair = self.pair
        shift = 4.0 * pair.mean_and_deviation[1]
        layout, pairs = self.layout(shift=shift)
        row = layout.rows[0]
        self.assertFalse(row.agrees)
        by_budget, rehearsed = row.means
        self.assertGreater(rehearsed - by_budget, 20.0)
        self.assertLess(by_budget, rehearsed)
        middle = sum(bar.middle[0] * bar.height for bar in row.bars) / sum(bar.height for bar in row.bars)
        self.assertAlmostEqual(middle, rehearsed, delta=8.0)
        self.assertIn("rehearsed", row.verdict)
        self.assertEqual(len(layout.rows), len(pairs))

    def test_nothing_seen(self):
        self.assertEqual(spread_layout((), (), 600.0, "mm").rows, ())


if __name__ == "__main__":
    unittest.main()
