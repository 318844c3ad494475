"""Other sources for a zero: the cheapest that keeps the tolerance first, each as it would come out when taken."""

from __future__ import annotations

import random
import unittest

import numpy as np

from ledgecliff.core.alternatives.ranked import alternatives, looked_at
from ledgecliff.core.budget.budget import budget_of
from ledgecliff.core.edits.tolerances import seen_from, with_asked
from ledgecliff.core.errors import CancelledError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.plan import make_plan
from ledgecliff.store.demo import demo_names
from tests.draws import draws
from tests.helpers import models, shipped_plan


class AlternativesTest(unittest.TestCase):
    def setUp(self):
        self.plan = shipped_plan("float-housing-by-jaw")
        names = [each.name for each in self.plan.job.part.features]
        self.edge = names.index("bore edge break")

    def asked(self, value):
        job = seen_from(with_asked(self.plan.job, self.edge, "position", value), self.edge, "main bore")
        return alternatives(make_plan(job, models()), 1)

    def test_without_a_tolerance_the_nearest_first(self):
        found = alternatives(self.plan, 1)
        self.assertEqual(found[0].change, "X and Y from main bore")
        offs = [round(each.expanded, 5) for each in found]
        self.assertEqual(offs, sorted(offs))
        self.assertEqual(sum(each.is_now for each in found), 1)
        self.assertTrue(all(each.keeps is None for each in found))

    def test_the_cheapest_that_keeps_it_first(self):
        """Where the jaw is good enough it is told to be; where it is not, the bore is, though it takes longer."""
        now = max(pair.expanded for pair in budget_of(self.plan).pairs)
        generous, tight = self.asked(4.0 * now), self.asked(1.5 * now)
        self.assertTrue(generous[0].keeps)
        costs = [(each.cost.codes, round(each.cost.minutes, 3)) for each in generous if each.keeps]
        self.assertEqual(costs, sorted(costs))
        self.assertGreater(tight[0].cost.minutes, generous[0].cost.minutes)
        self.assertTrue(tight[0].keeps)
        by_now = next(each for each in tight if each.is_now)
        self.assertFalse(by_now.keeps)
        self.assertLess([each.keeps for each in tight].index(True), tight.index(by_now))

    def test_ways_to_register_the_turn_stand_beside_zeros(self):
        """Each as the budget of the job so registered has it, and with the stock that it needs more."""
        ring = shipped_plan("dial-ring-on-pins")
        found = {each.change: each for each in alternatives(ring, 1)}
        frame = found["registered by interlocking frame"]
        worst = max(pair.expanded for pair in budget_of(make_plan(frame.job, models())).pairs)
        self.assertAlmostEqual(frame.expanded, worst, 9)
        sizes = [np.ptp(make_plan(job, models()).blank.mesh.vertices, axis=0) for job in (ring.job, frame.job)]
        np.testing.assert_allclose(frame.cost.extra_stock, np.maximum(sizes[1] - sizes[0], 0.0), atol=1e-6)
        self.assertIn("more along X", frame.cost.needs())
        self.assertFalse(any(found["registered by probed feature"].cost.extra_stock))

    def test_all_rules_can_look_at_any(self):
        """Of every demo some of what was tried, all by the option; among it a zero that the first of a load lends: the
        blank of that part comes in along X, about which the part is turned."""
        hinge = shipped_plan("hinge-leaves")
        lent = next(each for each in alternatives(hinge, 0) if each.change == "X from part right side")
        told = [each for each in findings_of(make_plan(lent.job, hinge.models)) if each.code == "SAW_CUT_IN_CHAIN"]
        self.assertEqual(told, [])
        for name in demo_names()[:: draws(6, 1)]:
            plan = shipped_plan(name)
            tried = [each for index in range(len(plan.setups)) for each in alternatives(plan, index)]
            for each in random.Random(name).sample(tried, min(draws(2, 60), len(tried))):
                findings_of(make_plan(each.job, plan.models))

    def test_only_axes_along_which_anything_may_be_off(self):
        """All pairs here lie across Z: no other Z is tried, until a height is asked for."""
        self.assertFalse(any(each.change.startswith("Z") for each in alternatives(self.plan, 1)))
        names = [each.name for each in self.plan.job.part.features]
        job = with_asked(self.plan.job, names.index("counterbore"), "distance", 0.05)
        job = seen_from(job, names.index("counterbore"), "pocket")
        plan = make_plan(job, models())
        along = {pair.asked.direction for pair in looked_at(budget_of(plan), job, 1)}
        tried = any(each.change.startswith("Z") for each in alternatives(plan, 1))
        self.assertEqual(tried, "along Z" in along)

    def test_what_it_would_break_later_is_not_kept(self):
        """A zero of the first setup keeps what that makes, and breaks what is cut against it in the next."""
        job = with_asked(self.plan.job, self.edge, "position", 0.2)
        plan = make_plan(seen_from(job, self.edge, "main bore"), models())
        by_hand = [each for each in alternatives(plan, 0) if each.change == "X from fixed jaw"]
        for each in by_hand:
            self.assertFalse(each.keeps)
        self.assertTrue(all(each.keeps is not None for each in alternatives(plan, 0)))

    def test_taken_it_is_as_it_was_told(self):
        best = alternatives(self.plan, 1)[0]
        after = budget_of(make_plan(best.job, models()))
        self.assertAlmostEqual(max(pair.expanded for pair in after.pairs), best.expanded, 9)

    def test_cancelled(self):
        with self.assertRaises(CancelledError):
            alternatives(self.plan, 1, lambda: True)


if __name__ == "__main__":
    unittest.main()
