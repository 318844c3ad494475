"""Gripped faces, seat, tipping, thin places, tools and loose pieces, on blocks worked out by hand."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.holding.contact import overhangs
from ledgecliff.core.model.holding import (
    BoardHold,
    Clamp,
    Dowel,
    PlateHold,
    Screw,
    SoftJaws,
    StepJaws,
    VBlockHold,
    ViseHold,
)
from ledgecliff.core.model.machine import Cutter
from ledgecliff.core.model.operations import Hole, Outline, Pocket, Region
from ledgecliff.core.model.stock import Allowance
from tests.jobs import IN_VISE, ON_BOARD, bar_job, block_job, feature, plan_of, setup


def first(*setups, **job):
    return plan_of(block_job(*setups, **job)).setups[0]


def in_vise(**changes):
    return setup(hold=IN_VISE.model_copy(update=changes))


class GripTest(unittest.TestCase):
    """Jaws 42 high, parallels 30: a band of 12 on a block 60 long."""

    def test_flat_block(self):
        grip = first().grip
        self.assertAlmostEqual(grip.opposite, 60 * 12)
        self.assertAlmostEqual(grip.band, 60 * 12)
        self.assertTrue(grip.parallel)
        self.assertEqual((grip.surface, grip.cut_share), ("raw", 0.0))

    def test_faces_that_are_cut_meanwhile(self):
        """A region 10 long, right down: a sixth of both gripped faces goes."""
        cut = Region(name="r", tool=2, left=0, right=10, front=-9, back=49, depth=20)
        part = feature("gone", "slot", (5, 20, 20), length=40, width=10, depth=20, lengthwise="+Y")
        grip = first(setup(cut), features=(part,), allowance=Allowance(plus_x=0.0)).grip
        self.assertAlmostEqual(grip.cut_share, 1 / 6, places=4)

    def test_a_round_bar_between_flat_jaws_is_held_along_lines(self):
        grip = plan_of(bar_job(setup(hold=IN_VISE.model_copy(update={"parallels_height": 20})))).setups[0].grip
        self.assertFalse(grip.parallel)

    def test_soft_jaws_hold_any_outline(self):
        hold = IN_VISE.model_copy(update={"jaws": SoftJaws(depth=8)})
        self.assertTrue(plan_of(bar_job(setup(hold=hold), along="z")).setups[0].grip.parallel)

    def test_a_jaw_shorter_than_the_part(self):
        narrow = first().machine.fixtures[0].model_copy(update={"jaw_width": 40.0})
        self.assertAlmostEqual(first(fixtures=(narrow,)).grip.opposite, 40 * 12)


class SeatTest(unittest.TestCase):
    def test_two_parallels(self):
        """Each 10 thick under 60 of the block; the middle lies 20 inside of their outer edges."""
        seat = first().seat
        self.assertAlmostEqual(seat.area, 2 * 60 * 10)
        self.assertAlmostEqual(seat.share, 0.5)
        self.assertAlmostEqual(seat.steady, 20)

    def test_steps_and_soft_jaws(self):
        self.assertAlmostEqual(first(in_vise(jaws=StepJaws(height=30, depth=4))).seat.area, 2 * 60 * 4)
        # The floor of soft jaws: 60 x 40 less the 8 between them.
        self.assertAlmostEqual(first(in_vise(jaws=SoftJaws(depth=6))).seat.area, 60 * 32, places=3)

    def test_plate_and_board_carry_all_of_it(self):
        on_plate = setup(hold=PlateHold())
        self.assertAlmostEqual(first(on_plate).seat.area, 60 * 40)
        self.assertAlmostEqual(first(setup(hold=ON_BOARD)).seat.area, 60 * 40)

    def test_over_the_edge_of_the_plate_it_tips(self):
        """The plate is 400 long; the block's middle 5 beyond its end stands on 25 of its 60."""
        seat = first(setup(hold=PlateHold(x=205))).seat
        self.assertAlmostEqual(seat.area, 25 * 40)
        self.assertAlmostEqual(seat.steady, -5)
        self.assertAlmostEqual(overhangs(first(setup(hold=PlateHold(x=205))).holding)["+X"], 35)

    def test_a_bar_in_a_v(self):
        """Ø30 in 90°: the axis is 15√2 over the apex, so the lowest line 15(√2 - 1) over it."""
        planned = plan_of(bar_job(setup(hold=VBlockHold(beside=20)))).setups[0]
        self.assertAlmostEqual(planned.seat.steady, 30)
        block = planned.holding.block("V-block")
        apex = planned.holding.seat - 15 * (2**0.5 - 1)
        self.assertAlmostEqual(block.high[2], apex + 20, delta=0.02)


class ThinTest(unittest.TestCase):
    def test_floor_of_a_pocket(self):
        pocket = feature("p", "pocket", (30, 20, 1.2), length=30, width=20, depth=18.8, lengthwise="+X")
        thin = first(setup(Pocket(name="p", tool=3, on="p")), features=(pocket,)).thinnest
        self.assertAlmostEqual(thin.mm, 1.2)
        self.assertEqual((thin.kind, thin.squeezed), ("floor", False))

    def test_a_wall_between_the_jaws(self):
        pocket = feature("p", "pocket", (30, 20.9, 2), length=30, width=37, depth=18, lengthwise="+X")
        thin = first(setup(Pocket(name="p", tool=3, on="p")), features=(pocket,)).thinnest
        self.assertAlmostEqual(thin.mm, 0.6)
        self.assertEqual((thin.kind, thin.squeezed), ("wall", True))


DEEP = feature("deep", "pocket", (30, 20, 2), length=30, width=20, depth=18, radius=5, lengthwise="+X")


class ToolTest(unittest.TestCase):
    def use(self, operation, hold=IN_VISE, features=(DEEP,), stock=(60, 40, 20), **cutter):
        tool = Cutter(tool=3, name="mill", diameter=8, length=100, **cutter)
        job = block_job(setup(operation, hold=hold), features=features, stock=stock, cutters=(tool, *OTHERS))
        (use,) = plan_of(job).setups[0].tool_uses
        return use

    def test_depth_reach_and_holder(self):
        """18 deep: with 17.5 of reach the holder stands half a millimetre in the stock."""
        cut = Pocket(name="p", tool=3, on="deep")
        self.assertAlmostEqual(self.use(cut).depth, 18, places=3)
        self.assertEqual(self.use(cut, reach=18.0).clashes, ())
        (clash,) = self.use(cut, reach=17.5).clashes
        self.assertEqual((clash.with_what, clash.holder), ("the stock", True))
        self.assertAlmostEqual(clash.by, 0.5, places=3)

    def test_a_slim_holder_goes_into_a_wide_pocket(self):
        """The axis keeps 4 from the walls; a holder of 8 passes, one of 9 does not."""
        cut = Pocket(name="p", tool=3, on="deep")
        self.assertEqual(self.use(cut, reach=10.0, holder_diameter=7.5).clashes, ())
        self.assertNotEqual(self.use(cut, reach=10.0, holder_diameter=9.5).clashes, ())

    def test_flutes(self):
        cut = Pocket(name="p", tool=3, on="deep")
        self.assertAlmostEqual(self.use(cut, flute=12.0, reach=30.0).too_long_for_flute, 6, places=3)
        self.assertEqual(self.use(cut, flute=18.0, reach=30.0).too_long_for_flute, 0)

    def test_a_hole_over_a_parallel(self):
        """Parallels reach 10 in from the jaws: a Ø6 hole at 8 from the side goes into one, at 20 between them."""
        for y, hits in ((8, ("front parallel",)), (20, ())):
            hole = feature("h", "hole", (30, y, 20), diameter=6, through=True)
            use = self.use(Hole(name="h", tool=3, on="h", beyond=1.5), features=(hole,))
            self.assertEqual(tuple(clash.with_what for clash in use.clashes), hits)
            for clash in use.clashes:
                self.assertAlmostEqual(clash.by, 1.5, places=3)

    def test_the_board_may_be_cut_as_deep_as_it_allows(self):
        """1.0 into the board under 0.2 of tape."""
        hole = feature("h", "hole", (30, 20, 20), diameter=6, through=True)
        hold = BoardHold(tape=0.2, screws=())
        for beyond, hit in ((1.2, False), (1.5, True)):
            use = self.use(Hole(name="h", tool=3, on="h", beyond=beyond), hold=hold, features=(hole,))
            named = [clash for clash in use.clashes if clash.with_what == "spoilboard"]
            self.assertEqual(bool(named), hit)

    def test_a_clamp_in_the_way_of_an_outline(self):
        clamped = PlateHold(clamps=(Clamp(x=2, y=20, side="left", reach=5),))
        use = self.use(Outline(name="o", tool=3), hold=clamped, features=(), stock=(70, 50, 20))
        self.assertEqual([clash.with_what for clash in use.clashes if not clash.holder], ["clamp 1", "plate"][:1])


OTHERS = tuple(
    Cutter(tool=number, name=f"T{number}", diameter=12, length=100) for number in (1, 2, 4)
)  # the hover check wants tool 2


class LooseTest(unittest.TestCase):
    SLOT = Outline(name="round", tool=3, slot=8)

    def pieces(self, hold, *operations, stock=(100, 80, 20)):
        planned = first(setup(*operations, hold=hold), stock=stock)
        return planned.pieces_after(len(operations) - 1)

    def test_in_one_piece_the_vise_holds_it(self):
        (piece,) = self.pieces(IN_VISE, Outline(name="o", tool=3, slot=8, below=-5))
        self.assertEqual(piece.held_by, ("fixed jaw", "moving jaw"))

    def test_cut_right_through_the_border_is_held_and_the_part_is_not(self):
        part, border = self.pieces(IN_VISE, self.SLOT)
        self.assertTrue(part.is_part)
        self.assertEqual((part.held_by, border.held_by), ((), ("fixed jaw", "moving jaw")))
        self.assertAlmostEqual(part.volume, 60 * 40 * 20, places=2)

    def test_tape_holds_both(self):
        part, border = self.pieces(ON_BOARD, self.SLOT)
        self.assertEqual((part.held_by, border.held_by), (("tape",), ("tape",)))

    def test_screws_hold_the_piece_they_go_through(self):
        part, border = self.pieces(BoardHold(screws=(Screw(x=5, y=5), Screw(x=95, y=75))), self.SLOT)
        self.assertEqual((part.held_by, border.held_by), ((), ("screw 1", "screw 2")))

    def test_dowels_only_locate(self):
        dowel = Dowel(x=-3, y=40, diameter=6, height=10)
        (piece,) = self.pieces(PlateHold(dowels=(dowel,)), Outline(name="o", tool=3, slot=8, below=-5))
        self.assertEqual(piece.held_by, ())


class HoldingKindsTest(unittest.TestCase):
    """Where the zero of the fixture comes to lie on the machine, for each kind of fixture."""

    def test_height_of_the_seat(self):
        for hold, height in (
            (ViseHold(parallels_height=30, parallels_thickness=10, parallels_length=100), -480 + 30),
            (IN_VISE.model_copy(update={"jaws": StepJaws(height=25, depth=4)}), -480 + 25),
            (IN_VISE.model_copy(update={"jaws": SoftJaws(depth=8)}), -480 + 42 - 8),
            (PlateHold(), -450),
            (ON_BOARD, -450 + 0.2),
        ):
            with self.subTest(hold.by):
                planned = first(setup(hold=hold))
                seat = planned.located.tf_m_u(np.array([0.0, 0.0, planned.holding.seat]))
                self.assertAlmostEqual(seat[2], height)

    def test_the_fixed_jaw_on_any_side(self):
        """Middle of the jaws at X -520, fixed jaw's face at Y -180: turned by quarters about that place."""
        vise = first().machine.fixtures[0]
        for side, axis, face in (("back", 1, -180), ("front", 1, -180), ("left", 0, -520), ("right", 0, -520)):
            with self.subTest(side):
                planned = first(fixtures=(vise.model_copy(update={"fixed_jaw": side}),))
                holding = planned.holding
                self.assertEqual(holding.jaws.axis, axis)
                self.assertAlmostEqual(planned.located.tf_m_u(np.full(3, holding.jaws.face))[axis], face)
                self.assertEqual(holding.jaws.toward, 1 if side in ("back", "right") else -1)
                self.assertAlmostEqual(holding.opening, 40 if axis == 1 else 60)
                stock = holding.u_stock[1 if holding.jaws.toward > 0 else 0][axis]
                self.assertAlmostEqual(stock, holding.jaws.face)

    def test_the_stop_meets_the_stocks_end(self):
        from ledgecliff.core.model.holding import Stop

        for side, end in (("left", 0.0), ("right", 60.0)):
            stop = first(in_vise(stop=Stop(side=side, height=40))).holding.block("stop")
            self.assertAlmostEqual(stop.high[0] if side == "left" else stop.low[0], end)

    def test_soft_jaws_are_cut_to_the_outline(self):
        """A block of 60 x 40 sunk 6 deep: the jaws keep all but what stands in the cut."""
        planned = first(in_vise(jaws=SoftJaws(depth=6)))
        for name in ("fixed jaw", "moving jaw"):
            solid = planned.holding.block(name).solid()
            self.assertAlmostEqual((solid ^ planned.before.solid).volume(), 0, places=3)
        np.testing.assert_allclose(planned.holding.jaw_top - planned.holding.seat, 6)
