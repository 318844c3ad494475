"""Zeros compared: figures by hand and by lot, claims held against the whole job and against the simulated machine."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import numpy as np

from ledgecliff.core.comparing_zeros import best_first, compared, with_zero
from ledgecliff.core.errors import CancelledError
from ledgecliff.core.findings.everything import found_against
from ledgecliff.core.frames import AXES
from ledgecliff.core.model.base import Spread
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.model.holding import Stop
from ledgecliff.core.plan import make_plan
from ledgecliff.core.quantities import spell
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from tests.draws import draws
from tests.helpers import changed, demo, demo_plan, models, plan_with

#: Both setups in the left vise.
IN_ONE = (("setups", 1, "station"), demo().setups[0].station)
ONE_VISE = plan_with(IN_ONE)
#: Both at a stop, at the same end of the part.
STOPS = tuple((("setups", k, "hold", "stop"), Stop(side="left", height=60.0)) for k in (0, 1))


def zeros(plan, setup, axis):
    found = found_against(plan)
    return {each.choice.words: each for each in compared(plan, setup, axis, found, found_against)}


def taken(plan, setup, candidate):
    return make_plan(with_zero(plan.job, setup, candidate.axis, candidate.choice), plan.models)


class ClaimTest(unittest.TestCase):
    """Each candidate of the demo against the job planned with it."""

    def test_what_can_be_brings_nothing_bad_and_what_cannot_does(self):
        plan = demo_plan()
        before = {each.key for each in found_against(plan)}
        for setup, axis in ((1, "x"), (1, "z")):
            for candidate in zeros(plan, setup, axis).values():
                with self.subTest(setup=setup, axis=axis, zero=candidate.choice.words):
                    left = found_against(taken(plan, setup, candidate))
                    bad = {each.key for each in left if each.severity in ("hazard", "error")} - before
                    self.assertEqual(candidate.can_be, not bad)

    def test_where_it_would_lie_is_where_it_then_lies(self):
        """The zero that is shown before it is taken, against what the bore reads from it afterwards."""
        plan = demo_plan()
        for axis in AXES:
            k = AXES.index(axis)
            for candidate in zeros(plan, 0, axis).values():
                bore = [plan.setups[0].wcs, taken(plan, 0, candidate).setups[0].wcs]
                reads = [float(wcs.reads((30.0, 32.0, 28.0))[k]) for wcs in bore]
                self.assertAlmostEqual(candidate.moves, reads[0] - reads[1], places=9, msg=candidate.choice.words)

    def test_touches_are_those_of_the_programs(self):
        plan = demo_plan()
        for candidate in zeros(plan, 0, "x").values():
            steps = taken(plan, 0, candidate).setups[0].probing.steps
            self.assertEqual(candidate.touches, sum(len(step.touches) for step in steps))

    def test_the_present_one_is_marked_and_moves_nothing(self):
        present = [each for each in zeros(demo_plan(), 1, "x").values() if each.is_now]
        self.assertEqual([(each.choice.words, each.moves, each.come) for each in present], [("main bore", 0.0, ())])

    def test_a_present_one_that_is_at_fault_is_no_candidate_either(self):
        """Z of the second side from the raw top: the parallels clear that, so it is what speaks against the top."""
        plan = plan_with((("setups", 1, "datum", "z", "source"), "stock top"))
        candidates = zeros(plan, 1, "z")
        now = candidates["stock top"]
        self.assertTrue(now.is_now)
        self.assertIn("Z_ZERO_ON_RAW", [each.code for each in now.come])
        self.assertFalse(now.can_be)
        self.assertEqual(best_first(list(candidates.values()))[0].choice.words, "fixture value")
        self.assertTrue(candidates["parallels"].can_be)
        # What none of them clears speaks against none of them.
        elsewhere = plan_with((("setups", 0, "hold", "parallels_height"), 36.0))
        self.assertTrue(zeros(elsewhere, 1, "z")["parallels"].can_be)

    def test_the_best_come_first(self):
        ordered = best_first(list(zeros(demo_plan(), 1, "x").values()))
        can = [each.can_be for each in ordered]
        self.assertEqual(can, sorted(can, reverse=True))
        errors = [round(each.expected, 6) for each in ordered if each.can_be]
        self.assertEqual(errors, sorted(errors))
        self.assertEqual(ordered[0].choice.words, "main bore")

    def test_own_steps_are_proposed_anew_for_another_zero(self):
        own = changed(
            (("setups", 0, "probing", "cycles"), (ProbeCycle(name="mine", kind="surface", on="stock", side="top"),))
        )
        plan = make_plan(own, models())
        before = {each.code for each in found_against(plan)}
        self.assertIn("DATUM_NOT_EARNED", before)
        side = zeros(plan, 0, "x")["stock left side"]
        self.assertNotIn("DATUM_NOT_EARNED", {each.code for each in found_against(taken(plan, 0, side))})
        self.assertTrue(side.gone)
        self.assertIn("Clears", side.says())

    def test_what_cannot_be_planned_takes_nothing_else_along(self):
        def judge(plan):
            if plan.job.setups[0].datum.x.source == "part centre":
                raise set_value_error
            return found_against(plan)

        from ledgecliff.core.errors import InvalidValueError

        set_value_error = InvalidValueError("x zero", "no way")
        plan = demo_plan()
        all_of_them = list(compared(plan, 0, "x", found_against(plan), judge))
        self.assertEqual(len(all_of_them), len(zeros(plan, 0, "x")))
        (refused,) = [each for each in all_of_them if each.why_not]
        self.assertIn("no way", refused.says())
        self.assertEqual(best_first(all_of_them)[-1], refused)

    def test_it_ends_when_it_is_cancelled(self):
        plan = demo_plan()
        with self.assertRaises(CancelledError):
            list(compared(plan, 0, "x", (), found_against, lambda: True))


class ErrorTest(unittest.TestCase):
    """Touch 0.001, machine 0.004, clamping 0.010 here; of the counterbore against the main bore, one standard
    deviation, but for how it lies askew."""

    def expect(self, candidate, *parts):
        squares = sum(each.u**2 for each in candidate.enters if each.source.kind != "skew")
        self.assertAlmostEqual(math.sqrt(squares), math.sqrt(sum(part**2 for part in parts)), delta=2e-5)
        self.assertGreaterEqual(candidate.expected, 2.0 * math.sqrt(squares) - 1e-9)

    def test_by_hand(self):
        x, y, z = (zeros(demo_plan(), 1, axis) for axis in AXES)
        touch, machine, clamping = (
            demo().machine.probe.reading.standard, demo().machine.landing.standard, 0.010,
        )  # fmt: skip
        self.expect(x["main bore"], machine, touch / math.sqrt(2.0))
        # From elsewhere there are three cuts: the bore, what gives the zero, and what is cut now.
        cuts, centre = [machine] * 3, touch / math.sqrt(2.0)
        self.expect(x["part left side"], *cuts, touch)
        self.expect(y["fixed jaw"], *cuts, touch, clamping)
        self.expect(y["fixture value"], *cuts, clamping)
        # Carried over it hangs on where it lay before, too, and on the middle that gave Y then: half of its width,
        # which varies by 0.1, lies between that and the jaw.
        half = 0.05 / math.sqrt(3.0)
        self.expect(zeros(ONE_VISE, 1, "y")["carried over"], *cuts, clamping, clamping, half, centre)
        # Each vise stands within 0.6 of the routine's guess of where the plan has it.
        stands = 0.6 * 3.0 / math.sqrt(3.0)
        self.expect(y["carried over"], *cuts, clamping, clamping, half, centre, stands, stands)
        self.expect(z["parallels"], *cuts, touch, clamping)
        # The blank is even within 0.8 along X: half of it from its middle, which gave X before, to an end.
        self.expect(x["stock left side"], machine, machine, centre, touch, 0.4 / math.sqrt(3.0))

    def test_a_hand_puts_it_somewhere(self):
        """Along the jaws nothing gives the part its place after the turn; a stop does."""
        by_hand = zeros(ONE_VISE, 1, "x")["carried over"]
        self.assertGreater(by_hand.expected, 0.6)
        self.assertEqual([each.code for each in by_hand.come], ["PLACE_NOT_GIVEN"])
        half = plan_with(IN_ONE, STOPS[1])
        self.assertIn("PLACE_NOT_GIVEN", [each.code for each in zeros(half, 1, "x")["carried over"].come])
        stopped = plan_with(IN_ONE, *STOPS)
        candidate = zeros(stopped, 1, "x")["carried over"]
        self.assertNotIn("PLACE_NOT_GIVEN", [each.code for each in candidate.come])

    def test_raw_ends_at_a_stop_bring_the_length_along(self):
        raw = changed(
            (("setups", 0, "operations"), ()), (("setups", 1, "hold", "stop"), Stop(side="left", height=60.0))
        )
        candidate = zeros(make_plan(raw, models()), 1, "x")["carried over"]
        self.assertIn("blank", {part.source.kind for part in candidate.enters})

    def test_what_is_not_taken_out_stays_where_it_was(self):
        """The same hold, station and side up: nobody touches the part between."""
        again = demo().setups[0].model_copy(update={"id": "0123456789ab", "name": "Op 15", "offset": "G56"})
        job = demo().model_copy(update={"setups": (demo().setups[0], again)})
        candidate = zeros(make_plan(job, models()), 1, "x")["carried over"]
        self.expect(candidate, *[demo().machine.landing.standard] * 2)
        self.assertFalse(any(each.code == "PLACE_NOT_GIVEN" for each in candidate.come))
        elsewhere = again.model_copy(update={"station": demo().setups[1].station})
        moved = demo().model_copy(update={"setups": (demo().setups[0], elsewhere)})
        candidate = zeros(make_plan(moved, models()), 1, "x")["carried over"]
        self.assertGreater(candidate.expected, 2.9)
        self.assertIn("CARRIED_ELSEWHERE", [each.code for each in candidate.come])

    def test_thickness_by_lot(self):
        """Z from a raw top after Z from the other raw top: blanks drawn by lot, cut as the programs would."""
        plan = plan_with((("setups", 0, "datum", "z", "source"), "stock top"))
        candidate = zeros(plan, 1, "z")["stock top"]
        (size,) = [part.u for part in candidate.enters if part.source.kind == "blank"]
        varies = plan.job.stock.varies.z
        chance = np.random.default_rng(5)
        thick = 34.0 + chance.uniform(-varies, varies, 20_000)
        near_floor = thick - 10.0  # cut 10 down from the near top, counted from the far one
        far_floor = 10.0  # and 10 down from there
        self.assertAlmostEqual(float(np.std(near_floor - far_floor)), size, delta=0.02 * size)

    def test_seats_on_the_face_that_gave_z_before_leave_the_size_out(self):
        """First Z from the parallels, which the raw underside lies on, then from that same face, turned up."""
        plan = plan_with((("setups", 0, "datum", "z", "source"), "parallels"))
        candidate = zeros(plan, 1, "z")["stock top"]
        self.assertNotIn("blank", {part.source.kind for part in candidate.enters})


class RehearsedTest(unittest.TestCase):
    """What touches leave open, against the simulated machine in many trials."""

    def spread(self, plan, setup, k, seeds=None):
        """Only as far as that setup: what comes after it says nothing of it."""
        written = written_plan(plan)
        written, seeds = replace(written, setups=written.setups[: setup + 1]), seeds or draws(16, 24)
        found = [rehearse(written, drawn_world(written, seed)).setups[setup] for seed in range(1, seeds + 1)]
        self.assertFalse([alarm for each in found for alarm in each.alarms])
        return float(np.sqrt(np.mean([float(each.difference[k]) ** 2 for each in found])))

    def test_bore_and_side(self):
        plan = demo_plan()
        for setup, zero, k in ((1, "main bore", 0), (0, "stock left side", 0)):
            candidate = zeros(plan, setup, "xyz"[k])[zero]
            own = plan.job.setups[setup].name
            touches = [part.u for part in candidate.enters if part.source.kind == "reading" and own in part.source.name]
            touch = math.hypot(*touches)
            met = self.spread(taken(plan, setup, candidate), setup, k)
            # As many trials tell a standard deviation to about a sixth; lying askew adds a little.
            self.assertLess(met, 1.5 * touch + 0.0015, zero)
            self.assertGreater(met, 0.6 * touch, zero)

    def test_a_place_that_a_hand_gives_is_as_far_off_as_said(self):
        candidate = zeros(ONE_VISE, 1, "x")["carried over"]
        hands = [part.u for part in candidate.enters if part.source.kind == "lies" and part.u > 0.1]
        self.assertEqual(len(hands), 2, "in both setups")
        hand = math.hypot(*hands)
        met = self.spread(taken(ONE_VISE, 1, candidate), 1, 0)
        self.assertAlmostEqual(met, hand, delta=0.25 * hand)

    def test_a_stop_does_what_it_is_said_to(self):
        """Of blanks that are all alike the end lies at the stop, off it to one side by no more than clamping leaves."""
        alike = (("stock", "varies"), Spread())
        plan = plan_with(IN_ONE, alike, *STOPS)
        candidate = zeros(plan, 1, "x")["carried over"]
        self.assertLess(candidate.expected, 0.05)
        met = self.spread(taken(plan, 1, candidate), 1, 0, seeds=12)
        self.assertLess(met, candidate.expected)

    def test_another_fixture_is_no_nearer_than_said(self):
        candidate = zeros(demo_plan(), 1, "x")["carried over"]
        self.assertEqual([each.code for each in candidate.come], ["CARRIED_ELSEWHERE", "PLACE_NOT_GIVEN"])
        met = self.spread(taken(demo_plan(), 1, candidate), 1, 0, seeds=12)
        self.assertLess(met, candidate.expected)
        self.assertGreater(met, candidate.expected / 4.0)


class WordsTest(unittest.TestCase):
    def test_in_either_unit(self):
        candidate = zeros(demo_plan(), 1, "z")["stock top"]
        says = spell(candidate.says(), "in")
        self.assertIn(f"±{candidate.expected / 25.4:.4f} in", says)
        self.assertIn("Brings an error: Op 20 takes Z zero from the stock top", says)
        self.assertIn("It is what gives the zero now.", zeros(demo_plan(), 1, "z")["parallels"].says())
