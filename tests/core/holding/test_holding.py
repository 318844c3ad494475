"""Seat, grip, opening and heights of the demo, worked by hand."""

from __future__ import annotations

import unittest

import manifold3d
import numpy as np

from ledgecliff.core.blanks import box
from ledgecliff.core.errors import InternalError
from ledgecliff.core.holding.flat_beds import clamp_block
from ledgecliff.core.holding.holding import shaped_block
from ledgecliff.core.model.holding import Clamp
from tests.helpers import demo_plan, plan_with


class HoldPartTest(unittest.TestCase):
    def test_op_10_grips_only_the_hat(self):
        """Jaws 42 high, parallels 38: 4.0 of the 4.5 hat; opening is the measured 68."""
        holding = demo_plan().setups[0].holding
        self.assertAlmostEqual(holding.grip, 4.0)
        self.assertAlmostEqual(holding.opening, 68.0)
        self.assertAlmostEqual(holding.seat, -4.5)
        self.assertAlmostEqual(holding.jaw_top, -0.5)

    def test_op_20_grips_the_finished_walls_under_the_hat(self):
        """Lying on the finished top: jaws reach 18 up, below the hat that starts at 28."""
        holding = demo_plan().setups[1].holding
        self.assertAlmostEqual(holding.opening, 64.0)
        self.assertAlmostEqual(holding.grip, 18.0)
        self.assertAlmostEqual(holding.seat, -28.0)

    def test_jaws_that_reach_the_hat_open_to_the_hat(self):
        holding = plan_with((("machines", 0, "fixtures", 1, "jaw_height"), 54.0)).setups[1].holding
        self.assertAlmostEqual(holding.opening, 68.0)

    def test_height_ladder_in_wcs(self):
        """Chapter 2: stock bottom at Z -32.5, part bottom at -28, hat top of Op 20 at +32.5."""
        for index, expected in (
            (0, {"stock-top": 1.5, "part-top": 0, "part-underside": -28, "parallels": -32.5, "bed": -70.5}),
            (1, {"stock-top": 32.5, "part-top": 28, "part-underside": 0, "parallels": 0, "jaw-top": 18}),
        ):
            setup = demo_plan().setups[index]
            heights = {rung.key: rung.u_z - setup.wcs.u_origin[2] for rung in setup.holding.heights()}
            for key, height in expected.items():
                self.assertAlmostEqual(heights[key], height, msg=key)
            ladder = [rung.u_z for rung in setup.holding.heights()]
            self.assertEqual(ladder, sorted(ladder, reverse=True))

    def test_blocks_stand_where_the_vise_is(self):
        """In machine coordinates the fixed jaw's face, the bed and the parallels come out where they are."""
        for setup in demo_plan().setups:
            holding, shift = setup.holding, setup.located.tf_m_u.shift
            at = setup.machine.station(setup.setup.station).at
            fixed = next(block for block in holding.blocks if block.name == "fixed jaw")
            parallel = next(block for block in holding.blocks if block.name == "back parallel")
            self.assertAlmostEqual(fixed.low[1] + shift[1], at.y)
            self.assertAlmostEqual(fixed.low[2] + shift[2], at.z)
            self.assertAlmostEqual(parallel.high[2] + shift[2], at.z + holding.hold.parallels_height)
            self.assertAlmostEqual((fixed.low[0] + fixed.high[0]) / 2 + shift[0], at.x)

    def test_moving_the_part_along_the_jaws_moves_it_in_x_only(self):
        before, after = demo_plan(), plan_with((("setups", 0, "hold", "beside"), 7.0))
        np.testing.assert_allclose(
            after.setups[0].located.m_offset - before.setups[0].located.m_offset, (7.0, 0.0, 0.0), atol=1e-9
        )

    def test_higher_parallels_lift_the_zero_by_as_much(self):
        after = plan_with((("setups", 0, "hold", "parallels_height"), 40.0))
        np.testing.assert_allclose(
            after.setups[0].located.m_offset - demo_plan().setups[0].located.m_offset, (0.0, 0.0, 2.0), atol=1e-9
        )
        self.assertAlmostEqual(after.setups[0].holding.grip, 2.0)


class ClampTest(unittest.TestCase):
    def test_its_bar_goes_from_the_nose_to_45_beyond_what_clears_the_stock(self):
        """Of a block 60 x 40 x 20: 2 clear of its side and 45 on; of a nose beside the stock 45 on from there."""
        stock = box((0, 0, 0), (60, 40, 20))
        low, high = np.zeros(3), np.array([60.0, 40.0, 20.0])
        for x, y, side, expected in (
            (8.0, 20.0, "left", ((-47, 10, 0), (18, 30, 35))),
            (55.0, 20.0, "right", ((48, 10, 0), (107, 30, 35))),
            (30.0, 38.0, "back", ((20, 34, 0), (40, 87, 35))),
            (30.0, 4.0, "front", ((20, -47, 0), (40, 10, 35))),
            (500.0, 20.0, "right", ((500, 10, 0), (545, 30, 35))),
            (-70.0, 20.0, "left", ((-115, 10, 0), (-70, 30, 35))),
        ):
            with self.subTest(x=x, y=y, side=side):
                block = clamp_block(1, Clamp(x=x, y=y, side=side), stock, low, high)
                np.testing.assert_allclose((block.low, block.high), expected, atol=1e-9)


class ShapedBlockTest(unittest.TestCase):
    def test_a_block_without_a_body_is_no_block(self):
        """A solid with nothing in it has corners at infinity, which drawings and touches would go to."""
        with self.assertRaisesRegex(InternalError, "clamp 3: nothing is left of its body"):
            shaped_block("clamp 3", "clamp", manifold3d.Manifold())
        self.assertEqual(shaped_block("pin", "clamp", box((0, 0, 0), (1, 2, 3))).high, (1.0, 2.0, 3.0))
