"""Rehearsal: the released text against a true world the plan does not know."""

from __future__ import annotations

import unittest
from functools import cache

import numpy as np

from ledgecliff.core import changing
from ledgecliff.core.blanks import blank, moved
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits import lying
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.frames import rotation
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.model.machine import OutputProfile
from ledgecliff.core.model.operations import Face
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.profile import shipped_profile
from ledgecliff.core.programs.released import hover_text
from ledgecliff.core.rehearsal.clamped import Laid, clamp, true_blank
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.playback import Playback
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.rehearsal.true_world import StatedProbe, TrueClamping, TrueWorld
from ledgecliff.core.tape.probing import rehearsed_tape
from tests.core.reading_back import test_cycles
from tests.core.reading_back.test_cycles import CYCLES, job_with
from tests.helpers import changed, demo, demo_plan, geometry, models
from tests.jobs import block_job, plan_of, point
from tests.jobs import setup as setup_of
from tests.rehearsals import rehearsed


@cache
def of_demo(seed):
    return rehearsed(demo_plan(), seed)


def rehearse_job(job, seed=1):
    plan = make_plan(job, models())
    return plan, rehearsed(plan, seed)


class JudgedTest(unittest.TestCase):
    """What is found wrong is told, and what is right is not."""

    def job(self, *cycles, **changes):
        left, top = AxisDatum(source="stock minus side"), AxisDatum(source="stock top")
        job = job_with(*cycles, **changes)
        return set_value(job, ("setups", 1, "datum"), Datum(x=left, y=left, z=top))

    def amiss(self, job, limit=None, **probe):
        plan = plan_of(job)
        world = TrueWorld(probe=StatedProbe(repeatability=0.0, **probe))
        return rehearsed(plan, 1, world=world, limit=limit).setups[1].amiss

    def test_a_ball_that_is_larger_than_told(self):
        """0.02 more radius puts a side that is touched once 0.02 off; both sides of a width cancel it."""
        side = self.job(CYCLES["surface"])
        self.assertEqual(self.amiss(side), ())
        (told,) = self.amiss(side, radius_off=0.02)
        self.assertRegex(told, r"X of G55 is found ⟦0\.0(19|20).* off, more than")
        both = set_value(job_with(CYCLES["web"]), ("setups", 1, "datum", "y", "source"), "stock centre")
        self.assertEqual(self.amiss(both, radius_off=0.02), ())

    def test_a_stated_limit_comes_before_the_plans(self):
        side = self.job(CYCLES["surface"])
        self.assertEqual(self.amiss(side, limit=0.03, radius_off=0.02), ())
        self.assertEqual(len(self.amiss(side, limit=0.01, radius_off=0.02)), 1)

    def test_a_turn_written_with_the_wrong_sign(self):
        text = shipped_profile("parameter style").text
        text = text.replace(" R{{ a.turn }}", " R[0 - {{ a.turn }}]")
        own = OutputProfile(name="ours", control="parameter style", text=text)
        for name, profiles, fires in (("parameter style", (), False), ("ours", (own,), True)):
            job = set_value(job_with(CYCLES["edge angle in front"]), ("machines", 0, "profiles"), profiles)
            plan = plan_of(set_value(job, ("machines", 0, "profile"), name))
            world = TrueWorld(
                setups=(TrueClamping(name="Op 20", skew_deg=0.3),), probe=StatedProbe(repeatability=0.0)
            )  # fmt: skip
            result = rehearsed(plan, 1, world=world)
            self.assertEqual(any("is turned 0.6" in words for words in result.amiss), fires)

    def test_a_fixture_that_was_knocked(self):
        job = test_cycles.FixtureValueTest().job()
        plan = plan_of(job)
        for off, fires in ((0.4, True), (0.004, False)):
            world = TrueWorld(setups=(TrueClamping(name="Op 20", fixture_off=point(off, 0, 0)),))
            result = rehearsed(plan, 3, world=world)
            self.assertEqual(bool(result.amiss), fires)

    def test_no_seed_of_the_demo_is_told_wrong(self):
        for seed in range(8):
            self.assertEqual(of_demo(seed).amiss, (), seed)


class NothingLeftTest(unittest.TestCase):
    """A plate 1 thick faced out of 20: a blank 2 too thin has its top found 2 lower, and all of it goes."""

    def rehearsed(self, thinner, *, then):
        top = ProbeCycle(name="top", kind="surface", on="stock", side="top")
        again = ProbeCycle(name="level", kind="surface", on="stock", side="top", action="measure", after="face")
        first = setup_of(Face(name="face", tool=1))
        probing = first.probing.model_copy(update={"cycles": (top, again) if then == "probe" else (top,)})
        first = first.model_copy(update={"probing": probing})
        second = setup_of(name="Op 20", offset="G55", up="-Z")
        plan = plan_of(block_job(first, second, part=(60, 40, 1), stock=(60, 40, 20), allowance=Allowance(plus_z=19.0)))
        world = TrueWorld(stock_off=point(0.0, 0.0, -thinner))
        return rehearsed(plan, 1, world=world)

    def test_it_is_told_and_keeps_what_was_found_before(self):
        for then, words in (("probe", "left after 'face'"), ("turn", "left after its operations")):
            with self.subTest(then):
                result = self.rehearsed(2.0, then=then)
                self.assertIn(words, result.setups[0].alarms[-1])
                self.assertTrue(result.setups[0].stopped)
                self.assertEqual(result.setups[0].counted, 1)
                self.assertAlmostEqual(result.setups[0].difference[2], 0.0, delta=0.005)
                self.assertIn("not run, because Op 10 stopped", result.setups[1].alarms)

    def test_with_something_left_it_goes_on(self):
        for then in ("probe", "turn"):
            self.assertFalse(self.rehearsed(0.5, then=then).setups[0].stopped)


class DemoTest(unittest.TestCase):
    def test_found_offsets_are_the_true_ones_within_the_probes_scatter(self):
        """Repeatability 0.001 a touch; a centre averages two: 5 sigma of one touch bounds all of it."""
        for seed in range(4):
            for result in of_demo(seed).setups:
                self.assertEqual(result.alarms, ())
                self.assertLess(np.abs(result.difference).max(), 0.005, (seed, result.name))

    def test_the_world_is_hidden_and_far_from_the_plan(self):
        """What is found lies up to millimetres off the planned offset: the program measured, not repeated."""
        off = [np.abs(result.found - result.assumed).max() for seed in range(4) for result in of_demo(seed).setups]
        self.assertGreater(max(off), 0.8)

    def test_same_seed_same_world(self):
        plan = demo_plan()
        again = rehearsed(plan, 2)
        for a, b in zip(of_demo(2).setups, again.setups, strict=True):
            np.testing.assert_array_equal(a.found, b.found)
        self.assertEqual(of_demo(2).pairs, again.pairs)
        self.assertFalse(np.allclose(of_demo(1).setups[0].true, of_demo(2).setups[0].true))

    def test_number_of_triggers(self):
        """Two stages a touch: five touches in Op 10; in Op 20 the bore twice round and the parallel."""
        self.assertEqual([len(result.touches) for result in of_demo(1).setups], [10, 18])

    def test_the_ball_touched_what_the_plan_says(self):
        bodies = [[touch.body for touch in result.touches] for result in of_demo(1).setups]
        self.assertEqual(set(bodies[0]), {"part"})
        self.assertEqual(bodies[1], ["part"] * 16 + ["back parallel"] * 2)

    def test_far_side_follows_the_bore(self):
        """Registered by the bore, the counterbore lies on it within the two touches' scatter."""
        for seed in range(4):
            for pair in of_demo(seed).pairs:
                self.assertEqual(pair.partner, "main bore")
                self.assertLess(max(abs(v) for v in pair.p_deviation[:2]), 0.005)

    def test_hover_check_slides_under(self):
        """The tip stands where the block ends, as well as Z was found."""
        for result in of_demo(1).setups:
            self.assertEqual(result.alarms, ())
            self.assertAlmostEqual(result.hover_gap, float(result.difference[2]), places=3)


class SkewTest(unittest.TestCase):
    def test_registering_by_the_saw_cut_end_costs_its_variation(self):
        """Op 20 from the raw left end instead of the bore: the counterbore is off by what the length varies."""
        job = lying.set_datum(demo(), 1, "x", "stock minus side")
        job = lying.set_datum(job, 1, "y", "stock centre")
        # The hat's wall is 4.5 high: a 4 mm ball fits only where Z is known well.
        routine = job.setups[1].probing.model_copy(update={"depth": 2.2, "guess": 0.15})
        job = changing.set_value(job, ("setups", 1, "probing"), routine)
        worst = 0.0
        for seed in range(4):
            _, result = rehearse_job(job, seed)
            self.assertEqual(result.alarms, ())
            worst = max(worst, max(abs(pair.p_deviation[0]) for pair in result.pairs))
        self.assertGreater(worst, 0.1)
        self.assertLess(worst, 0.4 + 0.02)


class AlarmTest(unittest.TestCase):
    def test_an_alarm_ends_the_rehearsal_and_says_why(self):
        """A window far too short for the guess: the search ends before the surface, nothing is written."""
        job = changed((("setups", 0, "probing", "overtravel"), 0.02), (("setups", 0, "probing", "stand_off"), 0.5))
        _, result = rehearse_job(job, seed=1)
        self.assertTrue(result.setups[0].alarms)
        np.testing.assert_array_equal(result.setups[0].found, result.setups[0].assumed)
        self.assertIn("not run, because Op 10 stopped", result.setups[1].alarms[0])
        self.assertFalse(result.setups[1].ran)
        self.assertEqual(result.pairs, ())

    def test_a_wrong_width_stops_before_anything_is_written(self):
        """The plan believes in 90 mm of stock; the blank in the vise is 100."""
        plan = make_plan(changed((("stock", "measured", "x"), 97.0)), models())
        result = rehearsed(plan, 1, job=demo())
        self.assertRegex(result.setups[0].alarms[0], "STOP|contact")
        np.testing.assert_array_equal(result.setups[0].found, result.setups[0].assumed)

    def test_it_hovers_over_whatever_is_chosen(self):
        """A block of 75 on the stock's top or on the fixed jaw, where all stands as planned: it just slides under."""
        for over in ("stock top", "jaw top"):
            with self.subTest(over):
                job = changed((("setups", 0, "hover", "over"), over), (("setups", 1, "hover", "over"), over))
                plan = make_plan(job, models())
                result = rehearsed(plan, 1, world=TrueWorld())
                self.assertEqual(result.alarms, ())
                for k, setup in enumerate(result.setups):
                    self.assertIn(f"on the {over}", hover_text(plan, k))
                    self.assertAlmostEqual(setup.hover_gap, 0.0, delta=0.004)

    def test_it_hovers_where_it_is_told(self):
        job = changed((("setups", 0, "hover", "x"), -12.5), (("setups", 0, "hover", "y"), 7.25))
        plan, result = rehearse_job(job)
        self.assertIn("G0 X-12.5 Y7.25", hover_text(plan, 0))
        self.assertEqual(result.alarms, ())

    def test_a_hover_check_out_of_travel_is_an_alarm_but_the_offset_stands(self):
        _, result = rehearse_job(changed((("setups", 0, "hover", "block"), 900.0)))
        self.assertRegex(result.setups[0].alarms[0], "^hover check, line .* outside the travel")
        self.assertFalse(result.setups[0].stopped)
        self.assertEqual(result.setups[1].alarms, ())

    def test_it_can_be_stopped(self):
        plan = demo_plan()
        result = rehearsed(plan, 1, should_stop=lambda: True)
        self.assertIn("stopped by the operator", result.alarms[0])

    def test_progress_is_told(self):
        plan, told = demo_plan(), []
        rehearsed(plan, 1, progress=lambda k, of: told.append((k, of)))
        self.assertEqual(told, [(0, 2), (1, 2), (2, 2)])


class OtherDatumTest(unittest.TestCase):
    """Every kind of zero, rehearsed: found and true agree, whatever the unit of the program."""

    def agree(self, job, seed=3):
        plan, result = rehearse_job(job, seed)
        self.assertEqual([f.code for f in findings_of(plan) if f.code.startswith("TOUCH")], [])
        for setup in result.setups:
            self.assertEqual(setup.alarms, ())
            self.assertLess(np.abs(setup.difference).max(), 0.006, setup.name)

    def test_inch_program(self):
        self.agree(changed((("machines", 0, "program_units"), "in")))

    def test_a_program_in_the_wrong_unit_does_not_pass(self):
        """Text written for an inch control, run on the metric one: it must not look right."""
        inch = make_plan(changed((("machines", 0, "program_units"), "in")), models())
        result = rehearsed(inch, 3, job=demo())
        first = result.setups[0]
        self.assertTrue(first.alarms or np.abs(first.difference).max() > 10)

    def test_edges_of_the_stock(self):
        job = lying.set_datum(demo(), 0, "x", "stock minus side")
        self.agree(lying.set_datum(job, 0, "y", "stock plus side"))

    def test_fixed_jaw_and_parallels(self):
        """The jaw stands out 25 beside the part, enough for a 4 mm ball to land on with X set."""
        job = lying.set_datum(demo(), 0, "y", "fixed jaw")
        job = changing.set_value(job, ("machines", 0, "fixtures", 0, "jaw_height"), 56.0)
        job = changing.set_value(job, ("setups", 0, "hold", "parallels_height"), 38.0)
        self.agree(lying.set_datum(job, 0, "z", "parallels"))

    def test_end_for_end(self):
        self.agree(lying.turn_setup(demo(), 1, "y", 180))

    def test_bore_in_x_and_jaw_in_y(self):
        self.agree(lying.set_datum(demo(), 1, "y", "fixed jaw"))

    def test_shifted_zero(self):
        self.agree(changed((("setups", 1, "datum", "x", "shift"), -12.5), (("setups", 0, "datum", "z", "shift"), 3.0)))


class TapeTest(unittest.TestCase):
    def test_paper_and_program_agree(self):
        """The tape's arithmetic is done apart from the program's; both must give the same offset."""
        for seed in (1, 2):
            for setup, result in zip(demo_plan().setups, of_demo(seed).setups, strict=True):
                tape = rehearsed_tape(setup, result, demo().machine.probe, seed)
                totals = [line.mm for line in tape.lines if line.kind == "total"]
                np.testing.assert_allclose(totals, result.found, atol=2e-4)

    def test_a_stopped_setup_has_no_offset(self):
        job = changed((("setups", 0, "probing", "overtravel"), 0.02))
        plan, result = rehearse_job(job)
        tape = rehearsed_tape(plan.setups[1], result.setups[1], job.machine.probe, 1)
        self.assertEqual(tape.lines[0].text, "No offset found")


class WorldTest(unittest.TestCase):
    def test_blanks_vary_within_what_is_stated(self):
        written = written_plan(demo_plan())
        blanks = [true_blank(demo(), geometry(), None, drawn_world(written, k).stock_off) for k in range(60)]
        sizes = np.array([np.subtract(*blank.corners[::-1]) for blank in blanks])
        off = np.abs(sizes - (100, 68, 34)).max(axis=0)
        self.assertTrue((off <= (0.8, 0.1, 0.1)).all())
        self.assertTrue((off > np.array((0.8, 0.1, 0.1)) * 0.8).all())

    def test_the_part_stands_on_the_parallels_against_the_jaw(self):
        """Within the scatter: never in the jaw or in the parallels, never far off them."""
        stock = blank(demo().stock, geometry(), demo().setups[0].orientation)
        written = written_plan(demo_plan())
        for seed in range(20):
            laid = Laid(demo().setups[0], stock, geometry())
            true = clamp(demo().machine, laid, drawn_world(written, seed).setups[0])
            bounds = np.array(moved(stock.solid, true.tf_m_p).bounding_box())
            self.assertLess(abs(true.m_fixed_jaw - bounds[4]), 0.12)
            self.assertTrue(0.0 <= bounds[2] - true.tf_m_held(np.array([0.0, 0.0, true.holding.reference]))[2] < 0.06)


class PlaybackTest(unittest.TestCase):
    def test_the_ball_ends_each_move_where_the_machine_did(self):
        result = of_demo(1).setups[0]
        play = Playback(result, demo().machine.probe)
        self.assertGreater(play.duration_s, 1.0)
        start, end = play.at(0.0), play.at(play.duration_s + 5)
        self.assertTrue(start.words.startswith("line "))
        np.testing.assert_allclose(
            np.subtract(end.w_ball, start.w_ball),
            rotation("z", -result.true_turn_deg) @ np.subtract(result.motions[-1].end, result.motions[0].start),
            atol=1e-6,
        )

    def test_at_contact_the_ball_is_beside_its_surface(self):
        """First slow touch of the left side at WCS X -50: centre about a ball radius before it."""
        result = of_demo(1).setups[0]
        play = Playback(result, demo().machine.probe)
        xs = [play.at(t).w_ball[0] for t in np.linspace(0, play.duration_s, 4000)]
        self.assertAlmostEqual(min(x for x in xs if x > -53), -52.0, delta=1.0)
