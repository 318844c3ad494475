"""Fixtures cut in place before they hold the part: zero, program, what comes out, and what counts on it.

The programs run on the simulated control; what they take is swept with another library than the one that made them.
"""

from __future__ import annotations

import unittest

import numpy as np
from shapely import LineString, Polygon, union_all
from shapely import Point as Spot

from ledgecliff.core.blanks import box, moved
from ledgecliff.core.budget.sides import off_its_zero
from ledgecliff.core.changing import set_value
from ledgecliff.core.contact.first_contact import Body
from ledgecliff.core.drawing.bench_views import bench_views
from ledgecliff.core.edits.bench import add_step
from ledgecliff.core.edits.making import place_typed, with_place_known
from ledgecliff.core.edits.setups import with_reference_bore
from ledgecliff.core.edits.turns import with_way
from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.fixture_making import fixture_cut
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.holding import Dowel, PlateHold, SoftJaws
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.dialect import dialect_of
from ledgecliff.core.programs.released import released_files
from ledgecliff.core.rehearsal.true_world import TrueClamping, TrueWorld
from ledgecliff.core.route import scenes_of
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from ledgecliff.core.tape.bench import bench_tape
from ledgecliff.sheets.setup_sheet import sheet_html
from tests.helpers import demo, demo_plan, models
from tests.jobs import IN_VISE, bar_job, block_job, plan_of, setup
from tests.rehearsals import rehearsed

STEP = "5" * 12
KNOWN = Datum(x=AxisDatum(source="fixture value"), y=AxisDatum(source="fixture value"), z=AxisDatum(source="stock top"))


def soft(job=None, *, clearance=0.1, bore=False, tool=3, vise=None, **more):
    """A block (or what ``job`` has) in soft jaws that are cut 8 deep, in a step of their own."""
    hold = IN_VISE.model_copy(update={"jaws": SoftJaws(depth=8.0, clearance=clearance)})
    one = setup(hold=hold, **more)
    fixtures = () if vise is None else (vise,)
    job = block_job(one, fixtures=fixtures) if job is None else job(one)
    if bore:
        job = with_reference_bore(job, 0, wanted=True)
    plan = plan_of(job)
    made = add_step(job, "make fixture", 0, STEP, plan)
    return set_value(made, ("bench", 0, "tool"), tool)


def cut_of(plan):
    return fixture_cut(plan, plan.job.bench[0])


def program(plan):
    (text,) = (text for name, text in released_files(plan).items() if "make-the-fixture" in name)
    return text


def run(plan, text):
    """Feed moves relative to the step's zero, the tip's place: starts and ends (N, 3) each."""
    cut, machine = cut_of(plan), plan.job.machine
    m_zero = cut.setup.located.tf_m_u(cut.u_zero)
    known = {code.number: np.array([-50.0, -60.0, -70.0]) for code in machine.offsets}
    number = next(code.number for code in machine.offsets if code.code == cut.step.offset)
    known[number] = m_zero.copy()
    bed = cut.setup.holding.block("fixed jaw")
    bodies = []
    if bed is not None:
        low = np.array([bed.low[0], -500.0, cut.setup.holding.jaws.bed - 50.0])
        solid = box(low, np.array([bed.high[0], 500.0, cut.setup.holding.jaws.bed]))
        bodies = [Body("bed", moved(solid, cut.setup.located.tf_m_u))]
    unit = SimulatedMachine(machine, bodies, known, quiet())
    outcome = Control(unit, dialect_of(machine)).run(text)
    assert outcome.alarm == "", outcome.alarm
    length = np.array([0.0, 0.0, machine.cutter(unit.tool).length])
    feeds = [
        (np.array(m.start) - length - m_zero, np.array(m.end) - length - m_zero)
        for m in unit.motions
        if m.kind == "feed"
    ]
    return np.array(feeds)


def swept(feeds, depth, radius):
    """What the cutter has been over at a depth, from above."""
    ways = [
        LineString([a[:2], b[:2]]) if np.any(a[:2] != b[:2]) else Spot(a[:2])
        for a, b in feeds
        if max(a[2], b[2]) < depth + 1e-3 or b[2] < depth + 1e-3
    ]
    return union_all([way.buffer(radius, quad_segs=64) for way in ways])


class SoftJawsTest(unittest.TestCase):
    def test_by_hand(self):
        """A block of 60 x 40 gripped 40 wide: its middle is 4 before the fixed jaw's face on the spacer."""
        plan = plan_of(soft())
        cut = cut_of(plan)
        (pocket,) = cut.sunk
        np.testing.assert_allclose(pocket.size, (60.2, 40.2), atol=1e-6)
        np.testing.assert_allclose(pocket.middle, (0.0, -4.0), atol=1e-6)
        self.assertEqual(pocket.depth, 8.0)
        np.testing.assert_allclose(cut.u_zero, (30.0, 24.0, 8.0), atol=1e-9)
        self.assertIn("fixed jaw's face", cut.zero[1])

    def test_the_cutter_takes_the_outline_and_nothing_else(self):
        """A round and a block, whole and inches: all of it but for what a round cutter leaves in corners, which reliefs
        take; nowhere beyond it but in those."""
        for job, area in (
            (None, 60.2 * 40.2),
            (lambda one: bar_job(one, diameter=50, length=60, along="z"), np.pi * 25.1**2),
        ):
            for units in ("mm", "in"):
                plan = plan_of(set_value(soft(job), ("machines", 0, "program_units"), units))
                cut = cut_of(plan)
                radius = plan.job.machine.cutter(3).diameter / 2.0
                feeds = run(plan, program(plan))
                self.assertAlmostEqual(feeds[:, 1, 2].min(), -8.0, places=3)
                taken = swept(feeds, -8.0, radius)
                wanted = Polygon(cut.sunk[0].area.to_polygons()[0])
                self.assertLess(wanted.difference(taken).area, 0.002 * area, "corners are relieved")
                reliefs = union_all([Spot(place).buffer(radius + 0.02) for place in cut.sunk[0].reliefs] or [Spot()])
                self.assertLess(taken.difference(wanted.buffer(0.02)).difference(reliefs).area, 0.05)
                self.assertEqual(len(cut.sunk[0].reliefs), 4 if job is None else 0)

    def test_passes_and_whichever_way_the_jaws_stand(self):
        vise = demo().machines[0].fixtures[0]
        for side, zero in (("back", (30, 24)), ("front", (30, 16)), ("left", (26, 20)), ("right", (34, 20))):
            plan = plan_of(
                set_value(soft(vise=vise.model_copy(update={"fixed_jaw": side})), ("bench", 0, "pass_depth"), 3.0)
            )
            np.testing.assert_allclose(cut_of(plan).u_zero[:2], zero, atol=1e-9)
            depths = {round(float(z), 3) for z in run(plan, program(plan))[:, 1, 2] if z < 0}
            self.assertEqual(depths, {-2.667, -5.333, -8.0})

    def test_the_bore_is_where_it_will_be_probed(self):
        plan = plan_of(soft(bore=True))
        cut = cut_of(plan)
        known = plan.setups[0].holding.known_bore()
        (bore,) = cut.bored
        np.testing.assert_allclose(np.add(cut.u_zero[:2], (bore.x, bore.y)), known.u_centre, atol=1e-9)
        feeds = run(plan, program(plan))
        at = feeds[feeds[:, 1, 2] < -bore.depth + 0.01][:, 1, :2]
        np.testing.assert_allclose(np.linalg.norm(at - (bore.x, bore.y), axis=1).max(), (10.0 - 8.0) / 2.0, atol=1e-3)


class JigTest(unittest.TestCase):
    def test_pockets_and_zero_hole(self):
        plan = demo_plan()
        job = with_way(plan.job, 1, "two-pocket jig", plan)
        plan = make_plan(job, models())
        job = add_step(job, "make fixture", 0, STEP, plan)
        job = set_value(job, ("bench", 0, "tool"), 3)
        number = next(k for k, each in enumerate(job.machine.fixtures) if each.kind == "jig")
        job = set_value(job, ("machines", 0, "fixtures", number, "first", "y"), 2.5)
        plan = make_plan(job, models())
        cut, jig = cut_of(plan), plan.setups[0].holding.fixture
        self.assertEqual([pocket.name for pocket in cut.sunk], ["first pocket", "second pocket"])
        feeds = run(plan, program(plan))
        self.assertAlmostEqual(feeds[:, 1, 2].min(), -jig.thickness - 0.5, places=3)
        for pocket, made in zip(cut.sunk, (jig.first, jig.second), strict=True):
            here = [each for each in feeds if abs(each[1][2] + pocket.depth) < 1e-3]
            taken = swept(here, -pocket.depth, plan.job.machine.cutter(3).diameter / 2.0)
            wanted = Polygon(np.add(made.outline, (made.x, made.y)))
            self.assertLess(wanted.difference(taken).area, 0.002 * wanted.area)


class PlateTest(unittest.TestCase):
    def test_bores_for_dowels(self):
        """The block of 60 x 40 lies 12 right of and 5 behind the plate's middle; a pin touches its left side."""
        pins = (Dowel(x=-4.0, y=20.0, diameter=8.0, height=8.0), Dowel(x=15.0, y=-5.0, diameter=10.0, height=8.0))
        job = block_job(setup(hold=PlateHold(x=12.0, y=5.0, dowels=pins)))
        plan = plan_of(set_value(add_step(job, "make fixture", 0, STEP, plan_of(job)), ("bench", 0, "tool"), 3))
        cut = cut_of(plan)
        places = [(bore.x, bore.y, bore.diameter) for bore in cut.bored]
        np.testing.assert_allclose(places, [(12 - 34, 5, 8), (12 - 15, 5 - 25, 10)], atol=1e-9)
        feeds = run(plan, program(plan))
        self.assertAlmostEqual(feeds[:, 1, 2].min(), -10.0, places=3)
        lowest = feeds[feeds[:, 1, 2] < -9.99][:, 1, :2]
        self.assertLess(np.linalg.norm(lowest - (-22, 5), axis=1).min(), 1e-3, "T3 of 8 goes straight down")
        self.assertAlmostEqual(np.linalg.norm(lowest - (-3, -20), axis=1).min(), 0.0, delta=1.01)


class KnownTest(unittest.TestCase):
    def test_it_stands_where_it_was_cut(self):
        """The station was 1.3 off in X and 0.7 in Z; the offset it was cut from says where it really is."""
        for lengths in ("gauge line", "reference plane"):
            job = set_value(soft(datum=KNOWN), ("machines", 0, "lengths_from"), lengths)
            job = set_value(job, ("machines", 0, "reference_z"), -300.0)
            plan = plan_of(job)
            shift = -300.0 if lengths == "reference plane" else 0.0
            right = np.add(plan.setups[0].located.tf_m_u(cut_of(plan).u_zero), (1.3, -0.4, 0.7))
            known = place_typed(plan, STEP, ", ".join(f"{mm:.6f}" for mm in right - (0.0, 0.0, shift)), "mm")
            after = plan_of(known)
            np.testing.assert_allclose(after.setups[0].located.tf_m_u(cut_of(after).u_zero), right, atol=1e-5)
            moved_by = np.subtract(after.setups[0].located.m_offset, plan.setups[0].located.m_offset)
            np.testing.assert_allclose(moved_by, (1.3, -0.4, 0.7), atol=1e-5)

    def test_in_stated_worlds(self):
        """The vise really is off: its place is taken from what is cut there, and a zero that follows is right."""
        plan = plan_of(soft(datum=KNOWN, probing=ProbingRoutine(depth=3.0, guess=0.6)))
        for off in ((0, 0, 0), (0.4, -0.2, 0.1), (-0.3, 0.3, 0), (0.2, 0.5, -0.1), (1.0, 0, 0)):
            cut_at = plan.setups[0].located.tf_m_u(cut_of(plan).u_zero) + np.array(off)
            known = plan_of(with_place_known(plan, STEP, cut_at))
            # The station is where the vise is, so that nothing is off any more; as it was planned all of it is.
            for each, left in ((known, np.zeros(3)), (plan, np.array(off))):
                world = TrueWorld(
                    setups=(TrueClamping(name="Op 10", fixture_off=Point(**dict(zip("xyz", left, strict=True)))),)
                )
                result = rehearsed(each, world=world).setups[0]
                np.testing.assert_allclose((result.true - result.found)[:2], left[:2], atol=0.006)

    def test_refused(self):
        plan = plan_of(soft())
        for text in ("1, 2", "1, 2, x", ""):
            with self.assertRaises(LedgecliffError):
                place_typed(plan, STEP, text, "mm")
        plain = plan_of(block_job(setup(hold=IN_VISE)))
        with self.assertRaisesRegex(InvalidValueError, "nothing is cut in place"):
            with_place_known(plain, STEP, (1.0, 2.0, 3.0))


class RouteTest(unittest.TestCase):
    def codes(self, job):
        return {finding.code for finding in findings_of(plan_of(job))}

    def test_it_stands_before_its_setup_with_zero_check_and_record(self):
        job = set_value(soft(), ("bench", 0, "measured"), "60.21 x 40.19, 7.99 deep")
        plan = plan_of(job)
        self.assertEqual([scene.kind for scene in scenes_of(plan)], ["stock", "bench", "setup", "finished"])
        tape = bench_tape(plan, STEP)
        lines = {line.text: line.mm for line in tape.lines}
        self.assertAlmostEqual(lines["jaws, X across"], 60.2, places=6)
        self.assertIn("measured: 60.21 x 40.19, 7.99 deep", lines)
        self.assertIn("60.21 x 40.19, 7.99 deep", sheet_html(plan))
        text = program(plan)
        self.assertIn("(Z0 is the tops of the jaws)", text)
        for drawing in bench_views(plan, STEP):
            self.assertTrue(drawing.items)

    def test_nothing_to_make_or_a_cutter_too_wide(self):
        plain = block_job(setup(hold=IN_VISE))
        made = add_step(plain, "make fixture", 0, STEP, plan_of(plain))
        self.assertIn("FIXTURE_NOTHING_TO_MAKE", self.codes(made))
        self.assertNotIn("FIXTURE_NOTHING_TO_MAKE", self.codes(soft()))
        for tool, fires in ((3, False), (1, True)):
            self.assertEqual("FIXTURE_CUTTER_TOO_WIDE" in self.codes(soft(tool=tool)), fires)
        self.assertIn("FIXTURE_CUTTER_TOO_WIDE", self.codes(soft(bore=True, tool=2)), "12 into a bore of 10")
        with self.assertRaisesRegex(InvalidValueError, "before the setup that it holds"):
            add_step(plain, "make fixture", 1, STEP, plan_of(plain))
        with self.assertRaisesRegex(InvalidValueError, "T77 is not in the machine's cutters"):
            set_value(soft(), ("bench", 0, "tool"), 77)

    def test_its_offset_is_nobody_elses(self):
        job = soft()
        self.assertEqual(job.bench[0].offset, "G55")
        again = add_step(job, "make fixture", 0, "6" * 12, plan_of(job))
        self.assertEqual(again.bench[1].offset, "G56")
        for offset, code in (("G55", None), ("G54", None), ("G99", "BOARD_OFFSET_UNKNOWN")):
            found = {each for each in self.codes(set_value(job, ("bench", 0, "offset"), offset)) if "BOARD" in each}
            self.assertEqual(found, {code} if code else set())

    def test_a_zero_counts_on_jaws_that_were_cut_in_place(self):
        made = soft(datum=KNOWN)
        self.assertNotIn("JAWS_NOT_CUT_IN_PLACE", self.codes(made))
        self.assertIn("JAWS_NOT_CUT_IN_PLACE", self.codes(set_value(made, ("bench",), ())))
        self.assertNotIn("JAWS_NOT_CUT_IN_PLACE", self.codes(set_value(soft(), ("bench",), ())))
        words = {part.source.name: part.u for part in off_its_zero(plan_of(made), 0, "x").enters}
        self.assertAlmostEqual(words["clearance in the soft jaws in X, Op 10"], 0.1 / np.sqrt(3.0))
        self.assertAlmostEqual(words["machine, where the jaws were cut in X, Op 10"], demo().machine.accuracy)


if __name__ == "__main__":
    unittest.main()
