"""Modes never lost, shifts, cycles and subprograms followed: by hand, and against the simulated control's motions."""

from __future__ import annotations

import random
import unittest

import numpy as np

from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from ledgecliff.core.simulator.modal import NUMBERED_STYLE
from ledgecliff.core.toolpaths.checks import check_program
from ledgecliff.core.toolpaths.control_words import ControlWords
from ledgecliff.core.toolpaths.reading import read_toolpath
from ledgecliff.core.toolpaths.subprograms import SubprogramError, section
from tests.core.toolpaths.test_reading import HEAD, bounds, read
from tests.draws import draws
from tests.helpers import demo

#: As most programs begin, but for their unit.
SAFETY = "G0 G17 G20 G40 G49 G80 G90"


def found_in(text, **more):
    """Read with the subprograms that stand in the same text."""

    def find(number, *, outside=False):
        found = None if outside else section([text.encode()], number)
        if found is None:
            raise SubprogramError(f"subprogram {number} is not here")
        return found

    return read_toolpath([text.encode()], find=find, **more)


def words_of(summary):
    return " | ".join(remark.text for remark in summary.remarks)


class ModesTest(unittest.TestCase):
    def test_the_usual_safety_line_keeps_its_inches(self):
        text = f"{SAFETY}\nT2 M6\nG54 G43 H2\nG0 X0 Y0 Z1\nG1 Z-0.5 F10\nX2\nM30\n"
        summary = read(text)
        self.assertEqual((summary.units, summary.complete), ({"in": 1}, True))
        np.testing.assert_allclose(bounds(summary), [(0.0, 50.8), (0.0, 0.0), (-12.7, 25.4)])
        # The control that simulates it takes G80 with a motion word too, and the motion stays.
        self.assertEqual(run(f"{SAFETY}\nF5 G1 G80 X0.5\nX0.25\nM30\n")[0].alarm, "")

    def test_a_mode_in_a_line_that_cannot_be_read(self):
        """Not read, with no extents at all, and an error; whatever else the line is wrong about."""
        for line in (
            "G20 X1 X2", "G20 $1", "G0 G20 Q1 (open", "G91 Z-1 ?", "G90 G91", "G#1 X5", "G70", "X1 X2 G55", "T3 M6 $",
            "M98 P100 $", "G52 X5 $", "G68 X0 Y0 R30 $", "M30 $",
        ):  # fmt: skip
            with self.subTest(line):
                summary = read(HEAD + "X5\n" + line + "\nX90\nM30\n")
                self.assertEqual(summary.not_read.line, 10)
                self.assertEqual((summary.extents, summary.complete), ({}, False))
                self.assertEqual(list(summary.offsets), ["G54"])
                found = {d.code: d.severity for d in check_program(summary)}
                self.assertEqual(found.get("PROGRAM_NOT_READ"), "error")

    def test_a_line_that_is_only_odd_leaves_the_rest(self):
        for line in ("X1 X2", "$", "((nested G20) T3)", "G1 X1 X2"):
            summary = read(HEAD + line + "\nX90\nM30\n")
            self.assertIsNone(summary.not_read, line)
            self.assertFalse(summary.complete)
            self.assertEqual(bounds(summary)[0][1], 90.0)

    def test_a_motion_word_is_not_lost_either(self):
        summary = read(HEAD + "G2 X20 X1 Y0 I10\nX0 Y0\nG0 X20 Y0\nG1 X1 X2\nX40\nM30\n")
        self.assertEqual(bounds(summary)[0], (0.0, 40.0))

    def test_modes_beside_what_is_worked_out(self):
        summary = read(HEAD + "G20 X[#1]\nX2\nM30\n")
        self.assertEqual(bounds(summary)[0], (0.0, 50.8))
        self.assertFalse(summary.complete)
        summary = read(HEAD + "G1 X5 F9\nG91 X#1\nX1\nM30\n")
        self.assertEqual(bounds(summary)[0], (0.0, 5.0))
        self.assertIn("not known", words_of(summary))

    def test_words_that_move_nothing_are_known(self):
        """Smoothing, exact stop, feed for each turn, constant speed, plain spindle speed, tuning of a path."""
        for word in ("G5.1 Q1", "G05.1 Q0", "G9", "G8 P1", "G61.1", "G62", "G64", "G95", "G97", "G187 P2 E0.05"):
            summary = read(HEAD + word + "\nX5\nM30\n")
            self.assertTrue(summary.complete, (word, summary.remarks))
            self.assertEqual(bounds(summary)[0], (0.0, 5.0))

    def test_the_unit_that_counts_before_one_is_named(self):
        text = b"G54 G90\nG0 X1\nM30\n"
        self.assertEqual(bounds(read_toolpath([text], control=ControlWords("in")), tool=0)[0], (25.4, 25.4))
        told = [
            d.message
            for d in check_program(read_toolpath([text], control=ControlWords("in")))
            if d.code == "UNITS_NOT_SET"
        ]
        self.assertIn("read in inches", told[0])

    def test_block_delete_on_a_mode(self):
        self.assertFalse(read(HEAD + "/G20\nX1\nM30\n").complete)
        self.assertTrue(read(HEAD + "/X1\nM30\n").complete)


def run(text, dialect=None):
    """The outcome on an empty machine, and where the tool went in G54."""
    offset = np.array([-300.0, -200.0, -300.0])
    machine = SimulatedMachine(demo().machine, [], {1: offset}, quiet())
    outcome = (Control(machine) if dialect is None else Control(machine, dialect)).run(text.replace("%\n", ""))
    ends = np.array([motion.end for motion in machine.motions])
    return outcome, ends - offset - (0.0, 0.0, machine.table_length(2))


class AgainstTheControlTest(unittest.TestCase):
    """Much that shifts, repeats and returns; where the control really went is what was read."""

    def program(self, seed):
        rng = random.Random(seed)

        def at(span=20):
            return f"{rng.uniform(-span, span):.3f}"

        lines = [HEAD.rstrip("\n"), "F500"]
        for _ in range(50):
            kind = rng.randrange(10)
            if kind == 0:
                lines += [
                    f"G52 X{at(5)} Z{at(2)}",
                    f"G1 X{at()}",
                    f"Y{at()} Z{at(3)}",
                    *["G52 X0 Y0 Z0"] * rng.randint(0, 1),
                ]
            elif kind == 1:
                lines += [f"G1 X{at()} Y{at()} Z5", f"G92 X{at(4)} Y{at(4)}", f"X{at()} Y{at()}", "G92.1"]
            elif kind == 2:
                returns, distance = rng.choice(("G98", "G99")), rng.choice(("G90", "G91"))
                heights = "Z-6 R2" if distance == "G90" else f"Z-4 R{-rng.uniform(0.5, 3):.3f}"
                lines += [f"G0 Z{rng.uniform(3, 9):.3f}", f"{distance} {returns} G81 X{at(9)} {heights} L2"]
                lines += [f"Y{at(9)}", "G80", "G91 G1 Z-0.5", "G90"]
            elif kind == 3:
                r = rng.uniform(12, 30) * rng.choice((-1, 1))
                lines += [f"G1 X0 Y0 Z{at(2)}", f"G{rng.choice('23')} X{at(8)} Y{at(8)} R{r:.3f}"]
            elif kind == 4:
                plane, letters = rng.choice((("G18", "IK"), ("G19", "JK")))
                centre = " ".join(f"{letter}{at(6)}" for letter in letters)
                lines += [plane, f"G{rng.choice('23')} {centre}", "G17", "G1"]
            elif kind == 5:
                lines += [f"M98 P{rng.choice((100, 200))} L{rng.randint(1, 3)}", "G90 G1"]
            elif kind == 6:
                lines += [f"G90 G28 X{at()} Y{at()}", f"G90 G0 X{at()} Y{at()}"]
            elif kind == 7:
                lines += [f"{rng.choice(('G20', 'G21'))} G1 X0.5 ; a comment", "G21"]
            else:
                lines += ["G1"] + [f"X{at()} Y{at()} (pass)" for _ in range(rng.randint(1, 12))]
        subs = ["O0100", "G91 G1 X0.3 Y-0.2", "Z-0.1", "G90", "M99", "O0200 (ring)", "G91 G3 I2 J1", "M98 P100", "M99"]
        return "\n".join([*lines, "M30", *subs]) + "\n"

    def test_extents_are_those_of_the_motions(self):
        for seed in range(draws(12, 400)):
            with self.subTest(seed=seed):
                text = self.program(seed)
                outcome, ends = run(text, NUMBERED_STYLE)
                self.assertEqual(outcome.alarm, "")
                # Home is not of the program; what goes there is no place in the WCS.
                home = np.array([300.0, 200.0])
                flat = np.abs(ends[:, :2] - home).min(axis=1) > 1e-6
                summary = found_in(text)
                self.assertTrue(summary.complete, summary.remarks)
                found = bounds(summary)
                for axis in range(3):
                    self.assertAlmostEqual(found[axis][0], ends[flat, axis].min(), delta=0.011)
                    self.assertAlmostEqual(found[axis][1], ends[flat, axis].max(), delta=0.011)

    def test_fast_and_single_lines_agree(self):
        """An axis that stands still in every line makes it no longer plain, and nothing else."""
        for seed in range(6):
            text = self.program(seed)
            slow = "\n".join(line + " S9" if line[:1] in "GXYZ" else line for line in text.splitlines()) + "\n"
            fast_found, slow_found = found_in(text), found_in(slow)
            np.testing.assert_allclose(bounds(fast_found), bounds(slow_found), atol=1e-9)
            self.assertEqual(fast_found.remarks, slow_found.remarks)


class ByHandTest(unittest.TestCase):
    def test_home_by_way_of_a_point(self):
        """Over X 80 in the WCS; incremental, 60 on from 0; what follows is not known along that axis."""
        for line, high in (("G28 X80", 80.0), ("G30 X80", 80.0), ("G91 G28 X60\nG90", 60.0), ("G91 G28 Z0\nG90", 0.0)):
            self.assertEqual(bounds(read(HEAD + line + "\nM30\n"))[0][1], high)
        self.assertFalse(read(HEAD + "G28 X80\nG91 X1\nM30\n").complete)

    def test_where_a_cycle_ends(self):
        """From Z 10: G98 back to 10, G99 to R 2; then 5 down incrementally, and the cycle's own bottom at -3."""
        for word, low in (("G98", -3.0), ("G99", -8.0)):
            text = HEAD + f"{word} G81 X5 Z-3 R2 F100\nG80\nG91 G1 Z-10\nM30\n"
            self.assertEqual(bounds(read(text))[2], (low, 10.0))

    def test_incremental_cycles_count_from_where_the_tool_stands(self):
        """At Z 10, R -8 is 2 and Z -5 from there -3; two holes 4 apart."""
        summary = read(HEAD + "G91 G99 G81 X4 Z-5 R-8 L2 F100\nM30\n")
        self.assertEqual(bounds(summary), [(0.0, 8.0), (0.0, 0.0), (-3.0, 10.0)])
        self.assertTrue(summary.complete)

    def test_in_inches(self):
        """A hole of an inch from a tenth, and arcs of an inch's radius, alone and in a run."""
        summary = read(HEAD + "G20\nG81 X1 Z-1 R0.1 F5\nM30\n")
        np.testing.assert_allclose(bounds(summary), [(0.0, 25.4), (0.0, 0.0), (-25.4, 10.0)])
        for times in (1, 8):
            arcs = "G0 X0 Y0\nG2 X2 Y0 R1\n" * times
            np.testing.assert_allclose(bounds(read(HEAD + "G20 F9\n" + arcs + "M30\n"))[1], (0.0, 25.4))

    def test_cycles_that_are_not_counted(self):
        for lines in ("G18 G81 X5 Z-3 R2", "G81 X5 R2", "G81 X5 Z-3", "G53 G0 Z0\nG91 G81 X5 Z-3 R2"):
            summary = read(HEAD + lines + "\nM30\n")
            self.assertFalse(summary.complete, lines)
            self.assertEqual(bounds(summary)[2], (10.0, 10.0), lines)

    def test_tapping_and_boring_are_cycles_too(self):
        for word in ("G84", "G74", "G86", "G89", "G88"):
            self.assertEqual(bounds(read(HEAD + f"{word} X5 Z-3 R2 F100\nM30\n"))[2], (-3.0, 10.0), word)

    def test_what_stands_after_the_end_does_not_count(self):
        for end in ("M30", "M2", "M99", "%"):
            summary = read(HEAD + f"X5\n{end}\nX900\nG20\nT9 M6\n")
            self.assertEqual((bounds(summary)[0], list(summary.units)), ((0.0, 5.0), ["mm"]), end)
            self.assertTrue(summary.complete, summary.remarks)
            self.assertEqual(summary.lines, 13)

    def test_an_end_that_may_be_another_is_told(self):
        for text in (HEAD + "X5\nM99\nO0200\nX9\nM30\n", HEAD + "X5\nO0200\nX9\nM30\n", HEAD + "X5\n/M30\nX9\n"):
            self.assertFalse(read(text).complete, text)

    def test_shifts(self):
        """G52 X10: X5 is 15.  G92 X100 at 15: what reads 90 is 5.  Both gone, X1 is 1."""
        summary = read(HEAD + "G52 X10\nX5\nG92 X100\nX90\nX110\nG92.1\nG52 X0\nX1\nM30\n")
        self.assertEqual(bounds(summary)[0], (0.0, 25.0))
        self.assertTrue(summary.complete)
        laid_aside = read(HEAD + "X1\nG92 X100\nG92.2\nX2\nG92.3\nX103\nM30\n")
        self.assertEqual(bounds(laid_aside)[0], (0.0, 4.0))

    def test_a_shift_from_a_place_that_is_not_known(self):
        summary = read(HEAD + "G53 G0 X0\nG92 X0\nX500\nY7\nM30\n")
        self.assertEqual(bounds(summary)[:2], [(0.0, 0.0), (0.0, 7.0)])
        self.assertIn("not known", words_of(summary))

    def test_turned_scaled_mirrored_and_polar_moves_are_left_out(self):
        for begin, end in (
            ("G68 X500 Y0 R30", "G69"), ("G51 X500 Y0 P2", "G50"), ("G51.1 X500", "G50.1 X0"), ("G16", "G15"),
        ):  # fmt: skip
            summary = read(HEAD + f"{begin}\nX600 Y600\n" + "G1 X700 F9\n" * 20 + f"{end}\nX3 Y4\nM30\n")
            self.assertEqual(bounds(summary)[:2], [(0.0, 3.0), (0.0, 4.0)], begin)
            self.assertIn(begin.split()[0], words_of(summary))

    def test_macros_are_told(self):
        for line in ("M97 P40", "G65 P9010 X4", "M98"):
            self.assertFalse(read(HEAD + line + "\nM30\n").complete, line)


class SubprogramsTest(unittest.TestCase):
    sub = "O0100\nG91 X2\nG90\nM99\n"

    def test_called_as_often_as_it_says(self):
        """Two on for each call: L3, and 3 before the four digits of the number."""
        for call in ("M98 P100 L3", "M98 P30100", "M98 P0030100"):
            summary = found_in(HEAD + call + "\nM30\n" + self.sub)
            self.assertEqual(bounds(summary)[0], (0.0, 6.0), call)
            self.assertTrue(summary.complete)
            self.assertEqual(summary.lines, 14)

    def test_in_words(self):
        text = "o100 sub\nG91 X2\nG90\no100 endsub\n" + HEAD.replace("%\n", "") + "o100 call\no100 call\nM30\n"
        summary = found_in(text)
        self.assertEqual(bounds(summary)[0], (0.0, 4.0))
        self.assertTrue(summary.complete, summary.remarks)
        self.assertIn("no end", words_of(found_in("o100 sub\nG91 X2\n")))

    def test_within_each_other_and_their_own_end(self):
        subs = self.sub + "O0200\nM98 P100\nM98 P100\nM99\nX900\n"
        self.assertEqual(bounds(found_in(HEAD + "M98 P200\nM30\n" + subs))[0], (0.0, 4.0))
        ended = found_in(HEAD + "M98 P300\nX70\nM30\nO0300\nX8\nM30\n")
        self.assertEqual(bounds(ended)[0], (0.0, 8.0), "M30 within ends all")

    def test_what_cannot_be_followed(self):
        for text, words in (
            (HEAD + "M98 P100\nM30\n", "not here"),
            (HEAD + "M98 P100\nM30\n" + self.sub + self.sub, "two subprograms 100"),
            (HEAD + "M98 P100\nM30\nO0100\nM98 P100\nM99\n", "too deeply"),
            (HEAD + "M198 P100\nM30\n" + self.sub, "not here"),
            (HEAD + "M98 P100\nM30\nO0100\nX#1\nM99\n", "in subprogram 100, line 2: what is worked out"),
        ):
            summary = found_in(text)
            self.assertIn(words, words_of(summary))
            self.assertEqual({remark.line for remark in summary.remarks}, {9})

    def test_endless_repeats_are_bounded(self):
        long = "X1 Y1\n" * 100_000
        summary = found_in(HEAD + f"M98 P100 L9999\nM30\nO0100\n{long}M99\n")
        self.assertIn("more often than can be followed", words_of(summary))
