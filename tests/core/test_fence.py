"""A fence on a board: cut true in place, known from the cut, and stock of any size pushed against it.

What its program takes is swept with another library than the one that made it.
"""

from __future__ import annotations

import random
import re
import unittest

import numpy as np
from pydantic import ValidationError
from shapely import box as rectangle

from ledgecliff.core.changing import set_value
from ledgecliff.core.drawing.bench_views import bench_views
from ledgecliff.core.drawing.pictures import scene_picture
from ledgecliff.core.edits.batches import with_batch, with_group_values
from ledgecliff.core.edits.bench import add_step
from ledgecliff.core.edits.fences import SIDES, with_fence, with_zero_by_fence
from ledgecliff.core.edits.making import with_place_known
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.holding.giving_place import BY_HAND, gives_place, pushed_toward
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.holding import BoardHold, Fence, Screw
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.rehearsal.true_world import StatedProbe, TrueWorld
from ledgecliff.core.route import scenes_of
from ledgecliff.core.tape.bench import bench_tape
from tests.core.test_fixture_making import STEP, cut_of, program, run, swept
from tests.draws import draws
from tests.jobs import BOARD, bar_job, block_job, plan_of, setup

#: Which way each side lies from the stock's middle: along X or Y, and where.
WAYS = {"left": (0, -1), "right": (0, 1), "front": (1, -1), "back": (1, 1)}


def board_plan(side="left", *, made=True, hold=None, tool=3, stock=(60, 40, 20), **job):
    """A block on tape at a fence 30 long, which a step of its own cuts where it is ``made``."""
    fence = None if side is None else Fence(side=side, length=30, width=25, height=12, cut=1.0)
    lies = hold or BoardHold(x=20, y=-10, tape=0.2)
    plan = plan_of(block_job(setup(hold=lies.model_copy(update={"fence": fence})), stock=stock, **job))
    if not made:
        return plan
    return plan_of(set_value(add_step(plan.job, "make fixture", 0, STEP, plan), ("bench", 0, "tool"), tool))


def codes(plan):
    return {each.code for each in findings_of(plan)}


class WhereTest(unittest.TestCase):
    def test_by_hand(self):
        """Stock from 0 to 60 and 0 to 40, on tape 0.2 thick: at its left, from Y 5 to 35, up to 11.8."""
        block = board_plan().setups[0].holding.block("fence")
        np.testing.assert_allclose((block.low, block.high), ((-25, 5, -0.2), (0, 35, 11.8)))
        block = board_plan("back").setups[0].holding.block("fence")
        np.testing.assert_allclose((block.low, block.high), ((15, 40, -0.2), (45, 65, 11.8)))

    def test_it_gives_one_place_and_holds_nothing_down(self):
        for side, (k, sign) in WAYS.items():
            holding = board_plan(side, hold=BoardHold()).setups[0].holding
            self.assertEqual((gives_place(holding, k), gives_place(holding, 1 - k)), (True, False))
            self.assertEqual(pushed_toward(holding, k), sign)
            (piece,) = board_plan(side, hold=BoardHold()).setups[0].pieces_after(-1)
            self.assertEqual(piece.held_by, ())

    def test_what_registers_a_turn_says_the_place_itself(self):
        with self.assertRaisesRegex(ValidationError, "take the fence away"):
            BoardHold(registered=True, fence=Fence(side="left"))


class CutTest(unittest.TestCase):
    def test_the_edge_is_cut_to_the_stock_s_side_and_no_further(self):
        for side, (k, sign) in WAYS.items():
            for units in ("mm", "in"):
                plan = board_plan(side)
                plan = plan_of(set_value(plan.job, ("machines", 0, "program_units"), units))
                cut, block = cut_of(plan), plan.setups[0].holding.block("fence")
                feeds = run(plan, program(plan))
                self.assertAlmostEqual(feeds[:, 1, 2].min(), -12.0, places=3)
                taken = swept(feeds, -12.0, plan.job.machine.cutter(3).diameter / 2.0)
                low, high = np.array(block.low[:2]) - cut.u_zero[:2], np.array(block.high[:2]) - cut.u_zero[:2]
                # What is left of the strip is not touched; what stood proud of it is gone all along.
                self.assertLess(taken.intersection(rectangle(*low, *high)).area, 0.05, (side, units))
                low[k], high[k] = (high[k], high[k] + 1.0) if sign < 0 else (low[k] - 1.0, low[k])
                self.assertLess(rectangle(*low, *high).difference(taken).area, 0.05, (side, units))

    def test_any_size_any_cutter(self):
        chance = random.Random(5)
        for _ in range(draws(6, 60)):
            side = chance.choice(SIDES)
            fence = Fence(side=side, length=chance.uniform(5, 300), width=chance.uniform(3, 60),
                          height=chance.uniform(1, 30), cut=chance.uniform(0.05, 40))  # fmt: skip
            plan = board_plan(side, tool=chance.choice((2, 3)))
            plan = plan_of(set_value(plan.job, ("setups", 0, "hold", "fence"), fence))
            cut, block = cut_of(plan), plan.setups[0].holding.block("fence")
            feeds = run(plan, program(plan))
            taken = swept(feeds, -fence.height, plan.job.machine.cutter(cut.step.tool).diameter / 2.0)
            low, high = np.array(block.low[:2]) - cut.u_zero[:2], np.array(block.high[:2]) - cut.u_zero[:2]
            self.assertLess(taken.intersection(rectangle(*low, *high)).area, 0.002 * fence.length + 0.01)
            k, sign = WAYS[side]
            low[k], high[k] = (high[k], high[k] + fence.cut) if sign < 0 else (low[k] - fence.cut, low[k])
            self.assertLess(rectangle(*low, *high).difference(taken).area, 0.002 * fence.length + 0.01)

    def test_drawn_and_told_from_the_zero_it_is_cut_from(self):
        """Stock's left side lies 10 left of the board's middle: 20 right of it is its own, 60 wide."""
        plan = board_plan("left")
        scene = next(each for each in scenes_of(plan) if each.title == "make the fixture")
        tape = bench_tape(plan, STEP)
        edge = next(line for line in tape.lines if line.text.startswith("left fence's edge, X"))
        self.assertEqual((edge.text, round(edge.mm, 9)), ("left fence's edge, X", -10.0))
        self.assertFalse([line for line in tape.lines if "across" in line.text])
        first, front = bench_views(plan, STEP)
        for view in (first, front):
            self.assertTrue(view.low[0] <= -35.0 and view.high[0] >= 0.0, view.name)
        self.assertGreater(int((scene_picture(plan, scene, 120, 90).kind != 255).sum()), 200)

    def test_its_place_is_known_from_the_cut(self):
        """The offset it was cut from reads 0.3 and 0.2 elsewhere than planned: so do board, fence and stock."""
        plan = board_plan("front")
        cut = cut_of(plan)
        m_zero = cut.setup.located.tf_m_u(cut.u_zero) - (0.0, 0.0, plan.job.machine.length_shift())
        known = plan_of(with_place_known(plan, STEP, np.add(m_zero, (0.3, -0.2, 0.1))))
        moved = known.setups[0].located.tf_m_u.shift - plan.setups[0].located.tf_m_u.shift
        np.testing.assert_allclose(moved, (0.3, -0.2, 0.1), atol=1e-6)
        # The middle of the board, and the strip's top: 12 over the board, which lies 0.2 under the stock.
        np.testing.assert_allclose(cut.u_zero, (10.0, 30.0, 11.8))
        self.assertIn("12", cut.zero[2])

    def test_a_lying_bar_stands_back_over_it(self):
        """The corner of a strip 6 high lies hypot(25, 19) from the axis of a bar of 50."""
        for height, along, meets in ((6.0, "x", False), (30.0, "x", True), (6.0, "z", True)):
            fence = Fence(side="front", length=30, height=height)
            one = setup(hold=BoardHold(x=20, y=-10, tape=0.2, fence=fence))
            plan = plan_of(bar_job(one, diameter=50, length=60, along=along))
            told = [each.message for each in findings_of(plan) if each.code == "FENCE_MEETS_NOTHING"]
            self.assertEqual(not told, meets, (height, along))
        low = plan_of(
            bar_job(setup(hold=BoardHold(fence=Fence(side="back", length=30, height=6))), diameter=50, length=60)
        )
        (told,) = [each.message("mm") for each in findings_of(low) if each.code == "FENCE_MEETS_NOTHING"]
        gap = float(re.search(r"(6\.\d+) mm lie between", told)[1])
        # No tape here: 6 over the seat; facets of the round stand back a little.
        self.assertAlmostEqual(gap, float(np.hypot(25.0, 19.0)) - 25.0, delta=0.05)

    def test_told_where_it_is_not_cut_or_not_on_the_board(self):
        self.assertIn("FENCE_NOT_CUT", codes(board_plan(made=False)))
        self.assertNotIn("FENCE_NOT_CUT", codes(board_plan()))
        self.assertNotIn("FENCE_NOT_CUT", codes(board_plan(None, made=False)))
        self.assertIn("FIXTURE_NOTHING_TO_MAKE", codes(plan_of(set_value(
            board_plan().job, ("setups", 0, "hold", "fence"), None))))  # fmt: skip
        self.assertNotIn("FIXTURE_NOTHING_TO_MAKE", codes(board_plan()))
        # The board is 600 wide: 30 of stock and 25 of strip reach 245 to 300 from its middle, and not beyond.
        for x, off in ((244.0, False), (246.0, True)):
            plan = board_plan("right", hold=BoardHold(x=x, tape=0.2))
            self.assertEqual("FENCE_OFF_BOARD" in codes(plan), off, x)
        self.assertEqual(BOARD.length, 600)


class PushedTest(unittest.TestCase):
    def test_stock_of_another_size_lies_with_the_same_side_against_it(self):
        """A zero on the board, known from the cut: blanks 0.6 larger lie against the fence, not round their middle."""
        for side, (k, sign) in WAYS.items():
            plan = plan_of(with_zero_by_fence(board_plan(side), 0))
            self.assertEqual(plan.setups[0].setup.datum.axis("xy"[k]).source, "fixture value")
            self.assertEqual([s for s in plan.setups[0].probing.steps if any(a.axis == "xy"[k] for a in s.sets)], [])
            world = TrueWorld(
                stock_off=Point(x=0.6 * (k == 0), y=0.6 * (k == 1), z=0.0), probe=StatedProbe(repeatability=0.0)
            )
            result = rehearse(written_plan(plan), world).setups[0]
            self.assertEqual((result.alarms, result.amiss), ((), ()))
            clamped = result.clamped.holding
            now = clamped.tf_s_u(np.array(clamped.u_stock[0 if sign < 0 else 1]))
            planned = plan.setups[0].holding
            was = planned.tf_s_u(np.array(planned.u_stock[0 if sign < 0 else 1]))
            self.assertAlmostEqual(float(now[k]), float(was[k]), places=6)

    def test_drawn_worlds_lay_it_off_the_fence_and_never_into_it(self):
        for side, (k, sign) in WAYS.items():
            written = written_plan(board_plan(side))
            off = np.array([
                [drawn_world(written, seed).setups[0].part_off.x, drawn_world(written, seed).setups[0].part_off.y]
                for seed in range(1, 60)
            ])  # fmt: skip
            self.assertLessEqual(float((sign * off[:, k]).max()), 0.0)
            self.assertLess(float(np.abs(off[:, k]).max()), 0.1)
            self.assertGreater(float(np.abs(off[:, 1 - k]).max()), 0.4)
        self.assertEqual(BY_HAND.size, 0.6)

    def test_a_group_of_blanks_against_it(self):
        """Stock 61 long, 1 off at the left; the group's are 61.5 on the middle: 0.75 off, the part 0.25 nearer.  Screws
        go where they went.
        """
        hold = BoardHold(x=20, y=-10, screws=(Screw(x=10, y=10), Screw(x=50, y=30)))
        plan = board_plan("left", hold=hold, stock=(61, 40, 20))
        job = set_value(plan.job, ("stock", "allowance"), {"minus_x": 1.0})
        job = with_batch(job, along="x", sizes=(61.4, 61.6), least=0.2)
        plan = plan_of(job)
        taken = plan_of(with_group_values(plan, 1, 0))
        moved = taken.setups[0].located.tf_m_u.shift - plan.setups[0].located.tf_m_u.shift
        np.testing.assert_allclose(moved, (-0.25, 0.0, 0.0), atol=1e-6)
        for k in (1, 2):
            at = [
                np.array(each.setups[0].holding.block(f"screw {k}").low) + each.setups[0].located.tf_m_u.shift
                for each in (plan, taken)
            ]
            np.testing.assert_allclose(at[0], at[1], atol=1e-6)
        right = plan_of(set_value(plan.job, ("setups", 0, "hold", "fence", "side"), "right"))
        with self.assertRaisesRegex(InvalidValueError, "nothing stands"):
            with_group_values(right, 1, 0)
        screws = plan_of(with_group_values(plan_of(with_batch(right.job, stop="plus")), 1, 0)).setups[0]
        before = np.array(right.setups[0].holding.block("screw 1").low) + right.setups[0].located.tf_m_u.shift
        np.testing.assert_allclose(np.array(screws.holding.block("screw 1").low) + screws.located.tf_m_u.shift, before,
                                   atol=1e-6)  # fmt: skip


class EditTest(unittest.TestCase):
    def test_begun_turned_and_taken_away(self):
        plan = board_plan(None, made=False)
        job = with_fence(plan, 0, "back")
        self.assertEqual((job.setups[0].hold.fence.side, job.setups[0].hold.fence.length), ("back", 48))
        job = with_fence(plan_of(job), 0, "left")
        self.assertEqual((job.setups[0].hold.fence.side, job.setups[0].hold.fence.length), ("left", 48))
        self.assertIsNone(with_fence(plan_of(job), 0, None).setups[0].hold.fence)

    def test_the_zero_stays_where_it_is(self):
        for side in SIDES:
            plan = board_plan(side)
            after = plan_of(with_zero_by_fence(plan, 0))
            np.testing.assert_allclose(after.setups[0].wcs.u_origin, plan.setups[0].wcs.u_origin, atol=1e-6)

    def test_refused(self):
        with self.assertRaisesRegex(InvalidValueError, "lies on no board"):
            with_fence(plan_of(block_job()), 0, "left")
        with self.assertRaisesRegex(InvalidValueError, "has none"):
            with_zero_by_fence(board_plan(None, made=False), 0)


if __name__ == "__main__":
    unittest.main()
