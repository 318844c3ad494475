"""Findings about cycles and probing programs, each made to fire and not to fire."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.contact.first_contact import Body
from ledgecliff.core.edits.lying import set_datum
from ledgecliff.core.finding import SEVERITIES
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.in_process.stock import box
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.model.machine import OutputProfile
from ledgecliff.core.model.operations import Seen
from ledgecliff.core.model.part import Tolerance
from ledgecliff.core.plan import make_plan
from ledgecliff.core.probing.duration import probing_seconds
from ledgecliff.core.probing.move_clearance import way_problems
from ledgecliff.core.probing.proposals import proposed_cycles
from ledgecliff.core.programs.profile import SHIPPED, shipped_profile
from tests.core.reading_back.test_cycles import CYCLES, SkewTest, job_with
from tests.helpers import changed, demo, fixed, models
from tests.jobs import codes, feature, plan_of
from tests.rehearsals import rehearsed

WEB_X = ProbeCycle(name="web x", kind="outside width", on="stock", axis="x")
WEB_Y = ProbeCycle(name="web y", kind="outside width", on="stock", axis="y")
LEFT = CYCLES["surface"]
FRONT = ProbeCycle(name="front", kind="surface", on="stock", side="front")
TOP = CYCLES["surface on top"]


class DatumEarnedTest(unittest.TestCase):
    def test_every_axis_must_be_set(self):
        self.assertNotIn("DATUM_NOT_EARNED", codes(job_with(WEB_X, WEB_Y, TOP)))
        for left_out in (WEB_X, WEB_Y, TOP):
            cycles = [cycle for cycle in (WEB_X, WEB_Y, TOP) if cycle is not left_out]
            self.assertIn("DATUM_NOT_EARNED", codes(job_with(*cycles)), left_out.name)

    def test_measuring_or_writing_elsewhere_earns_nothing(self):
        for change in ({"action": "measure"}, {"into": "G56"}):
            self.assertIn("DATUM_NOT_EARNED", codes(job_with(WEB_X.model_copy(update=change), WEB_Y, TOP)))

    def test_skew_counts_too_and_the_fix_proposes(self):
        job = SkewTest().job()
        self.assertNotIn("DATUM_NOT_EARNED", codes(job))
        job = set_value(job, ("setups", 1, "probing", "cycles"), (LEFT, FRONT, TOP))
        finding = next(f for f in findings_of(plan_of(job)) if f.code == "DATUM_NOT_EARNED")
        self.assertIn("no cycle sets skew", finding.fact)
        mended = fixed(job, finding)
        self.assertNotIn("DATUM_NOT_EARNED", codes(mended))


class SkewOrderTest(unittest.TestCase):
    """X and Y set before the skew: the machine shows what it costs, and that the remedy takes it away."""

    EDGE = CYCLES["edge angle in front"]
    LEFT, FRONT = LEFT.model_copy(update={"moved": 20.0}), FRONT.model_copy(update={"moved": -50.0})

    def off(self, job):
        """How far (mm) the zero, the middle of the stock, is off when the part is turned by half a degree."""
        plan = plan_of(job)
        result = rehearsed(plan, 1, world=SkewTest().world(0.5)).setups[1]
        self.assertEqual(result.alarms, ())
        return np.abs(result.found[:2] - plan.setups[1].located.m_offset[:2] - (0.3, -0.2)).max()

    def test_what_it_costs_and_what_mends_it(self):
        job = job_with(self.LEFT, self.FRONT, TOP, self.EDGE)
        plan = plan_of(job)
        finding = next(f for f in findings_of(plan) if f.code == "SKEW_AFTER_ZERO")
        self.assertGreater(self.off(job), 0.1)
        self.assertGreater(plan.setups[1].probing.steps[-1].knowledge_after[1].uncertainty, 0.1)
        mended = fixed(job, finding)
        self.assertNotIn("SKEW_AFTER_ZERO", codes(mended))
        self.assertLess(self.off(mended), 0.004)
        self.assertEqual([c.name for c in mended.setups[1].probing.cycles], ["edge", "left", "front", "top"])

    def test_set_again_after_it_is_right_too(self):
        again = [cycle.model_copy(update={"name": f"{cycle.name} again"}) for cycle in (self.LEFT, self.FRONT)]
        job = job_with(self.LEFT, self.FRONT, TOP, self.EDGE, *again)
        self.assertNotIn("SKEW_AFTER_ZERO", codes(job))
        self.assertLess(self.off(job), 0.004)
        self.assertIn("SKEW_AFTER_ZERO", codes(job_with(self.LEFT, self.FRONT, TOP, self.EDGE, again[0])))

    def test_what_lies_at_the_zero_stays(self):
        """The axes turn about the bore that is the zero; and what goes elsewhere, or is measured, turns nothing."""
        bore = CYCLES["bore"]
        self.assertNotIn("SKEW_AFTER_ZERO", codes(job_with(bore, TOP, self.EDGE)))
        self.assertLess(self.off(job_with(bore, TOP, self.EDGE)), 0.004)
        for change in ({"action": "measure"}, {"into": "G56"}):
            edge = self.EDGE.model_copy(update=change)
            self.assertNotIn("SKEW_AFTER_ZERO", codes(job_with(self.LEFT, self.FRONT, TOP, edge)))

    def test_the_order_is_the_one_they_run_in(self):
        """Listed last, but run before the operation that the others wait for."""
        job = set_value(job_with(), ("setups", 1, "operations"), (Seen(name="face", tool=3, below=-1.0),))
        late = [cycle.model_copy(update={"after": "face"}) for cycle in (self.LEFT, self.FRONT)]
        job = set_value(job, ("setups", 1, "probing", "cycles"), (*late, self.EDGE))
        plan = plan_of(job)
        self.assertNotIn("SKEW_AFTER_ZERO", {f.code for f in findings_of(plan)})
        self.assertEqual([step.cycle.name for step in plan.setups[1].probing.steps], ["left", "front", "edge"])
        self.assertEqual(plan.setups[1].probing.steps[0].knowledge_after[3].state, "set")


class CentreTest(unittest.TestCase):
    def test_from_one_side_only(self):
        self.assertIn("CENTRE_FROM_ONE_SIDE", codes(job_with(LEFT, WEB_Y, TOP)))
        self.assertNotIn("CENTRE_FROM_ONE_SIDE", codes(job_with(WEB_X, WEB_Y, TOP)))
        # Rough from one side, then the web: what counts is what sets it last.
        self.assertNotIn("CENTRE_FROM_ONE_SIDE", codes(job_with(LEFT, WEB_X, WEB_Y, TOP)))
        side = set_datum(job_with(LEFT, WEB_Y, TOP), 1, "x", "stock minus side")
        self.assertNotIn("CENTRE_FROM_ONE_SIDE", codes(side))


class RawTopTest(unittest.TestCase):
    def job(self, *cycles):
        """The demo's Op 20 turned over: its top is raw hat until it is faced."""
        job = demo()
        listed = [cycle for cycle in proposed_cycles(job.setups[1], job.part.features) if cycle.on != "parallels"]
        return set_value(job, ("setups", 1, "probing", "cycles"), (*listed, *cycles))

    def found(self, job):
        return {f.code for f in findings_of(make_plan(job, models()))}

    def test_a_cycle_on_raw_stock_must_not_set_z(self):
        self.assertIn("Z_TOUCHED_ON_RAW", self.found(self.job(TOP)))
        seat = ProbeCycle(name="seat", kind="surface", on="parallels")
        self.assertNotIn("Z_TOUCHED_ON_RAW", self.found(self.job(seat)))
        self.assertNotIn("Z_TOUCHED_ON_RAW", self.found(self.job(seat, TOP.model_copy(update={"action": "measure"}))))
        faced = demo().setups[1].operations[0].name
        self.assertNotIn("Z_TOUCHED_ON_RAW", self.found(self.job(TOP.model_copy(update={"after": faced}))))


class OwnedOffsetTest(unittest.TestCase):
    def test_another_setups_offset(self):
        into = CYCLES["corner of two"].model_copy(update={"into": "G54"})
        self.assertIn("OFFSET_OWNED", codes(job_with(WEB_X, WEB_Y, TOP, into)))
        self.assertNotIn("OFFSET_OWNED", codes(job_with(WEB_X, WEB_Y, TOP, into.model_copy(update={"into": "G56"}))))
        measured = into.model_copy(update={"action": "measure"})
        self.assertNotIn("OFFSET_OWNED", codes(job_with(WEB_X, WEB_Y, TOP, measured)))


class DurationTest(unittest.TestCase):
    def test_longer_than_stated(self):
        plan = plan_of(job_with(WEB_X, WEB_Y, TOP))
        seconds = probing_seconds(plan.setups[1].probing, plan.job.machine.probe)
        for longest, fires in ((seconds - 1, True), (seconds + 1, False), (None, False)):
            job = set_value(plan.job, ("setups", 1, "probing", "longest_s"), longest)
            self.assertEqual("PROBING_TOO_LONG" in codes(job), fires, longest)

    def test_one_touch_by_hand(self):
        """3 of search at 300, 1 slow at 60, settling; down from clearance at 1200."""
        plan = plan_of(job_with(LEFT))
        touch = plan.setups[1].probing.touches[0]
        down = plan.setups[1].probing.steps[0].w_clearance - touch.start[2]
        expected = down / 1200 * 60 + 3 / 300 * 60 + 1 / 60 * 60 + 0.4
        self.assertAlmostEqual(probing_seconds(plan.setups[1].probing, plan.job.machine.probe), expected)


class PresenceWindowTest(unittest.TestCase):
    def job(self, varies, above, rise):
        cycle = CYCLES["presence"].model_copy(update={"above": above, "rise": rise, "below": 1.0})
        job = job_with(WEB_X, WEB_Y, TOP, cycle)
        return set_value(job, ("stock", "varies", "z"), varies)

    def test_a_window_that_tells_nothing_apart(self):
        """Blanks ±0.1 (sigma 0.05): 0.1 up stops one in 44; at 0.2 of a rise of 0.4 it errs on neither side."""
        finding = next(f for f in findings_of(plan_of(self.job(0.1, 0.1, 0.4))) if f.code == "PRESENCE_WINDOW_WEAK")
        self.assertIn("2.28% of good parts stop", finding.fact)
        mended = fixed(self.job(0.1, 0.1, 0.4), finding)
        # Of a part in a hundred that rides, at fifty times the cost: 0.2 + 0.05^2 ln 2 / 0.4.
        self.assertEqual(finding.fixes[0].changes[0][1], 0.204)
        self.assertNotIn("PRESENCE_WINDOW_WEAK", codes(mended))

    def test_where_no_window_helps_a_second_touch_is_advised(self):
        finding = next(f for f in findings_of(plan_of(self.job(0.3, 0.1, 0.2))) if f.code == "PRESENCE_WINDOW_WEAK")
        self.assertEqual(finding.fixes, ())
        self.assertIn("second touch", finding.advice)


class SkewNotKeptTest(unittest.TestCase):
    def test_only_where_offsets_do_not_turn(self):
        job = SkewTest().job()
        self.assertNotIn("SKEW_NOT_KEPT", codes(job))
        other = set_value(job, ("machines", 0, "profile"), "numbered-variable skip style")
        self.assertIn("SKEW_NOT_KEPT", codes(other))
        square = set_value(other, ("setups", 1, "datum", "skew"), None)
        self.assertNotIn("SKEW_NOT_KEPT", codes(square))


class ProgramTextTest(unittest.TestCase):
    def found(self, old="", new="", name="parameter style"):
        text = shipped_profile(name).text
        self.assertIn(old, text)
        own = OutputProfile(name="ours", control=SHIPPED[name], text=text.replace(old, new) if old else text)
        job = set_value(demo(), ("machines", 0, "profiles"), (own,))
        return {f.code: f for f in findings_of(make_plan(set_value(job, ("machines", 0, "profile"), "ours"), models()))}

    def test_shipped_profiles_are_sound(self):
        wrong = {"SPINDLE_MAY_TURN", "WRONG_TOOL", "PROFILE_UNUSABLE"}
        for name in SHIPPED:
            self.assertFalse(wrong & self.found(name=name).keys(), name)

    def test_spindle_may_turn(self):
        for old, new in (("\nM5\n{{ p.units }}", "\n{{ p.units }}"), ("\nM5\n", "\nM5\nM3 S100\n")):
            found = self.found(old, new)
            self.assertEqual(found["SPINDLE_MAY_TURN"].severity, "hazard")

    def test_wrong_tool_and_wrong_length(self):
        self.assertIn("calls tool T7", self.found("T{{ p.tool }} M6", "T7 M6")["WRONG_TOOL"].fact)
        self.assertIn("calls length H1", self.found("G43 H{{ p.tool }}", "G43 H1")["WRONG_TOOL"].fact)

    def test_a_profile_that_cannot_be_used(self):
        finding = self.found("{{ words(a.words) }}", "{{ words(a.wrods) }}")["PROFILE_UNUSABLE"]
        self.assertIn("profile 'ours', line", finding.fact)
        self.assertEqual(finding.fixes[0].changes[0][1], "parameter style")
        self.assertIn("PROFILE_UNUSABLE", {f.code for f in findings_of(make_plan(
            changed((("machines", 0, "profile"), "lost")), models()))})  # fmt: skip


class WayTest(unittest.TestCase):
    def test_the_way_down_must_be_clear(self):
        """A boss 4 beside another: the ball comes down on its neighbour, whose top is as high."""
        boss = feature("boss", "boss", (40, 40, 30), diameter=30.0, depth=12.0)
        for apart, fires in ((4.0, True), (40.0, False)):
            other = feature("other", "boss", (40 + 30 + apart, 40, 30), diameter=30.0, depth=12.0)
            made = CYCLES["boss"]
            job = job_with(made)
            job = set_value(job, ("part", "features"), (boss, other))
            found = {problem.code for problem in plan_of(job).setups[1].probing.problems}
            self.assertEqual("TOUCH_WAY_BLOCKED" in found, fires, apart)

    def test_the_search_meets_another_surface_first(self):
        """Something stands 2 before the side, within the stand-off: as high as the ball, or just under it."""
        step = plan_of(job_with(LEFT)).setups[1].probing.steps[0]
        x, y, z = step.touches[0].w_contact
        side = Body("part", box((x, y - 20, z - 20), (x + 50, y + 20, z + 5)))
        for top, codes_found in ((z + 1.0, ["TOUCH_OTHER_SURFACE"]), (z - 2.1, [])):
            chip = Body("clamp", box((x - 2.5, y - 1, z - 20), (x - 1.5, y + 1, top)))
            found = way_problems(
                step, [side, chip], demo().machine.probe, 90.0, lambda _touch, _body: (0.002, 0.002, 0.002)
            )
            self.assertEqual([problem.code for problem in found], codes_found)
            if found:
                self.assertIn("the ball meets the clamp ⟦2.5", found[0].message)

    def test_the_spindle_must_clear_what_stands_high(self):
        """Something 30 before the side, far off the probe's body: as high as the spindle's nose comes down, or not."""
        step, probe = plan_of(job_with(LEFT)).setups[1].probing.steps[0], demo().machine.probe
        x, y, z = step.touches[0].w_contact
        side = Body("part", box((x, y - 20, z - 20), (x + 50, y + 20, z + 5)))
        nose_at = z - probe.ball_radius + probe.length
        for top, fires in ((nose_at + 5.0, True), (nose_at - 1.0, False)):
            tower = Body("clamp", box((x - 34, y - 4, z - 20), (x - 30, y + 4, top)))
            found = way_problems(step, [side, tower], probe, 90.0, lambda _touch, _body: (0.002, 0.002, 0.002))
            self.assertEqual([problem.code for problem in found], ["TOUCH_WAY_BLOCKED"] if fires else [])
            if fires:
                self.assertIn("the spindle's nose may meet the clamp", found[0].message)

    def test_a_feature_may_be_as_far_off_as_the_drawing_lets_it(self):
        """Need 1: a bore whose size may be 4 off is not within 3 of overtravel, known to 1; 1.5 off is."""
        for size, fires in ((None, False), (1.5, False), (4.0, True)):
            job = job_with(CYCLES["bore"])
            k = next(k for k, f in enumerate(job.part.features) if f.name == CYCLES["bore"].feature)
            if size is not None:
                job = set_value(job, ("part", "features", k, "tolerance"), Tolerance(size=size))
            codes = {problem.code for problem in plan_of(job).setups[1].probing.problems}
            self.assertEqual("TOUCH_OUTSIDE_WINDOW" in codes, fires, size)

    def test_severities_are_known(self):
        from ledgecliff.core.findings.probing_rules import SEVERITY_OF

        self.assertTrue(set(SEVERITY_OF.values()) <= set(SEVERITIES))
        self.assertIn("TOUCH_OTHER_SURFACE", SEVERITY_OF)


class FixTest(unittest.TestCase):
    def test_a_refused_touch_offers_the_value_that_would_do(self):
        job = changed((("setups", 0, "probing", "overtravel"), 2.0))
        finding = next(f for f in findings_of(make_plan(job, models())) if f.code == "TOUCH_OUTSIDE_WINDOW")
        mended = fixed(job, finding)
        self.assertNotIn("TOUCH_OUTSIDE_WINDOW", {f.code for f in findings_of(make_plan(mended, models()))})

    def test_in_the_cycle_where_the_value_is_the_cycles_own(self):
        job = job_with(WEB_X.model_copy(update={"stand_off": 0.5}), WEB_Y, TOP)
        finding = next(f for f in findings_of(plan_of(job)) if f.code == "TOUCH_OUTSIDE_WINDOW")
        self.assertEqual(finding.fixes[0].changes[0][0], ("setups", 1, "probing", "cycles", 0, "stand_off"))
        self.assertNotIn("TOUCH_OUTSIDE_WINDOW", codes(fixed(job, finding)))
