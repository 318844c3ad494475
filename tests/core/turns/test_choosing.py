"""The six ways offered for a turn, and what choosing one makes of the job."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.alternatives.ways import weighed_ways
from ledgecliff.core.budget.sides import far_side
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.turns import add_pin, remove_pin, with_layout, with_pattern, with_way
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.plan import make_plan
from ledgecliff.core.registration.pins import PIN_LAYOUTS
from ledgecliff.core.solids.geometry import Models
from ledgecliff.core.turns.offers import way_offers
from ledgecliff.core.turns.turn_plan import WAYS, turns_of
from tests.draws import draws
from tests.helpers import demo, demo_plan, models
from tests.rehearsals import rehearsed
from tests.turn_jobs import PINS, ring, ring_plan, ring_with


class OfferTest(unittest.TestCase):
    def offers(self, plan):
        return {offer.way: offer for offer in way_offers(plan, turns_of(plan)[0])}

    def test_all_six_are_listed_and_one_is_current(self):
        for plan in (demo_plan(), ring_plan("on-pins"), ring_plan("in-a-frame")):
            offers = self.offers(plan)
            self.assertEqual(tuple(offers), WAYS)
            self.assertEqual([way for way, offer in offers.items() if offer.current], [turns_of(plan)[0].way])

    def test_why_a_way_does_not_fit(self):
        offers = self.offers(demo_plan())
        self.assertIn("no board or plate", offers["dowel pins"].why_not)
        spun = ring_with("on-pins", (("setups", 1, "orientation"), Orientation(up="+Z", right="-X")))
        self.assertIn("half a turn", self.offers(spun)["interlocking frame"].why_not)
        with self.assertRaisesRegex(InvalidValueError, "does not fit this turn: there is no board"):
            with_way(demo(), 1, "dowel pins", demo_plan())

    def test_expected_errors_are_what_a_choice_comes_to(self):
        """The present way first, and of each what the budget of the job so registered says."""
        plan = ring_plan("on-pins")
        weighed = {each.offer.way: each for each in weighed_ways(plan, 1)}
        self.assertEqual(next(iter(weighed)), "dowel pins")
        self.assertEqual(weighed["dowel pins"].pair.expanded, far_side(turns_of(plan)[0], plan).expanded)
        for way in ("probed feature", "interlocking frame", "two-pocket jig"):
            chosen = make_plan(with_way(ring("on-pins"), 1, way, plan), Models())
            self.assertEqual(turns_of(chosen)[0].way, way)
            self.assertAlmostEqual(weighed[way].pair.expanded, far_side(turns_of(chosen)[0], chosen).expanded, 9)
        self.assertLess(weighed["probed feature"].pair.u, weighed["two-pocket jig"].pair.u)

    def test_extra_stock_is_what_the_choice_adds(self):
        plan = ring_plan("on-pins")
        self.assertIn("more along X", self.offers(plan)["interlocking frame"].stock)
        before, after = plan.job.stock.measured, with_way(plan.job, 1, "interlocking frame", plan).stock.measured
        chosen = make_plan(with_way(plan.job, 1, "interlocking frame", plan), Models())
        self.assertGreater(after.x, before.x)
        self.assertAlmostEqual(turns_of(chosen)[0].frame_border, 8.0, places=2)


class ChoosingTest(unittest.TestCase):
    def test_every_way_that_fits_can_be_chosen_and_changed_again(self):
        for start in ("dowel pins", "interlocking frame"):
            job, plan = ring("on-pins"), ring_plan("on-pins")
            if start != turns_of(plan)[0].way:
                job = with_way(job, 1, start, plan)
                plan = make_plan(job, Models())
            for way in WAYS[:-1]:  # no axis carries the board
                chosen = make_plan(with_way(job, 1, way, plan), Models())
                self.assertEqual(turns_of(chosen)[0].way, way)
                codes = [setup.offset for setup in chosen.job.setups]
                shared = way in ("dowel pins", "interlocking frame", "two-pocket jig")
                self.assertEqual(len(set(codes)), 1 if shared else 2, way)

    def test_a_soft_jaw_bore_sets_the_zero_in_the_middle_of_the_part(self):
        job = with_way(demo(), 1, "soft-jaw bore", demo_plan())
        setup = make_plan(job, models()).setups[1]
        middle = (setup.holding.u_part[0] + setup.holding.u_part[1]) / 2.0
        np.testing.assert_allclose(setup.wcs.u_origin[:2], middle[:2], atol=1e-3)
        self.assertIn("X and Y from jaw bore", [step.title for step in setup.probing.steps])

    def test_a_jig_is_rehearsed_within_its_play(self):
        plan = ring_plan("on-pins")
        job = with_way(ring("on-pins"), 1, "two-pocket jig", plan)
        job = set_value(job, ("setups", 0, "probing", "guess"), 1.5)
        job = set_value(job, ("setups", 0, "probing", "depth"), 5.0)
        plan = make_plan(job, Models())
        result = rehearsed(plan, 5)
        self.assertEqual(result.alarms, ())
        np.testing.assert_allclose(result.setups[0].difference[:2], 0.0, atol=0.006)
        self.assertLess(float(np.linalg.norm(result.setups[1].difference[:2])), turns_of(plan)[0].play.at(150.0))


class PinEditsTest(unittest.TestCase):
    def pins(self, job):
        return job.setups[0].operations[0].pins

    def test_layouts_have_no_findings_of_their_own_making(self):
        plan = ring_plan("on-pins")
        for layout in PIN_LAYOUTS:
            chosen = make_plan(with_layout(ring("on-pins"), 1, layout, plan), Models())
            codes = {f.code for f in findings_of(chosen)}
            wrong = {"WRONG_SEAT"} if layout == "two on the axis" else set()
            self.assertEqual(codes, wrong, layout)
        thinner = turns_of(make_plan(with_layout(ring("on-pins"), 1, "two of two diameters", plan), Models()))[0].bored
        self.assertEqual(sorted(pin.diameter for pin in thinner), [8.0, 10.0])

    def test_pins_fit_parts_of_any_size(self):
        """Blanks that are hardly larger than the part grow both ways; no bore lacks its wall, none is in a cut."""
        sizes_by_lot = ((270.0, 280.0, 10.0), (320.0, 242.0, 16.0), (242.0, 242.0, 6.0), (600.0, 400.0, 12.0))
        for x, y, diameter in sizes_by_lot[: draws(1, 4)]:
            sizes = tuple(
                (("stock", kind, axis), v) for kind in ("nominal", "measured") for axis, v in (("x", x), ("y", y))
            )
            thick = (((*PINS, "pins", 0, "diameter"), diameter),)
            plan = ring_with("on-pins", *sizes, *thick)
            for layout in PIN_LAYOUTS:
                chosen = make_plan(with_layout(plan.job, 1, layout, plan), Models())
                found = {f.code for f in findings_of(chosen) if f.code.startswith("PIN") and "CLAMP" not in f.code}
                self.assertEqual(found - {"PIN_NOT_IN_BOARD", "PIN_TOOL_TOO_WIDE"}, set(), (x, y, layout))

    def test_a_short_blank_grows_for_its_pins(self):
        short = ring_with("on-pins", *((("stock", kind, "x"), 270.0) for kind in ("nominal", "measured")))
        job = with_layout(short.job, 1, "three, one on the axis", short)
        # Part 120, path 8, wall 4, bore 10.04 and wall 4 from the middle.
        self.assertAlmostEqual(job.stock.measured.x, 2 * (120 + 8 + 4 + 10.04 + 4))

    def test_add_and_remove(self):
        plan = ring_plan("on-pins")
        more = add_pin(ring("on-pins"), 1, plan)
        self.assertEqual(len(self.pins(more)), 4)
        self.assertEqual(len({(pin.x, pin.y) for pin in self.pins(more)}), 4)
        self.assertEqual(len(self.pins(remove_pin(ring("on-pins"), 1, plan))), 2)

    def test_pins_from_a_drawing(self):
        circles = [(-140.0, 50.0, 8.0), (140.0, 50.0, 8.0)]
        self.assertEqual(
            [(p.x, p.y, p.diameter) for p in self.pins(with_pattern(ring("on-pins"), 1, circles))], circles
        )
        with self.assertRaisesRegex(InvalidValueError, "no circles"):
            with_pattern(ring("on-pins"), 1, [])
        with self.assertRaisesRegex(InvalidValueError, "choose dowel pins first"):
            with_pattern(demo(), 1, circles)
