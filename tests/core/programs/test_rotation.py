"""Coordinate rotation in programs, for a control that cannot turn its offsets: held against one that can."""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import PlanError, ProgramError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.work_offsets import ExtendedOffsets
from ledgecliff.core.programs.registration import programs_of_turn
from ledgecliff.core.programs.released import hover_text, probing_text
from ledgecliff.core.programs.rotation import turned_words
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.register.entries import Entry, Value, with_value
from ledgecliff.core.register.offset_programs import loading_program, verify_program
from ledgecliff.core.remedies.tried import with_fix
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.modal import NUMBERED_STYLE
from ledgecliff.core.tape.scenes import cut_tape
from ledgecliff.core.toolpaths.checks import check_program
from ledgecliff.core.toolpaths.control_words import control_words
from ledgecliff.core.toolpaths.reading import read_toolpath
from ledgecliff.core.turns.turn_plan import turns_of
from ledgecliff.sheets.setup_sheet import sheet_html
from tests.core.reading_back.test_cycles import CYCLES, SkewTest, job_with
from tests.core.simulator.test_program_language import START, control
from tests.jobs import codes, machine, plan_of
from tests.rehearsals import rehearsed
from tests.turn_jobs import ring_plan

OFFSET_TURNS = ("machines", 0, "offset_turns")
ROTATING = "numbered-variable skip style"
FIRST = CYCLES["edge angle in front"].model_copy(update={"name": "first"})


def plan_with(*cycles, profile=ROTATING, units="mm", turns=560, **more):
    job = job_with(*cycles, profile=profile, program_units=units, **more)
    return plan_of(set_value(job, OFFSET_TURNS, turns))


def in_turned_world(plan, degrees):
    return rehearsed(plan, 1, world=SkewTest().world(degrees)).setups[1]


class SameAsAControlThatTurnsTest(unittest.TestCase):
    def test_every_cycle_after_the_skew(self):
        """The other control turns its own offset; here every move and reading is turned by the program."""
        for k, (name, cycle) in enumerate(CYCLES.items()):
            if "boss" in name:
                continue  # its step leaves no side in front to find the skew by
            degrees, units = ((0.5, "in"), (-1.2, "mm"))[k % 2]
            with self.subTest(name, degrees=degrees):
                plan = plan_with(FIRST, cycle, units=units)
                self.assertEqual(read_back(plan, 1).differences, ())
                result = in_turned_world(plan, degrees)
                other = in_turned_world(plan_with(FIRST, cycle, units=units, profile="parameter style"), degrees)
                self.assertEqual(result.alarms, ())
                self.assertAlmostEqual(result.turn_deg, degrees, delta=0.002)
                np.testing.assert_allclose(result.found, other.found, atol=0.003)

    def test_a_corner_far_from_the_zero(self):
        """By hand: the stock turns about its middle, which is the zero, and goes 0.3 and -0.2 aside."""
        cycle = CYCLES["corner of four"]
        for degrees in (1.2, -0.7):
            plan = plan_with(cycle)
            result = in_turned_world(plan, degrees)
            right = np.add(plan.setups[1].located.m_offset[:2], (0.3, -0.2))
            np.testing.assert_allclose(result.found[:2], right, atol=0.004)
            self.assertAlmostEqual(result.turn_deg, degrees, delta=0.002)

    def test_into_another_offset_and_where_the_own_is_not_set(self):
        left = CYCLES["surface"].model_copy(update={"into": "G56"})
        self.assertEqual(read_back(plan_with(FIRST, left, CYCLES["surface on top"]), 1).differences, ())
        self.assertEqual(read_back(plan_with(left), 1).differences, ())

    def test_a_station_that_stands_askew(self):
        job = plan_with(CYCLES["rectangle outside"], CYCLES["surface on top"]).job
        station = next(k for k, each in enumerate(job.machine.stations) if each.id == job.setups[1].station)
        plan = plan_of(set_value(job, ("machines", 0, "stations", station, "turn_deg"), -37.5))
        self.assertEqual(read_back(plan, 1).differences, ())
        result = in_turned_world(plan, 0.0)
        self.assertEqual((result.alarms, result.turn_deg), ((), -37.5))

    def test_without_variables_it_stops_and_says_so(self):
        for turns, found in ((None, True), (560, False)):
            plan = plan_with(CYCLES["corner of four"], turns=turns)
            self.assertEqual("SKEW_NOT_KEPT" in codes(plan.job), found)
            self.assertEqual(bool(in_turned_world(plan, 1.2).alarms), found)

    def test_results_must_not_reach_the_turns(self):
        for turns, fires in ((505, True), (560, False)):
            plan = plan_with(FIRST, turns=turns)
            found = [finding for finding in findings_of(plan) if finding.code == "RESULTS_OVERLAP"]
            self.assertEqual(bool(found), fires)
            for finding in found:
                self.assertNotIn("RESULTS_OVERLAP", codes(with_fix(plan.job, finding.fixes[0])))
        with self.assertRaisesRegex(PlanError, "which reaches #505, kept for something else"):
            probing_text(plan_with(FIRST, turns=505), 1)
        with self.assertRaisesRegex(ValueError, "choose a lower first variable"):
            machine(offset_turns=4900, extended=ExtendedOffsets(count=300))


class CuttingTest(unittest.TestCase):
    def setUp(self):
        self.plan = plan_with(CYCLES["corner of four"])
        self.wanted = "G68 X0 Y0 R#561 right after G55, G69 before its end"

    def test_said_where_it_is_cut(self):
        self.assertEqual(turned_words(self.plan.setups[1]), self.wanted)
        self.assertEqual(turned_words(self.plan.setups[0]), "")
        other = plan_with(CYCLES["corner of four"], profile="parameter style")
        self.assertEqual(turned_words(other.setups[1]), "")
        job = set_value(self.plan.job, ("setups", 1, "operations"), self.plan.job.setups[0].operations[:1])
        plan = plan_of(job)
        self.assertIn(self.wanted, "".join(line.text for line in cut_tape(plan.setups[1], 0).lines))
        self.assertIn(self.wanted, sheet_html(plan))

    def differences(self, *lines):
        head = "G21 G90 G17 G94\nT2 M6\nG43 H2\n"
        text = "\n".join((head, *lines, "M30\n"))
        words = control_words(self.plan.job.machine)
        return read_toolpath([text.encode()], control=words)

    def test_a_toolpath_that_is_not_turned_so_is_told(self):
        for lines, line in (
            (("G55", "G68 X0 Y0 R#561", "G0 X1 Y2 Z5", "G69"), 0),
            (("G55", "G68 X0 Y0 R#561 (as G55)", *("G1 X1 Y2 F9", "X2 Y3") * 9, "G69"), 0),
            (("G55", "G0 Z5", "G0 X1 Y2"), 7),
            (("G55", "G68 X0 Y0 R#560", "G0 X1 Y2", "G69"), 7),
            (("G55", "G68 X0 Y0 R#561", "G1 X1 Y2 F9", "G69", *("X1 Y2", "X2 Y3") * 9), 9),
            (("G54", "G68 X0 Y0 R#560", "G0 X1 Y2", "G69"), 0),
            (("G54", "G0 X1 Y2"), 0),
            (("G54", "G68 X0 Y0 R#561", "G0 X1 Y2", "G69"), 7),
        ):
            with self.subTest(lines):
                found = check_program(self.differences(*lines), self.plan)
                self.assertEqual([d.line for d in found if d.code == "TURN_NOT_CALLED"], [line] if line else [])

    def test_what_is_turned_so_is_counted(self):
        """In the offset's own coordinates; turned about another place, or by another angle, it is not."""
        for turned, counted in (("X0 Y0 R#561", True), ("X5 Y0 R#561", False), ("X0 Y0 R30", False)):
            read = self.differences("G55", f"G68 {turned}", "G0 X33 Y2", "G69")
            self.assertEqual(read.complete, counted)
            self.assertEqual([each.bounds(0) for each in read.extents.values()], [(33.0, 33.0)] if counted else [])

    def test_the_hover_check_stands_over_the_turned_place(self):
        plan = plan_of(
            set_value(set_value(self.plan.job, ("setups", 1, "hover", "x"), 60.0), ("setups", 1, "hover", "y"), 5.0)
        )
        unit = control(dialect=NUMBERED_STYLE.on(plan.job.machine), machine=plan.job.machine)
        unit.machine.offsets[2], unit.machine.turns[2] = np.array([-500.0, -200.0, -300.0]), 2.0
        outcome = unit.run(hover_text(plan, 1))
        self.assertEqual(outcome.alarm, "")
        turn = math.radians(2.0)
        x, y = 60 * math.cos(turn) - 5 * math.sin(turn), 60 * math.sin(turn) + 5 * math.cos(turn)
        np.testing.assert_allclose(unit.machine.position[:2], (-500 + x, -200 + y), atol=1e-3)


class RegistrationTest(unittest.TestCase):
    def test_bores_for_pins_go_where_the_turned_setup_has_them(self):
        """Beside the straight one's program at its own place: the same bores, turned about the offset's zero."""
        straight = ring_plan("on-pins")
        job = set_value(set_value(straight.job, ("machines", 0, "profile"), ROTATING), OFFSET_TURNS, 560)
        station = next(k for k, s in enumerate(job.machine.stations) if s.id == job.setups[0].station)
        turned = plan_of(set_value(job, ("machines", 0, "stations", station, "turn_deg"), 20.0))
        of, ends = turned.job.machine, []
        for plan in (straight, turned):
            text, place = programs_of_turn(plan.job, turns_of(plan)[0])["pins board"], plan.setups[0].located
            self.assertEqual("G68 X0 Y0 R#560 (as G54 is turned)" in text, plan is turned)
            unit = control(dialect=NUMBERED_STYLE.on(of), machine=of)
            unit.machine.offsets[1], unit.machine.turns[1] = place.m_offset.copy(), place.turn_deg
            self.assertEqual(unit.run(text).alarm, "")
            ends.append(np.array([m.end for m in unit.machine.motions if m.kind == "feed"])[:, :2] - place.m_offset[:2])
            self.assertEqual(unit.run("G52 X0 Y0\nM30").alarm, "", "nothing is turned after it")
        c, s = math.cos(math.radians(20.0)), math.sin(math.radians(20.0))
        np.testing.assert_allclose(ends[1], ends[0] @ np.array([[c, s], [-s, c]]), atol=0.02)

    def test_a_turn_goes_into_its_variable_and_is_looked_at(self):
        of = machine(profile=ROTATING, offset_turns=560)
        turned = (with_value(Entry("G55"), Value(-1.0, -2.0, -3.0, 0.25), "touches"),)
        unit = control(dialect=NUMBERED_STYLE.on(of), machine=of)
        verify = verify_program(of, turned, "t", 0.01)
        unit.run(loading_program(of, turned, "t"))
        self.assertEqual((unit.machine.turns[2], unit.run(verify).alarm), (0.25, ""))
        unit.machine.turns[2] = 0.2
        self.assertIn("is not turned by 0.25", unit.run(verify).alarm)


class RotationAtTheControlTest(unittest.TestCase):
    def control(self):
        of = machine(profile=ROTATING, offset_turns=560)
        return control(dialect=NUMBERED_STYLE.on(of), machine=of)

    def test_about_a_place_and_what_is_read_there(self):
        """A quarter turn anticlockwise about (10, 0): what is at (20, 0) goes to (10, 10)."""
        unit = self.control()
        unit.run("G21 G90 G17 G54\nG52 X1 Y2\nG68 X10 Y0 R90\nG0 X20 Y0\n#1=#5041\n#2=#5042\nG69\n#3=#5041\n#4=#5042")
        np.testing.assert_allclose(unit.machine.position[:2], (START[0] + 11, START[1] + 12), atol=1e-9)
        np.testing.assert_allclose([unit.parameters[k] for k in (1, 2, 3, 4)], (20, 0, 10, 10), atol=1e-9)

    def test_what_differs_from_control_to_control_is_refused(self):
        for text, why in (
            ("G68 X0 Y0 R3\nG31 X5 F9", "skip reads under G68"),
            ("G68 X0 Y0 R3\nG52 X5", "shift goes under G68"),
            ("G68 R3", "the middle of the turn"),
            ("G91 G68 X0 Y0 R3", "G17 and G90 only"),
            ("G68 X0 Y0 R3\nG68 X0 Y0 R3", "not within another"),
        ):
            with self.subTest(text), self.assertRaisesRegex(ProgramError, why):
                self.control().run("G21 G90 G17 G54\n" + text)

    def test_a_turn_is_kept_through_programs(self):
        unit = self.control()
        unit.run("#561 = 1.25\nM30")
        again = Control(unit.machine, unit.dialect)
        again.run("G21 G90 G17 G55\nG68 X0 Y0 R#561\nG69\n#1 = #561\nM30")
        self.assertEqual((again.parameters[1], unit.machine.turns[2]), (1.25, 1.25))


if __name__ == "__main__":
    unittest.main()
