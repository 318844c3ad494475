"""What is drawn of a setup at an index, and of a horizontal machine."""

from __future__ import annotations

import unittest

from ledgecliff.core.drawing.stage import setup_views
from ledgecliff.core.drawing.table_views import table_views
from ledgecliff.core.on_table import on_table
from tests.helpers import shipped_plan


class IndexedViewsTest(unittest.TestCase):
    def test_nothing_stood_on_its_side_counts_as_a_seat(self):
        """At A90 the vise lies behind: 51 to either side of the block's middle, and no bed, no steps, no table."""
        plan = shipped_plan("sluice-valve-block")
        level, back = (
            {rung.name: rung.u_z - each.wcs.u_origin[2] for rung in each.heights()} for each in plan.setups[:2]
        )
        self.assertLessEqual({"jaw steps", "vise bed", "table", "jaw top"}, set(level))
        self.assertAlmostEqual(back["holding top"], 51.0)
        self.assertAlmostEqual(back["holding bottom"], -51.0)
        self.assertFalse({"jaw steps", "vise bed", "table", "jaw top"} & set(back))
        # What it is held by is still judged as it was clamped.
        self.assertGreater(plan.setups[1].seat.steady, 0.0)
        self.assertIsNone(plan.setups[1].laid_by_eye)

    def test_one_index_of_a_station_is_drawn(self):
        plan = shipped_plan("sluice-valve-block")
        (station,) = on_table(plan, plan.job.machine)
        self.assertEqual([each.setup.name for each, _ in station.drawn], ["Op 10", "Op 60"])
        self.assertEqual(len(station.setups), 6)

    def test_words_follow_the_spindle(self):
        for name, views, table in (
            ("sluice-valve-block", ("Plan", "Front"), ("from above", "from the front")),
            ("hinge-leaves", ("Along the spindle", "From below"), ("along the spindle", "from above")),
        ):
            plan = shipped_plan(name)
            titles = [drawing.name for drawing in setup_views(plan.setups[0], "hold")]
            self.assertEqual([title.split(" ·")[0] for title in titles], list(views))
            for drawing, words in zip(table_views(plan, plan.job.machine), table, strict=True):
                self.assertIn(words, drawing.name)


if __name__ == "__main__":
    unittest.main()
