"""A chuck on a rotary axis: how it holds, how the axis is probed from a bar that turns off it, how it is simulated."""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.contact.first_contact import Body
from ledgecliff.core.datums import datum_choices
from ledgecliff.core.edits.setups import held_at
from ledgecliff.core.errors import ProgramError
from ledgecliff.core.in_process.stock import box
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.model.holding import Chuck, ChuckHold, VBlockHold
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.programs.profile import SHIPPED
from ledgecliff.core.programs.released import probing_text
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.rehearsal.true_world import StatedProbe, TrueClamping, TrueWorld
from ledgecliff.core.simulator.axes import Axes, TrueAxis
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from tests.jobs import bar_job, codes, machine, plan_of, setup, station_id
from tests.rehearsals import rehearsed

CHUCK = Chuck(name="C", diameter=100, length=80, height=120)
AXIS = AxisDatum(source="rotary axis")
ROUTINE = ProbingRoutine(guess=1.0, stand_off=3.0, overtravel=3.0)


def chuck_job(*cycles, opens="right", **changes):
    """A bar of 30 by 80 along X, 20 of it in the chuck, its zero on the axis and at its free end."""
    free = AxisDatum(source="stock plus side" if opens == "right" else "stock minus side")
    routine = ROUTINE.model_copy(update={"cycles": cycles or None})
    job = bar_job(setup(), fixtures=(CHUCK.model_copy(update={"opens": opens}),))
    held = {"hold": ChuckHold(), "station": station_id("C"), "datum": Datum(x=free, y=AXIS, z=AXIS), "probing": routine}
    job = set_value(job, ("setups", 0), job.setups[0].model_copy(update=held))
    for key, value in changes.items():
        job = set_value(job, ("machines", 0, key), value)
    return job


def chucked(job, *, fixture=(0.0, 0.0, 0.0), part=(0.0, 0.0, 0.0)):
    plan = plan_of(job)
    points = [Point(x=x, y=y, z=z) for x, y, z in (fixture, part)]
    stated = TrueClamping(name="Op 10", fixture_off=points[0], part_off=points[1])
    world = TrueWorld(setups=(stated,), probe=StatedProbe(repeatability=0.0))
    return rehearsed(plan, 1, world=world).setups[0]


class HoldingTest(unittest.TestCase):
    def test_the_bar_lies_on_the_axis_and_its_end_in_the_jaws(self):
        for opens, end, free in (("right", -420.0, -340.0), ("left", -380.0, -460.0)):
            with self.subTest(opens):
                planned = plan_of(chuck_job(opens=opens)).setups[0]
                holding, shift = planned.holding, planned.located.tf_m_u.shift
                low, high = (corner + shift for corner in holding.u_stock)
                np.testing.assert_allclose((low + high)[1:] / 2.0, (-200, -300))
                self.assertAlmostEqual(low[0] if opens == "right" else high[0], end)
                self.assertAlmostEqual(high[0] if opens == "right" else low[0], free)
                chuck = holding.block("chuck")
                face = chuck.high[0] if opens == "right" else chuck.low[0]
                self.assertAlmostEqual(face + shift[0], -400.0)
                self.assertAlmostEqual(holding.foot + shift[2], -420.0)

    def test_an_axis_under_the_table_is_refused(self):
        with self.assertRaisesRegex(ValueError, "too low for a chuck of 100"):
            Chuck(name="C", diameter=100, length=80, height=50)

    def test_only_a_chuck_offers_its_axis(self):
        for job, offered in ((chuck_job(), True), (bar_job(setup()), False)):
            for axis in "yz":
                sources = {choice.source for choice in datum_choices(axis, job, 0)}
                self.assertEqual("rotary axis" in sources, offered)
        with self.assertRaisesRegex(ValueError, "cannot give the zero of X"):
            Datum(x=AXIS, y=AXIS, z=AXIS)


class ProbingTest(unittest.TestCase):
    def test_the_planner_probes_it_first_and_sets_two_axes(self):
        plan = plan_of(chuck_job()).setups[0].probing
        self.assertEqual([step.kind for step in plan.steps], ["rotary axis", "surface"])
        self.assertEqual(plan.problems, ())
        self.assertEqual([known.state for known in plan.steps[0].knowledge_after], ["guessed", "set", "set", "guessed"])
        self.assertEqual([touch.turned_deg for touch in plan.steps[0].touches], [0.0] * 3 + [180.0] * 3)

    def test_it_reads_back_everywhere(self):
        for profile in SHIPPED:
            for units in ("mm", "in"):
                back = read_back(plan_of(chuck_job(profile=profile, program_units=units)), 0)
                self.assertEqual((back.differences, back.touches, back.results), ((), 7, 5), (profile, units))

    def test_the_axis_is_found_wherever_the_bar_turns(self):
        """The bar lies 0.4 and 0.25 off the axis: the axis is where the chuck stands, the bar is off by 0.472."""
        for profile in SHIPPED:
            with self.subTest(profile):
                result = chucked(chuck_job(profile=profile), fixture=(0.3, -0.5, 0.2), part=(0.1, 0.4, -0.25))
                self.assertEqual(result.alarms, ())
                # The chuck's axis, less nothing; X at the bar's free end, 60 off the face and 0.1 beside.
                np.testing.assert_allclose(result.found, (-339.6, -200.5, -299.8), atol=0.004)
                np.testing.assert_allclose(result.found, result.true, atol=0.004)
                self.assertAlmostEqual(result.results[503], math.hypot(0.4, 0.25), delta=0.004)

    def test_a_height_that_was_only_guessed_does_no_harm(self):
        """Touched 0.9 under its middle, the bar of 30 would seem 0.048 smaller and its axis 0.024 higher."""
        result = chucked(chuck_job(), fixture=(0.0, 0.0, 0.9))
        np.testing.assert_allclose(result.found, (-340.0, -200.0, -299.1), atol=0.004)
        self.assertAlmostEqual(result.results[502], 30.0, delta=0.004)

    def test_the_bar_itself_is_another_zero(self):
        """One place of the axis: the bar's own middle, which lies off by what the chuck leaves."""
        job = chuck_job(ProbeCycle(name="bar", kind="bar", on="stock", axis="y"))
        found = chucked(job, fixture=(0.3, -0.5, 0.2), part=(0.1, 0.4, -0.25)).found
        np.testing.assert_allclose(found[1:], (-200.1, -300.05), atol=0.004)

    def test_what_does_not_turn_has_no_axis(self):
        self.assertNotIn("NOTHING_TURNS", codes(chuck_job()))
        job = held_at(chuck_job(), 0, station_id("V"), VBlockHold(strap=None))
        self.assertIn("NOTHING_TURNS", codes(job))


class SimulatedAxisTest(unittest.TestCase):
    AXIS = TrueAxis("a", "A", np.array((0.0, -200.0, -300.0)), np.array((1.0, 0.0, 0.0)))

    def unit(self, *axes):
        """A brick 20 to the front of the axis, 10 wide and 30 high, the probe over it at the top of the travel."""
        bodies = [
            Body("part", box((-420, -225, -315), (-340, -215, -285)), "stock", carrier="a" if axes else None),
            Body("table", box((-500, -300, -400), (-300, -100, -390))),
        ]
        offsets = {code.number: np.zeros(3) for code in machine().offsets}
        return SimulatedMachine(machine(), bodies, offsets, quiet(), axes=Axes(axes))

    def run_text(self, unit, *lines):
        return Control(unit).run("\n".join(["G21 G17 G90 G94", "T30 M6", *lines, "M2"]))

    def test_a_quarter_turn_takes_the_front_to_the_underside(self):
        """Right-handed about +X: what lies at -Y comes to -Z, and half a turn takes it to +Y."""
        unit = self.unit(self.AXIS)
        for word, low, high in (
            ("A90", (-420, -215, -325), (-340, -185, -315)),
            ("A180", (-420, -185, -315), (-340, -175, -285)),
            ("A0", (-420, -225, -315), (-340, -215, -285)),
        ):
            self.assertEqual(self.run_text(unit, f"G0 {word}").alarm, "")
            np.testing.assert_allclose(unit.bodies[0].low, low, atol=1e-9)
            np.testing.assert_allclose(unit.bodies[0].high, high, atol=1e-9)
            np.testing.assert_allclose(unit.bodies[1].high, (-300, -100, -390))

    def test_relative_words_add_up_and_turning_takes_time(self):
        unit = self.unit(self.AXIS)
        self.run_text(unit, "G91", "G0 A90", "G0 A-120")
        self.assertAlmostEqual(unit.axes.angles["A"], -30.0)
        self.assertAlmostEqual(unit.seconds, 210.0 / 3600.0 * 60.0)

    def test_turning_under_the_tool_is_a_collision(self):
        """The farthest corner is hypot(25, 15) = 29.15 off the axis, so backward it sweeps up to -270.85; forward the
        front goes under and comes up behind no higher than it began."""
        probe = machine().probe
        for word, tip, stops in (
            ("A-180", -270.8, False), ("A-180", -270.9, True), ("A180", -284.9, False), ("A180", -285.1, True),
        ):  # fmt: skip
            unit = self.unit(self.AXIS)
            outcome = self.run_text(unit, f"G53 G0 X-450 Y-300 Z{tip + probe.length + 0.018:.4f}", f"G0 {word}")
            self.assertEqual("within its sweep" in outcome.alarm, stops, (word, tip))

    def test_without_an_axis_or_while_cutting_it_is_refused(self):
        self.assertIn("no rotary axis", self.run_text(self.unit(), "G0 A90").alarm)
        for line in ("G1 A90 F100", "G0 X1 A90"):
            with self.assertRaisesRegex(ProgramError, "turns by itself in a G0 block"):
                self.run_text(self.unit(self.AXIS), line)

    def test_it_begins_from_nought_wherever_the_axis_stood(self):
        job = chuck_job()
        plan = plan_of(job)
        text = probing_text(plan, 0)
        self.assertEqual(
            [line for line in text.splitlines() if line.startswith("G0 A")], ["G0 A0.0", "G0 A180.0", "G0 A0.0"]
        )
        self.assertLess(text.index("G0 A0.0"), text.index("G38.2"))
