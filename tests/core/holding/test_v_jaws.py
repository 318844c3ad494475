"""Round stock upright in jaws with a groove: its place worked by hand, in the plan, the sums and on the true machine.

A bar of 50 in a groove of 90° has its middle 25 √2 = 35.355 before the groove's bottom; 40.7 wide that is 20.35 deep,
so that the jaw's face is 15.005 behind the middle, and 40.005 from a flat jaw on the other side.
"""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.blanks import transformed
from ledgecliff.core.budget.sides import off_its_zero
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.setups import with_jaws, with_stop
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.holding.v_jaws import lies_in_groove, v_jaws_for
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.holding import Stop, ViseHold, VJaws
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.operations import Hole, Region
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.rehearsal.true_world import TrueWorld
from ledgecliff.core.remedies.tried import with_fix
from ledgecliff.core.tape.scenes import holding_tape
from tests.helpers import demo
from tests.jobs import IN_VISE, bar_job, codes, feature, plan_of, setup
from tests.rehearsals import rehearsed

VISE = demo().machines[0].fixtures[0]
GROOVE = VJaws(width=40.7)
ROUTINE = ProbingRoutine(depth=4, guess=0.2)
UPPER = feature("upper", "hole", (0, 0, 60), diameter=8, depth=6, partner="lower")
LOWER = feature("lower", "hole", (0, 0, 0), "-Z", diameter=8, depth=6, partner="upper")
#: How much thicker than measured the bar is (mm).
THICKER = (0.0, 0.4, -0.4, 1.0, -0.7)
WITHIN = 0.006


def hold(jaws=GROOVE, **more):
    return IN_VISE.model_copy(update={"jaws": jaws} | more)


def job(jaws=GROOVE, x="fixture value", y="fixture value", *, vise=VISE, varies=0.0, **more):
    """Two coaxial blind holes, one from each end; the first zero is the bar's own middle, touched."""
    middle = AxisDatum(source="stock centre")
    touched = Datum(x=middle, y=middle, z=AxisDatum(source="stock top"))
    known = Datum(x=AxisDatum(source=x), y=AxisDatum(source=y), z=AxisDatum(source="stock top"))
    one = setup(
        Hole(name="above", tool=2, on="upper", features=("upper",)), hold=hold(jaws, **more), datum=touched,
        probing=ROUTINE,
    )  # fmt: skip
    two = setup(
        Hole(name="below", tool=2, on="lower", features=("lower",)), name="Op 20", up="-Z", hold=hold(jaws, **more),
        datum=known, probing=ROUTINE, offset="G55",
    )  # fmt: skip
    made = bar_job(one, two, diameter=50, length=60, along="z", features=(UPPER, LOWER), fixtures=(vise,))
    thick = made.stock.diameter.model_copy(update={"varies": varies})
    return made.model_copy(update={"stock": made.stock.model_copy(update={"diameter": thick})})


class PlaceTest(unittest.TestCase):
    def test_by_hand_to_every_side(self):
        for side, way in (("back", (0, 1)), ("front", (0, -1)), ("left", (-1, 0)), ("right", (1, 0))):
            for both, opening in ((False, 40.00534), (True, 30.01068)):
                vise = VISE.model_copy(update={"fixed_jaw": side})
                holding = plan_of(job(VJaws(width=40.7, both=both), vise=vise)).setups[0].holding
                np.testing.assert_allclose(holding.u_zero[:2], 15.00534 * np.array(way), atol=1e-4)
                self.assertAlmostEqual(holding.opening, opening, places=4)
                self.assertTrue(holding.jaws.fits)

    def test_jaws_touch_the_bar_and_do_not_stand_in_it(self):
        """The true round goes to its flanks, its facets end short of them by their own height."""
        for both in (False, True):
            planned = plan_of(job(VJaws(width=40.7, both=both), beside=12.0)).setups[0]
            stock = transformed(planned.before.solid, planned.setup.orientation.matrix())
            for name in planned.holding.jaws.names:
                jaw = planned.holding.block(name).solid()
                self.assertLess((jaw ^ stock).volume(), 1e-3)
                self.assertLess(jaw.min_gap(stock, 1.0), 0.05)
            block = planned.holding.block("fixed jaw")
            self.assertAlmostEqual((block.low[0] + block.high[0]) / 2.0, -12.0, msg="the groove is beside the middle")

    def test_other_angles_and_what_is_no_longer_whole(self):
        """A bar with a flat cut on is round where it lies; a block lies with two faces; edges lie nowhere."""
        ring = 25.0 * np.array([(math.cos(t), math.sin(t)) for t in np.radians(np.arange(0, 360, 5))])
        for angle in (60.0, 90.0, 120.0):
            found = lies_in_groove(v_jaws_for(50.0, angle), ring + np.array([3.0, -2.0]))
            np.testing.assert_allclose(found.bottom, (3.0, -2.0 + 25.0 / math.sin(math.radians(angle / 2))), atol=1e-6)
            self.assertTrue(found.fits)
        flat = ring[ring[:, 1] > -20.0]
        np.testing.assert_allclose(lies_in_groove(GROOVE, flat).bottom, (0.0, 35.35534), atol=1e-4)
        on_corner = np.array([(0, 20), (20, 0), (0, -20), (-20, 0)], dtype=float)
        lying = lies_in_groove(GROOVE, on_corner)
        np.testing.assert_allclose((*lying.bottom, lying.fits), (0, 20, True), atol=1e-9)
        self.assertTrue(lies_in_groove(VJaws(width=30.0), on_corner).fits, "its flats begin at the bottom")
        square = np.array([(-9, -9), (9, -9), (9, 9), (-9, 9)], dtype=float)
        self.assertFalse(lies_in_groove(GROOVE, square).fits)

    def test_too_wide_and_too_narrow_a_groove(self):
        for width, fires in ((40.7, False), (35.0, True), (36.0, False), (85.0, False), (125.0, True)):
            of = job(VJaws(width=width))
            self.assertEqual("V_JAW_MISFIT" in codes(of), fires, width)
        plan = plan_of(job(VJaws(width=20.0)))
        finding = next(f for f in findings_of(plan) if f.code == "V_JAW_MISFIT")
        self.assertNotIn("V_JAW_MISFIT", codes(with_fix(plan.job, finding.fixes[0])) - {"V_JAW_MISFIT"})
        self.assertEqual(with_fix(plan.job, finding.fixes[0]).setups[0].hold.jaws.width, 40.7)


class TruthTest(unittest.TestCase):
    def between(self, of, thicker):
        done = rehearsed(plan_of(of), world=TrueWorld(stock_off=Point(x=thicker, y=thicker, z=0.0)))
        self.assertEqual(done.alarms, ())
        return next(pair.p_deviation for pair in done.pairs if pair.feature == "upper")

    def test_a_thicker_bar_stands_further_from_the_groove(self):
        """Turned over about X the far hole lies as far to the other side in part coordinates; by hand r / sin 45."""
        for thicker in THICKER:
            x, y, _ = self.between(job(varies=1.0), thicker)
            self.assertAlmostEqual(x, 0.0, delta=WITHIN)
            self.assertAlmostEqual(abs(y), abs(thicker) / 2.0 * math.sqrt(2.0), delta=WITHIN)

    def test_between_two_grooves_that_close_alike_it_does_not(self):
        centring = VISE.model_copy(update={"centring": True})
        for thicker in THICKER:
            both = self.between(job(VJaws(width=40.7, both=True), vise=centring, varies=1.0), thicker)
            np.testing.assert_allclose(both[:2], 0.0, atol=WITHIN)

    def test_the_sums_say_the_same(self):
        centring = VISE.model_copy(update={"centring": True})
        for of, expected in (
            (job(varies=0.6), [0.0, 0.3 * math.sqrt(2.0)]),
            (job(VJaws(width=34.0, angle_deg=120.0), varies=0.6), [0.0, 0.3 / math.sin(math.radians(60.0))]),
            (job(VJaws(width=40.7, both=True), vise=centring, varies=0.6), [0.0, 0.0]),
            (job(x="stock centre", y="stock centre", varies=0.6), [0.0, 0.0]),
        ):
            for axis, size in zip("xy", expected, strict=True):
                sizes = [each.u for each in off_its_zero(plan_of(of), 1, axis).enters if each.source.kind == "blank"]
                self.assertAlmostEqual(max(sizes, default=0.0) * math.sqrt(3.0), size, msg=axis, delta=1e-6)
        holding = plan_of(job()).setups[1].holding
        self.assertEqual([holding.clamping_along(k).kind for k in (0, 1)], ["normal", "one-sided"])


class HeldTest(unittest.TestCase):
    def test_flat_jaws_hold_a_round_by_a_line_and_the_way_out_is_offered(self):
        plain = job(IN_VISE.jaws)
        finding = next(f for f in findings_of(plan_of(plain)) if f.code == "GRIP_NOT_PARALLEL")
        mended = with_fix(plain, finding.fixes[0])
        self.assertEqual(mended.setups[0].hold.jaws, v_jaws_for(50.0))
        self.assertEqual([f.setup for f in findings_of(plan_of(mended)) if f.code == "GRIP_NOT_PARALLEL"], ["Op 20"])

    def test_cut_where_it_is_held(self):
        """Round the bar of 50 there is a part of 40: cut to that it is loose in the groove."""
        for depth, fires in ((40.0, False), (55.0, True)):
            of = set_value(job(), ("part", "shape", "diameter"), 40.0)
            cut = Region(name="side", tool=2, left=-30, right=30, front=-30, back=-10, depth=depth)
            one = of.setups[0].model_copy(update={"operations": (*of.setups[0].operations, cut)})
            self.assertEqual("GRIP_CUT_AWAY" in codes(of.model_copy(update={"setups": (one, of.setups[1])})), fires)

    def test_said_and_chosen(self):
        words = "".join(line.text for line in holding_tape(plan_of(job()).setups[0]).lines)
        self.assertIn("a raw round in the groove, on both flanks", words)
        misfit = "".join(line.text for line in holding_tape(plan_of(job(VJaws(width=20))).setups[0]).lines)
        self.assertIn("not on both flanks", misfit)
        stopped = with_stop(job(IN_VISE.jaws), 0, "left")
        chosen = with_jaws(stopped, 0, "v").setups[0].hold
        self.assertEqual((chosen.jaws, chosen.stop), (v_jaws_for(50.0), None))
        with self.assertRaisesRegex(ValueError, "take the stop away"):
            ViseHold(**hold().model_dump() | {"stop": Stop(side="left", height=20)})


if __name__ == "__main__":
    unittest.main()
