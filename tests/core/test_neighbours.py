"""What stands on other stations is met by tools, stylus and spindle: planned, and on the simulated machine."""

from __future__ import annotations

import itertools
import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.lying import set_datum
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.operations import Face
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.neighbours import NOBODY
from ledgecliff.core.neighbours import _reach as reach_of
from tests.draws import draws
from tests.helpers import demo_plan
from tests.jobs import IN_VISE, block_job, plan_of, setup, station_id
from tests.rehearsals import rehearsed

ROUTINE = ProbingRoutine(depth=4, guess=1, stand_off=3, overtravel=3)


def side_by_side(apart, *operations, higher=0.0, nose=90.0, long=60.0, faced=0.0):
    """A block ``long`` x 40 x 20 in each of two vises, so far apart in X; the right one stands ``higher`` in its jaws,
    and so much is ``faced`` off the part."""
    tall = IN_VISE.model_copy(update={"parallels_height": 30.0 + higher})
    job = block_job(
        setup(*operations, probing=ROUTINE),
        setup(name="Op 20", hold=tall, station=station_id("right vise"), offset="G55", probing=ROUTINE),
        nose_diameter=nose,
        part=(long, 40, 20 - faced),
        stock=(long, 40, 20),
        allowance=Allowance(plus_z=faced),
    )
    left, right = (job.machine.stations[k].at for k in (0, 1))
    at = right.model_copy(update={"x": left.x + apart, "y": left.y, "z": left.z})
    return set_value(job, ("machines", 0, "stations", 1, "at"), at)


def codes(plan, code):
    return [finding for finding in findings_of(plan) if finding.code == code]


class NeighbourTest(unittest.TestCase):
    def test_where_they_stand(self):
        """Op 20's block and jaws in Op 10's coordinates: as they are in its own, and so far to the right."""
        plan = plan_of(side_by_side(160.0))
        mine, other = plan.setups
        seen = {block.name: block for block in mine.neighbours.blocks}
        self.assertEqual(set(seen), {f"Op 20's {b.name}" for b in other.holding.blocks} | {"Op 20's stock"})
        for block in other.holding.blocks:
            np.testing.assert_allclose(np.array(seen[f"Op 20's {block.name}"].low) - block.low, (160, 0, 0), atol=1e-9)
        back = {block.name: block for block in other.neighbours.blocks}
        for block in mine.holding.blocks:
            np.testing.assert_allclose(np.array(back[f"Op 10's {block.name}"].low) - block.low, (-160, 0, 0), atol=1e-9)

    def test_wherever_they_stand_by_lot(self):
        """Beside, behind, turned: what is there are those whose corners, brought over one by one, come within reach."""
        rng, told = np.random.default_rng(21), []
        for _ in range(draws(25, 200)):
            job = side_by_side(0.0, long=float(rng.choice([30.0, 60.0, 140.0])))
            x, y, turn = rng.uniform(-420, 420), rng.uniform(-420, 420), float(rng.choice([0.0, 90.0, 35.0, -120.0]))
            left = job.machine.stations[0].at
            at = left.model_copy(update={"x": left.x + float(x), "y": left.y + float(y)})
            for name, value in (("at", at), ("turn_deg", turn)):
                job = set_value(job, ("machines", 0, "stations", 1, name), value)
            for mine, other in itertools.permutations(plan_of(job).setups):
                if mine.neighbours.in_its_place:
                    continue
                own = [mine.holding.u_stock, *((np.array(b.low), np.array(b.high)) for b in mine.holding.blocks)]
                reach = reach_of(mine.machine, mine.clamping)
                low, high = np.min([c[0] for c in own], axis=0) - reach, np.max([c[1] for c in own], axis=0) + reach
                stock = (f"{other.setup.name}'s stock", *other.holding.u_stock)
                blocks = [(f"{other.setup.name}'s {b.name}", b.low, b.high) for b in other.holding.blocks]
                near = set()
                for name, *ends in (stock, *blocks):
                    corners = [mine.u_of(other, np.array(c)) for c in itertools.product(*zip(*ends, strict=True))]
                    lowest, highest = np.min(corners, axis=0), np.max(corners, axis=0)
                    if (highest[:2] > low[:2]).all() and (lowest[:2] < high[:2]).all():
                        near.add(name)
                self.assertEqual({block.name for block in mine.neighbours.blocks}, near, (x, y, turn))
                told.append(bool(near))
        self.assertGreater(min(sum(told), len(told) - sum(told)), 5, "some near, some far")

    def test_what_is_too_far_away_changes_nothing_that_is_kept(self):
        self.assertIs(plan_of(side_by_side(400.0)).setups[0].neighbours, NOBODY)
        self.assertIs(demo_plan().setups[0].neighbours, NOBODY)
        self.assertIsNot(plan_of(side_by_side(160.0)).setups[0].neighbours, NOBODY)

    def test_what_is_kept_hangs_on_all_that_it_takes(self):
        """A wider way of the probe reaches what stood too far away; another zero changes nothing."""
        job = side_by_side(240.0)
        near = plan_of(job).setups[0].neighbours
        self.assertIs(near, NOBODY)
        wider = plan_of(set_value(job, ("setups", 0, "probing", "stand_off"), 60.0)).setups[0].neighbours
        self.assertEqual(len(wider.blocks), 4)
        beside = plan_of(set_datum(side_by_side(160.0), 1, "x", "stock minus side")).setups[0].neighbours
        self.assertIs(beside, plan_of(side_by_side(160.0)).setups[0].neighbours)

    def test_a_setup_in_the_same_vise_is_no_neighbour(self):
        one = setup(probing=ROUTINE)
        two = setup(name="Op 20", probing=ROUTINE)
        self.assertIs(plan_of(block_job(one, two)).setups[0].neighbours, NOBODY)

    def test_fixtures_in_one_anothers_place_are_told(self):
        for apart, fires in ((140.0, True), (151.0, False)):
            plan = plan_of(side_by_side(apart))
            self.assertEqual(bool(codes(plan, "STATIONS_OVERLAP")), fires, apart)
            self.assertEqual(plan.setups[0].neighbours.in_its_place, ("Op 20",) if fires else ())
            self.assertEqual(bool(plan.setups[0].neighbours.blocks), not fires)

    def test_the_tool_the_holder_and_the_spindle(self):
        """Blocks 140 long and 160 apart leave a gap of 20.  A mill of 50, 96 long, with 40 of reach under a holder of
        48 faces 2 off, which Op 20's block has lost already: the tool meets what stands higher than its floor, the
        holder what stands 40 over that, a nose of 90 what stands 96 over it."""
        face = Face(name="face", tool=1)
        for higher, parts in ((-0.1, set()), (1.0, {"tool"}), (39.9, {"tool"}), (40.5, {"tool", "holder"}),
                              (95.9, {"tool", "holder"}), (96.5, {"tool", "holder", "nose"})):  # fmt: skip
            with self.subTest(higher=higher):
                plan = plan_of(side_by_side(160.0, face, higher=higher, long=140.0, faced=2.0))
                (use,) = plan.setups[0].tool_uses
                met = {clash.part for clash in use.clashes if clash.neighbour and clash.with_what == "Op 20's stock"}
                self.assertEqual(met, parts)
                self.assertEqual(bool(codes(plan, "MEETS_NEIGHBOUR")), bool(parts))
        for apart, meets in ((164.0, True), (240.0, False)):
            plan = plan_of(side_by_side(apart, face, higher=30.0, long=140.0, faced=2.0))
            self.assertEqual(bool(codes(plan, "MEETS_NEIGHBOUR")), meets, apart)

    def test_only_the_spindle_is_as_wide(self):
        """100 of gap: a nose of 240 reaches 120 beyond its axis, and nothing else does."""
        face = Face(name="face", tool=1)
        for nose, higher, meets in ((240.0, 96.5, True), (240.0, 95.5, False), (90.0, 96.5, False)):
            plan = plan_of(side_by_side(160.0, face, higher=higher, nose=nose, faced=2.0))
            words = [finding.message() for finding in codes(plan, "MEETS_NEIGHBOUR")]
            self.assertEqual(bool(words), meets, (nose, higher))
            self.assertTrue(all("the spindle's nose" in told for told in words))


class StylusTest(unittest.TestCase):
    """Op 20's block stands so much higher that a wide spindle meets it while the ball is down beside Op 10's."""

    def problems(self, plan):
        return {problem.code for problem in plan.setups[0].probing.problems}

    def test_planned_and_on_the_machine_alike(self):
        for nose, fires in ((90.0, False), (260.0, True)):
            plan = plan_of(side_by_side(152.0, higher=145.0, nose=nose))
            told = [p for p in plan.setups[0].probing.problems if "Op 20's" in p.message]
            self.assertEqual(bool(told), fires, nose)
            run = rehearsed(plan, 1).setups[0]
            self.assertEqual(bool(run.alarms), fires, run.alarms)


if __name__ == "__main__":
    unittest.main()
