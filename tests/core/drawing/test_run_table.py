"""What a run has on the table: where it stands, how far it is, what is picked, and what is not there any more."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.drawing.items import Fill, Label, Stroke
from ledgecliff.core.drawing.run_table import run_table, run_table_drawing
from ledgecliff.core.runs import edits
from tests.core.runs.test_posting import day
from tests.core.runs.test_runs import SUM, ids, job, ref, two
from tests.helpers import shipped_plan
from tests.jobs import plan_of


def labels(run, plans, picked=frozenset()):
    table = run_table(run, plans)
    return [each.text for each in run_table_drawing(run, table, picked).items if isinstance(each, Label)]


def frame(drawing, station):
    """The middle of what is lit of a station."""
    (found,) = (
        each for each in drawing.items
        if isinstance(each, Stroke) and each.line == "zero" and each.source == f"run-{station.id}"
    )  # fmt: skip
    return np.mean(found.points[:4], axis=0)


class RunTableTest(unittest.TestCase):
    def test_each_station_where_it_stands_with_its_offset_and_how_far_it_is(self):
        run, plans, _ = day()
        first, second, other = run.stations
        table = run_table(run, plans)
        drawing = run_table_drawing(run, table, {first.id, second.id})
        np.testing.assert_allclose(frame(drawing, second) - frame(drawing, first), (120.0, 0.0), atol=1e-9)
        with self.assertRaises(ValueError):
            frame(drawing, other)
        (x, y), low, high = frame(drawing, first), drawing.low, drawing.high
        self.assertTrue(low[0] < x < high[0] and low[1] < y < high[1])
        self.assertEqual(labels(run, plans), ["1", "2", "A Op 10 × 2 · G54", "B · G55"])
        run = edits.with_done(run, [ref(run, "A 2/face 1"), ref(run, "A 2/drill 2"), ref(run, "B/drill 1")])
        run = edits.stopped(run, [first.id])
        said = ["1", "2 done", "A Op 10 × 2 · G54 · 1 done · zero to be found again", "B · G55 · done"]
        self.assertEqual(labels(run, plans), said)
        instance = next(source for source, of in table.stations_of.items() if second.id in of)
        self.assertEqual(table.stations_of[instance], (second.id,))

    def test_of_two_that_follow_each_other_that_which_is_not_done(self):
        run = two()
        plans = {each.id: plan_of(each) for each in (job("A", 1, 2), job("B", 2, 1, offset="G55"))}
        self.assertEqual(labels(run, plans), ["A · G54"])
        run = edits.with_done(run, [ref(run, "A/face 1"), ref(run, "A/drill 2")])
        self.assertEqual(labels(run, plans), ["B · G55 · comes later"])
        raw = [each for each in run_table_drawing(run, run_table(run, plans)).items if isinstance(each, Fill)]
        self.assertFalse([each for each in raw if each.surface in ("raw", "finished")])
        run = edits.with_done(run, [ref(run, "change")])
        self.assertEqual(labels(run, plans), ["B · G55"])
        drawn = run_table_drawing(run, run_table(run, plans)).items
        self.assertTrue([each for each in drawn if isinstance(each, Fill) and each.surface in ("raw", "finished")])

    def test_what_is_not_in_its_job_any_more_is_named(self):
        run, plans, _ = day()
        first, second, other = run.stations
        self.assertIsNone(run_table(run, {}))
        some = run_table(run, {other.job: plans[other.job]})
        self.assertEqual(some.lacking, (first.name, second.name))
        one = set_value(plans[first.job].job, ("setups", 0, "pattern", "layout", "columns"), 1)
        self.assertEqual(run_table(run, {**plans, first.job: plan_of(one)}).lacking, (second.name,))

    def test_axes_stand_as_the_station_that_is_shown_has_them(self):
        plan, fresh = shipped_plan("hinge-leaves"), ids()
        run = edits.new_run(next(fresh), "day", plan.job.machine_of(plan.job.setups[0]))
        run = edits.with_setup(run, plan, 0, lambda: next(fresh), "job.json", SUM)
        plans = {plan.job.id: plan}
        (one, *_), other = run.stations, next(each for each in run.stations if each.index == "B180")
        at = {}
        for shown in (one, other):
            table = run_table(run, plans, shown.id)
            drawing = run_table_drawing(run, table, {one.id, other.id})
            at[shown.id] = frame(drawing, one), frame(drawing, other)
            self.assertIn(shown.index, drawing.name)
        # Half a turn about B changes the two sides of the axis.
        np.testing.assert_allclose(at[one.id][0] + at[other.id][0], at[one.id][1] + at[other.id][1], atol=20.0)
        self.assertGreater(np.linalg.norm(at[one.id][0] - at[other.id][0]), 20.0)


if __name__ == "__main__":
    unittest.main()
