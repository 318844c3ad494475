"""Edits of setups without a window: what is cut, what holds, and which setups there are."""

from __future__ import annotations

import math
import unittest

from ledgecliff.core.edits.setups import (
    OPERATION_KINDS,
    add_holder,
    add_operation,
    add_setup,
    features_for,
    hold_with,
    move_operation,
    move_setup,
    remove_operation,
    remove_setup,
    with_assumed_stock,
    with_jaws,
    with_reference_bore,
    with_stop,
)
from ledgecliff.core.edits.standing import standing_on, to_choose
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.holding import BoardHold, ChuckHold, PlateHold, StepJaws, VBlockHold, ViseHold
from ledgecliff.core.model.stock import Allowance
from ledgecliff.store.identity import new_id
from ledgecliff.store.shop import shipped_shop
from tests.helpers import demo, demo_plan
from tests.jobs import block_job, feature, machine, plan_of, setup

FEATURES = (
    feature("hole", "hole", (12, 12, 24), diameter=6, through=True),
    feature("hole rim", "edge break", (12, 12, 24), diameter=8, depth=1),
    feature("pocket", "pocket", (40, 12, 16), length=20, width=10, depth=8, radius=2.5, lengthwise="+X"),
    feature("slot", "slot", (30, 32, 24), length=60, width=5, depth=8, lengthwise="+X"),
)
#: What each kind takes from stock of 60 x 40 x 26 about that part of 60 x 40 x 24, top 2 over it, by hand.
TAKES = {
    ("face", None): 60 * 40 * 2,
    ("hole", "hole"): math.pi * 9 * 26,
    ("bore", "hole"): math.pi * 9 * 26,
    ("pocket", "pocket"): (20 * 10 - (4 - math.pi) * 2.5**2) * 10,
    ("slot", "slot"): 60 * 5 * 10,
    ("region", None): 10 * 10 * 2,  # what is part stays
    ("outline", None): 0.0,
}


def job_with_features():
    return block_job(part=(60, 40, 24), stock=(60, 40, 26), allowance=Allowance(plus_z=2.0), features=FEATURES)


class OperationTest(unittest.TestCase):
    def taken(self, job):
        (planned,) = plan_of(job).setups
        return planned.before.solid.volume() - planned.after.solid.volume()

    def test_each_kind_takes_what_its_feature_says(self):
        for (kind, name), expected in TAKES.items():
            with self.subTest(kind=kind):
                taken = self.taken(add_operation(job_with_features(), 0, kind, name))
                self.assertAlmostEqual(taken, expected, delta=0.03 * expected + 0.5)

    def test_all_that_is_seen_leaves_the_part(self):
        job = add_operation(job_with_features(), 0, "seen")
        plan = plan_of(job)
        self.assertAlmostEqual(plan.finished.volume, plan.geometry.solid.volume(), delta=2.0)

    def test_features_are_offered_to_the_kinds_that_can_make_them(self):
        job = job_with_features()
        offered = {kind: [each.name for each in features_for(kind, job)] for kind in OPERATION_KINDS}
        self.assertEqual(offered["hole"], ["hole"])
        self.assertEqual(offered["pocket"], ["pocket"])
        self.assertEqual(offered["slot"], ["slot"])
        self.assertEqual(offered["edge break"], ["hole rim"])
        self.assertEqual({kind for kind in OPERATION_KINDS if not offered[kind]}, {"face", "outline", "seen", "region"})

    def test_order_changes_what_each_takes_but_not_what_is_left(self):
        job = add_operation(add_operation(job_with_features(), 0, "face"), 0, "pocket", "pocket")
        other = move_operation(job, 0, 1, -1)
        self.assertEqual([op.name for op in other.setups[0].operations], ["pocket pocket", "face"])
        self.assertAlmostEqual(plan_of(job).finished.volume, plan_of(other).finished.volume, delta=0.01)
        self.assertEqual(remove_operation(job, 0, 0).setups[0].operations, job.setups[0].operations[1:])

    def test_names_stay_apart(self):
        job = add_operation(add_operation(job_with_features(), 0, "face"), 0, "face")
        self.assertEqual([op.name for op in job.setups[0].operations], ["face", "face 2"])

    def test_an_operation_on_a_feature_that_is_not_there(self):
        with self.assertRaisesRegex(InvalidValueError, "keyway"):
            add_operation(job_with_features(), 0, "slot", "keyway")

    def test_the_stock_a_program_was_made_for(self):
        """Sides that were not entered are what the setup gets: here 100 x 68 x 32.5."""
        job = with_assumed_stock(demo(), 1, "x", 102.0, demo_plan())
        self.assertEqual(job.setups[1].stock_assumed.as_tuple(), (102.0, 68.0, 32.5))
        self.assertIsNone(with_assumed_stock(job, 1, "x", None, demo_plan()).setups[1].stock_assumed)


class HoldTest(unittest.TestCase):
    def test_every_fixture_gives_its_own_hold_and_comes_to_the_machine(self):
        shop = shipped_shop()
        names = [each.name for each in to_choose(demo().machine, shop)]
        self.assertEqual(len(names), len(set(names)))
        self.assertGreaterEqual(set(names), {each.name for each in shop.fixtures})
        kinds = set()
        for standing in to_choose(demo().machine, shop):
            job = hold_with(demo(), 1, standing)
            self.assertEqual(job.machine.fixture_at(job.setups[1].station), standing.fixture)
            self.assertEqual(job.machine.station(job.setups[1].station).at, standing.station.at)
            kinds.add(type(job.setups[1].hold))
        self.assertEqual(kinds, {ViseHold, PlateHold, BoardHold, VBlockHold, ChuckHold})

    def test_another_vise_keeps_jaws_parallels_and_stop(self):
        job = with_stop(with_jaws(demo(), 0, "stepped"), 0, "left")
        left, right = standing_on(job.machine)[:2]
        before = job.setups[0]
        self.assertEqual(before.station, left.station.id)
        moved = hold_with(job, 0, right).setups[0]
        self.assertEqual(moved, before.model_copy(update={"station": right.station.id}))

    def test_jaws_of_each_kind_seat_the_stock_where_they_say(self):
        """The seat over the vise's bed: on parallels, on the steps, on the floor of the soft jaws."""
        job = block_job()
        vise = job.machine.fixtures[0]
        given = StepJaws(height=31.0, depth=3.0)
        for wanted, seat in (
            ("plain", job.setups[0].hold.parallels_height),
            (given, 31.0),
            ("soft", vise.jaw_height - 8.0),
        ):
            with self.subTest(jaws=wanted):
                (planned,) = plan_of(with_jaws(job, 0, wanted)).setups
                heights = {rung.name: rung.u_z for rung in planned.holding.heights()}
                self.assertAlmostEqual(
                    heights["jaw top"] - float(planned.holding.u_stock[0][2]), vise.jaw_height - seat
                )

    def test_a_reference_bore_comes_and_goes(self):
        job = with_jaws(demo(), 0, "soft")
        self.assertIsNotNone(with_reference_bore(job, 0, True).setups[0].hold.jaws.bore)
        self.assertIsNone(with_reference_bore(job, 0, False).setups[0].hold.jaws.bore)

    def test_a_stop_keeps_its_height_from_side_to_side(self):
        job = with_stop(demo(), 0, "left")
        height = job.setups[0].hold.stop.height
        right = with_stop(job, 0, "right").setups[0].hold.stop
        self.assertEqual((right.side, right.height), ("right", height))
        self.assertIsNone(with_stop(job, 0, None).setups[0].hold.stop)

    def test_dowels_stand_against_the_stock_and_clamps_on_it(self):
        job = block_job(setup(hold=PlateHold()))
        for _ in range(3):
            job = add_holder(job, 0, "dowel", plan_of(job))
            job = add_holder(job, 0, "clamp", plan_of(job))
        hold = job.setups[0].hold
        for dowel in hold.dowels:  # each touches the left or the front side from outside
            self.assertIn(-dowel.diameter / 2.0, (dowel.x, dowel.y))
        for clamp in hold.clamps:
            self.assertTrue(0.0 <= clamp.x <= 60.0 and 0.0 <= clamp.y <= 40.0)
        board = block_job(setup(hold=BoardHold()))
        for _ in range(4):
            board = add_holder(board, 0, "screw", plan_of(board))
        places = {(screw.x, screw.y) for screw in board.setups[0].hold.screws}
        self.assertEqual(places, {(6.0, 6.0), (54.0, 34.0), (6.0, 34.0), (54.0, 6.0)})


class SetupTest(unittest.TestCase):
    def test_a_new_setup_has_name_offset_and_side_of_its_own(self):
        job = add_setup(demo(), "+X", demo_plan(), new_id())
        new = job.setups[-1]
        self.assertEqual((new.name, new.offset, new.orientation.up), ("Op 30", "G56", "+X"))
        self.assertIsNone(new.stock_assumed)

    def test_when_every_offset_is_taken_it_shares_one_and_the_plan_says_so(self):
        few = machine(offsets=demo().machine.offsets[:1])
        job = block_job().model_copy(update={"machines": (few,)})
        job = add_setup(job, "-Z", plan_of(job), new_id())
        self.assertEqual({each.offset for each in job.setups}, {"G54"})
        self.assertIn("OFFSET_SHARED", {finding.code for finding in findings_of(plan_of(job))})

    def test_setups_move_and_go(self):
        job = move_setup(demo(), 1, -1)
        self.assertEqual([each.name for each in job.setups], ["Op 20", "Op 10"])
        self.assertEqual(move_setup(job, 0, 1), demo())
        self.assertEqual([each.name for each in remove_setup(demo(), 0).setups], ["Op 20"])
        with self.assertRaises(InvalidValueError):
            remove_setup(remove_setup(demo(), 0), 0)
