"""Parts of many true worlds beside the budget: they agree where the worlds are the plan's, and else not."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from ledgecliff.core.budget.budget import budget_rehearsed
from ledgecliff.core.budget.drawing_lots import results_of
from ledgecliff.core.findings.everything import with_rehearsed
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.rehearsal.spread import spread_of
from ledgecliff.core.rehearsal.worlds import rehearse_in_worlds
from tests.draws import draws
from tests.helpers import shipped_plan


class SpreadTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.plan = shipped_plan("float-housing-by-jaw")
        cls.worlds = rehearse_in_worlds(written_plan(cls.plan), range(1, 1 + draws(16, 60)))

    def told(self, worlds):
        return [
            each.message() for each in with_rehearsed(self.plan, (), None, worlds) if each.code == "BUDGET_DISAGREES"
        ]

    def with_seen(self, change):
        seen = tuple(
            {key: change(number, off) for key, off in part.items()} for number, part in enumerate(self.worlds.seen)
        )
        return replace(self.worlds, seen=seen)

    def test_the_rehearsal_bears_the_budget_out(self):
        self.assertEqual(self.told(self.worlds), [])
        for pair in spread_of(self.worlds.seen, budget_rehearsed(self.plan)):
            self.assertGreater(pair.sd, 0.003, "something is off in it")
            self.assertGreater(pair.means[1] - pair.means[0], 0.004)

    def test_what_lies_off_or_scatters_more_or_less_is_told(self):
        for change in (
            lambda _number, off: off + np.array([0.0, 0.05, 0.0]),
            lambda _number, off: 6.0 * off,
            lambda number, off: off + (-1.0) ** number * np.array([0.0, 0.06, 0.0]),
        ):
            told = self.told(self.with_seen(change))
            self.assertEqual(len(told), 2)
            self.assertIn("more apart than chance has it", told[0])

    def test_bounds_are_kept_by_draws_of_the_budget_itself(self):
        """Drawn from its own sources, hardly a sample is out of them."""
        budget = budget_rehearsed(self.plan)
        results = results_of(budget, 40 * 400, seed=3).reshape(len(budget.pairs), 2, 400, 40)
        out = 0
        for sample in range(400):
            seen = [
                {
                    (pair.asked.feature, pair.asked.to): pair.asked.ways.T @ results[row, :, sample, part]
                    for row, pair in enumerate(budget.pairs)
                }
                for part in range(40)
            ]
            out += sum(not each.agrees for each in spread_of(seen, budget))
        self.assertLessEqual(out, 1)

    def test_one_part_tells_nothing(self):
        self.assertEqual(spread_of(self.worlds.seen[:1], budget_rehearsed(self.plan)), ())


if __name__ == "__main__":
    unittest.main()
