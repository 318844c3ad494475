"""The control's language beyond straight moves: arcs, drilling, loops, subprograms, turned offsets, both styles."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ledgecliff.core.contact.first_contact import Body
from ledgecliff.core.errors import ProgramError
from ledgecliff.core.in_process.stock import box
from ledgecliff.core.simulator.arcs import arc_points
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, TrueProbe, quiet
from ledgecliff.core.simulator.modal import NUMBERED_STYLE, PARAMETER_STYLE
from tests.helpers import demo

START = (-300.0, -200.0, -300.0)


def control(*bodies, dialect=PARAMETER_STYLE, machine=None, **more):
    machine = machine or demo().machine
    offsets = {offset.number: np.array(START) for offset in machine.offsets}
    return Control(SimulatedMachine(machine, list(bodies), offsets, quiet(), **more), dialect)


def parameters(program, dialect=PARAMETER_STYLE):
    outcome = control(dialect=dialect).run(program)
    assert outcome.alarm == "", outcome.alarm
    return outcome.parameters


def path(program, unit=None):
    """Ends of all moves in the WCS of G54, and how each was made."""
    unit = unit or control()
    outcome = unit.run("G21 G90 G54\nG0 X0 Y0 Z0\n" + program)
    assert outcome.alarm == "", outcome.alarm
    return [(motion.kind, np.subtract(motion.end, START)) for motion in unit.machine.motions[1:]]


class WordsTest(unittest.TestCase):
    def test_a_parameter_set_among_words_counts_from_the_next_block(self):
        """The public report (3.3.2.1): with #3 at 15, ``#3=6 G1 x#3`` goes to 15, and #3 is 6 from then on."""
        unit = control()
        ends = path("#3=15\nF100\n#3=6 G1 x#3\nx#3", unit)
        self.assertEqual([round(end[0], 6) for _, end in ends], [15.0, 6.0])
        self.assertEqual(unit.parameters[3], 6.0)

    def test_functions_and_operators(self):
        for expression, expected in (
            ("EXP[1]", math.e), ("LN[2]", math.log(2)), ("1 XOR 0", 1), ("2 XOR 3", 0), ("ROUND[-2.5]", -3),
            ("ROUND[2.5]", 3), ("ROUND[-2.4]", -2), ("-7 MOD 3", 2), ("7 MOD -3", 1), ("0 XOR 0", 0),
        ):  # fmt: skip
            self.assertAlmostEqual(parameters(f"#1 = [{expression}]")[1], expected, msg=expression)

    def test_the_offset_selected(self):
        self.assertEqual(parameters("#1=#5220\nG56\n#2=#5220")[1], 1)
        self.assertEqual(parameters("G56\n#2=#5220")[2], 3)

    def test_the_numbered_style_needs_no_brackets(self):
        found = parameters("#1=2\n#1=#1+1\n#2=#1*2-4/2\nIF [#1 EQ 3] THEN #4=#1*#2", NUMBERED_STYLE)
        self.assertEqual((found[1], found[2], found[4]), (3, 4, 12))

    def test_a_macro_call_gives_each_letter_its_parameter(self):
        program = (
            "#1=7 \n#500=0\nG65 P8 A1 B2 C3 I4 D7 X24 Z26 F9 L2\nM30\n"
            "O8\n#500=#500+#1+#2*10+#3*100+#4*1000+#7*10000+#24*100000\n#501=#26\n#502=#9\n#503=#5\n#1=99\nM99"
        )
        found = parameters(program, NUMBERED_STYLE)
        self.assertEqual(found[500], 100000 * 24 * 2 + 2 * 74321)
        self.assertEqual((found[501], found[502], found[503], found[1]), (26, 9, 0, 7))

    def test_boring_with_a_dwell(self):
        """G86 comes out fast, G89 at feed; neither pecks."""
        for word, out in (("G86", "rapid"), ("G89", "feed")):
            moves = path(f"G0 Z10\n{word} X5 Y5 Z-3 R2 P1 F100\nG80")
            kinds = [(kind, round(end[2], 6)) for kind, end in moves]
            self.assertIn(("feed", -3.0), kinds)
            self.assertEqual(kinds[kinds.index(("feed", -3.0)) + 1], (out, 2.0))


class ShiftTest(unittest.TestCase):
    def test_a_place_is_made_to_read_what_is_stated(self):
        """At 10, 20 reading 3: X goes on from there, and G92.1 takes it back; Y was not stated."""
        ends = [end for _, end in path("G0 X10 Y20\nG92 X3\nX4 Y21\nG92.2\nX0\nG92.3\nX0\nG92.1\nX0")]
        np.testing.assert_allclose([end[0] for end in ends], [10, 11, 0, 7, 0])
        self.assertAlmostEqual(ends[1][1], 21)

    def test_a_local_shift_of_the_numbered_style(self):
        unit = control(dialect=NUMBERED_STYLE)
        ends = [end for _, end in path("G52 X5 Y-2\nG0 X1 Y1\nG52 X0\nX1 Y1\nG52 X0 Y0 Z0\nX1 Y1", unit)]
        np.testing.assert_allclose([end[:2] for end in ends], [(6, -1), (1, -1), (1, 1)])

    def test_in_a_turned_offset_the_shift_goes_along_its_axes(self):
        unit = control()
        ends = [end for _, end in path("G10 L2 P1 R90\nG0 X0 Y0\nG92 X2\nX0 Y0", unit)]
        np.testing.assert_allclose(ends[-1][:2], (0, -2), atol=1e-9)

    @given(st.floats(-180, 180), st.floats(-50, 50), st.floats(-50, 50), st.booleans(), st.booleans())
    def test_the_present_place_reads_what_is_stated_however_it_is_turned(self, turn, x, y, both, again):
        """G10 L20 in a turned offset: what is stated reads so, what is not reads as before."""
        unit = control()
        stated = f"X{x:.6f}" + (f" Y{y:.6f}" if both else "")
        turn_word = f" R{turn:.6f}" if again else ""
        program = f"G21 G90 G54\nG10 L2 P1 R{turn:.6f}\nG0 X12 Y-7 Z3\n#2=#5421\nG10 L20 P1 {stated}{turn_word}\n"
        outcome = unit.run(program + "#3=#5420\n#4=#5421\n#5=#5422")
        self.assertEqual(outcome.alarm, "")
        self.assertAlmostEqual(outcome.parameters[3], x, places=5)
        self.assertAlmostEqual(outcome.parameters[4], y if both else -7.0, places=5)
        self.assertAlmostEqual(outcome.parameters[5], 3.0, places=6)


class ArcTest(unittest.TestCase):
    def test_quarter_turns_by_centre(self):
        """From (0, 0) about (10, 0): clockwise goes up over (10, 10), counter-clockwise down under it."""
        for word, side in (("G2", 1.0), ("G3", -1.0)):
            with self.subTest(word):
                points = [end for _, end in path(f"{word} X20 Y0 I10 J0 F500")]
                np.testing.assert_allclose(points[-1], (20, 0, 0), atol=1e-9)
                self.assertAlmostEqual(max(side * point[1] for point in points), 10.0, delta=0.011)
                for point in points:
                    self.assertAlmostEqual(math.hypot(point[0] - 10, point[1]), 10.0, places=6)

    def test_a_full_circle_comes_back(self):
        points = [end for _, end in path("G2 I10 J0 F500")]
        np.testing.assert_allclose(points[-1], (0, 0, 0), atol=1e-9)
        self.assertAlmostEqual(max(point[0] for point in points), 20.0, delta=0.011)

    def test_helix_goes_down_evenly(self):
        points = [end for _, end in path("G3 I5 J0 Z-4 F500")]
        halfway = points[len(points) // 2 - 1]
        self.assertAlmostEqual(halfway[2], -2.0, delta=4.0 / len(points) + 1e-9)
        np.testing.assert_allclose(points[-1], (0, 0, -4), atol=1e-9)

    def test_other_planes(self):
        """In G18 the first axis is Z, so G2 from the left over the top is what G3 looks like from the front."""
        points = [end for _, end in path("G18 G3 X20 Z0 I10 K0 F500")]
        self.assertAlmostEqual(max(point[2] for point in points), 10.0, delta=0.011)
        points = [end for _, end in path("G19 G2 Y20 Z0 J10 K0 F500")]
        self.assertAlmostEqual(max(point[2] for point in points), 10.0, delta=0.011)

    @given(st.floats(0.5, 60.0), st.floats(0.05, 6.2), st.floats(-3.1, 3.1), st.booleans())
    def test_radius_and_centre_give_the_same_arc(self, radius, sweep, begin, clockwise):
        """Against the arc made by turning a spoke by hand; longer than half a turn needs the negative radius."""
        if abs(sweep - math.pi) < 0.02:
            return
        turn = -sweep if clockwise else sweep
        start = (radius * math.cos(begin), radius * math.sin(begin), 0.0)
        end = (radius * math.cos(begin + turn), radius * math.sin(begin + turn), 0.0)
        signed = radius if sweep < math.pi else -radius
        for points in (
            arc_points(start, end, "G17", clockwise, (0.0, 0.0), None),
            arc_points(start, end, "G17", clockwise, None, signed),
        ):
            length = sum(math.dist(a, b) for a, b in zip([start, *points[:-1]], points, strict=True))
            self.assertAlmostEqual(length, radius * sweep, delta=0.02 * radius * sweep + 1e-3)
            for point in points:
                self.assertAlmostEqual(math.hypot(point[0], point[1]), radius, delta=1e-4)

    def test_an_arc_that_is_none_is_refused(self):
        for program, words in {
            "G2 X20 Y5 I10 J0 F500": "both must be the same radius",
            "G2 X20 Y0 R3 F500": "too small for a chord",
            "G2 X0 Y0 R3 F500": "must end elsewhere",
        }.items():
            with self.subTest(program), self.assertRaisesRegex(ProgramError, words):
                path(program)


class DrillingTest(unittest.TestCase):
    def test_one_hole_and_a_second_by_its_place_alone(self):
        moves = path("G0 Z20\nG81 X10 Y5 Z-8 R2 F100\nX30")
        self.assertEqual([kind for kind, _ in moves[1:]], ["rapid", "rapid", "feed", "rapid", "rapid"] * 2)
        np.testing.assert_allclose([end for kind, end in moves if kind == "feed"], [(10, 5, -8), (30, 5, -8)])
        np.testing.assert_allclose(moves[-1][1], (30, 5, 20), err_msg="back to the height before the cycle")

    def test_return_to_the_retract_height(self):
        np.testing.assert_allclose(path("G0 Z20\nG99 G81 X10 Y5 Z-8 R2 F100")[-1][1], (10, 5, 2))

    def test_pecks_reach_the_bottom_in_equal_bites(self):
        """R2 to Z-8 is 10 deep: bites of 3 end at -1, -4, -7, -8; G83 comes out between, G73 does not."""
        for word, top in (("G83", 2.0), ("G73", -0.5)):
            with self.subTest(word):
                moves = path(f"G0 Z20\n{word} X10 Y5 Z-8 R2 Q3 F100")
                np.testing.assert_allclose([end[2] for kind, end in moves if kind == "feed"], [-1, -4, -7, -8])
                between = moves[[kind for kind, _ in moves].index("feed") + 1][1][2]
                self.assertAlmostEqual(between, top)

    def test_boring_feeds_out(self):
        self.assertEqual([kind for kind, _ in path("G0 Z2\nG85 X10 Y5 Z-8 R2 F100")][-2:], ["feed", "feed"])

    def test_bad_heights_are_refused(self):
        for program, words in {
            "G81 Z5 R2 F9": "above its R",
            "G83 Z-5 R2 F9": "needs Q",
            "G18 G81 Z-1 R2 F9": "G17",
        }.items():
            with self.subTest(program), self.assertRaisesRegex(ProgramError, words):
                path(program + " X1")


class LoopTest(unittest.TestCase):
    def test_while_counts(self):
        self.assertEqual(parameters("#1=0\n#2=0\no1 while [#1 LT 5]\n#1=[#1+1]\n#2=[#2+#1]\no1 endwhile")[2], 15)

    def test_repeat_and_nested_if(self):
        program = "#2=0\no1 repeat [4]\n#2=[#2+1]\no2 if [#2 EQ 2]\n#3=7\no2 endif\no1 endrepeat"
        self.assertEqual([parameters(program)[k] for k in (2, 3)], [4, 7])

    def test_a_subprogram_has_its_own_low_parameters(self):
        """Arguments are #1 and #2 inside; outside #1 stays what it was, #100 is shared."""
        program = "o9 sub\n#100=[#1*#2]\n#1=99\no9 endsub\n#1=5\no9 call [6] [7]\n#101=#1"
        self.assertEqual([parameters(program)[k] for k in (100, 101)], [42, 5])

    def test_return_leaves_early(self):
        self.assertNotIn(101, parameters("o9 sub\n#100=1\no9 return\n#101=1\no9 endsub\no9 call"))

    def test_goto_style(self):
        """The same sum of 1 to 5 in the other style, by DO and by GOTO."""
        by_do = "#1=0\n#2=0\nWHILE [#1 LT 5] DO1\n#1=#1+1\nEND1".replace("#1+1", "[#1+1]")
        self.assertEqual(parameters(by_do, NUMBERED_STYLE)[1], 5)
        by_goto = "#1=0\n#2=0\nN10 #1=[#1+1]\n#2=[#2+#1]\nIF [#1 LT 5] GOTO 10\nIF [#2 EQ 15] THEN #3=1"
        self.assertEqual([parameters(by_goto, NUMBERED_STYLE)[k] for k in (2, 3)], [15, 1])

    def test_called_program_of_the_other_style(self):
        program = "#1=0\nM98 P20 L3\nM30\nO20\n#1=[#1+1]\nM99"
        self.assertEqual(parameters(program, NUMBERED_STYLE)[1], 3)

    def test_each_style_refuses_the_others_words(self):
        for program, dialect in (
            ("IF [1 EQ 1] GOTO 10", PARAMETER_STYLE),
            ("M98 P1", PARAMETER_STYLE),
            ("o1 if [1]\no1 endif", NUMBERED_STYLE),
            ("G38.2 X1 F9", NUMBERED_STYLE),
            ("GOTO 77", NUMBERED_STYLE),
            ("G10 L2 P1 R5", NUMBERED_STYLE),
        ):
            with self.subTest(program), self.assertRaises(ProgramError) as caught:
                control(dialect=dialect).run("G21\n" + program)
            self.assertEqual(caught.exception.line, 2)

    def test_alarm_of_the_numbered_style(self):
        outcome = control(dialect=NUMBERED_STYLE).run("#1=1\n#3000=1 (STOP WIDTH IS WRONG)\n#1=2")
        self.assertEqual((outcome.alarm, outcome.alarm_line, outcome.parameters[1]), ("STOP WIDTH IS WRONG", 2, 1))

    def test_block_delete(self):
        unit = control()
        unit.block_delete = True
        self.assertNotIn(1, unit.run("/#1=1").parameters)
        self.assertEqual(control().run("/#1=1").parameters[1], 1)


class TurnedOffsetTest(unittest.TestCase):
    def test_axes_turn_about_the_zero(self):
        """A quarter turn counter-clockwise: X of the part goes along machine Y."""
        (_, end) = path("G10 L2 P1 R90\nG0 X10 Y3")[-1]
        np.testing.assert_allclose(end, (-3, 10, 0), atol=1e-9)

    @given(st.floats(-180, 180), st.floats(-40, 40), st.floats(-40, 40))
    def test_what_is_reached_reads_back(self, turn, x, y):
        found = parameters(f"G21 G90 G54\nG10 L2 P1 R{turn:.4f}\nG0 X{x:.4f} Y{y:.4f}\n#1=#5420\n#2=#5421")
        np.testing.assert_allclose([found[1], found[2]], [round(x, 4), round(y, 4)], atol=1e-9)

    def test_this_place_reads_so(self):
        """L20: the offset is what makes the present place read the given value."""
        unit = control()
        unit.run("G21 G90 G54\nG0 X7 Y8\nG10 L20 P2 X0 Y1")
        np.testing.assert_allclose(unit.machine.offsets[2][:2], (START[0] + 7, START[1] + 7))

    def test_written_offset_parameters_are_the_offsets_of_the_numbered_style_only(self):
        for dialect, expected in ((NUMBERED_STYLE, -250.0), (PARAMETER_STYLE, START[0])):
            unit = control(dialect=dialect)
            unit.run("#5221=-250.0")
            self.assertAlmostEqual(unit.machine.offsets[1][0], expected)


class HomeAndToolTest(unittest.TestCase):
    def test_home_by_way_of_where_it_is(self):
        unit = control()
        path("G91 G28 Z0", unit)
        self.assertAlmostEqual(unit.machine.position[2], 0.0)

    def test_the_tool_in_the_spindle_can_be_asked(self):
        self.assertEqual(parameters("T30 M6\n#1=#5400")[1], 30)
        self.assertEqual(parameters("T30 M6\n#1=#4120", NUMBERED_STYLE)[1], 30)

    def test_travel_limits(self):
        self.assertRegex(control().run("G21 G90 G54\nG0 X5000").alarm, "X 4700.000 is outside the travel")


class SkipAndFaultTest(unittest.TestCase):
    """The ball stands 20 mm left of a block whose side is at machine X -300."""

    start = "G21 G90 G54\nT30 M6\nG43 H30\nG53 G0 X-320 Y-200\nG53 G0 Z-297.4\n"

    def run_program(self, text, dialect=NUMBERED_STYLE, **truth):
        block = Body("block", box((-300, -250, -480), (-200, -150, -430)))
        return control(block, dialect=dialect, truth=TrueProbe(**truth)).run(self.start + text)

    def test_skip_latches_the_trigger(self):
        """In the WCS at machine X -300 the ball's centre reads -1.982 when its skin is on the side."""
        self.assertAlmostEqual(self.run_program("G31 X10 F60\n#1=#5061").parameters[1], -1.982, places=4)

    def test_skip_without_a_trigger_latches_the_end(self):
        self.assertAlmostEqual(self.run_program("G31 X-10 F60\n#1=#5061").parameters[1], -10.0, places=6)

    def test_true_radius_off_shows_in_the_reading(self):
        """A ball 0.02 larger than calibrated triggers 0.02 earlier."""
        self.assertAlmostEqual(
            self.run_program("G31 X10 F60\n#1=#5061", radius_off=0.02).parameters[1], -2.002, places=4
        )

    def test_lobing_turns_with_the_direction(self):
        """Three lobes: moving along +X the pretravel is larger by the full swing."""
        self.assertAlmostEqual(self.run_program("G31 X10 F60\n#1=#5061", lobing=0.004).parameters[1], -1.978, places=4)

    def test_a_missed_trigger_is_told_with_how_far_it_pushed(self):
        outcome = self.run_program("G31 X3 F60", missed=frozenset({1}))
        self.assertRegex(outcome.alarm, r"a trigger was missed: the ball was pushed 5\.000 into the block")

    def test_two_stages_meet_the_surface_at_one_place(self):
        """The second touch starts nearer on the same line; a start further out is searched anew."""
        program = "G38.2 X10 F300\n#1=#5061\nG38.4 X-15 F60\nG1 X-5 F900\nG38.2 X0 F60\n#2=#5061\n"
        program += "G38.4 X-18 F60\nG1 X-18 F900\nG38.2 X0 F60\n#3=#5061"
        found = self.run_program(program, PARAMETER_STYLE).parameters
        self.assertAlmostEqual(found[1], -1.982 + 0.016, places=4)
        self.assertAlmostEqual(found[2], -1.982, places=5)
        self.assertAlmostEqual(found[3], -1.982, places=5)
