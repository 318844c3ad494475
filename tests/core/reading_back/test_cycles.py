"""Every cycle: planned, written in every profile and unit, read back, and run against stated true worlds."""

from __future__ import annotations

import itertools
import math
import unittest
from dataclasses import replace

import numpy as np

from ledgecliff.core.blanks import box
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.lying import set_datum
from ledgecliff.core.errors import InvalidValueError, PlanError, ProfileError
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.model.holding import VBlockHold
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.operations import Bore, Pocket, Seen
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.model.work_offsets import ExtendedOffsets
from ledgecliff.core.plan import make_plan
from ledgecliff.core.probing.planning import plan_probing
from ledgecliff.core.programs.profile import SHIPPED, shipped_profile
from ledgecliff.core.programs.released import probing_text, probing_texts
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.rehearsal.true_world import StatedProbe, TrueClamping, TrueWorld
from ledgecliff.core.solids.in_process_stock import InProcessStock
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from ledgecliff.store.part_models import load_models
from tests.draws import ALL
from tests.helpers import demo
from tests.helpers import models as demo_models
from tests.jobs import IN_VISE, V_BLOCK, bar_job, block_job, codes, feature, machine, plan_of, setup
from tests.rehearsals import rehearsed

BORE = feature("bore", "bore", (75, 40, 30), diameter=24.0, through=True)
BOSS = feature("boss", "boss", (75, 40, 30), diameter=40.0, depth=12.0)
POCKET = feature("pocket", "pocket", (118, 40, 14), depth=16.0, length=44.0, width=30.0, radius=3.0, lengthwise="+Y")
#: A block of 150 x 80 x 30 with a through bore and a pocket, cut by an earlier setup of the same way up.
MADE = (
    Bore(name="bore", tool=2, on="bore", features=("bore",), beyond=0.5),
    Pocket(name="pocket", tool=3, on="pocket", features=("pocket",)),
)
CYCLES = {
    "surface": ProbeCycle(name="left", kind="surface", on="stock", side="left"),
    "surface on top": ProbeCycle(name="top", kind="surface", on="stock", side="top"),
    "surface on the jaw": ProbeCycle(name="jaw", kind="surface", on="fixed jaw"),
    "web": ProbeCycle(name="width", kind="outside width", on="stock", axis="y"),
    "web of several touches": ProbeCycle(name="width", kind="outside width", on="stock", axis="x", touches=3),
    "pocket across": ProbeCycle(name="pocket x", kind="inside width", on="feature", feature="pocket", axis="x"),
    "pocket over": ProbeCycle(
        name="pocket y", kind="inside width", on="feature", feature="pocket", axis="y", crossing="over"
    ),
    "rectangle outside": ProbeCycle(name="outside", kind="rectangle", on="stock"),
    "rectangle inside": ProbeCycle(name="inside", kind="rectangle", on="feature", feature="pocket"),
    "bore": ProbeCycle(name="bore", kind="bore", on="feature", feature="bore"),
    "bore at angles": ProbeCycle(
        name="bore", kind="bore", on="feature", feature="bore", angles_deg=(10, 75, 160, 200, 290)
    ),
    "bore over": ProbeCycle(name="bore", kind="bore", on="feature", feature="bore", crossing="over"),
    "boss": ProbeCycle(name="boss", kind="boss", on="feature", feature="boss"),
    "boss at angles": ProbeCycle(name="boss", kind="boss", on="feature", feature="boss", angles_deg=(0, 120, 240)),
    "corner of two": ProbeCycle(name="corner", kind="corner", on="stock", corner="left front"),
    "corner of four": ProbeCycle(name="corner", kind="corner", on="stock", corner="right back", skew=True),
    "corner within": ProbeCycle(name="corner", kind="corner", on="feature", feature="pocket", corner="left back"),
    "corner of four within": ProbeCycle(
        name="corner", kind="corner", on="feature", feature="pocket", corner="right front", skew=True
    ),
    "rough width": ProbeCycle(name="width", kind="outside width", on="stock", axis="y", rough=True),
    "rough bore": ProbeCycle(name="bore", kind="bore", on="feature", feature="bore", rough=True),
    "edge angle in front": ProbeCycle(name="edge", kind="edge angle", on="stock", side="front"),
    "edge angle at the left": ProbeCycle(name="edge", kind="edge angle", on="stock", side="left"),
    "plane": ProbeCycle(name="level", kind="plane", on="stock"),
    "presence": ProbeCycle(name="there", kind="presence", on="stock", action="measure"),
    "consistency": ProbeCycle(name="as before", kind="consistency", on="stock", action="measure"),
}  # fmt: skip


def job_with(*cycles, **changes):
    """The block, already machined, gripped 12 deep with its top free, probed by ``cycles``."""
    machine_changes = {name: changes.pop(name) for name in ("program_units", "profile") if name in changes}
    boss = any(cycle.kind == "boss" for cycle in cycles)
    # Off the middle, so that the fixed jaw stands out beside the part.
    hold = IN_VISE.model_copy(update={"parallels_height": 30.0, "beside": -20.0})
    made = setup(*((Seen(name="round the boss", tool=3, below=-18.0),) if boss else MADE), hold=hold)
    probing = made.probing.model_copy(
        update={"guess": 1.0, "stand_off": 3.0, "overtravel": 3.0, "depth": 5.0, "cycles": cycles} | changes
    )
    after = setup(name="Op 20", hold=hold, offset="G55", probing=probing)
    return block_job(
        made,
        after,
        part=(150, 80, 18 if boss else 30),
        stock=(150, 80, 30),
        features=(BOSS,) if boss else (BORE, POCKET),
        **machine_changes,
    )


def said(plan):
    return [problem.message for problem in plan.setups[1].probing.problems]


def with_stock(job, index, change):
    """The probing of a setup planned anew on its stock as ``change`` makes it."""
    plan = plan_of(job).setups[index]
    made = InProcessStock(change(plan.before.solid), plan.before.raw_id)
    clamping = replace(plan.clamping, holding=replace(plan.holding, stock=made))
    return plan_probing(clamping, (), job.machine, job.stock, job.part.features, lambda _operation: made)


class EveryCycleTest(unittest.TestCase):
    def test_each_is_possible_and_reads_back(self):
        """Written in three profiles and two units, the control does what the plan says, number for number."""
        units_in_turn = itertools.cycle(("mm", "in", "in", "mm", "in"))
        for name, cycle in CYCLES.items():
            plan = plan_of(job_with(cycle))
            self.assertEqual(said(plan), [], name)
            for profile in SHIPPED:
                for units in ("mm", "in") if ALL else (next(units_in_turn),):
                    with self.subTest(name, profile=profile, units=units):
                        back = read_back(plan_of(job_with(cycle, profile=profile, program_units=units)), 1)
                        self.assertEqual(back.differences, ())
                        step = plan.setups[1].probing.steps[0]
                        self.assertEqual(back.touches, len(step.touches) * step.passes * cycle.touches)
                        self.assertEqual(back.results, len(step.finds))

    def test_each_finds_a_part_that_lies_off(self):
        """Stated world: the part 0.4, -0.3 and 0.1 off.  Expected places are off by just that, sizes by nothing."""
        off = np.array([0.4, -0.3, 0.1])
        world = TrueWorld(
            setups=(TrueClamping(name="Op 20", part_off=Point(x=0.4, y=-0.3, z=0.1)),),
            probe=StatedProbe(repeatability=0.0),
        )
        for name, cycle in CYCLES.items():
            if name == "surface on the jaw":
                continue  # the jaw does not move with the part
            with self.subTest(name):
                job = job_with(cycle.model_copy(update={"action": "measure"}))
                plan = plan_of(job)
                result = rehearsed(plan, 1, world=world).setups[1]
                self.assertEqual(result.alarms, ())
                step = plan.setups[1].probing.steps[0]
                for k, quantity in enumerate(step.finds):
                    moved = off["xyz".index(quantity.key)] if quantity.key in "xyz" else 0.0
                    self.assertAlmostEqual(
                        # A fast touch lags by its feed, which a rough step is trusted no better than.
                        result.results[500 + k], quantity.expected + moved, delta=0.04 if cycle.rough else 0.004,
                        msg=quantity,
                    )  # fmt: skip


class SkewTest(unittest.TestCase):
    def job(self, *, units="mm"):
        """Op 20 taken from the stock's front and left sides, turned to its front side."""
        job = job_with(program_units=units)
        left, front = AxisDatum(source="stock minus side"), AxisDatum(source="stock minus side")
        datum = Datum(x=left, y=front, z=AxisDatum(source="stock top"), skew="stock front side")
        job = set_value(job, ("setups", 1, "datum"), datum)
        return set_value(job, ("setups", 1, "probing", "cycles"), None)

    def world(self, degrees):
        return TrueWorld(
            setups=(TrueClamping(name="Op 20", part_off=Point(x=0.3, y=-0.2, z=0.0), skew_deg=degrees),),
            probe=StatedProbe(repeatability=0.0),
        )

    def test_the_planner_takes_the_skew_first(self):
        plan = plan_of(self.job()).setups[1].probing
        self.assertEqual(plan.steps[0].kind, "edge angle")
        self.assertEqual([known.state for known in plan.steps[0].knowledge_after], ["guessed"] * 3 + ["set"])
        self.assertEqual(plan.problems, ())

    def test_a_turned_part_is_found_with_its_turn(self):
        """Turned by up to 0.4 degrees, the corner of the true part is where the offset says, in both units."""
        for units in ("mm", "in"):
            for degrees in (-0.4, 0.0981, 0.3):
                with self.subTest(units=units, degrees=degrees):
                    job = self.job(units=units)
                    plan = plan_of(job)
                    result = rehearsed(plan, 1, world=self.world(degrees)).setups[1]
                    self.assertEqual(result.alarms, ())
                    self.assertAlmostEqual(result.turn_deg, degrees, delta=0.001)
                    self.assertAlmostEqual(result.true_turn_deg, degrees, places=6)
                    np.testing.assert_allclose(result.found, result.true, atol=0.003)

    def test_a_four_touch_corner_finds_both_at_once(self):
        """By hand: the corner of the turned stock, less the ball's radius nowhere."""
        cycle = ProbeCycle(name="c", kind="corner", on="stock", corner="left front", skew=True)
        job = job_with(cycle)
        plan = plan_of(job)
        result = rehearsed(plan, 1, world=self.world(0.3)).setups[1]
        self.assertAlmostEqual(result.turn_deg, 0.3, delta=0.001)
        # The stock turns about its middle, which is the planned zero; its corner is (-75, -40) from there.
        angle = math.radians(0.3)
        x = -75 * math.cos(angle) + 40 * math.sin(angle) + 0.3
        y = -75 * math.sin(angle) - 40 * math.cos(angle) - 0.2
        keys = [quantity.key for quantity in plan.setups[1].probing.steps[0].finds]
        found = {key: result.results[500 + k] for k, key in enumerate(keys)}
        self.assertAlmostEqual(found["x"], x, delta=0.002)
        self.assertAlmostEqual(found["y"], y, delta=0.002)

    def test_a_corner_with_skew_that_is_not_the_zero(self):
        """By hand: the stock turns about its middle, which is the zero, so that the zero lies where the part is put,
        whichever corner finds it, however much the part is turned, whether the control keeps the turn or not."""
        for corner in ("left front", "right front", "left back", "right back"):
            cycle = ProbeCycle(name="c", kind="corner", on="stock", corner=corner, skew=True)
            for profile, units, degrees in (
                ("parameter style", "mm", 0.5), ("parameter style", "in", -0.45), ("user macro style", "mm", -0.5),
                ("numbered-variable skip style", "mm", 0.09),
            ):  # fmt: skip
                with self.subTest(corner, profile=profile):
                    job = job_with(cycle, profile=profile, program_units=units)
                    plan = plan_of(job)
                    self.assertEqual(read_back(plan, 1).differences, ())
                    result = rehearsed(plan, 1, world=self.world(degrees)).setups[1]
                    self.assertEqual(result.alarms, ())
                    right = np.add(plan.setups[1].located.m_offset[:2], (0.3, -0.2))
                    np.testing.assert_allclose(result.found[:2], right, atol=0.004)
                    if profile != "numbered-variable skip style":
                        self.assertAlmostEqual(result.turn_deg, degrees, delta=0.002)

    def test_one_axis_after_the_other_goes_into_another_offset_that_is_turned_along(self):
        """Each goes its own way along the turned axes, and leaves the other where it was."""
        left = CYCLES["surface"].model_copy(update={"into": "G56"})
        front = ProbeCycle(name="front", kind="surface", on="stock", side="front", into="G56", reads=3.0)
        for units in ("mm", "in"):
            plan = plan_of(job_with(CYCLES["edge angle in front"], left, front, program_units=units))
            self.assertEqual(read_back(plan, 1).differences, ())

    def test_a_control_whose_offsets_do_not_turn_stops_at_a_turned_part(self):
        job = set_value(self.job(), ("machines", 0, "profile"), "numbered-variable skip style")
        plan = plan_of(job)
        for degrees, alarm in ((0.05, ""), (0.3, "the part is turned, straighten it")):
            result = rehearsed(plan, 1, world=self.world(degrees)).setups[1]
            self.assertIn(alarm, "".join(result.alarms))
            self.assertEqual(bool(result.alarms), bool(alarm))


class ParameterTest(unittest.TestCase):
    def step(self, **changes):
        return plan_of(job_with(CYCLES["web"].model_copy(update=changes))).setups[1].probing.steps[0]

    def test_a_cycles_own_parameters_come_before_the_routines(self):
        touch = self.step(stand_off=2.0, overtravel=1.5, depth=6.0, search_feed=200.0, touch_feed=40.0).touches[0]
        self.assertEqual((touch.stand_off, touch.overtravel, touch.depth), (2.0, 1.5, 6.0))
        self.assertEqual((touch.feeds.search, touch.feeds.touch, touch.feeds.back_off), (200.0, 40.0, 1.0))
        self.assertAlmostEqual(self.step(clearance=30.0).w_clearance - self.step().w_clearance, 15.0)

    def test_set_with_a_shift(self):
        """The left side shall read 12.5: the offset goes 12.5 further left than with the planned reading."""
        cycle = CYCLES["surface"].model_copy(update={"reads": 12.5})
        job = job_with(cycle)
        plan = plan_of(job)
        self.assertEqual(read_back(plan, 1).differences, ())
        setting = plan.setups[1].probing.steps[0].sets[0]
        self.assertEqual((setting.should_read, setting.expected), (12.5, -75.0))
        world = TrueWorld(probe=StatedProbe(repeatability=0.0))
        found = rehearsed(plan, 1, world=world).setups[1].found
        self.assertAlmostEqual(found[0], plan.setups[1].located.m_offset[0] - 75.0 - 12.5, delta=0.001)

    def test_into_another_offset(self):
        """The corner goes into G56; G55 stays as it was set by eye."""
        cycle = CYCLES["corner of two"].model_copy(update={"into": "G56"})
        for profile in SHIPPED:
            plan = plan_of(job_with(cycle, profile=profile))
            self.assertEqual(read_back(plan, 1).differences, (), profile)
            self.assertIn("G10 L2 P3", probing_text(plan, 1))
            self.assertNotIn("G10 L2 P2", probing_text(plan, 1))
        with self.assertRaisesRegex(PlanError, "no work offset G99"):
            probing_text(plan_of(job_with(cycle.model_copy(update={"into": "G99"}))), 1)

    def test_extended_offsets_where_the_style_has_them(self):
        """Op 20 keeps its zero in G54.1 P12: written with G10 L20, read from #7221 on, in both units."""
        web = CYCLES["web"]
        for units in ("mm", "in"):
            job = job_with(web, profile="numbered-variable skip style", program_units=units)
            job = set_value(job, ("machines", 0, "extended"), ExtendedOffsets(count=48))
            job = set_value(job, ("setups", 1, "offset"), "G54.1 P12")
            plan = plan_of(job)
            text = probing_text(plan, 1)
            self.assertIn("\nG54.1 P12\n", text)
            self.assertIn("G10 L20 P12 Y[#7222", text)
            self.assertEqual(read_back(plan, 1).differences, ())
            result = rehearsed(plan, 2).setups[1]
            self.assertEqual((result.alarms, result.offset), ((), "G54.1 P12"))
            self.assertAlmostEqual(result.found[1], result.true[1], delta=0.005)
        with self.assertRaisesRegex(PlanError, "parameter style do not have"):
            probing_text(plan_of(set_value(job, ("machines", 0, "profile"), "parameter style")), 1)

    def test_measuring_writes_no_offset(self):
        plan = plan_of(job_with(CYCLES["bore"].model_copy(update={"action": "measure"})))
        self.assertNotIn("G10", probing_text(plan, 1))
        self.assertEqual(read_back(plan, 1).results, 4)

    def test_a_rough_touch_is_one_fast_touch(self):
        rough = CYCLES["surface"].model_copy(update={"rough": True})
        plan = plan_of(job_with(rough, CYCLES["surface"].model_copy(update={"name": "again"})))
        self.assertEqual(read_back(plan, 1).differences, ())
        states = [step.knowledge_after[0].state for step in plan.setups[1].probing.steps]
        self.assertEqual(states, ["rough", "set"])

    def test_washing_and_switching_come_before_the_first_touch(self):
        job = job_with(CYCLES["surface"], wash_s=2.5)
        probe = job.machine.probe.model_copy(update={"on_word": "M64 P0", "off_word": "M65 P0"})
        plan = plan_of(set_value(job, ("machines", 0, "probe"), probe))
        lines = probing_text(plan, 1).splitlines()
        order = [lines.index(line) for line in ("M64 P0 (probe on)", "M8", "G4 P2.5", "M9")]
        self.assertEqual(order, sorted(order))
        self.assertLess(order[-1], next(k for k, line in enumerate(lines) if line.startswith("G38.2")))
        self.assertIn("M65 P0 (probe off)", lines)
        self.assertEqual(read_back(plan, 1).differences, ())
        never_on = plan_of(set_value(job, ("machines", 0, "probe"), probe.model_copy(update={"on_word": "M64 P7"})))
        text = probing_texts(never_on, 1)[0]
        self.assertIn("M64 P7", text.text)

    def test_an_offset_that_jumps_waits_for_the_operator(self):
        """The part 0.5 to the left: more than 0.2, less than 0.8."""
        off = TrueClamping(name="Op 20", part_off=Point(x=-0.5, y=0, z=0))
        world = TrueWorld(setups=(off,), probe=StatedProbe(repeatability=0.0))
        for profile in SHIPPED:
            for jump, waits in ((0.2, True), (0.8, False), (None, False)):
                with self.subTest(profile, jump=jump):
                    job = job_with(CYCLES["surface"], jump=jump, profile=profile)
                    plan = plan_of(job)
                    result = rehearsed(plan, 1, world=world).setups[1]
                    self.assertEqual(result.alarms, ())
                    self.assertEqual(result.pauses, int(waits))
                    self.assertAlmostEqual(result.found[0], plan.setups[1].located.m_offset[0] - 0.5, delta=0.001)

    def test_a_profile_without_the_macro_says_which(self):
        job = job_with(CYCLES["surface"], jump=0.2)
        shipped = shipped_profile("parameter style")
        own = shipped.model_copy(update={"name": "ours", "text": shipped.text.replace("macro confirm(", "macro asks(")})
        for change in ((("machines", 0, "profiles"), (own,)), (("machines", 0, "profile"), "ours")):
            job = set_value(job, *change)
        with self.assertRaisesRegex(ProfileError, "'confirm' is missing"):
            probing_text(plan_of(job), 1)

    def test_more_touches_are_surer(self):
        u = [self.step(touches=count).knowledge_after[1].uncertainty for count in (1, 4)]
        self.assertAlmostEqual(u[0], 2.0 * u[1])


class FixtureValueTest(unittest.TestCase):
    """A vise that stays: X is the middle of its jaws, as it is known to be, and Y its fixed jaw, 2 in front of it."""

    def job(self, **changes):
        job = job_with(**changes)
        x, y = AxisDatum(source="fixture value"), AxisDatum(source="fixture value", shift=-2.0)
        job = set_value(job, ("setups", 1, "datum"), Datum(x=x, y=y, z=AxisDatum(source="stock top")))
        return set_value(job, ("setups", 1, "probing", "cycles"), None)

    def test_only_the_other_axis_is_probed_and_the_place_is_written(self):
        for profile in SHIPPED:
            for units in ("mm", "in"):
                job = self.job(profile=profile, program_units=units)
                plan, at = plan_of(job), job.machine.station(job.setups[1].station).at
                probing = plan.setups[1].probing
                self.assertEqual([step.title for step in probing.steps], ["Z from stock top"])
                self.assertEqual(probing.stays, (("x", at.x), ("y", at.y - 2.0)))
                self.assertEqual(read_back(plan, 1).differences, (), (profile, units))
                self.assertIn("X is the known place of the vise", probing_text(plan, 1))
                result = rehearsed(plan, 3).setups[1]
                self.assertEqual(result.alarms, ())
                np.testing.assert_allclose(result.found[:2], (at.x, at.y - 2.0), atol=2e-4)
                np.testing.assert_allclose(result.found[:2], result.true[:2], atol=2e-4)

    def test_a_fixture_that_was_knocked_shows(self):
        job = self.job()
        plan = plan_of(job)
        world = TrueWorld(setups=(TrueClamping(name="Op 20", fixture_off=Point(x=0.4, y=0, z=0)),))
        result = rehearsed(plan, 3, world=world).setups[1]
        self.assertAlmostEqual(result.difference[0], -0.4, places=3)

    def test_it_counts_as_earned(self):
        job = set_value(self.job(), ("setups", 1, "probing", "cycles"), (CYCLES["surface on top"],))
        self.assertNotIn("DATUM_NOT_EARNED", codes(job))


class RefusedCycleTest(unittest.TestCase):
    def test_what_does_not_make_sense_is_refused_with_a_remedy(self):
        for cycle, words in (
            ({"kind": "outside width", "on": "stock"}, "along which axis"),
            ({"kind": "bore", "on": "stock"}, "touches feature or fixture bore"),
            ({"kind": "corner", "on": "stock"}, "which corner"),
            ({"kind": "surface", "on": "part"}, "which side"),
            ({"kind": "edge angle", "on": "part", "side": "top"}, "no angle about Z"),
            ({"kind": "bore", "on": "feature"}, "name the feature"),
            ({"kind": "bore", "on": "feature", "feature": "bore", "angles_deg": (0, 90)}, "at least three"),
            ({"kind": "presence", "on": "stock"}, "sets nothing"),
            ({"kind": "bore", "on": "feature", "feature": "nowhere"}, "no feature 'nowhere'"),
            ({"kind": "inside width", "on": "feature", "feature": "bore", "axis": "x"}, "has no width"),
            ({"kind": "surface", "on": "stock", "side": "left", "after": "never"}, "no operation 'never'"),
        ):
            with self.subTest(words), self.assertRaisesRegex((InvalidValueError, ValueError), words):
                set_value(job_with(), ("setups", 1, "probing", "cycles"), [{"name": "c", **cycle}])

    def test_a_ball_that_does_not_fit_a_slot(self):
        narrow = POCKET.model_copy(update={"width": 4.5})
        job = job_with(CYCLES["pocket across"])
        job = set_value(job, ("part", "features"), (BORE, narrow))
        self.assertIn("TOUCH_NO_ROOM", {p.code for p in plan_of(job).setups[1].probing.problems})

    def test_a_slot_hardly_wider_than_the_ball(self):
        """4.8 wide, a ball of 4 has 0.4 to each side: it begins 0.2 beside the middle, 0.2 before the wall, and backs
        off no further; so much may the place be off."""
        slot = POCKET.model_copy(update={"width": 4.8, "radius": 2.0})
        for guess, fires in ((0.2, False), (0.21, True)):
            job = set_value(job_with(CYCLES["pocket across"], guess=guess), ("part", "features"), (BORE, slot))
            job = set_value(job, ("setups", 0, "operations", 1, "tool"), 4)
            plan = plan_of(job)
            self.assertEqual(
                {p.code for p in plan.setups[1].probing.problems}, {"TOUCH_OUTSIDE_WINDOW"} if fires else set()
            )
            if fires:
                self.assertTrue(all("find it roughly" in p.remedy for p in plan.setups[1].probing.problems))
                continue
            self.assertAlmostEqual(plan.setups[1].probing.touches[0].feeds.back_off, 0.2)
            for profile in SHIPPED:
                self.assertEqual(
                    read_back(plan_of(set_value(job, ("machines", 0, "profile"), profile)), 1).differences, ()
                )

    def test_an_island_between_the_walls_is_crossed_over(self):
        """Where the way across is blocked the step goes up and over; a cycle that says straight is told so."""
        island = box((70, 30, 5), (80, 50, 30))
        for crossing, way in ((None, "over"), ("over", "over"), ("straight", "straight")):
            cycle = ProbeCycle(name="w", kind="inside width", on="feature", feature="wide", axis="x", crossing=crossing)
            wide = feature("wide", "pocket", (75, 40, 12), depth=18.0, length=60.0, width=50.0, radius=3.0)
            made = Pocket(name="wide", tool=3, on="wide", features=("wide",))
            job = set_value(job_with(), ("setups", 0, "operations"), ())
            job = set_value(job, ("part", "features"), (wide,))
            job = set_value(job, ("setups", 0, "operations"), (made,))
            job = set_value(job, ("setups", 1, "probing", "cycles"), (cycle,))
            plan = with_stock(job, 1, lambda solid: solid + island)
            (step,) = plan.steps
            self.assertEqual(step.crossing, way)
            blocked = [problem for problem in step.problems if problem.code == "TOUCH_WAY_BLOCKED"]
            self.assertEqual(bool(blocked), way == "straight")
            for problem in blocked:
                self.assertIn("up and over", problem.remedy)
                self.assertEqual((problem.field, problem.better), ("crossing", "over"))

    def test_a_bore_whose_edge_the_guess_lets_the_ball_meet(self):
        """By hand: the ball starts s beside the middle of a bore that may lie g off both ways; it is inside while
        (s + g)² + g² <= (R - r)².  Ø12: s = 1, up to 2.283.  Ø6.2: s = 0.5, up to 0.486."""
        for diameter, most in ((12.0, 2.283), (6.2, 0.486)):
            bore = BORE.model_copy(update={"diameter": diameter})
            for guess, fires in ((most - 0.005, False), (most + 0.005, True)):
                job = set_value(job_with(CYCLES["bore"], guess=guess), ("part", "features"), (bore, POCKET))
                codes = {problem.code for problem in plan_of(job).setups[1].probing.problems}
                self.assertEqual(codes, {"TOUCH_OUTSIDE_WINDOW"} if fires else set(), (diameter, guess))

    def test_a_boss_that_is_the_zero_is_touched_as_a_boss(self):
        job = job_with(CYCLES["boss"])
        at = AxisDatum(source="feature", feature="boss")
        job = set_value(job, ("setups", 1, "datum"), Datum(x=at, y=at, z=AxisDatum(source="stock top")))
        plan = plan_of(set_value(job, ("setups", 1, "probing", "cycles"), None))
        self.assertEqual([step.kind for step in plan.setups[1].probing.steps], ["boss", "surface"])
        self.assertEqual(plan.setups[1].probing.problems, ())
        self.assertEqual(read_back(plan, 1).differences, ())

    def test_a_hole_at_mid_side_moves_the_touch(self):
        """A slot cut into the left side from y 30 to 50: the touch moves past its end by ball and guess."""
        slot = feature("notch", "pocket", (4, 40, 10), depth=20.0, length=12.0, width=20.0, radius=2.0)
        made = Pocket(name="notch", tool=3, on="notch", features=("notch",))
        job = job_with(CYCLES["surface"])
        job = set_value(job, ("part", "features"), (BORE, POCKET, slot))
        job = set_value(job, ("setups", 0, "operations"), (*MADE, made))
        touch = plan_of(job).setups[1].probing.touches[0]
        # 10 of notch, 2 of ball and 1 of guess from the middle; 75 from there, 0.05 degrees of turn are 0.065.
        self.assertAlmostEqual(abs(touch.w_contact[1]), 13.0 + 75.0 * math.sin(math.radians(0.05)), places=6)
        self.assertEqual(plan_of(job).setups[1].probing.problems, ())


class BarTest(unittest.TestCase):
    """A bar of 30 in a V-block, touched across and on top."""

    def job(self, groove, **changes):
        hold = VBlockHold(strap=None)
        routine = ProbingRoutine(guess=1.0, stand_off=3.0, overtravel=3.0, cycles=(
            ProbeCycle(name="bar", kind="bar", on="stock", axis="y"),
        ))  # fmt: skip
        block = V_BLOCK.model_copy(update={"groove": groove})
        job = bar_job(setup(hold=hold, probing=routine), fixtures=(block,))
        for key, value in changes.items():
            job = set_value(job, ("machines", 0, key), value)
        return job

    def test_it_reads_back_everywhere(self):
        for profile in SHIPPED:
            for units in ("mm", "in"):
                plan = plan_of(self.job(24.0, profile=profile, program_units=units))
                self.assertEqual(plan.setups[0].probing.problems, ())
                back = read_back(plan, 0)
                self.assertEqual((back.differences, back.results), ((), 3), (profile, units))

    def test_the_top_is_touched_where_the_middle_is(self):
        """Lying 0.9 off: on a radius of 15 the planned place would be 0.027 low, the found middle is not."""
        job = self.job(24.0)
        plan = plan_of(job)
        off = Point(x=0.0, y=0.9, z=0.0)
        world = TrueWorld(setups=(TrueClamping(name="Op 10", part_off=off),), probe=StatedProbe(repeatability=0.0))
        result = rehearsed(plan, 1, world=world).setups[0]
        self.assertEqual(result.alarms, ())
        found = [result.results[500 + k] for k in range(3)]
        np.testing.assert_allclose(found, (0.9, 30.0, -15.0), atol=0.004)

    def test_in_a_block_as_wide_as_the_bar_the_ball_would_land_on_it(self):
        problems = plan_of(self.job(40.0)).setups[0].probing.problems
        self.assertEqual({problem.code for problem in problems}, {"TOUCH_WAY_BLOCKED"})
        self.assertIn("V-block", problems[0].message)


class PlannerFindsTest(unittest.TestCase):
    """What the planner is to find by itself."""

    def test_a_strip_barely_wider_than_the_ball_waits_for_the_fixed_jaw(self):
        """Parallels of 4.3 leave 0.15 beside a ball of 4: Z lands there only once the jaw's face has set Y."""
        job = read_job(demo_job("float-housing-by-jaw"))
        models = load_models(job, demo_job("float-housing-by-jaw"))
        job = set_value(job, ("setups", 1, "hold", "parallels_thickness"), 4.3)
        plan = make_plan(job, models).setups[1].probing
        self.assertEqual([p.message for p in plan.problems], [])
        by_axis = {setting.axis: k for k, step in enumerate(plan.steps) for setting in step.sets}
        self.assertLess(by_axis["y"], by_axis["z"])
        listed = [plan.steps[by_axis["z"]].cycle, plan.steps[by_axis["y"]].cycle]
        wrong = make_plan(set_value(job, ("setups", 1, "probing", "cycles"), listed), models).setups[1].probing
        (problem,) = wrong.steps[0].problems[:1]
        self.assertEqual((problem.code, problem.need), ("TOUCH_NO_LANDING", 2))
        self.assertAlmostEqual(problem.value, 0.15, places=6)

    def test_a_hat_asks_for_a_bigger_ball_by_its_size(self):
        """The hat stands out 2.0: on a stem of 2 the ball must be 2 + 2 (2.0 + 0.2) = 6.4."""
        plan = make_plan(set_datum(demo(), 1, "x", "part minus side"), demo_models())
        problem = next(p for p in plan.setups[1].probing.problems if p.code == "TOUCH_STEM_FOULS")
        self.assertIn("at least ⟦6.4⟧", problem.remedy)
        self.assertEqual((problem.need, round(problem.value, 6), round(problem.limit, 6)), (4, 1.0, 2.2))


class MachineTest(unittest.TestCase):
    def test_demo_machines_default_profile_is_shipped(self):
        self.assertIn(machine().profile, SHIPPED)
