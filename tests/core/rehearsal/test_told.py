"""What a rehearsal tells, against its own numbers."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.model.base import Point
from ledgecliff.core.plan import make_plan
from ledgecliff.core.quantities import format_length, spell
from ledgecliff.core.rehearsal.playback import Playback
from ledgecliff.core.rehearsal.told import offset_rows, said_of, said_of_pairs, said_of_setup
from ledgecliff.core.rehearsal.true_world import StatedProbe, TrueClamping, TrueWorld
from tests.core.programs.test_instance_programs import SECOND, at, lying, run, shoes
from tests.helpers import demo, demo_plan, models
from tests.rehearsals import rehearsed

OFF = (0.4, -0.3, 0.1)
WORLD = TrueWorld(
    setups=(TrueClamping(name="Op 10", part_off=Point(x=OFF[0], y=OFF[1], z=OFF[2])),),
    probe=StatedProbe(repeatability=0.0),
)


class OffsetListTest(unittest.TestCase):
    def test_found_is_planned_and_what_the_part_is_off(self):
        """Lengths from a reference plane or not: the part was put 0.4, -0.3, 0.1 off, so is what the table shows."""
        for lengths_from in ("gauge line", "reference plane"):
            job = set_value(demo(), ("machines", 0, "lengths_from"), lengths_from)
            job = set_value(job, ("machines", 0, "reference_z"), -480.0)
            plan = make_plan(job, models())
            rows = offset_rows(plan, rehearsed(plan, world=WORLD))
            self.assertEqual([row.words for row in rows[:3]], ["G54 planned", "found", "found − true"])
            planned, found, less = (np.array(row.values) for row in rows[:3])
            np.testing.assert_allclose(found - planned, OFF, atol=0.01)
            np.testing.assert_allclose(less, 0.0, atol=0.01)
            np.testing.assert_allclose(planned, plan.setups[0].planned_offset)

    def test_what_is_not_rehearsed_or_stopped_shows_the_plan_alone(self):
        plan = demo_plan()
        self.assertEqual([row.words for row in offset_rows(plan, None)], ["G54 planned", "G55 planned"])
        far = TrueWorld(setups=(TrueClamping(name="Op 10", part_off=Point(x=9.0, y=0.0, z=0.0)),))
        stopped = rehearsed(plan, world=far)
        self.assertTrue(stopped.setups[0].stopped)
        self.assertEqual([row.words for row in offset_rows(plan, stopped)][:2], ["G54 planned", "G55 planned"])


class InstancesTest(unittest.TestCase):
    def test_a_row_for_each_and_who_was_left_out(self):
        plan = shoes(((*SECOND, "missing"), "skip it"), ((*SECOND, "seating"), True))
        missing = plan.instances(1)[3].name
        result = run(plan, lying("Op 20", missing, z=1.5))
        names = {each.name for each in plan.instances(1)}
        rows = [row for row in offset_rows(plan, result) if row.words.split()[0].rstrip(",") in names]
        # Nine shoes of Op 10 come in two loads.
        self.assertEqual(sum("load 2" in row.words for row in rows), 4)
        mine = rows[-9:-4]
        self.assertEqual([row.words.split(maxsplit=1)[1] for row in mine],
                         ["off by", "off by", "off by", "left out", "off by"])  # fmt: skip
        self.assertEqual(mine[3].values, (None, None, None))
        for row, each in zip(mine, at(result, "Op 20").values(), strict=True):
            if not each.left_out:
                np.testing.assert_allclose(row.values, each.found - each.true)
        said = spell(said_of_setup(result, 1), "mm")
        self.assertIn("Op 20: 5 instances in 2 loads", said)
        self.assertIn(f"left out: {missing}", said)
        stops = run(shoes(((*SECOND, "seating"), True)), lying("Op 20", missing, z=1.5))
        stopped = next(row for row in offset_rows(plan, stops) if row.words == f"{missing} stopped")
        self.assertEqual(stopped.values, (None, None, None))
        self.assertIn(f"instance {missing}", spell(said_of_setup(stops, 1), "mm"))
        # Parts of one kind in one line: from the least to the most.
        said = spell(said_of_pairs(result), "mm")
        parts = [pair for pair in result.pairs if pair.feature == result.pairs[0].feature]
        least, most = (f(pair.p_deviation[0] for pair in parts) for f in (min, max))
        self.assertIn(f"{len(parts)} parts", said)
        self.assertIn(f"X {format_length(least, sign=True)} to {format_length(most, sign=True)}", said)
        # A setup without a pattern says what it said.
        alone = rehearsed(demo_plan(), 1)
        self.assertEqual(said_of_setup(alone, 0), said_of(alone.setups[0]))


class WordsTest(unittest.TestCase):
    def test_touches_alarms_and_what_is_amiss(self):
        result = rehearsed(demo_plan(), 1)
        for setup in result.setups:
            said = spell(said_of(setup), "mm")
            self.assertTrue(said.startswith(f"{setup.name}: {setup.counted} touches, "))
            self.assertIn("; ".join(setup.alarms) or "no alarm", said)
            self.assertEqual(said.count("⚠"), len(setup.amiss))
            self.assertEqual("hover check" in said, setup.hover_gap is not None)

    def test_pairs_with_each_axis(self):
        result = rehearsed(demo_plan(), 1)
        said = spell(said_of_pairs(result), "mm")
        for pair in result.pairs:
            self.assertIn(f"{pair.feature} to {pair.partner}", said)
            self.assertIn(f"Z {pair.p_deviation[2]:+.3f}".replace("-", "−"), said)


class AdvancingTest(unittest.TestCase):
    def setUp(self):
        plan = demo_plan()
        self.playback = Playback(rehearsed(plan, 1).setups[0], plan.setups[0].machine.probe)

    def test_it_goes_on_by_what_is_asked_and_holds_at_the_end(self):
        end = self.playback.duration_s
        self.assertEqual(self.playback.advanced(1.0, 0.5, hold_at_touches=False), (1.5, False))
        self.assertEqual(self.playback.advanced(end - 0.1, 0.5, hold_at_touches=False), (end, True))

    def test_it_holds_at_every_touch_in_turn(self):
        seconds, held = 0.0, 0
        for _ in range(10_000):
            seconds, holds = self.playback.advanced(seconds, 2.0, hold_at_touches=True)
            if seconds >= self.playback.duration_s:
                break
            held += holds
        motions = rehearsed(demo_plan(), 1).setups[0].motions
        self.assertEqual(held, sum(motion.contact is not None for motion in motions))
