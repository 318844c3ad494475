"""The simulated control reads program text by itself: expressions, modes, offsets, flow, refusals."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.contact.first_contact import Body
from ledgecliff.core.errors import ProgramError
from ledgecliff.core.in_process.stock import box
from ledgecliff.core.simulator.expressions import ExpressionError, Parameters, Scanner, evaluated
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from ledgecliff.core.simulator.modal import NUMBERED_STYLE
from tests.helpers import demo


def machine(*bodies):
    offsets = {offset.number: np.zeros(3) for offset in demo().machine.offsets}
    return SimulatedMachine(demo().machine, list(bodies), offsets, quiet())


def control(*bodies):
    return Control(machine(*bodies))


def value(text, **parameters):
    known = Parameters()
    known.update({int(name[1:]): v for name, v in parameters.items()})
    return evaluated(Scanner(text).value(), known)


class ExpressionTest(unittest.TestCase):
    def test_values(self):
        """Worked by hand; operators of one rank from left to right."""
        for text, expected in {
            "-1.5": -1.5,
            "[2+3*4]": 14,
            "[10-4-3]": 3,
            "[2**3**2]": 64,
            "[-[3]]": -3,
            "ABS[-7.5]": 7.5,
            "SQRT[16]": 4,
            "[7MOD4]": 3,
            "FIX[-1.5]": -2,
            "FUP[1.2]": 2,
            "ROUND[2.5]": 3,
            "COS[60]": 0.5,
            "[1EQ1]": 1,
            "[2GT3]": 0,
            "[[1LT2]AND[3GE3]]": 1,
            "[0OR0]": 0,
            "[8/2/2]": 2,
            "[2*-3]": -6,
        }.items():
            with self.subTest(text):
                self.assertAlmostEqual(value(text), expected)

    def test_parameters(self):
        self.assertEqual(value("#7", p7=4.5), 4.5)
        self.assertEqual(value("[#7+#8]", p7=1, p8=2), 3)
        self.assertEqual(value("##7", p7=8, p8=2.5), 2.5)
        self.assertEqual(value("#99"), 0.0)

    def test_refusals(self):
        for text, reason in {
            "[1/0]": "division by zero",
            "[1+": "a number is expected",
            "[1": "'\\]' is missing",
            "SQRT[-1]": "does not exist",
            "#0": "no parameter",
            "#1.5": "no parameter",
            "FOO[1]": "a number is expected",
        }.items():
            with self.subTest(text), self.assertRaisesRegex(ExpressionError, reason):
                value(text)


class MotionTest(unittest.TestCase):
    def run_and_stop_at(self, program, **offset):
        unit = control()
        for number, values in offset.items():
            unit.machine.offsets[int(number[1:])] = np.array(values, dtype=float)
        outcome = unit.run(program)
        self.assertEqual(outcome.alarm, "")
        return unit.machine.position

    def test_work_offset_and_tool_length(self):
        """Gauge line = E + w + H: -400 + 10 + 118.4."""
        at = self.run_and_stop_at("G21 G90 G54\nT2 M6\nG43 H2\nG0 X5 Y6 Z10", e1=(-300, -200, -400))
        np.testing.assert_allclose(at, (-295, -194, -271.6))

    def test_inches_and_back(self):
        at = self.run_and_stop_at("G20 G90 G54\nG0 X1 Y-1\nG21\nG0 Y-50", e1=(-300, -200, -400))
        np.testing.assert_allclose(at[:2], (-274.6, -250))

    def test_incremental_and_machine_coordinates(self):
        at = self.run_and_stop_at("G21 G90 G54\nG0 X0 Y0\nG91 G0 X3 Y-4\nG53 G0 Z-20", e1=(-300, -200, -400))
        np.testing.assert_allclose(at, (-297, -204, -20))

    def test_writing_an_offset_moves_the_wcs_at_once(self):
        at = self.run_and_stop_at("G21 G90 G54\nG10 L2 P1 X-250\nG0 X1", e1=(-300, -200, -400))
        self.assertAlmostEqual(at[0], -249)

    def test_offset_parameters_stay_in_the_controls_own_unit(self):
        """A program in inches on a metric control reads millimetres there: mixing them must show."""
        unit = control()
        unit.machine.offsets[2] = np.array([-254.0, -127.0, -50.8])
        outcome = unit.run(
            "G20\n#1 = #5241\nG21\n#2 = #5242\nG10 L2 P2 Z-99\n#3 = #5243\nG20 G10 L2 P2 Z-1\n#4 = #5243"
        )
        self.assertAlmostEqual(outcome.parameters[1], -254.0)
        self.assertAlmostEqual(outcome.parameters[2], -127.0)
        self.assertAlmostEqual(outcome.parameters[3], -99.0)
        self.assertAlmostEqual(outcome.parameters[4], -25.4)

    def test_travel_limits_alarm_before_the_move(self):
        unit = control()
        outcome = unit.run("G21 G90 G53 G0 X50")
        self.assertRegex(outcome.alarm, "X 50.000 is outside the travel")
        self.assertEqual(unit.machine.motions, [])


class FlowTest(unittest.TestCase):
    def parameters(self, program):
        return control().run(program).parameters

    def test_branches(self):
        program = "o1 if [#1 EQ 0]\n#2=1\no1 elseif [#1 EQ 5]\n#2=2\no1 else\n#2=3\no1 endif\n#3=9"
        self.assertEqual(self.parameters(program)[2], 1)
        self.assertEqual(self.parameters("#1=5\n" + program)[2], 2)
        self.assertEqual(self.parameters("#1=6\n" + program)[2], 3)
        self.assertEqual(self.parameters("#1=6\n" + program)[3], 9)

    def test_nesting(self):
        program = "o1 if [1]\no2 if [0]\n#2=1\no2 else\n#2=7\no2 endif\n#3=8\no1 endif"
        self.assertEqual([self.parameters(program)[k] for k in (2, 3)], [7, 8])

    def test_end_stops_and_says_why(self):
        outcome = control().run("o1 if [1]\n(MSG, STOP the jaw is open)\nM2\no1 endif\n#2=1")
        self.assertEqual((outcome.alarm, outcome.alarm_line), ("STOP the jaw is open", 3))
        self.assertNotIn(2, outcome.parameters)
        self.assertEqual(control().run("(MSG, done)\nM2").alarm, "")

    def test_the_operator_can_stop(self):
        outcome = control().run("#1=1\n#2=2", should_stop=lambda: True)
        self.assertEqual(outcome.alarm, "stopped by the operator")


class RefusalTest(unittest.TestCase):
    def test_what_is_not_understood_is_refused_with_its_line(self):
        for program, words in {
            "G21\nG68 X1 Y1": "line 2 'G68 X1 Y1': G68 is not supported",
            "G92": "need the axes",
            "M3 M5": "M3 and M5 cannot stand in one block",
            "M0 M30": "M0 and M30 cannot stand in one block",
            "T1.5 M6": "T1.5: a whole number",
            "G43 H-1": "H-1: a whole number",
            "G10 L2 P1.5 X0": "P1.5: a whole number",
            "G2 X1 Y1 I1 J0 F100 P2": "nothing in this block uses the word P2",
            "G1 X1 F100 R5": "nothing in this block uses the word R5",
            "G0 X1 I5": "nothing in this block uses the word I5",
            "G0 Z5 H3": "nothing in this block uses the word H3",
            "M3 S500 L2": "nothing in this block uses the word L2",
            "G53 G2 X1 Y1 I1 J0 F100": "G53 goes with G0 or G1 only",
            "G2 F100\nG53 I5": "G53 goes with G0 or G1 only",
            "G53 G38.3 X1 F100": "G53 goes with G0 or G1 only",
            "#5220 = 2": "worked out by the control",
            "#5421 = 2": "worked out by the control",
            "#1 = LN[0]": "LN of 0 does not exist",
            "#1 = EXP[9999]": "EXP of 9999 does not exist",
            "G1 F100\nG2 X1 Y1": "needs I and J, or R",
            "G31 X1": "G31 is not supported in the parameter style",
            "G0 G1 X5": "G0 and G1 cannot stand in one block",
            "G0 X5 X6": "two X words",
            "G41 D2\nG0 X1": "cutter radius compensation",
            "G41 D2\nG0 X1 M3": "cutter radius compensation",
            "G93 F5\nG1 X1": "inverse time",
            "E5": "the word 'E' is not supported",
            "G81 X1 Y1 F100": "needs Z and R",
            "o7 call": "no subprogram 7",
            "o7 return": "return outside",
            "o1 while [1 EQ 1]\no1 endwhile": "goes round without an end",
            "M66": "M66 is not supported",
            "G10 L11 P1 X0": "G10 L11 writes no work offset",
            "G10 L2 P44 X0": "no such work offset",
            "X5": "no motion word",
            "G1 X5": "without a feed",
            "#1 = 5 X7": "no motion word",
            "#1 = 5 + 7": "the word '+'",
            "(open": "a comment is not closed",
            "o1 if [1]": "the if has no endif",
            "o1 endif": "'endif' without its if",
            "o1 loop [1]": "only o… if",
            "G0 X[1": "is missing",
        }.items():
            with self.subTest(program), self.assertRaises(ProgramError) as caught:
                control().run(program)
            self.assertIn(words, str(caught.exception))

    def test_comments_and_blanks_do_nothing(self):
        outcome = control().run("%\n\n( G0 X99999 )\n; G0 X99999\n%")
        self.assertEqual((outcome.alarm, outcome.blocks), ("", 5))


class ProbingWordsTest(unittest.TestCase):
    """A block whose left side is at machine X -300; the probe comes from the left at Z 10 below its top."""

    def setUp(self):
        self.control = control(Body("block", box((-300, -250, -480), (-200, -150, -430))))
        self.start = "G21 G90 G54\nT30 M6\nG43 H30\nG53 G0 X-320 Y-200\nG53 G0 Z-297.4\n"

    def run_program(self, text):
        return self.control.run(self.start + text)

    def test_latched_place_is_in_the_active_wcs(self):
        """Contact when the centre is 2.0 before the side; reading 1.982 before it: pretravel and lag are in r_e."""
        self.control.machine.offsets[1] = np.array([-310.0, -200.0, -430.0])
        outcome = self.run_program("G38.2 X20 F60\n#1 = #5061\n#2 = #5070")
        self.assertEqual(outcome.alarm, "")
        self.assertAlmostEqual(outcome.parameters[1] + 1.982, 10.0, places=4)
        self.assertEqual(outcome.parameters[2], 1.0)

    def test_a_fast_touch_reads_late_by_feed_times_delay(self):
        """Chapter 3: at 4 ms, 60 mm/min is in the calibration, 540 more mm/min are 0.036 mm."""
        slow = self.run_program("G38.2 X-290 F60\n#1 = #5061").parameters[1]
        self.setUp()
        fast = self.run_program("G38.2 X-290 F600\n#1 = #5061").parameters[1]
        self.assertAlmostEqual(fast - slow, 0.036, places=4)

    def test_search_without_contact(self):
        self.assertEqual(self.run_program("G38.2 X-310 F60").alarm, "no contact by the end of the search")
        self.setUp()
        outcome = self.run_program("G38.3 X-310 F60\n#1 = #5070")
        self.assertEqual((outcome.alarm, outcome.parameters[1]), ("", 0.0))

    def test_away_needs_contact_and_must_lose_it(self):
        self.assertIn("not deflected", self.run_program("G38.4 X-330 F60").alarm)
        self.setUp()
        outcome = self.run_program("G38.2 X-290 F60\nG38.4 X-310 F60\n#1 = #5061")
        self.assertEqual(outcome.alarm, "")
        self.assertAlmostEqual(outcome.parameters[1], -302.0, places=3)

    def test_probing_on_while_deflected(self):
        self.assertIn("already deflected", self.run_program("G38.2 X-290 F60\nG38.2 X-280 F60").alarm)

    def test_a_turning_spindle_and_a_cutter_do_not_probe(self):
        self.assertIn("switched on with the probe", self.run_program("M3\nG38.2 X-290 F60").alarm)
        self.setUp()
        self.assertIn("without the probe", self.run_program("T2 M6\nG38.2 X-290 F60").alarm)

    def test_a_collision_in_an_ordinary_move(self):
        outcome = self.run_program("G1 X-250 F500")
        self.assertRegex(outcome.alarm, "collision: the ball met the block")

    def test_the_stem_is_not_the_ball(self):
        """Deep beside an overhang the stem meets it first, and that is an alarm, not a reading."""
        self.control = control(
            Body("block", box((-300, -250, -480), (-200, -150, -430))),
            Body("lip", box((-302, -250, -428), (-200, -150, -420))),
        )
        outcome = self.run_program("G53 G0 Z-297.4\nG38.2 X-290 F60")
        self.assertRegex(outcome.alarm, "the stem of the probe, not the ball, met the lip")


class LocalShiftTest(unittest.TestCase):
    """G52 states how far the active offset is shifted; what clears it, and what it shares, differs by style."""

    def reads(self, text, dialect=None):
        made = control()
        if dialect is not None:
            made = Control(made.machine, dialect)
        return made.run(f"G21 G90\nG53 G0 X-100 Y-50 Z-10\n{text}\n#1 = #5041\n#2 = #5042").parameters

    def test_it_is_taken_off_what_is_read(self):
        for dialect in (None, NUMBERED_STYLE):
            plain, shifted = self.reads("G54", dialect), self.reads("G54\nG52 X10 Y-4", dialect)
            self.assertAlmostEqual(shifted[1], plain[1] - 10.0)
            self.assertAlmostEqual(shifted[2], plain[2] + 4.0)
            again = self.reads("G54\nG52 X10 Y-4\nG52 X0 Y0 Z0", dialect)
            self.assertAlmostEqual(again[1], plain[1])

    def test_in_the_parameter_style_it_is_the_shift_of_g92(self):
        plain, cleared = self.reads("G54"), self.reads("G54\nG52 X10\nG92.1")
        self.assertAlmostEqual(cleared[1], plain[1])
        kept = self.reads("G54\nG52 X10\nG92.1", NUMBERED_STYLE)
        self.assertAlmostEqual(kept[1], self.reads("G54", NUMBERED_STYLE)[1] - 10.0)
