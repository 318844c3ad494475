"""What the setup sheet says of the error budget: the two worst pairs as they are worked out, in either unit."""

from __future__ import annotations

import re
import unittest

from ledgecliff.core.budget.budget import budget_of
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.parts import rename_feature
from ledgecliff.core.edits.tolerances import with_asked
from ledgecliff.core.plan import make_plan
from ledgecliff.core.quantities import format_length
from ledgecliff.sheets.budget_page import budget_page
from ledgecliff.sheets.setup_sheet import sheet_html
from tests.helpers import demo, models, shipped_plan


class BudgetPageTest(unittest.TestCase):
    def test_the_two_worst_and_why(self):
        plan = shipped_plan("winch-cheek")
        worst = max(budget_of(plan).pairs, key=lambda pair: pair.share or 0.0)
        for unit in ("mm", "in"):
            page = budget_page(plan, unit, 600.0)
            self.assertEqual(len(page["rows"]), 2)
            first = page["rows"][0]
            self.assertTrue(first["words"].startswith(worst.asked.feature))
            self.assertIn(f"within {format_length(worst.expanded, unit)}", first["amount"])
            self.assertIn(worst.enters[0].source.name, first["why"][0])
            boxes = [float(wide) for wide in re.findall(r'<rect [^>]*width="([\d.]+)"', page["picture"])]
            half = len(first["why"])
            self.assertAlmostEqual(
                sum(boxes[:half]), worst.expanded / worst.asked.tolerance * (600.0 - 24.0), delta=1.0
            )
        self.assertEqual(page["picture"].count("stroke-dasharray"), 2, "both have a tolerance")

    def test_it_is_on_the_sheet_where_there_is_anything_to_say(self):
        self.assertIn("What features may be off each other", sheet_html(shipped_plan("float-housing")))
        self.assertNotIn("What features may be off", sheet_html(shipped_plan("lamp-lid")))

    def test_names_do_no_harm(self):
        job = demo()
        number = [each.name for each in job.part.features].index("bore edge break")
        job = with_asked(rename_feature(job, number, '<b>&"edge'), number, "position", 0.02)
        html = sheet_html(make_plan(set_value(job, ("tolerance_share",), 0.4), models()))
        self.assertNotIn('<b>&"edge', html)
        self.assertIn("&lt;b&gt;&amp;", html)
        self.assertIn("a dashed one at 40 % of it", html)


if __name__ == "__main__":
    unittest.main()
