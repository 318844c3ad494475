"""A pair's chain link by link: every source in one of them, from what it is seen from to the feature."""

from __future__ import annotations

import math
import unittest

from ledgecliff.core.budget.budget import budget_of
from ledgecliff.core.budget.links import links_of
from ledgecliff.store.demo import demo_names
from tests.draws import draws
from tests.helpers import shipped_plan


class LinksTest(unittest.TestCase):
    def test_every_source_once(self):
        for name in demo_names()[:: draws(3, 1)]:
            plan = shipped_plan(name)
            for pair in budget_of(plan).pairs:
                links = links_of(plan, pair)
                told = [each.source.key for link in links for each in link.enters]
                self.assertEqual(sorted(told), sorted(each.source.key for each in pair.enters), (name, pair.asked.key))
                self.assertAlmostEqual(math.hypot(*(each.u for each in links)), pair.u, 9)

    def test_by_the_jaw(self):
        """Example B link by link: both cuts, the stop's touch, the left edge's cut, and how it was clamped."""
        plan = shipped_plan("float-housing-by-jaw")
        pair = next(each for each in budget_of(plan).pairs if each.asked.feature == "bore edge break")
        links = {(each.a.words, each.b.words): each.u for each in links_of(plan, pair)}
        self.assertAlmostEqual(links["main bore", "zero of Op 10"], 0.004, 6)
        self.assertAlmostEqual(links["zero of Op 20", "bore edge break"], 0.004, 6)
        self.assertAlmostEqual(links["zero of Op 20", "the part in Op 20"], 0.001, delta=2e-4)
        self.assertGreater(links["the part in Op 20", "what holds it in Op 20"], 0.010)

    def test_axes_are_between_two_setups(self):
        plan = shipped_plan("sluice-valve-block")
        pair = next(each for each in budget_of(plan).pairs if each.asked.feature == "right port")
        kinds = {link.a.words + " " + link.b.words for link in links_of(plan, pair)
                 if {each.source.kind for each in link.enters} & {"centre", "index"}}  # fmt: skip
        self.assertTrue(all(words.count("the part in") == 2 for words in kinds), kinds)


if __name__ == "__main__":
    unittest.main()
