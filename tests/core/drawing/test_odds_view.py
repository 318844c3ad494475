"""The picture of a batch shows as much area for those that do not clean up as there are."""

from __future__ import annotations

import random
import unittest

from ledgecliff.core.blank_batches import batch_told
from ledgecliff.core.changing import set_value
from ledgecliff.core.drawing.items import Fill, Label
from ledgecliff.core.drawing.odds_view import odds_view
from ledgecliff.core.edits.batches import with_batch
from ledgecliff.core.plan import make_plan
from tests.draws import draws
from tests.helpers import shipped_plan


def area(ring):
    return abs(sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(ring, (*ring[1:], ring[0]), strict=True))) / 2.0


def shares(told):
    """The area that fails, as a share of all."""
    fills = {each.surface: area(each.rings[0]) for each in odds_view(told).items if isinstance(each, Fill)}
    failing = fills.get("section", 0.0)
    return failing / (failing + fills.get("finished", 0.0))


def told_of(size, varies, least, minus_x, **fields):
    plan = shipped_plan("rack-shoes")
    job = set_value(plan.job, ("stock", "measured", "x"), size)
    job = set_value(job, ("stock", "varies", "x"), varies)
    job = set_value(job, ("stock", "allowance", "minus_x"), minus_x)
    return batch_told(make_plan(with_batch(job, along="x", least=least, **fields), plan.models))


class OddsViewTest(unittest.TestCase):
    def test_the_hatched_area_is_the_share_that_fails(self):
        chance = random.Random(6)
        for _ in range(draws(12, 200)):
            least = chance.uniform(0.0, 0.5)
            told = told_of(63.2, chance.uniform(0.05, 1.0), least, least + chance.uniform(0.0, 0.6),
                           odds=chance.choice(("uniform", "normal")))  # fmt: skip
            # A bell is drawn to three standard deviations.
            self.assertAlmostEqual(shares(told), 1.0 - told.odds.edge, delta=0.006)

    def test_all_or_none(self):
        self.assertEqual(shares(told_of(63.2, 0.1, 0.0, 0.2)), 0.0)
        self.assertEqual(shares(told_of(62.4, 0.1, 0.3, 0.35)), 1.0)
        # Less comes off at the stop than must.
        self.assertEqual(shares(told_of(63.2, 0.1, 0.3, 0.2)), 1.0)
        # All alike.
        self.assertEqual(shares(told_of(63.2, 0.0, 0.3, 0.35)), 0.0)
        self.assertEqual(shares(told_of(63.2, 0.0, 0.3, 0.35, sizes=(63.2, 63.2))), 0.0)

    def test_counted_blanks_in_steps(self):
        told = told_of(63.2, 0.6, 0.3, 0.5, sizes=(62.8, 62.8, 62.8, 64.8))
        self.assertEqual(shares(told), 0.0)
        told = told_of(63.2, 0.6, 0.3, 1.5, sizes=(62.8, 62.8, 62.8, 64.8))
        # 63.8 is where the second of two columns begins: three of four blanks are in the first.
        self.assertAlmostEqual(shares(told), 0.75)
        words = " ".join(each.text for each in odds_view(told).items if isinstance(each, Label))
        self.assertIn("middle found", words)
        self.assertIn("by the stop", words)


if __name__ == "__main__":
    unittest.main()
