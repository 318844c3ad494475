"""Proposed orders of sides: each weighed as it comes out when its setups are planned so."""

from __future__ import annotations

import unittest
from dataclasses import replace
from unittest.mock import patch

from ledgecliff.core.alternatives.orders import best_of, weighed_orders
from ledgecliff.core.budget.budget import budget_of
from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import CancelledError, PlanError
from ledgecliff.core.new_job import with_order
from ledgecliff.core.plan import make_plan
from ledgecliff.core.probing.duration import probing_seconds
from ledgecliff.store.shop import shipped_shop
from tests.helpers import shipped_plan


class OrdersTest(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.shop, cls.plan = shipped_shop(), shipped_plan("gate-hinge")
        cls.orders = cls.plan.proposal.orders[:2]
        cls.found = list(weighed_orders(cls.plan, cls.orders, cls.shop))

    def test_each_as_it_comes_out_when_taken(self):
        for order, found in zip(self.orders, self.found, strict=True):
            plan = self.plan
            made = with_order(plan.job, order, plan.geometry, plan.models, self.shop)
            after = make_plan(made.job, plan.models)
            self.assertEqual(found.planned.job, made.job)
            offs = [pair.expanded for pair in budget_of(after).pairs if pair.asked.what != "size"]
            self.assertEqual(found.planned.expanded, max(offs))
            minutes = sum(probing_seconds(each.probing, each.machine.probe) for each in after.setups) / 60.0
            self.assertAlmostEqual(found.planned.cost.minutes, minutes)
            self.assertEqual(bool(found.planned.brings), bool(made.cannot))

    def test_what_cannot_be_run_is_told_and_is_not_the_best(self):
        """Of the hinge one order alone can be run as it stands: there is nothing to choose."""
        runs, not_all = self.found
        self.assertIsNone(runs.planned.brings)
        self.assertNotIn("Not all", runs.words())
        self.assertIn("Not all can be run as it stands: Op 10", not_all.words())
        self.assertEqual(best_of(self.found), "")
        both = [runs, replace(not_all, planned=replace(not_all.planned, brings=None))]
        self.assertLess(runs.planned.expanded, not_all.planned.expanded)
        self.assertIn(f"Nearest: part {runs.order.in_words()}", best_of(both))
        self.assertIn(f"Nearest: part {runs.order.in_words()}", best_of(reversed(both)))

    def test_with_a_tolerance_the_cheapest_that_keeps_it(self):
        kept = replace(self.found[0].planned, keeps=True)
        cheaper = replace(kept, change="the other", cost=replace(kept.cost, minutes=kept.cost.minutes - 0.5))
        told = best_of(replace(self.found[0], planned=each) for each in (kept, cheaper))
        self.assertIn("Cheapest that keeps the tolerance: part the other", told)

    def test_what_cannot_be_planned_says_why(self):
        """A vise that does not open so far is told as what cannot be run; where nothing can be made at all, why."""
        job = set_value(self.plan.job, ("machines", 0, "fixtures", 0, "opening_max"), 11.0)
        (found,) = weighed_orders(make_plan(job, self.plan.models), self.orders[:1], self.shop)
        self.assertIn("it opens", found.words())
        with patch("ledgecliff.core.alternatives.orders.with_order", side_effect=PlanError("nothing is left.")):
            found, other = weighed_orders(self.plan, self.orders, self.shop)
        self.assertIsNone(found.planned)
        self.assertEqual(other.words(), "It cannot be planned so: nothing is left.")
        self.assertEqual(best_of([found, other]), "")

    def test_it_can_be_cancelled(self):
        with self.assertRaises(CancelledError):
            list(weighed_orders(self.plan, self.orders, self.shop, lambda: True))


if __name__ == "__main__":
    unittest.main()
