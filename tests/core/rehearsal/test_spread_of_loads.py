"""Parts of whole loads beside the budget: what stations, seats and a zero that another part has found leave."""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.budget.budget import budget_rehearsed
from ledgecliff.core.changing import set_value
from ledgecliff.core.findings.everything import with_rehearsed
from ledgecliff.core.plan import make_plan
from ledgecliff.core.rehearsal.drawn_world import drawn_clamping, drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.rehearsal.spread import spread_of
from ledgecliff.core.rehearsal.worlds import rehearse_in_worlds
from tests.draws import draws
from tests.helpers import shipped_plan

#: What is stated of the second setup's stations and of its seats (mm, standard).
STATION, SEAT = 0.2, 0.05


def shoes(probed, school="own each", station=STATION):
    """Rack shoes of which the second setup is probed so, with stations and seats far off."""
    plan = shipped_plan("rack-shoes")
    job = plan.job
    stated = {"probed": probed, "school": school, "pattern_error": station, "seat_scatter": SEAT}
    for name, value in stated.items():
        job = set_value(job, ("setups", 1, "pattern", name), value)
    return make_plan(job, plan.models)


class DrawnTest(unittest.TestCase):
    """What worlds have of it: standard deviations along Y over many of them."""

    def spreads(self, plan):
        """Of where what holds it stands, and of how the part lies in it, at the first station and at another."""
        written, found = written_plan(plan), []
        for planned in written.over[1].planned[:2]:
            clampings = [drawn_clamping(planned, seed) for seed in range(1, 1 + draws(200, 800))]
            found.append(
                [np.std([each.fixture_off.y for each in clampings]), np.std([e.part_off.y for e in clampings])]
            )
        return np.array(found)

    def near(self, found, wanted):
        self.assertAlmostEqual(found / wanted, 1.0, delta=4.0 / math.sqrt(2.0 * draws(200, 800)))

    def test_seats_scatter_as_is_stated(self):
        for seat in self.spreads(shoes("every one"))[:, 1]:
            self.near(seat, SEAT)

    def test_stations_are_counted_from_the_first(self):
        """Where its zero counts for the others; where nobody looks, all of them are where they are known to be, but for
        what the pattern is off."""
        guess = 0.6 * shoes("none").setups[1].setup.probing.guess / math.sqrt(3.0)
        (first, _), (other, _) = self.spreads(shoes("first of the load", "local shifts", 1.0))
        self.near(first, guess)
        self.near(other, math.hypot(guess, 1.0))
        for station, _ in self.spreads(shoes("none", "local shifts")):
            self.near(station, STATION)


class LoadsTest(unittest.TestCase):
    def test_one_part_of_each_world_that_lends_nothing(self):
        """By another station's zero; where every one finds its own, any part may be it."""
        plan = shoes("first of the load")
        written = written_plan(plan)
        count = len(written.over[1].planned)
        rehearsal = rehearse(written, drawn_world(written, 3))
        self.assertEqual(len(rehearsal.seen), 1)
        self.assertGreater(count, 2)
        lone = set_value(plan.job, ("setups", 0, "pattern"), None)
        lone = set_value(set_value(lone, ("setups", 1, "pattern"), None), ("setups", 1, "offset"), "G55")
        written = written_plan(make_plan(lone, plan.models))
        self.assertEqual(len(rehearse(written, drawn_world(written, 3)).seen), 1, "a part by itself")

    def test_the_rehearsal_bears_the_budget_out(self):
        for probed in ("first of the load", "none", "every one")[: draws(1, 3)]:
            plan = shoes(probed)
            worlds = rehearse_in_worlds(written_plan(plan), range(1, 1 + draws(8, 80)))
            self.assertEqual(worlds.alarms, ())
            pairs = spread_of(worlds.seen, budget_rehearsed(plan))
            self.assertTrue(pairs)
            for pair in pairs:
                self.assertTrue(pair.agrees, (probed, pair.words()))
            told = [each.code for each in with_rehearsed(plan, (), None, worlds)]
            self.assertNotIn("BUDGET_DISAGREES", told)

    def test_stations_that_are_really_farther_off_are_told(self):
        """Worlds of a pattern that is off by more than the job has it."""
        worse = set_value(shoes("none").job, ("setups", 1, "pattern", "pattern_error"), 2.5)
        plan = shoes("none")
        worlds = rehearse_in_worlds(written_plan(make_plan(worse, plan.models)), range(1, 8))
        told = [each.code for each in with_rehearsed(plan, (), None, worlds)]
        self.assertIn("BUDGET_DISAGREES", told)


if __name__ == "__main__":
    unittest.main()
