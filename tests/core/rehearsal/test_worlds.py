"""Many trials at once: the worst of them is the worst of each by itself, and what goes wrong is told with its trial."""

from __future__ import annotations

import unittest
from functools import cache

from ledgecliff.core.errors import CancelledError
from ledgecliff.core.quantities import spell
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.rehearsal.told import said_of_proof
from ledgecliff.core.rehearsal.worlds import rehearse_in_worlds, worlds_of
from tests.helpers import demo_plan, plan_with
from tests.rehearsals import rehearsed

SEEDS = (3, 4, 5)


@cache
def each_by_itself():
    return tuple(rehearsed(demo_plan(), seed) for seed in SEEDS)


class WorldsTest(unittest.TestCase):
    def test_the_worst_is_the_worst_of_each(self):
        worlds = rehearse_in_worlds(written_plan(demo_plan()), SEEDS)
        shares = {
            (abs(result.found[k] - result.true[k]) / result.limits[k], run.seed, result.offset, "XYZ"[k])
            for run in each_by_itself()
            for result in run.setups
            for k in range(3)
        }
        share, seed, offset, axis = max(shares)
        worst = worlds.worst
        self.assertEqual((worst.seed, worst.offset, worst.axis), (seed, offset, axis))
        self.assertAlmostEqual(worst.share, share)
        self.assertLess(share, 1.0)
        self.assertEqual((worlds.alarms, worlds.amiss, worlds.not_set, worlds.first_wrong), ((), (), (), None))
        words = r"^3 trials, worst 0\.00\d mm of 0\.0\d\d mm \(. of G5[45], trial \d\), no alarm\.$"
        self.assertRegex(spell(worlds.words(), "mm"), words)

    def test_what_is_found_wrong_is_told_with_its_trial(self):
        strict = rehearse_in_worlds(written_plan(demo_plan()), SEEDS, limit=1e-6)
        self.assertEqual({seed for seed, _, _ in strict.amiss}, set(SEEDS))
        self.assertEqual(strict.first_wrong, SEEDS[0])
        self.assertIn("a zero found wrong in 3", strict.words())

    def test_an_alarm_counts_and_ends_nothing_but_its_trial(self):
        """A search of 1 mm before and after its surface, which lies up to 3 off: it is missed in some trials only."""
        plan = plan_with((("setups", 0, "probing", "stand_off"), 1.0), (("setups", 0, "probing", "overtravel"), 1.0))
        worlds = rehearse_in_worlds(written_plan(plan), range(1, 7))
        stopped = {seed for seed, _, _ in worlds.alarms}
        self.assertEqual(stopped, {run.seed for run in (rehearsed(plan, s) for s in range(1, 7)) if run.alarms})
        self.assertTrue(len(stopped) > 0)
        self.assertIn(f"alarms in {len(stopped)} of them", worlds.words())

    def test_an_axis_that_nothing_sets_is_named_and_proves_nothing(self):
        plan = plan_with((("setups", 1, "probing", "cycles"), ()))
        run = rehearsed(plan, 7)
        worlds = worlds_of([run])
        self.assertEqual(worlds.not_set, ("Op 20",))
        result = run.setups[1]
        self.assertEqual((result.limits, result.is_set), ((None, None, None), False))
        self.assertAlmostEqual(result.worst_off, max(abs(result.found - result.true)))
        self.assertAlmostEqual(result.off_by_eye, result.worst_off)
        self.assertIsNone(run.setups[0].worst_off)
        self.assertIn("not every axis is set by a program in Op 20", said_of_proof(run, None))

    def test_it_ends_when_it_is_told_to(self):
        with self.assertRaises(CancelledError):
            rehearse_in_worlds(written_plan(demo_plan()), SEEDS, should_stop=lambda: True)

    def test_nothing_is_proven_before(self):
        self.assertEqual(said_of_proof(None, None), "Not rehearsed since the last change.")
        self.assertIn("every zero found within", said_of_proof(each_by_itself()[0], None))
