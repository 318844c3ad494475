"""Pairs, their spread against closed forms, what is worth measuring, and when the budget is told as a finding."""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.budget.asked import asked_of
from ledgecliff.core.budget.budget import budget_of, budget_rehearsed
from ledgecliff.core.budget.chain import chain_of
from ledgecliff.core.budget.drawing_lots import draw_pairs, drawn_of
from ledgecliff.core.budget.worth import ASSUMED, repeats_leave, worth_measuring
from ledgecliff.core.changing import set_value
from ledgecliff.core.comparing_zeros import with_zero
from ledgecliff.core.datums import DatumChoice
from ledgecliff.core.edits.tolerances import seen_from, with_asked
from ledgecliff.core.errors import CancelledError, InvalidValueError
from ledgecliff.core.findings.budget_rules import RULES, saw_cut_in_chain
from ledgecliff.core.first_article.lines import lines_of
from ledgecliff.core.model.figure import FromRecord
from ledgecliff.core.plan import make_plan
from ledgecliff.core.scatter import Scatter
from ledgecliff.store.demo import demo_job, demo_names
from ledgecliff.store.job_files import read_job
from tests.draws import draws
from tests.helpers import demo, models, shipped_plan


def numbered(job, name):
    return next(k for k, each in enumerate(job.part.features) if each.name == name)


def plan_of(job):
    return make_plan(job, models())


def by_jaw():
    return read_job(demo_job("float-housing-by-jaw"))


def pair_of(plan, feature, what=None):
    (found,) = [
        each for each in budget_of(plan).pairs if each.asked.feature == feature and what in (None, each.asked.what)
    ]
    return found


def named(pair):
    return {each.source.name: each.u for each in pair.enters}


class PairsTest(unittest.TestCase):
    def test_of_what_is_asked(self):
        job = demo()
        edge = numbered(job, "bore edge break")
        for asked, wanted in (
            ((("position", 0.05),), ["position", "other side"]),
            ((("size", 0.05),), ["size", "other side"]),
            ((("even", 0.05),), ["edge break"]),
            ((("wall", 0.05), ("distance", 0.1)), ["distance", "wall"]),
        ):
            changed = job
            for what, value in asked:
                changed = with_asked(changed, edge, what, value)
            plan = plan_of(changed)
            found = [each for each in asked_of(chain_of(plan)) if each.feature == "bore edge break"]
            self.assertEqual([each.what for each in found], wanted)
        self.assertEqual([each.to for each in found], ["main bore"] * 2, "its partner, until another is named")

    def test_the_other_side_of_what_has_no_partner(self):
        plan = shipped_plan("gland-spindle")
        found = [(each.feature, each.to) for each in asked_of(chain_of(plan))]
        self.assertEqual([name for name, _ in found], ["flat 2", "flat 3", "flat 4", "end bore"])

    def test_one_zero_for_both_cancels(self):
        """Two bores of one setup: only where each cut lands is left, whatever gave the zero."""
        job = with_asked(by_jaw(), numbered(by_jaw(), "bolt hole NE"), "position", 0.05)
        pair = pair_of(plan_of(seen_from(job, numbered(job, "bolt hole NE"), "bolt hole SW")), "bolt hole NE")
        self.assertAlmostEqual(pair.u, math.hypot(0.004, 0.004), 9)
        self.assertTrue(all(name.startswith("machine, where") for name in named(pair)))

    def test_size_wall_and_distance(self):
        """Each wall lands by itself: a size has two, a wall between two bores half of each size beside both places."""
        job, lands = demo(), 0.004
        hole = numbered(job, "bolt hole NE")
        sized = pair_of(plan_of(with_asked(job, hole, "size", 0.02)), "bolt hole NE", "size")
        self.assertAlmostEqual(sized.u, math.sqrt(2.0) * lands, 9)
        for what, squares in (("distance", 2.0), ("wall", 3.0)):
            changed = seen_from(with_asked(job, hole, what, 0.05), hole, "bolt hole SE")
            pair = pair_of(plan_of(changed), "bolt hole NE", what)
            self.assertAlmostEqual(pair.u, math.sqrt(squares) * lands, 9, what)
            self.assertEqual(pair.asked.direction, "along Y")
            self.assertAlmostEqual(pair.expanded, 2.0 * pair.u, 9)
            ((low, high),) = [(each.low, each.high) for each in lines_of(changed) if what in each.what]
            self.assertAlmostEqual(high - low, 0.1, 9)
        bores = [job.part.features[numbered(job, f"bolt hole {name}")] for name in ("NE", "SE")]
        apart = abs(bores[0].at.y - bores[1].at.y)
        self.assertAlmostEqual((low + high) / 2.0, apart - bores[0].diameter, 9)

    def test_uneven_by_twice_what_it_lies_off(self):
        job = demo()
        edge = numbered(job, "bore edge break")
        lies = pair_of(plan_of(job), "bore edge break")
        uneven = pair_of(plan_of(with_asked(job, edge, "even", 0.05)), "bore edge break")
        self.assertAlmostEqual(uneven.u, 2.0 * lies.u, 9)

    def test_what_is_known_from_few_values_is_wider(self):
        job = by_jaw()
        held = plan_of(job).setups[1].holding.fixture
        number = job.machines[0].fixtures.index(held)
        path, figure = ("machines", 0, "fixtures", number), job.machines[0].fixtures[number].clamping_scatter
        found = FromRecord(number="y", values=6, newest="2026-11-01", figure=figure)
        stated, few = (
            pair_of(plan_of(each), "bore edge break") for each in (job, set_value(job, (*path, "scatter_from"), found))
        )
        self.assertAlmostEqual(few.u, stated.u, 9)
        share = next(each.share for each in few.enters if "in Y" in each.source.name and "lies" in each.source.name)
        self.assertAlmostEqual(few.dof, 5.0 / share**2, 3)
        self.assertGreater(few.expanded, 1.02 * stated.expanded)


class OwnFeatureTest(unittest.TestCase):
    def test_a_zero_from_what_the_setup_cuts_itself(self):
        """It finds what its zero had put there, and says nothing new; the setup after it goes on as before."""
        job = demo()
        for axis in ("x", "y"):
            job = with_zero(job, 0, axis, DatumChoice("", "feature", "main bore"))
        self.assertAlmostEqual(
            pair_of(plan_of(job), "bore edge break").u, pair_of(plan_of(demo()), "bore edge break").u, 6
        )


class EditsTest(unittest.TestCase):
    def test_values_come_and_go(self):
        job = demo()
        edge, bore = numbered(job, "bore edge break"), numbered(job, "main bore")
        walled = with_asked(job, edge, "wall", 0.1)
        self.assertEqual(walled.part.features[edge].tolerance.to, "main bore")
        self.assertIsNone(with_asked(walled, edge, "wall", None).part.features[edge].tolerance)
        nearest = with_asked(job, bore, "distance", 0.1).part.features[bore].tolerance.to
        self.assertIsNotNone(nearest)
        both = with_asked(walled, edge, "size", 0.1)
        self.assertEqual(with_asked(both, edge, "wall", None).part.features[edge].tolerance.to, None)
        with self.assertRaisesRegex(InvalidValueError, "between two features"):
            seen_from(walled, edge, None)
        with self.assertRaisesRegex(InvalidValueError, "needs its value"):
            seen_from(job, edge, "main bore")


class DrawnTest(unittest.TestCase):
    def test_every_kind_of_scatter(self):
        chance = np.random.default_rng(2)
        for kind in ("normal", "one-sided", "even", "disc"):
            scatter = Scatter(kind, 0.3)
            for along in drawn_of(scatter, chance, 200_000):
                self.assertAlmostEqual(float(np.mean(along**2)), scatter.standard**2, delta=0.01 * scatter.standard**2)
                self.assertAlmostEqual(float(along.mean()), scatter.mean, delta=0.003)
                self.assertAlmostEqual(float(along.std()), scatter.deviation, delta=0.003)
                fourth = float(np.mean((along - along.mean()) ** 4)) / scatter.deviation**4 - 3.0
                self.assertAlmostEqual(fourth, scatter.excess, delta=0.1)
            self.assertEqual(len(drawn_of(scatter, chance, 5)), 1 + (kind == "disc"))
        few = drawn_of(Scatter("normal", 1.0, 4.0), chance, 200_000)
        self.assertAlmostEqual(float(np.quantile(few, 0.975)), 2.776, delta=0.04)

    def test_of_a_pair(self):
        """Alike both ways and all normal, it lies in a circle as the closed form has it."""
        job = demo()
        edge = numbered(job, "bore edge break")
        budget = budget_of(plan_of(with_asked(job, edge, "position", 0.009)))
        row = [pair.asked.feature for pair in budget.pairs].index("bore edge break")
        pair, drawn = budget.pairs[row], draw_pairs(budget, 200_000)[row]
        self.assertAlmostEqual(drawn.high, pair.expanded, delta=0.01 * pair.expanded)
        self.assertAlmostEqual(drawn.out, math.exp(-0.5 * (0.009 / pair.u) ** 2), delta=0.003)
        with self.assertRaises(CancelledError):
            draw_pairs(budget, 200_000, should_stop=lambda: True)

    def test_mean_and_deviation(self):
        budget = budget_rehearsed(shipped_plan("float-housing-by-jaw"))
        for pair, drawn in zip(budget.pairs, draw_pairs(budget, 100_000), strict=True):
            mean, deviation = pair.mean_and_deviation
            along = pair.worst @ np.array([each.mean for each in drawn.along])
            self.assertAlmostEqual(float(along), mean, delta=2e-4)
            self.assertLess(deviation, pair.u)
            self.assertTrue(all(each.rehearsed for each in pair.sources))


class WorthTest(unittest.TestCase):
    def test_the_one_that_leaves_most_doubt_first(self):
        found = worth_measuring(budget_of(shipped_plan("winch-cheek")))
        self.assertIn("how it lies turned", found[0].source.name)
        self.assertEqual([each.now for each in found], sorted((each.now for each in found), reverse=True))
        self.assertAlmostEqual(found[0].then, found[0].now / 2.0, 12, "nine repeats halve what is half unsure")
        self.assertAlmostEqual(repeats_leave(3), ASSUMED, 12)
        # One that was stated is not there.
        self.assertFalse(any("machine" in each.source.name for each in found))


class FindingsTest(unittest.TestCase):
    def codes(self, job):
        return [(each.code, each.severity, each.setup) for rule in RULES for each in rule(plan_of(job))]

    def edge(self, value, job=None):
        job = job or by_jaw()
        return with_asked(job, numbered(job, "bore edge break"), "position", value)

    def seen(self, value):
        job = self.edge(value)
        return seen_from(job, numbered(job, "bore edge break"), "main bore")

    def test_out_of_tolerance(self):
        expanded = pair_of(plan_of(self.seen(0.05)), "bore edge break").expanded
        within = ("PAIR_OUT_OF_TOLERANCE", "warning", "Op 20")
        for factor, wanted in ((0.9, [("PAIR_OUT_OF_TOLERANCE", "error", "Op 20")]), (1.1, [within]), (2.1, [])):
            self.assertEqual([each for each in self.codes(self.seen(expanded * factor)) if "PAIR" in each[0]], wanted)
        # As much of it as is stated.
        generous = set_value(self.seen(expanded * 1.1), ("tolerance_share",), 0.95)
        self.assertEqual([each for each in self.codes(generous) if "PAIR" in each[0]], [])

    def test_what_is_only_assumed_decides(self):
        def codes(job):
            return [code for code, _, _ in self.codes(job) if code == "FIGURE_ONLY_ASSUMED"]

        pair = pair_of(plan_of(self.seen(0.05)), "bore edge break")
        self.assertEqual(codes(self.seen(2.0 * pair.expanded * 1.005)), ["FIGURE_ONLY_ASSUMED"])
        for clear in (1.5, 0.6):
            self.assertEqual(codes(self.seen(2.0 * pair.expanded * clear)), [])
        self.assertEqual(codes(demo()), [])

    def test_a_saw_cut_in_the_chain(self):
        """Turned about Y the other raw end comes to the stop; about X the same one stays there."""

        def told(job):
            return [each for each in self.codes(job) if each[0] == "SAW_CUT_IN_CHAIN"]

        self.assertEqual(told(by_jaw()), [], "its sides were cut before")
        winch = shipped_plan("winch-cheek")
        self.assertEqual(list(saw_cut_in_chain(winch)), [])
        for first, second, told in (("minus", "minus", ["Op 20"]), ("minus", "plus", [])):
            job = set_value(winch.job, ("stock", "varies", "y"), 0.8)
            for setup, side in enumerate((first, second)):
                job = with_zero(job, setup, "y", DatumChoice("", f"stock {side} side"))
            found = list(saw_cut_in_chain(make_plan(job, winch.models)))
            self.assertEqual([each.setup for each in found], told, "turned about X, the low end comes up")


class TurnedTableTest(unittest.TestCase):
    def test_however_stations_are_turned_on_the_table_pairs_are_off_as_far(self):
        """What is known of a fixture's place is known along the axes as it is turned; in inches too."""
        for name in (*demo_names()[:: draws(4, 1)], "float-housing-to-the-middle"):
            plan = shipped_plan(name)
            job = plan.job
            for number, machine in enumerate(job.machines):
                job = set_value(job, ("machines", number, "program_units"), "in")
                for k, station in enumerate(machine.stations):
                    if station.on is None:
                        path = ("machines", number, "stations", k, "turn_deg")
                        job = set_value(job, path, station.turn_deg + 37.0)
            turned = make_plan(job, plan.models)
            for before, after in zip(budget_of(plan).pairs, budget_of(turned).pairs, strict=True):
                self.assertAlmostEqual(after.expanded / before.expanded, 1.0, delta=1e-3, msg=(name, before.asked.key))


if __name__ == "__main__":
    unittest.main()
