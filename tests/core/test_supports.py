"""Supports: how high a block is left under the stock, what it carries, the program that cuts it, what is told.

Heights are worked out by hand or from the surfaces; that a block fits is felt from body to body.
"""

from __future__ import annotations

import math
import random
import unittest

import numpy as np
from pydantic import ValidationError
from shapely import box as rectangle

from ledgecliff.core.blanks import box, transformed
from ledgecliff.core.changing import set_value
from ledgecliff.core.drawing.bench_views import bench_views
from ledgecliff.core.edits.bench import add_step
from ledgecliff.core.edits.placing import draggables, place
from ledgecliff.core.edits.setups import add_holder
from ledgecliff.core.edits.supports import with_size, with_support, without_support
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.fixture_making import cut_in_levels
from ledgecliff.core.holding import held_on
from ledgecliff.core.holding.supports import support_seats
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.holding import (
    BoardHold,
    Chuck,
    ChuckHold,
    Dowel,
    Fence,
    PlateHold,
    ReferenceBore,
    SoftJaws,
    Stop,
    Support,
    VBlockHold,
    Vise,
)
from ledgecliff.core.model.operations import Hole, Pocket
from ledgecliff.core.model.orientation import AxisTurn, Orientation
from ledgecliff.core.model.stations import IndexAngle, Rotary
from ledgecliff.core.quantities import spell
from ledgecliff.core.register.meaning import meaning_of
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.rehearsal.true_world import TrueWorld
from ledgecliff.core.route import scenes_of
from ledgecliff.core.solids.in_process_stock import InProcessStock
from ledgecliff.core.tape.bench import bench_tape
from ledgecliff.core.tape.scenes import holding_tape
from tests.core.test_fixture_making import STEP, cut_of, program, run, swept
from tests.draws import draws
from tests.jobs import IN_VISE, bar_job, block_job, feature, plan_of, setup

#: A vise whose bed is 60 over the table, its jaws 150 wide.
VISE = Vise(name="left vise", jaw_width=150, jaw_height=40, jaw_thickness=18, opening_min=0, opening_max=150,
            grip_min=3, clamping_scatter=0.01, bed_height=60)  # fmt: skip
LEANING = Orientation(tilted=(AxisTurn(about="x", degrees=30.0),))
#: What a block for a support is to carry, and where it stands.
AT_END = Support(x=240.0, y=20.0, length=20.0, width=30.0)


def held(*supports, hold=IN_VISE, made=False, tool=3, **job):
    """A block 260 long in a vise 150 wide (or what ``job`` has), on supports that a step cuts where it is ``made``."""
    orientation = job.pop("orientation", None)
    one = setup(*job.pop("operations", ()), hold=hold.model_copy(update={"supports": supports}))
    if orientation is not None:
        one = one.model_copy(update={"orientation": orientation})
    sizes = {"part": (260, 40, 20), "stock": (260, 40, 20), "fixtures": (VISE,)} | job
    plan = plan_of(block_job(one, **sizes))
    if not made:
        return plan
    return plan_of(set_value(add_step(plan.job, "make fixture", 0, STEP, plan), ("bench", 0, "tool"), tool))


def leaning(*supports, **more):
    """A block 60 x 40 x 20 on a plate, on its edge, its underside rising by 30 degrees to the back."""
    return held(*supports, hold=PlateHold(), part=(60, 40, 20), stock=(60, 40, 20), orientation=LEANING, **more)


def told(plan, *wanted):
    """Findings about supports, by code, and of other codes that are wanted."""
    return {f.code for f in findings_of(plan) if f.code.startswith("SUPPORT") or f.code in wanted}


def message(plan, code):
    return next(f.message("mm") for f in findings_of(plan) if f.code == code)


class HowHighTest(unittest.TestCase):
    def test_beside_a_vise_on_the_table_between_its_jaws_on_its_bed(self):
        """Stock 30 over the bed, and the bed 60 over the table."""
        ends, between = held(AT_END, Support(x=130.0, y=20.0, length=40.0, width=10.0)).setups[0].supports
        self.assertEqual((ends.floor.name, ends.floor.known, round(ends.height, 9)), ("table", True, 90.0))
        self.assertEqual((between.floor.name, round(between.height, 9)), ("vise bed", 30.0))
        np.testing.assert_allclose((ends.block.low, ends.block.high), ((230, 5, -90), (250, 35, 0)), atol=1e-9)
        for each, area in ((ends, 600.0), (between, 400.0)):
            self.assertTrue(each.is_level)
            self.assertAlmostEqual(each.area, area, places=3)
            self.assertAlmostEqual(each.share, 1.0, places=6)
        # With two parallels 150 long and 10 wide, and the weight as far from the front as from the back.
        seat = held(AT_END).setups[0].seat
        self.assertAlmostEqual(seat.area, 2.0 * 150.0 * 10.0 + 600.0, places=3)
        self.assertAlmostEqual(seat.steady, 20.0, places=6)

    def test_on_a_plate_a_board_and_beside_a_v_block(self):
        """A bar of 50 on its tangent: over a strip from 5 to 15 off its axis, R - sqrt(R² - y²) on the way."""
        for hold, on, floor in (
            (PlateHold(), "plate top", 0.0), (BoardHold(tape=0.2), "board top", -0.2),
            (PlateHold(x=230.0), "table", -20.0), (VBlockHold(), "table", None),
        ):  # fmt: skip
            beside = 8.0 if hold.by == "v-block" else 60.0
            support = Support(x=beside, y=35.0, length=12.0, width=10.0)
            one = setup(hold=hold.model_copy(update={"supports": (support,)}))
            (each,) = plan_of(bar_job(one, diameter=50, length=120)).setups[0].supports
            self.assertEqual(each.floor.name, on)
            if floor is not None:
                self.assertAlmostEqual(each.floor.u_z + 25.0, floor)
            depths = [25.0 - math.sqrt(625.0 - y * y) for y in (5.0, 15.0)]
            self.assertAlmostEqual(each.high + 25.0, depths[1], delta=0.08)
            self.assertAlmostEqual(each.low + 25.0, depths[0], delta=0.08)
            ys = np.linspace(5.0, 15.0, 4001)
            under = float(np.trapezoid(25.0 - np.sqrt(625.0 - ys * ys), ys)) * 12.0
            self.assertAlmostEqual(
                each.block.solid().volume(), under - (each.floor.u_z + 25.0) * 120.0, delta=0.08 * 120.0
            )
            self.assertFalse(each.is_level)

    def test_at_an_angle(self):
        """From 15 to 25 behind the lowest edge a slope of 30 degrees is 8.66 to 14.43 high; at its front 17.32 per 10
        falls to that edge.  With the edge it stands; without the block it does not even lie."""
        plan = leaning(Support(x=30.0, y=30.0, length=40.0, width=10.0))
        (each,) = plan.setups[0].supports
        tan = math.tan(math.radians(30.0))
        np.testing.assert_allclose((each.low, each.high), (15.0 * tan, 25.0 * tan), atol=1e-6)
        self.assertAlmostEqual(each.area, 400.0, delta=0.5)
        self.assertEqual(told(leaning(), "SEAT_TOO_SMALL", "SEAT_TIPS"), {"SEAT_TOO_SMALL"})
        self.assertEqual(told(plan, "SEAT_TOO_SMALL", "SEAT_TIPS"), {"SUPPORT_SLOPES"})
        # The weight is over the middle of (-10, 34.64) behind the edge, 12.32 behind it; before a block there it tips.
        self.assertAlmostEqual(plan.setups[0].seat.steady, 12.32 - 0.0, delta=0.05)
        tips = leaning(Support(x=30.0, y=15.0, length=40.0, width=6.0))
        self.assertIn("SEAT_TIPS", told(tips, "SEAT_TOO_SMALL", "SEAT_TIPS"))

    def test_it_fits_under_anything(self):
        """Whatever lies over it: the block is never in it, is met on the way up, and stays in its own column."""
        chance = random.Random(8)
        for _ in range(draws(12, 200)):
            turns = tuple(AxisTurn(about=chance.choice("xyz"), degrees=chance.uniform(-40, 40)) for _ in range(2))
            lying = Orientation(tilted=turns[: chance.randint(0, 2)])
            scale = chance.choice((0.2, 1.0, 8.0))
            size = tuple(scale * chance.uniform(15, 60) for _ in range(3))
            support = Support(x=chance.uniform(0, size[0]), y=chance.uniform(0, size[1]),
                              length=scale * chance.uniform(3, 20), width=scale * chance.uniform(3, 20))  # fmt: skip
            hold = chance.choice((PlateHold(), BoardHold(), VBlockHold()))
            setup_plan = held(support, hold=hold, part=size, stock=size, orientation=lying).setups[0]
            (each,) = setup_plan.supports
            if each.block is None:
                continue
            u_stock = transformed(setup_plan.before.solid, setup_plan.setup.orientation.matrix())
            solid = each.block.solid()
            self.assertLess(float((solid ^ u_stock).volume()), 1e-6 * scale**3)
            self.assertGreater(float((solid.translate((0, 0, 0.02)) ^ u_stock).volume()), 0.0)
            corner = setup_plan.clamping.level.u_stock[0]
            low = corner[:2] + np.array([support.x - support.length / 2.0, support.y - support.width / 2.0])
            high = np.add(low, (support.length, support.width))
            column = box((*low, each.floor.u_z), (*high, each.high))
            self.assertLess(float((solid - column).volume()), 1e-6 * scale**3)
            np.testing.assert_allclose(np.array(each.block.low), (*low, each.floor.u_z), atol=1e-6 * scale)

    def test_bores_and_what_lies_beside_leave_no_spigot(self):
        """Over a block 30 wide a bore of 10 opens down: its top is level, and carries round the bore.  Where a block
        stands out beside the stock it is cut off level too."""
        bore = feature("bore", "hole", (240, 20, 20), diameter=10, depth=20)
        first = setup(Hole(name="drill", tool=2, on="bore"), name="Op 10")
        second = setup(name="Op 20", hold=IN_VISE.model_copy(update={"supports": (
            AT_END.model_copy(update={"length": 30.0}), Support(x=0.0, y=20.0, length=20.0, width=30.0))}))  # fmt: skip
        plan = plan_of(block_job(first, second, part=(260, 40, 20), stock=(260, 40, 20), features=(bore,),
                                 fixtures=(VISE,)))  # fmt: skip
        over, beside = plan.setups[1].supports
        self.assertTrue(over.is_level and beside.is_level)
        self.assertAlmostEqual(over.area, 30.0 * 30.0 - math.pi * 25.0, delta=2.0)
        self.assertAlmostEqual(beside.share, 0.5, places=4)
        self.assertAlmostEqual(beside.block.solid().volume(), 20.0 * 30.0 * 90.0, places=3)

    def test_it_stays_where_it_is_when_the_stock_is_cut_meanwhile(self):
        """20 off the left end: places that count from the corner would have it 20 further right, beside the jaws."""
        setup_plan = held(Support(x=190.0, y=20.0, length=20.0, width=10.0)).setups[0]
        level = setup_plan.clamping.level
        shorter = InProcessStock(level.stock.solid - box((-1, -1, -1), (20, 50, 50)), 0)
        (each,) = support_seats(held_on(level, shorter))
        self.assertEqual((each.floor.name, each.block.low[0], round(each.room, 6)), ("vise bed", 180.0, 30.0))
        self.assertAlmostEqual(each.area, 200.0, places=3)

    def test_refused(self):
        with self.assertRaises(ValidationError):
            Support(x=0.0, y=0.0, length=0.0)
        with self.assertRaises(ValidationError):
            PlateHold(supports=(AT_END,) * 21)


class ToldTest(unittest.TestCase):
    def test_what_carries_nothing(self):
        for plan, why in (
            (held(Support(x=300.0, y=20.0)), "nothing of the stock lies over it"),
            (held(Support(x=274.99, y=20.0, length=30.0)), "nothing of the stock lies over it"),
            (held(Support(x=100.0, y=20.0), hold=PlateHold()), "reaches down to the plate top there"),
            (leaning(Support(x=30.0, y=10.3, width=0.5)), "too little for a block"),
        ):
            self.assertIn("SUPPORT_NO_SEAT", told(plan))
            self.assertIn(why, message(plan, "SUPPORT_NO_SEAT"))
            self.assertIsNone(plan.setups[0].supports[0].block)
        self.assertNotIn("SUPPORT_NO_SEAT", told(held(AT_END)))

    def test_what_it_stands_in(self):
        """Half over a plate's edge it would stand in the plate; beside a jaw, in the jaw, or in another block."""
        half = held(Support(x=130.0, y=20.0), hold=PlateHold(x=200.0), stock=(260, 40, 20))
        self.assertIn("plate", message(half, "SUPPORT_MEETS"))
        jaw = held(Support(x=130.0, y=38.0, length=20.0, width=30.0))
        self.assertIn("SUPPORT_MEETS", told(jaw))
        both = held(AT_END, AT_END.model_copy(update={"x": 245.0}))
        self.assertIn("support 2", message(both, "SUPPORT_MEETS"))
        self.assertNotIn("SUPPORT_MEETS", told(held(AT_END, AT_END.model_copy(update={"x": 219.9}))))

    def test_what_it_stands_on_is_known(self):
        low = VISE.model_copy(update={"bed_height": 0.0})
        self.assertIn("left vise", message(held(AT_END, fixtures=(low,)), "SUPPORT_FLOOR_UNKNOWN"))
        self.assertNotIn("SUPPORT_FLOOR_UNKNOWN", told(held(AT_END)))
        between = Support(x=130.0, y=20.0, length=40.0, width=10.0)
        self.assertNotIn("SUPPORT_FLOOR_UNKNOWN", told(held(between, fixtures=(low,))))

    def test_cut_by_a_step(self):
        self.assertIn("SUPPORT_NOT_CUT", told(held(AT_END)))
        self.assertEqual(told(held(AT_END, made=True), "FIXTURE_NOTHING_TO_MAKE"), set())
        slopes = leaning(Support(x=30.0, y=30.0, length=40.0, width=10.0), made=True)
        self.assertEqual(told(slopes, "FIXTURE_NOTHING_TO_MAKE"), {"SUPPORT_SLOPES", "FIXTURE_NOTHING_TO_MAKE"})

    def test_no_level_pass_cuts_what_stands_tilted(self):
        """A plate on a rotary axis, a bar's level block under it (overhanging the plate): at 0 a step cuts it, at 90
        its top looks sideways.  What it carries is the same."""
        for degrees, stands in ((0.0, False), (90.0, True)):
            one = setup(hold=PlateHold(x=235.0, supports=(AT_END,)))
            job = block_job(one, part=(260, 40, 20), stock=(260, 40, 20))
            axis = Rotary(id=STEP, name="A", word="A", about="x", centre=Point(x=0, y=-205, z=-440),
                          sense="right-handed")  # fmt: skip
            job = set_value(job, ("machines", 0, "carriers"), (axis,))
            plate = next(k for k, each in enumerate(job.machine.stations) if each.name == "plate")
            job = set_value(job, ("machines", 0, "stations", plate, "on"), axis.id)
            plan = plan_of(set_value(job, ("setups", 0, "index"), (IndexAngle(word="A", degrees=degrees),)))
            (each,) = plan.setups[0].supports
            self.assertAlmostEqual(each.area, 600.0, places=3)
            self.assertEqual(cut_in_levels(plan.setups[0]) == [], stands)
            self.assertEqual("stands tilted" in message(plan, "SUPPORT_SLOPES") if stands else False, stands)

    def test_the_cutter_goes_by_what_stands_there(self):
        """Jaws 12 over the block's top and 40 apart: Ø8 goes round one 10 wide, and not round one 37 wide."""
        for width, meets in ((10.0, False), (37.0, True)):
            parallels = IN_VISE.model_copy(update={"parallels_thickness": 1.0})
            plan = held(Support(x=130.0, y=20.0, length=40.0, width=width), hold=parallels, made=True)
            self.assertEqual("SUPPORT_CUTTER_MEETS" in told(plan), meets, width)
        # What another block stands higher before it is cut, a tool may go into and a holder may not.
        for cut, meets in ((0.5, False), (20.0, False), (120.0, True)):
            high = held(AT_END, Support(x=215.0, y=20.0, length=20.0, width=30.0, cut=cut), made=True)
            reach = next(k for k, each in enumerate(high.job.machine.cutters) if each.tool == 3)
            high = plan_of(set_value(high.job, ("machines", 0, "cutters", reach, "reach"), 40.0))
            self.assertEqual("SUPPORT_CUTTER_MEETS" in told(high), meets, cut)

    def test_cut_away_over_it(self):
        """A hole of 20 through what 20 x 20 of a block carry leaves a fifth; one of 6 leaves most."""
        for diameter, gone in ((20.0, True), (6.0, False)):
            hole = feature("hole", "hole", (240, 20, 20), diameter=diameter, depth=20)
            drill = Hole(name="drill", tool=2, on="hole")
            square = AT_END.model_copy(update={"width": 20.0})
            plan = held(square, features=(hole,), operations=(drill,))
            self.assertEqual("SUPPORT_UNDERCUT" in told(plan), gone, diameter)

    def test_tape_and_sheet_say_how_high(self):
        lines = {line.text: line.mm for line in holding_tape(held(AT_END).setups[0]).lines}
        self.assertEqual((lines["left high"], lines["block before it is cut"]), (90.0, 91.0))
        sloping = leaning(Support(x=30.0, y=30.0, length=40.0, width=10.0)).setups[0]
        lines = {line.text: line.mm for line in holding_tape(sloping).lines}
        self.assertAlmostEqual(lines["left high, lowest"], 15.0 * math.tan(math.pi / 6.0), places=6)


class CutTest(unittest.TestCase):
    def test_all_of_its_top_and_no_deeper(self):
        chance = random.Random(3)
        for k in range(draws(8, 60)):
            length, width = (2.0, 3.0) if k == 0 else (chance.uniform(3, 38), chance.uniform(3, 38))
            support = Support(x=240.0, y=20.0, length=length, width=width, cut=chance.uniform(0.1, 12))
            second = Support(x=20.0, y=20.0, length=10.0, width=10.0, cut=3.0)
            units = ("mm", "in")[k % 2]
            plan = held(support, second, made=True, tool=chance.choice((2, 3)))
            plan = plan_of(set_value(plan.job, ("machines", 0, "program_units"), units))
            cut, radius = cut_of(plan), plan.job.machine.cutter(plan.job.bench[0].tool).diameter / 2.0
            feeds = run(plan, program(plan))
            raw = max(support.cut, 3.0)
            self.assertAlmostEqual(float(cut.u_zero[2]), raw, places=6)
            self.assertAlmostEqual(float(feeds[:, 1, 2].min()), -raw, places=3)
            taken = swept(feeds, -raw, radius)
            for each in plan.setups[0].supports:
                low, high = (np.array(end[:2]) - cut.u_zero[:2] for end in (each.block.low, each.block.high))
                self.assertLess(rectangle(*low, *high).difference(taken).area, 0.05, (support, radius, units))
                # Nor further out than is looked at for what it might meet.
                inside = min(0.5 * radius, 0.45 * min(each.support.length, each.support.width))
                room = rectangle(*(low - radius + inside), *(high + radius - inside)).buffer(0.01)
                reaches = taken.intersection(rectangle(*(low - 60.0), *(high + 60.0)))
                self.assertLess(reaches.difference(room).area, 0.01)

    def test_from_the_highest_of_all_that_is_cut(self):
        """A fence 12 high on the board, a block under a step of 5: Z0 is the strip's top; under one of 20, the
        block's, and the fence's edge is as deep from there."""
        for rises, z_words in ((5.0, "strip's top"), (20.0, "block for support 1")):
            stock = setup(Pocket(name="step", tool=3, on="step"), name="Op 10", up="-Z", right="+X", hold=PlateHold())
            step = feature("step", "pocket", (50, 20, rises), opens_to="-Z", length=30, width=44, depth=rises,
                           lengthwise="+X")  # fmt: skip
            hold = BoardHold(fence=Fence(side="left", length=30), supports=(Support(x=50.0, y=20.0, length=10.0),))
            job = block_job(stock, setup(name="Op 20", hold=hold), part=(60, 40, 30), stock=(60, 40, 30),
                            features=(step,))  # fmt: skip
            plan = plan_of(add_step(job, "make fixture", 1, STEP, plan_of(job)))
            (each,) = plan.setups[1].supports
            self.assertAlmostEqual(each.height, rises)
            cut = cut_of(plan)
            highest = max(12.0, rises + 1.0)
            self.assertAlmostEqual(float(cut.u_zero[2]), highest)
            self.assertIn(z_words, spell(cut.zero[2], "mm"))
            depths = {pocket.name: pocket.depth for pocket in cut.sunk}
            self.assertAlmostEqual(depths["left fence's edge"], highest)
            self.assertAlmostEqual(depths["support 1's top"], highest - rises)

    def test_drawn_and_told_from_its_zero(self):
        plan = held(AT_END, made=True)
        self.assertIn("X0 is the middle of the jaws", cut_of(plan).zero)
        self.assertIn("91", spell(cut_of(plan).zero[2], "mm"))
        lines = {line.text: line.mm for line in bench_tape(plan, STEP).lines}
        self.assertEqual((lines["support 1's top, deep"], lines["support 1's top, Z"]), (1.0, -1.0))
        self.assertFalse([text for text in lines if "across" in text])
        self.assertTrue(any(scene.title == "make the fixture" for scene in scenes_of(plan)))
        plan_view, front = bench_views(plan, STEP)
        # From the middle of the jaws it is 100 to 120 to the right.
        self.assertGreater(plan_view.high[0], 119.9)
        self.assertLess(front.low[1], -90.0)
        soft = held(AT_END, made=True, hold=IN_VISE.model_copy(update={"jaws": SoftJaws(depth=8.0)}))
        self.assertEqual([each.name for each in cut_of(soft).sunk], ["jaws", "support 1's top"])
        self.assertTrue([line for line in bench_tape(soft, STEP).lines if line.text == "jaws, X across"])
        # Soft jaws 8 over the seat; a block of 20 more is 12 higher, and all is so much deeper from there.
        jaws = SoftJaws(depth=8.0, bore=ReferenceBore(beside=30, behind=8, diameter=10, depth=9))
        high = held(AT_END.model_copy(update={"cut": 20.0}), made=True, hold=IN_VISE.model_copy(update={"jaws": jaws}))
        self.assertEqual([each.depth for each in cut_of(high).sunk], [20.0, 20.0])
        self.assertEqual([each.depth for each in cut_of(high).bored], [21.0])


class TrueTest(unittest.TestCase):
    def test_on_the_machine_it_stands_where_it_is_planned(self):
        """Blanks 0.6 longer against a stop, dowel or fence at their right reach 0.6 further to the left; the block is
        where it was put."""
        stop = IN_VISE.model_copy(update={"stop": Stop(side="right", height=35)})
        dowel = PlateHold(x=-140.0, dowels=(Dowel(x=264, y=20, diameter=8, height=8),))
        fence = BoardHold(x=-240.0, fence=Fence(side="right", length=30))
        for hold in (stop, dowel, fence):
            plan = held(Support(x=20.0, y=20.0), hold=hold)
            result = rehearse(written_plan(plan), TrueWorld(stock_off=Point(x=0.6, y=0.0, z=0.0))).setups[0]
            planned, true = plan.setups[0].holding, result.clamped.holding
            self.assertAlmostEqual(float(true.u_stock[1][0] - true.u_stock[0][0]), 260.6)
            there = [each.tf_s_u(np.array(each.block("support 1").low)) for each in (planned, true)]
            np.testing.assert_allclose(there[0], there[1], atol=1e-6)

    def test_what_an_offset_means_does_not_change(self):
        with_one, without = held(AT_END).job, held().job
        self.assertEqual(meaning_of(with_one, with_one.setups[0]), meaning_of(without, without.setups[0]))


class EditTest(unittest.TestCase):
    def test_put_where_the_stock_hangs_free(self):
        """55 hang beyond either end of the jaws: a square of 40 less a tenth in the circle there."""
        plan = held()
        job = with_support(plan, 0)
        (support,) = job.setups[0].hold.supports
        self.assertTrue(support.x < 55.0 or support.x > 205.0)
        self.assertAlmostEqual(support.length, 0.9 * math.sqrt(2.0) * 20.0, delta=0.2)
        # 12 beyond the jaws before 20 between the parallels, and of two ends the one that hangs out further.
        for beside, x in ((5.0, 168.0), (-5.0, 6.0)):
            hold = IN_VISE.model_copy(update={"beside": beside})
            short = held(hold=hold, part=(174, 40, 20), stock=(174, 40, 20))
            (support,) = with_support(short, 0).setups[0].hold.supports
            self.assertAlmostEqual(support.x, x, delta=0.2)
        plan = plan_of(add_holder(job, 0, "support", plan_of(job)))
        self.assertEqual(told(plan), {"SUPPORT_NOT_CUT"})
        self.assertEqual({each.support.x > 130.0 for each in plan.setups[0].supports}, {True, False})
        self.assertIn("SUPPORT_SLOPES", told(plan_of(with_support(leaning(), 0))))
        job = without_support(with_size(plan.job, 0, 2, "width", 12.0), 0, 1)
        self.assertEqual([each.width for each in job.setups[0].hold.supports], [12.0])

    def test_dragged(self):
        setup_plan = held(AT_END).setups[0]
        self.assertIn("support 1", [each.name for each in draggables(setup_plan)])
        self.assertEqual(place(setup_plan, "support 1", (3.2, -4.0), 0.5).moved, (3.0, -4.0))

    def test_refused(self):
        with self.assertRaisesRegex(InvalidValueError, "hangs free nowhere"):
            with_support(held(hold=PlateHold()), 0)
        with self.assertRaisesRegex(InvalidValueError, "there are 20 already"):
            with_support(held(*[AT_END] * 20), 0)
        with self.assertRaisesRegex(InvalidValueError, "has 1; there is no number 2"):
            without_support(held(AT_END).job, 0, 2)
        with self.assertRaisesRegex(InvalidValueError, "has none"):
            with_size(held().job, 0, 1, "x", 3.0)
        with self.assertRaisesRegex(InvalidValueError, "bears it all round"):
            up = Chuck(name="C", diameter=100, length=80, height=85, opens="up")
            with_support(plan_of(bar_job(setup(hold=ChuckHold()), along="z", fixtures=(up,))), 0)


if __name__ == "__main__":
    unittest.main()
