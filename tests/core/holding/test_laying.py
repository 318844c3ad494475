"""How near a blank must be laid that a hand puts on lines: worked out from the drawing of a part of 60 x 40."""

from __future__ import annotations

import unittest

from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.holding import BoardHold, Dowel, PlateHold
from ledgecliff.core.model.operations import Outline, Pin, PinBores
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.tape.scenes import holding_tape
from ledgecliff.sheets.setup_sheet import sheet_html
from tests.jobs import block_job, plan_of, setup

FAST = AxisDatum(source="fixture value")
CENTRE = AxisDatum(source="stock centre")
TOP = AxisDatum(source="stock top")
ON_TAPE = BoardHold(tape=0.2)


def plan(*operations, stock=(70, 52, 20), hold=ON_TAPE, x=FAST, y=FAST, allowance=None, varies=(0, 0, 0)):
    one = setup(*operations, hold=hold, datum=Datum(x=x, y=y, z=TOP))
    return plan_of(block_job(one, stock=stock, allowance=allowance, varies=varies))


def within(*operations, **more):
    by_eye = plan(*operations, **more).setups[0].laid_by_eye
    return None if by_eye is None else (round(by_eye.within, 3), by_eye.limit)


class LayingTest(unittest.TestCase):
    def test_what_stands_over_on_the_nearest_side(self):
        """70 x 52 about 60 x 40: 5 along X, 6 along Y; moved in it, what is left on the nearer side."""
        self.assertEqual(within(), (5.0, "edge"))
        self.assertEqual(within(stock=(80, 52, 20)), (6.0, "edge"))
        self.assertEqual(within(allowance=Allowance(minus_x=1.5)), (1.5, "edge"))
        self.assertEqual(within(allowance=Allowance(plus_y=0.25)), (0.25, "edge"))

    def test_a_slot_and_blanks_that_vary_take_of_it(self):
        self.assertEqual(within(Outline(name="o", tool=2, slot=3, tabs=2)), (2.0, "edge"))
        self.assertEqual(within(varies=(0.4, 0.1, 0.9)), (4.6, "edge"))

    def test_bores_for_pins(self):
        """A bore of 8.04 with a wall of 4 at X 31 of 35 from the middle lies 35 - 31 - 4.02 - 4 past where it may."""
        bores = PinBores(name="p", tool=2, pins=(Pin(x=31, y=0, diameter=8), Pin(x=-26, y=0, diameter=8)))
        self.assertEqual(within(bores), (-4.02, "pins"))
        wide = (90, 52, 20)
        self.assertEqual(within(bores, stock=wide), (5.98, "pins"))
        # Its left edge 3 beside the part, the bore at 4 from the part's own is 7 from it.
        self.assertEqual(within(bores, stock=wide, allowance=Allowance(minus_x=3.0)), (-1.02, "pins"))

    def test_where_it_is_touched_or_held_a_hand_does_not_matter(self):
        self.assertIsNone(within(x=CENTRE, y=CENTRE))
        self.assertEqual(within(x=CENTRE, y=FAST), (5.0, "edge"))
        dowels = (Dowel(x=-4, y=20, diameter=8, height=8), Dowel(x=20, y=-4, diameter=8, height=8))
        self.assertIsNone(within(hold=PlateHold(dowels=dowels)))
        self.assertIsNotNone(within(hold=PlateHold(dowels=dowels[:1])))

    def test_told_on_tape_and_sheet_and_where_it_is_too_little(self):
        for over, fires in ((0.7, False), (0.5, True)):
            of = plan(stock=(60 + 2 * over, 52, 20))
            found = [each for each in findings_of(of) if each.code == "LAID_TOO_CLOSE"]
            self.assertEqual(bool(found), fires, over)
            line = next(each for each in holding_tape(of.setups[0]).lines if each.text == "to within ±")
            self.assertAlmostEqual(line.mm, over, 3)
            self.assertIn("laid by eye, to within ±", sheet_html(of))
        self.assertIn("must lie within ±0.500 mm of its place", found[0].message())


if __name__ == "__main__":
    unittest.main()
