"""A job of a run made many times: its sides counted from the run, and both ways drawn over time as they go."""

from __future__ import annotations

import itertools
import unittest
import xml.etree.ElementTree as ET

from ledgecliff.core.changing import set_value
from ledgecliff.core.drawing.flow_layout import flow_layout
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.runs import edits
from ledgecliff.core.runs.many import flow_of_run, flow_words, many_of
from ledgecliff.core.scheduling.flow import FlowAsked, Side, Times
from ledgecliff.sheets.run_svg import flow_svg
from tests.core.runs.test_runs import job, ref, run_of

GROUP = "{http://www.w3.org/2000/svg}g"
#: Thirty parts of the handbook, and a pile that nobody could draw bar by bar.
THIRTY = FlowAsked(
    30,
    (Side("Op 10", 21.0, 4), Side("Op 20", 9.0, 4)),
    Times(0.15, 0.6, 1.5, 12.0),
    lambda at: 6 if len(at) == 2 else 4,
)
MANY = FlowAsked(5000, THIRTY.sides, THIRTY.times, THIRTY.together)


def length(text):
    return 6.0 * len(text)


class ManyTest(unittest.TestCase):
    def test_sides_and_calls_of_a_run(self):
        """T1 T2 and T2 T1 at one part's two sides: alone two calls each, in one cycle three."""
        run = run_of(job("A", 1, 2), job("B", 2, 1, offset="G55"))
        a, b = run.stations
        # Both as setups of one job.
        run = run.model_copy(
            update={"stations": (a, b.model_copy(update={"job": a.job, "setup": derived_id("Op 20")}))}
        )
        for words, minutes in (("A/face 1", 5.0), ("A/drill 2", 4.0), ("B/drill 1", 2.0), ("B/face 2", 1.0)):
            run = edits.with_minutes(run, ref(run, words), minutes)
        run = set_value(run, ("many",), {"parts": 4, "probing": 0.5, "loading": 2.0, "setting_up": 10.0})
        run = edits.with_done(run, [ref(run, "A/face 1")])  # what is ticked off today is part of it all the same
        asked = flow_of_run(run, a.job)
        self.assertEqual([(side.minutes, side.tool_calls) for side in asked.sides], [(9.0, 2), (3.0, 2)])
        self.assertEqual(asked.together((0, 1)), 3)
        # 20 for setting up; 9 + 0.3 + 2.5, three times 12 + 0.45 + 5, 3 + 0.3 + 2.5.
        self.assertAlmostEqual(asked.ways()["flow"].minutes, 20 + 11.8 + 3 * 17.45 + 5.8)
        self.assertAlmostEqual(asked.ways()["batch"].minutes, 20 + 4 * (11.8 + 5.8))
        said = "\n".join(flow_words(asked))
        self.assertIn("3 tool calls with all sides in one cycle", said)
        # 20 + 11.8 + 17.45, and 10 + 4 x 11.8 + 10 + 5.8.
        self.assertIn("flow has the first part 0:24 earlier", said)
        self.assertEqual([each.job for each in many_of(run)], [run.jobs[0].job, run.jobs[1].job])
        with self.assertRaisesRegex(InvalidValueError, "no station"):
            flow_of_run(run, run.jobs[1].job)

    def test_a_side_of_many_instances_is_one_part(self):
        run = run_of(job("A", 1, 2))
        (a,) = run.stations
        twice = a.model_copy(update={"id": "0123456789abcdef", "name": "A again"})
        run = run.model_copy(update={"stations": (a, twice)})
        self.assertEqual(len(flow_of_run(run, a.job).sides), 1)


class DrawnTest(unittest.TestCase):
    def test_both_on_one_scale(self):
        layout = flow_layout(THIRTY.sides, THIRTY.ways(), 1200.0, length)
        bars = [each for each in layout.pieces if each.kind == "bar"]
        self.assertEqual(len(bars), 4 * 30)
        (end_batch, end_flow), left = (
            [max(each.box.right for each in group) for group in (bars[:60], bars[60:])],
            min(each.box.left for each in layout.pieces if each.kind == "block"),
        )
        self.assertAlmostEqual((end_flow - left) / (end_batch - left), 1077.3 / 1086.0, places=6)
        firsts = [each.box.left for each in layout.pieces if each.kind == "bound"]
        self.assertAlmostEqual((firsts[0] - left) / (firsts[1] - left), 746.7 / 82.8, places=6)
        # As high as parts are in work.
        high = [each.box.height for each in layout.pieces if each.kind == "work"]
        self.assertAlmostEqual(max(high) / min(high), 30.0)
        titles = [each.box for each in layout.pieces if each.kind == "title"]
        lowest = max(each.box.bottom for each in layout.pieces[: layout.pieces.index(bars[60])] if each.kind == "bar")
        self.assertTrue(titles[1].top > lowest and layout.height > titles[1].bottom)

    def test_a_pile_is_drawn_as_it_can_be_seen(self):
        layout = flow_layout(MANY.sides, MANY.ways(), 900.0, length)
        self.assertLess(len(layout.pieces), 4000)
        for way in ("bar", "work"):
            mine = [each.box for each in layout.pieces if each.kind == way]
            self.assertTrue(all(box.right <= 900.0 for box in mine))
        # Of one side nothing is left out: each bar begins where the one before ends.
        top = next(each.box.top for each in layout.pieces if each.kind == "bar")
        side = [each.box for each in layout.pieces if each.kind == "bar" and each.box.top == top]
        for one, other in itertools.pairwise(side):
            self.assertAlmostEqual(one.right, other.left)

    def test_svg(self):
        root = ET.fromstring(flow_svg(FlowAsked(2, (Side("<A&B>", 1.0, 1),), THIRTY.times, lambda _at: 1), 600.0))
        self.assertIn("<A&B>", next("".join(each.itertext()) for each in root.iter(GROUP)))


if __name__ == "__main__":
    unittest.main()
