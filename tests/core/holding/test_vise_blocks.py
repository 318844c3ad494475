"""Where each jaw, parallel, step and stop of a vise stands, worked out from the stock as at the bench.

The demo's blank lies from -2 to 98, -2 to 66 and -4.5 to 29.5 round its part, on parallels 38 high.
"""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.setups import with_jaws, with_reference_bore, with_stop
from ledgecliff.core.holding import vises
from ledgecliff.core.model.holding import SoftJaws, StepJaws
from ledgecliff.core.plan import make_plan
from tests.helpers import demo, models

VISE = demo().machines[0].fixtures[0]
HOLD = demo().setups[0].hold
BED, SEAT = -4.5 - HOLD.parallels_height, -4.5
TOP = BED + VISE.jaw_height
MIDDLE = 48.0


def held(job=None):
    return make_plan(job or demo(), models()).setups[0].holding


def with_hold(**values):
    job = demo()
    for name, value in values.items():
        job = set_value(job, ("setups", 0, "hold", name), value)
    return job


class PlainTest(unittest.TestCase):
    def assert_blocks(self, holding, expected):
        for name, (low, high) in expected.items():
            block = holding.block(name)
            np.testing.assert_allclose((block.low, block.high), (low, high), atol=1e-9, err_msg=name)

    def jaws(self, middle=MIDDLE):
        left, right = middle - VISE.jaw_width / 2.0, middle + VISE.jaw_width / 2.0
        thick = VISE.jaw_thickness
        return {
            "fixed jaw": ((left, 66.0, BED), (right, 66.0 + thick, TOP)),
            "moving jaw": ((left, -2.0 - thick, BED), (right, -2.0, TOP)),
        }

    def test_jaws_and_parallels(self):
        left, right = MIDDLE - HOLD.parallels_length / 2.0, MIDDLE + HOLD.parallels_length / 2.0
        thick = HOLD.parallels_thickness
        self.assert_blocks(held(), self.jaws() | {
            "back parallel": ((left, 66.0 - thick, BED), (right, 66.0, SEAT)),
            "front parallel": ((left, -2.0, BED), (right, -2.0 + thick, SEAT)),
        })  # fmt: skip
        self.assertAlmostEqual(held().opening, 68.0)
        self.assertAlmostEqual(held().grip, VISE.jaw_height - HOLD.parallels_height)

    def test_a_part_beside_the_middle_moves_the_jaws_and_not_the_parallels(self):
        holding = held(with_hold(beside=9.0))
        self.assert_blocks(holding, self.jaws(MIDDLE - 9.0))
        self.assertAlmostEqual(holding.block("back parallel").low[0], MIDDLE - HOLD.parallels_length / 2.0)

    def test_a_stop_stands_against_its_side_from_the_bed(self):
        for side, low_x in (("left", -2.0 - vises._STOP_WIDE), ("right", 98.0)):
            holding = held(with_stop(demo(), 0, side))
            height = holding.hold.stop.height
            middle, deep = 32.0, vises._STOP_DEEP / 2.0
            low, high = (low_x, middle - deep, BED), (low_x + vises._STOP_WIDE, middle + deep, BED + height)
            self.assert_blocks(holding, {"stop": (low, high)})

    def test_steps_carry_in_place_of_parallels(self):
        jaws = StepJaws(height=HOLD.parallels_height, depth=3.0)
        left, right = MIDDLE - VISE.jaw_width / 2.0, MIDDLE + VISE.jaw_width / 2.0
        self.assert_blocks(held(with_jaws(demo(), 0, jaws)), self.jaws() | {
            "fixed jaw step": ((left, 63.0, BED), (right, 66.0, SEAT)),
            "moving jaw step": ((left, -2.0, BED), (right, 1.0, SEAT)),
        })  # fmt: skip

    def test_a_fixed_jaw_on_another_side_is_the_same_turned(self):
        """In front: the faces change places; at the left: the jaws grip along X."""
        job = set_value(demo(), ("machines", 0, "fixtures", 0, "fixed_jaw"), "front")
        self.assertAlmostEqual(held(job).block("fixed jaw").high[1], -2.0)
        self.assertAlmostEqual(held(job).block("moving jaw").low[1], 66.0)
        job = set_value(demo(), ("machines", 0, "fixtures", 0, "fixed_jaw"), "left")
        fixed, moving = held(job).block("fixed jaw"), held(job).block("moving jaw")
        self.assertAlmostEqual(fixed.high[0], -2.0)
        self.assertAlmostEqual(moving.low[0], 98.0)
        np.testing.assert_allclose((fixed.low[1], fixed.high[1]), (32 - VISE.jaw_width / 2, 32 + VISE.jaw_width / 2))


class BandTest(unittest.TestCase):
    def test_jaws_close_on_what_is_between_them_alone(self):
        """A wedge 40 wide at its foot and 20 at the top, 30 high, gripped 12 high: at its foot it is widest, and
        upside down it is 20 + 20 * 12 / 30 = 28 where the jaws end."""
        for foot, head, width in ((40.0, 20.0, 40.0), (20.0, 40.0, 28.0)):
            corners = np.array([
                (x, y, z) for z, half in ((0.0, foot / 2), (30.0, head / 2)) for x in (0.0, 50.0) for y in (-half, half)
            ])  # fmt: skip
            hull = np.array([(0, 1, 3), (0, 3, 2), (4, 7, 5), (4, 6, 7), (0, 5, 1), (0, 4, 5), (2, 3, 7), (2, 7, 6),
                             (0, 2, 6), (0, 6, 4), (1, 5, 7), (1, 7, 3)])  # fmt: skip
            band = vises._gripped_band(corners, hull, 0.0, 12.0)
            low, high = band.min(axis=0), band.max(axis=0)
            self.assertAlmostEqual(high[1] - low[1], width)


class SoftTest(unittest.TestCase):
    DEPTH = 6.0

    def jaw(self, clearance=0.0, name="fixed jaw", job=None):
        soft = SoftJaws(depth=self.DEPTH, clearance=clearance)
        return held(job or with_jaws(demo(), 0, soft)).block(name).solid()

    def test_each_has_the_blanks_outline_sunk_into_it(self):
        """Up to the middle between the jaws, wider all round by the clearance, with its corners round by that."""
        thick = max(VISE.jaw_thickness, vises._SOFT_RIM)
        gap = vises.JAW_GAP / 2.0
        whole = VISE.jaw_width * (34.0 - gap + thick) * VISE.jaw_height
        for clearance in (0.0, 0.3):
            area = (100.0 + 2 * clearance) * (34.0 - gap + clearance) - 2 * clearance**2 * (1.0 - math.pi / 4.0)
            for name in ("fixed jaw", "moving jaw"):
                solid = self.jaw(clearance, name)
                self.assertAlmostEqual(solid.volume(), whole - area * self.DEPTH, delta=0.01 * self.DEPTH)
        low, high = (np.array(corner) for corner in np.array(self.jaw().bounding_box()).reshape(2, 3))
        bed = SEAT - (VISE.jaw_height - self.DEPTH)
        np.testing.assert_allclose(low, (MIDDLE - VISE.jaw_width / 2.0, 32.0 + gap, bed), atol=1e-9)
        np.testing.assert_allclose(high, (MIDDLE + VISE.jaw_width / 2.0, 66.0 + thick, SEAT + self.DEPTH), atol=1e-9)

    def test_a_reference_bore_goes_down_from_the_top_where_it_is_said_to_be(self):
        job = with_jaws(demo(), 0, SoftJaws(depth=self.DEPTH))
        bored = with_reference_bore(job, 0, True)
        bore = bored.setups[0].hold.jaws.bore
        lost = self.jaw(job=job) - self.jaw(job=bored)
        low, high = np.array(lost.bounding_box()).reshape(2, 3)
        centre = (MIDDLE + bore.beside, 66.0 + bore.behind)
        np.testing.assert_allclose((low + high)[:2] / 2.0, centre, atol=1e-6)
        np.testing.assert_allclose((high - low)[:2], bore.diameter, atol=1e-2)
        self.assertAlmostEqual(high[2], SEAT + self.DEPTH)
        self.assertAlmostEqual(high[2] - low[2], bore.depth)
