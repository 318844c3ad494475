"""A stop that meets the hat, nothing, or the wall: each found, and none found where it is as planned.

The block is 60 x 40 x 20 with 2 of stock round it and a hat of 4.5 under it; turned over, the hat lies on top.
"""

from __future__ import annotations

import math
import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.holding.stops import stop_contact
from ledgecliff.core.model.holding import Dowel, PlateHold, Stop
from ledgecliff.core.model.operations import Face, Outline, Pocket
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.remedies.tried import with_fix
from tests.core.holding.test_centring_vise import CENTRING
from tests.jobs import IN_VISE, bar_job, block_job, feature, plan_of, setup

FIXED = CENTRING.model_copy(update={"centring": False})


def job(height, side="left", jaw="back", *, features=(), more=()):
    """Parallels are 30 high, so that the finished wall reaches from 30 to 50 over the bed."""
    one = setup(Face(name="face", tool=1), Outline(name="round", tool=1), *more)
    hold = IN_VISE.model_copy(update={"stop": Stop(side=side, height=height)})
    right = {"back": "+X", "front": "-X", "left": "+Y", "right": "-Y"}[jaw]
    two = setup(name="Op 20", up="-Z", right=right, hold=hold, offset="G55")
    return block_job(
        one, two, stock=(64, 44, 24.5), allowance=Allowance(plus_z=0.0), features=features,
        fixtures=(FIXED.model_copy(update={"fixed_jaw": jaw}),),
    )  # fmt: skip


def found(of):
    return [finding for finding in findings_of(plan_of(of)) if finding.code.startswith("STOP_MEETS")]


class DowelTest(unittest.TestCase):
    """Turned over on a plate: the wall reaches 20 up, the hat of 4.5 over it stands out by 2."""

    def found(self, *dowels, registered=False):
        one = setup(Face(name="face", tool=1), Outline(name="round", tool=1))
        hold = PlateHold(dowels=dowels, registered=registered)
        two = setup(name="Op 20", up="-Z", hold=hold, offset="G55")
        of = block_job(one, two, stock=(64, 44, 24.5), allowance=Allowance(plus_z=0.0), fixtures=(FIXED,))
        named = ("DOWEL_IN_STOCK", "DOWEL_MEETS_NOTHING")
        return of, [each for each in findings_of(plan_of(of)) if each.code in named]

    def test_against_the_wall_up_to_the_hat(self):
        """From the stock's corner, which is the hat's, the wall is 2 in."""
        for height, code in ((10, None), (20, None), (20.5, "DOWEL_IN_STOCK"), (24, "DOWEL_IN_STOCK")):
            for x, y in ((-3, 20), (67, 20), (30, -3), (30, 47)):
                x, y = (x + 2 if x < 0 else x - 2 if x > 64 else x), (y + 2 if y < 0 else y - 2 if y > 44 else y)
                _, found = self.found(Dowel(x=x, y=y, diameter=6, height=height))
                self.assertEqual([each.code for each in found], [code] if code else [], (height, x, y))

    def test_against_the_hat_a_low_one_meets_nothing(self):
        _, (low,) = self.found(Dowel(x=-3, y=20, diameter=6, height=15))
        self.assertEqual((low.code, low.severity), ("DOWEL_MEETS_NOTHING", "warning"))
        self.assertEqual(self.found(Dowel(x=-3, y=20, diameter=6, height=22))[1], [])

    def test_the_remedy_cures_and_where_there_is_none_none_is_offered(self):
        of, (found,) = self.found(Dowel(x=-1, y=20, diameter=6, height=24))
        mended = with_fix(of, found.fixes[0])
        self.assertLess(mended.setups[1].hold.dowels[0].height, 20.0)
        left = {each.code for each in findings_of(plan_of(mended))}
        self.assertFalse(left & {"DOWEL_IN_STOCK", "DOWEL_MEETS_NOTHING"})
        _, (within,) = self.found(Dowel(x=20, y=20, diameter=6, height=8))
        self.assertEqual((within.code, within.fixes), ("DOWEL_IN_STOCK", ()))


class StopTest(unittest.TestCase):
    def test_the_wall_is_met_up_to_the_hat(self):
        for side in ("left", "right"):
            for jaw in ("back", "front", "left", "right"):
                for height, code in ((40, None), (50, None), (50.3, "STOP_MEETS_HAT"), (30, "STOP_MEETS_NOTHING")):
                    with self.subTest(side=side, jaw=jaw, height=height):
                        codes = [finding.code for finding in found(job(height, side, jaw))]
                        self.assertEqual(codes, [code] if code else [])

    def test_how_far_the_hat_stands_out(self):
        for side in ("left", "right"):
            for jaw in ("back", "front", "left", "right"):
                contact = stop_contact(plan_of(job(53, side, jaw)).setups[1].holding)
                self.assertAlmostEqual(contact.beyond, 2.0)
                self.assertAlmostEqual(contact.clear_height, 50.0, msg=(side, jaw))
        (finding,) = found(job(53))
        self.assertEqual(finding.severity, "error")
        self.assertIn("2.000", finding.message())

    def test_the_remedy_cures(self):
        of = job(60)
        (finding,) = found(of)
        mended = with_fix(of, finding.fixes[0])
        self.assertEqual(mended.setups[1].hold.stop.height, 49.5)
        self.assertEqual(found(mended), [])

    def test_a_hat_right_above_the_jaws_has_no_lower_stop(self):
        """0.5 is gripped and 1.2 of the wall free: half a millimetre below the hat, less than 1 is left to meet."""
        of = job(53)
        of = set_value(of, ("setups", 0, "operations", 1, "below"), -18.8)
        of = set_value(of, ("setups", 1, "hold", "parallels_height"), 41.5)
        (finding,) = found(of)
        self.assertEqual((finding.code, finding.fixes), ("STOP_MEETS_HAT", ()))

    def test_an_open_slot_where_the_stop_would_stand(self):
        """22 wide and 10 in from the left end: the stop, 20 wide, finds its end. 18 wide, it finds the rims."""
        for width, beyond in ((22, -10.0), (18, 0.0)):
            slot = feature("slot", "slot", (0, 20, 20), length=20, width=width, depth=20, radius=1, lengthwise="+X")
            of = job(40, features=(slot,), more=(Pocket(name="slot", tool=2, on="slot"),))
            with self.subTest(width=width):
                contact = stop_contact(plan_of(of).setups[1].holding)
                self.assertAlmostEqual(contact.beyond, beyond)
                self.assertEqual([finding.code for finding in found(of)], ["STOP_MEETS_NOTHING"] if beyond else [])

    def test_a_round_end_is_met_where_it_reaches_furthest(self):
        hold = IN_VISE.model_copy(update={"stop": Stop(side="right", height=40)})
        of = bar_job(setup(up="+X", right="+Y", hold=hold), length=30)
        contact = stop_contact(plan_of(of).setups[0].holding)
        self.assertAlmostEqual(contact.beyond, 0.0, delta=1e-6)
        self.assertEqual(found(of), [])

    def test_without_a_stop_there_is_nothing_to_meet(self):
        self.assertIsNone(stop_contact(plan_of(block_job(setup())).setups[0].holding))
        self.assertFalse(math.isnan(stop_contact(plan_of(job(40)).setups[1].holding).beyond))
