"""The whole route at once, and what is told where something cheaper keeps every tolerance as well."""

from __future__ import annotations

import unittest

from ledgecliff.core.alternatives.cheaper import cheaper_keeps
from ledgecliff.core.alternatives.ranked import alternatives, nearest_of
from ledgecliff.core.alternatives.route import routes
from ledgecliff.core.budget.budget import budget_of
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.tolerances import seen_from, with_asked
from ledgecliff.core.errors import CancelledError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.plan import make_plan
from tests.helpers import models, shipped_plan


def asked(value, name="float-housing-by-jaw"):
    job = shipped_plan(name).job
    edge = [each.name for each in job.part.features].index("bore edge break")
    return make_plan(seen_from(with_asked(job, edge, "position", value), edge, "main bore"), models())


class RouteTest(unittest.TestCase):
    def test_every_setup_at_once(self):
        plan = shipped_plan("float-housing-by-jaw")
        found = routes(plan)
        now = next(each for each in found if each.is_now)
        self.assertEqual(now.expanded, max(pair.expanded for pair in budget_of(plan).pairs))
        self.assertIn("Op 20: X and Y from main bore", found[0].change)
        self.assertLess(found[0].expanded, 0.5 * now.expanded)
        after = budget_of(make_plan(found[0].job, models()))
        self.assertAlmostEqual(found[0].expanded, max(pair.expanded for pair in after.pairs), 9)
        alone = [each.cost.minutes for k in (0, 1) for each in alternatives(plan, k) if each.is_now]
        self.assertAlmostEqual(now.cost.minutes, sum(alone), 9)

    def test_cancelled(self):
        with self.assertRaises(CancelledError):
            routes(asked(0.1), lambda: True)


class VettedTest(unittest.TestCase):
    def test_what_would_bring_an_error_is_neither_the_best_nor_the_nearest(self):
        """Jaw and stop would do for 2.5, with fewer touches than the bore; but with them something cannot be made."""
        plan = asked(2.5, "float-housing")
        ranked = alternatives(plan, 1)
        before = {each.key for each in findings_of(plan) if each.severity in ("hazard", "error")}
        for each in (ranked[0], nearest_of(ranked)):
            after = findings_of(make_plan(each.job, models()))
            self.assertFalse({one.key for one in after if one.severity in ("hazard", "error")} - before, each.name)
        refused = [each for each in ranked if each.brings is not None]
        self.assertTrue(refused)
        self.assertEqual(list(ranked[-len(refused) :]), refused)
        for each in refused:
            codes = {one.code for one in findings_of(make_plan(each.job, models()))}
            self.assertIn(each.brings.code, codes)


class CheaperTest(unittest.TestCase):
    def told(self, value, name):
        return list(cheaper_keeps(alternatives(asked(value, name), 1)))

    def test_told_where_it_keeps_it(self):
        """The jaw is touched, and its known place would do: a touch less; by its own step the job becomes that."""
        (found,) = self.told(0.06, "float-housing-by-jaw")
        self.assertEqual((found.code, found.severity, found.setup), ("CHEAPER_KEEPS_IT", "note", "Op 20"))
        plan = asked(0.06, "float-housing-by-jaw")
        job = plan.job
        for path, value in found.fixes[0].changes:
            job = set_value(job, path, value)
        best = alternatives(plan, 1)[0]
        self.assertEqual(job, best.job)
        pair = next(each for each in budget_of(make_plan(job, models())).pairs if each.asked.tolerance == 0.06)
        self.assertLessEqual(pair.share, job.tolerance_share)

    def test_not_told_where_only_this_keeps_it_or_nothing_does(self):
        self.assertEqual(self.told(0.03, "float-housing"), [], "the bore alone is near enough")
        self.assertEqual(self.told(0.005, "float-housing"), [], "nothing is")
        self.assertEqual(list(cheaper_keeps(alternatives(shipped_plan("float-housing"), 1))), [], "nothing is asked")


if __name__ == "__main__":
    unittest.main()
