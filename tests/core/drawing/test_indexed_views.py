"""What is drawn of a setup at an index, and of a horizontal machine."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.drawing.cut_short import SLIM, cut_short
from ledgecliff.core.drawing.items import Fill, Lines
from ledgecliff.core.drawing.layout import lay_out
from ledgecliff.core.drawing.marks import Words
from ledgecliff.core.drawing.stage import jaw_in_front, setup_views
from ledgecliff.core.drawing.table_views import table_views
from ledgecliff.core.on_table import on_table
from ledgecliff.core.plan import make_plan
from tests.helpers import plan_with, shipped_plan


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
            ("hinge-leaves", ("Along the spindle", "From above"), ("along the spindle", "from above")),
        ):
            plan = shipped_plan(name)
            titles = [drawing.name for drawing in setup_views(plan.setups[0], "hold")]
            self.assertEqual([title.split(" ·")[0] for title in titles], list(views))
            for drawing, words in zip(table_views(plan, plan.job.machine), table, strict=True):
                self.assertIn(words, drawing.name)


class FromAboveTest(unittest.TestCase):
    """A horizontal machine from above: what has the greater Y hides what is below it, and Z is drawn down."""

    def second(self, spindle, lens="hold"):
        plan = shipped_plan("hinge-leaves")
        job = set_value(plan.job, ("machines", 0, "spindle"), spindle)
        return setup_views(make_plan(job, plan.models).setups[0], lens)[1]

    def test_what_is_seen(self):
        """Two dowels stand below the leaf: from the front all of them is seen, from above nothing."""
        for spindle, seen in (("vertical", True), ("horizontal", False)):
            lines = [item for item in self.second(spindle).items if isinstance(item, Lines) and item.line == "holding"]
            for dowel in ("dowel 2", "dowel 3"):
                ends = np.concatenate([item.segments for item in lines if item.source == dowel])
                drawn = float(np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).sum())
                # Its foot on the plate's own edge always is: 8 wide, and 8 high.
                self.assertEqual(drawn > 20.0, seen, (spindle, dowel, drawn))

    def test_faces_are_filled_and_lie_where_their_lines_are(self):
        for spindle in ("vertical", "horizontal"):
            drawing = self.second(spindle)
            raw = [item for item in drawing.items if isinstance(item, Fill) and item.surface != "taken"]
            self.assertGreater(len(raw), 3)
            places = np.array([place for item in raw for ring in item.rings for place in ring])
            np.testing.assert_allclose((places[:, 1].min(), places[:, 1].max()), (-20.0, 29.0), atol=1e-6)

    def test_heights_go_down_the_paper(self):
        drawing = self.second("horizontal")
        (layout,) = lay_out([drawing], 900, 600, "mm", len)
        self.assertGreater(layout.placing.point((0.0, 29.0))[1], layout.placing.point((0.0, 0.0))[1])
        words = {mark.text: mark.at[1] for mark in layout.marks if isinstance(mark, Words)}
        rows = [words[name] for name in ("table", "plate top", "stock top", "clamp top")]
        self.assertEqual(rows, sorted(rows))
        self.assertGreater(words["Z"], words["X"])
        for place in (drawing.low, drawing.high):
            self.assertTrue(20.0 < layout.placing.point(place)[1] < 600.0)
        for name, height in (("table", -20.0), ("clamp top", 29.0)):
            self.assertLess(abs(words[name] - layout.placing.point((0.0, height))[1]), 20.0, name)
        for mark in layout.marks:
            if isinstance(mark, Words):
                self.assertTrue(0.0 <= mark.at[1] <= 600.0, mark.text)
        # The same upright: Z up, and the heights the other way round.
        (layout,) = lay_out([self.second("vertical")], 900, 600, "mm", len)
        words = {mark.text: mark.at[1] for mark in layout.marks if isinstance(mark, Words)}
        self.assertLess(words["clamp top"], words["table"])
        self.assertLess(words["Z"], words["X"])

    def test_cut_short_it_still_points_down(self):
        drawing = self.second("horizontal", "probe")
        self.assertTrue(cut_short(drawing, SLIM).points_down)
        self.assertNotEqual(cut_short(drawing, SLIM).low, drawing.low)

    def test_the_jaw_in_front_is_the_upper_one(self):
        for spindle, jaw in (("vertical", "moving jaw"), ("horizontal", "fixed jaw")):
            plan = plan_with((("machines", 0, "spindle"), spindle))
            self.assertEqual(jaw_in_front(plan.setups[0]), jaw)


if __name__ == "__main__":
    unittest.main()
