"""Toolpath programs read: by hand, against the simulated control's own motions, in odd spellings, never guessed."""

from __future__ import annotations

import random
import tracemalloc
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ledgecliff.core.simulator.arcs import centre_by_radius
from ledgecliff.core.simulator.expressions import ExpressionError
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from ledgecliff.core.toolpaths.arcs import arc_extent, centres_by_radius
from ledgecliff.core.toolpaths.plain_runs import carried, runs, without_comments, words
from ledgecliff.core.toolpaths.reading import read_toolpath
from tests.helpers import demo

HEAD = "%\n(Float housing)\nG21 G17 G90 G40 G49 G80\nT2 M6 (12 mm end mill)\nG54\nG43 H2\nM3 S9000\nG0 X0 Y0 Z10\n"


def read(text, size=1 << 20):
    data = text.encode()
    return read_toolpath(data[k : k + size] for k in range(0, len(data), size))


def bounds(summary, offset="G54", tool=2):
    extent = summary.extents[offset, tool]
    return [extent.bounds(axis) for axis in range(3)]


class ByHandTest(unittest.TestCase):
    def test_extended_offsets_are_told_apart(self):
        summary = read(HEAD + "X5\nG54.1 P7\nX9 Y1\ng54.1p12\nX-4 Y2\nM30\n")
        self.assertEqual(list(summary.offsets), ["G54", "G54.1 P7", "G54.1 P12"])
        self.assertEqual(bounds(summary, "G54.1 P7")[0], (9.0, 9.0))
        self.assertEqual(bounds(summary, "G54.1 P12")[0], (-4.0, -4.0))
        self.assertTrue(summary.complete)

    def test_a_turned_part_is_remarked_upon(self):
        summary = read(HEAD + "G0 A90 C-30\nX5\nM30\n")
        self.assertEqual([each[:2] for each in summary.indexed], [("A", 90.0), ("C", -30.0)])
        self.assertTrue(summary.complete)
        for lines, told in (
            ("G1 A90 F100", "axis A moves too"), ("G0 X1 A90", "axis A moves too"), ("G91 G0 A90", "axis A moves too"),
            ("G0 A#5", "axis A moves too"), ("G0 A90\nX5\nG0 A180", "axis A is turned again"),
        ):  # fmt: skip
            summary = read(HEAD + f"{lines}\nX5\nM30\n")
            self.assertIn(told, " ".join(remark.text for remark in summary.remarks), lines)
            self.assertFalse(summary.complete)

    def test_what_is_called_and_how_far_it_goes(self):
        summary = read(HEAD + "G1 Z-5.5 F300\nX40.25 Y-3\nX-12\nT3 M6\nG55 G43 H3 D13\nG41 G1 X5 Y5\nM30\n%\n")
        self.assertEqual(bounds(summary), [(-12.0, 40.25), (-3.0, 0.0), (-5.5, 10.0)])
        self.assertEqual(summary.offsets, {"G54": 5, "G55": 13})
        self.assertEqual(
            [(use.tool, use.line, use.comment) for use in summary.tools], [(2, 4, "12 mm end mill"), (3, 12, "")]
        )
        self.assertEqual((summary.tools[0].h, summary.tools[1].d), ({2: 6}, {13: 13}))
        self.assertEqual(summary.tools[1].compensated, [14])
        self.assertEqual((summary.units, summary.distance), ({"mm": 3}, {"absolute": 3}))
        self.assertTrue(summary.complete)

    def test_an_arc_reaches_beyond_its_ends(self):
        """From (0, 0) over (10, 10) to (20, 0) about (10, 0): 10 up; the other way round 10 down."""
        for word, y in (("G2", (0.0, 10.0)), ("G3", (-10.0, 0.0))):
            for ways in ("I10 J0", "R10"):
                found = bounds(read(HEAD + f"{word} X20 Y0 {ways} F100\n"))
                np.testing.assert_allclose(found[0], (0, 20), atol=1e-9)
                np.testing.assert_allclose(found[1], y, atol=1e-9)

    def test_drilling_goes_to_its_bottom_at_every_place(self):
        found = bounds(read(HEAD + "G81 X10 Y5 Z-8 R2 F100\nX30\nY-4\nG80\n"))
        self.assertEqual(found, [(0.0, 30.0), (-4.0, 5.0), (-8.0, 10.0)])

    def test_inches_and_incremental(self):
        found = bounds(read(HEAD + "G20\nG1 X1 F10\nG91\nX1\nX1\nX-0.5\n"))
        np.testing.assert_allclose(found[0], (0.0, 76.2))

    def test_moves_in_machine_coordinates_are_kept_apart(self):
        summary = read(HEAD + "G53 G0 Z0\nG91 G28 Z0\n")
        self.assertEqual(bounds(summary)[2], (10.0, 10.0))
        self.assertEqual(summary.machine_moves.bounds(2), (0.0, 0.0))

    def test_incremental_from_nowhere_is_not_guessed(self):
        summary = read("G21 G91\nT1 M6\nG1 X5 F100\n")
        self.assertFalse(summary.complete)
        self.assertIn("not known", summary.remarks[0].text)


class SpellingTest(unittest.TestCase):
    plain = HEAD + "G1 Z-2 F300\nX10 Y20\nX-5 Y-6\n"

    def test_the_same_program_however_it_is_written(self):
        body = self.plain
        lines = body.splitlines()
        for what, text in (
            ("line numbers", "\n".join(f"N{k * 10} {line}" if line[0] not in "%(" else line
                                       for k, line in enumerate(lines, start=1)) + "\n"),
            ("no spaces", "\n".join("".join(line.split()) if "(" not in line else line for line in lines) + "\n"),
            ("lower case", body.lower()),
            ("carriage returns", body.replace("\n", "\r\n")),
            ("block delete", body.replace("X-5 Y-6", "/X-5 Y-6")),
            ("no last line end", body.rstrip("\n")),
            ("spaces after letters", body.replace("X10 Y20", "X 10 Y 20")),
        ):  # fmt: skip
            with self.subTest(what):
                summary = read(text)
                self.assertEqual(bounds(summary), bounds(read(body)), summary.remarks)
                self.assertTrue(summary.complete, summary.remarks)
        self.assertEqual(read(body.replace("X-5", "/X-5")).deletable, 1)

    def test_what_cannot_be_read_is_told_with_its_line(self):
        for line, text in (
            ("(an open comment X5", "not closed"),
            ("X[#1 + 2]", "worked out at the machine"),
            ("#5 = 3", "worked out"),
            ("M98 P100", "not counted"),
            ("G2 X20 Y5 I10 J0", "from its centre"),
            ("G90.1", "absolute coordinates are not read"),
            ("X5 X6", "two X words"),
            ("Ω5", "not supported"),
        ):
            with self.subTest(line):
                summary = read(self.plain + line + "\nX1\n")
                self.assertEqual(summary.remarks[0].line, 12, summary.remarks)
                self.assertIn(text, summary.remarks[0].text)
                self.assertFalse(summary.complete)

    def test_binary_rubbish_and_endless_lines_end_in_remarks(self):
        rng = random.Random(4)
        rubbish = bytes(rng.randrange(256) for _ in range(20_000))
        self.assertFalse(read_toolpath([rubbish]).complete)
        self.assertFalse(read_toolpath(b"X" * 5000 for _ in range(50)).complete)

    def test_it_can_be_stopped(self):
        seen = []
        summary = read_toolpath([b"G1 X1\n"] * 5, seen.append, lambda: len(seen) >= 2)
        self.assertEqual((summary.lines, len(seen)), (2, 2))
        self.assertIn("stopped here", summary.remarks[-1].text)


class AgainstTheControlTest(unittest.TestCase):
    def program(self, seed):
        """Straight moves, arcs both ways, drilling, units and distance changed on the way."""
        rng = random.Random(seed)
        lines = [HEAD.rstrip("\n"), "F500"]
        for _ in range(60):
            kind = rng.random()
            if kind < 0.6:
                lines += ["G1"] + [
                    f"X{rng.uniform(-30, 30):.3f} Y{rng.uniform(-30, 30):.3f}" for _ in range(rng.randint(1, 12))
                ]
            elif kind < 0.75:
                i, j = rng.uniform(-8, 8), rng.uniform(-8, 8)
                lines.append(f"G{rng.choice('23')} I{i:.3f} J{j:.3f}")
            elif kind < 0.85:
                lines += [
                    f"G81 X{rng.uniform(-20, 20):.3f} Z{rng.uniform(-9, -1):.3f} R2",
                    f"Y{rng.uniform(-9, 9):.3f}",
                    "G80",
                ]
            elif kind < 0.95:
                lines += ["G91 G1", f"Z{rng.uniform(-1, 1):.3f}", f"X{rng.uniform(-3, 3):.3f}", "G90"]
            else:
                lines += ["G20 G1 X0.5", "G21"]
        return "\n".join(lines) + "\nM30\n"

    def test_extents_are_those_of_the_motions(self):
        """The control runs the text on an empty machine; where it really went is what was read."""
        for seed in range(8):
            with self.subTest(seed=seed):
                text = self.program(seed)
                offset = np.array([-300.0, -200.0, -300.0])
                machine = SimulatedMachine(demo().machine, [], {1: offset}, quiet())
                outcome = Control(machine).run(text.replace("%\n", ""))
                self.assertEqual(outcome.alarm, "")
                shift = np.array([-300.0, -200.0, -300.0 + machine.table_length(2)])
                ends = np.array([motion.end for motion in machine.motions]) - shift
                summary = read(text, size=777)
                self.assertTrue(summary.complete, summary.remarks)
                found = bounds(summary)
                for axis in range(3):
                    # Arcs run as chords within 0.01 of the true arc, which is what is read.
                    self.assertAlmostEqual(found[axis][0], ends[:, axis].min(), delta=0.011)
                    self.assertAlmostEqual(found[axis][1], ends[:, axis].max(), delta=0.011)

    @given(st.integers(1, 400), st.integers(0, 3))
    def test_how_the_file_is_cut_up_does_not_matter(self, size, seed):
        text = self.program(seed)
        whole, cut = read(text), read(text, size=size)
        self.assertEqual(bounds(whole), bounds(cut))
        self.assertEqual((whole.lines, whole.remarks), (cut.lines, cut.remarks))


class PlainRunTest(unittest.TestCase):
    def plain(self, line):
        (run,) = runs(without_comments((line + "\n").encode()), least=1)
        return run.plain

    def test_what_is_plain(self):
        for line in (
            "X1",
            "G1 X1.5 Y-2 Z+.5 F100",
            "N10G00X1Y2",
            "x1 y2",
            "",
            "  X1\t",
            "G01X5.",
            "X1\r",
            "G2 X1 R-5",
            "G3 X1 K2",
            "X1 (G20 is a comment here) Y2 ; and T3 here",
            "(c)",
            "X1;",
            "G2 X1 I1",
            "G03i1j2",
        ):
            self.assertTrue(self.plain(line), line)

    def test_what_is_not(self):
        for line in (
            "G4", "G10", "G1.5", "G001", "G20", "X", "X 1", "X1 X2", "X1.2.3", "X--1", "X1-", "5", "-5",
            "((c))", "X1 (c", "c) X1", "X1 ) (", "/X1", "T1", "M3", "X1e5", "X#1", "X[1]", "G53 X1", "G", "XY1",
        ):  # fmt: skip
            self.assertFalse(self.plain(line), line)

    def test_comments_become_blanks_and_odd_ones_stay(self):
        block = b"X1 (ab)\nb) X1\n(c\nX2 ; d (e\nX3 (f;) Y4 ; g ; h\nX5 (i) (j) )\n"
        lines = without_comments(block).split(b"\n")
        self.assertEqual([len(line) for line in lines], [len(line) for line in block.split(b"\n")])
        wanted = [b"X1", b"b) X1", b"(c", b"X2", b"X3      Y4", b"X5 (i) (j) )", b""]
        self.assertEqual([line.rstrip() for line in lines], wanted)

    def test_runs_are_split_where_lines_change(self):
        block = b"X1\nX2\nX3\nM3\nX4\nG4 P1\nX5\nX6\n"
        found = [(block[run.start : run.stop], run.plain) for run in runs(block, least=2)]
        self.assertEqual(
            found,
            [(b"X1\nX2\nX3\n", True), (b"M3\n", False), (b"X4\n", False), (b"G4 P1\n", False), (b"X5\nX6\n", True)],
        )

    def test_words_in_their_order(self):
        found = words(b"G1 x1.5 Y-2\n\nz.5F100\n")
        self.assertEqual((bytes(found.letters), found.numbers.tolist()), (b"GXYZF", [1.0, 1.5, -2.0, 0.5, 100.0]))
        self.assertEqual((found.lines.tolist(), found.count), ([0, 0, 0, 2, 2], 3))
        np.testing.assert_array_equal(carried(found.column("X"), 7.0), [1.5, 1.5, 1.5])
        np.testing.assert_array_equal(carried(found.column("Z"), 7.0), [7.0, 7.0, 0.5])


class MemoryTest(unittest.TestCase):
    def test_it_does_not_grow_with_the_file(self):
        """Ten times the program, the same memory, give or take a block."""
        line = b"X10.125 Y-3.5 Z-1.25\n" * 2000

        def peak(blocks):
            tracemalloc.start()
            read_toolpath(iter([HEAD.encode(), *[line] * blocks]))
            used = tracemalloc.get_traced_memory()[1]
            tracemalloc.stop()
            return used

        peak(5)
        self.assertLess(peak(100), 1.5 * peak(10))


class RunOfArcsTest(unittest.TestCase):
    def test_runs_and_single_lines_agree(self):
        """Arcs among straight moves, in one run and with a comment after each line, which is read line by line."""
        rng = random.Random(7)
        lines = [HEAD.rstrip("\n"), "G1 F500"]
        for _ in range(300):
            if rng.random() < 0.4:
                centre = f"I{rng.uniform(-9, 9):.3f} J{rng.uniform(-9, 9):.3f}"
                lines += [f"G{rng.choice('23')} {centre} Z{rng.uniform(-3, 0):.3f}", f"G1X{rng.uniform(-9, 9):.3f}"]
            lines.append(f"G1 X{rng.uniform(-30, 30):.3f} Y{rng.uniform(-30, 30):.3f}")
        text = "\n".join(lines) + "\n"
        slow = text.replace("\n", "(c)\n").replace("%(c)", "%")
        fast_found, slow_found = read(text), read(slow)
        np.testing.assert_allclose(bounds(fast_found), bounds(slow_found), atol=1e-9)
        self.assertEqual((fast_found.lines, fast_found.remarks), (slow_found.lines, slow_found.remarks))

    def test_a_bad_arc_in_a_run_is_told_with_its_line(self):
        text = HEAD + "G1 F9\n" + "X1 Y1\n" * 8 + "G2 X5 Y5 I1 J0\n" + "G1 X2\n" * 8
        summary = read(text)
        self.assertEqual([remark.line for remark in summary.remarks], [18])


class ArcExtentTest(unittest.TestCase):
    @given(st.floats(-3.1, 3.1), st.floats(0.1, 6.1), st.floats(0.5, 50), st.booleans())
    def test_against_a_thousand_points(self, begin, sweep, radius, clockwise):
        way = -sweep if clockwise else sweep
        angles = begin + np.linspace(0.0, way, 1001)
        points = radius * np.column_stack([np.cos(angles), np.sin(angles)]) + (3.0, -4.0)
        low, high = arc_extent(tuple(points[0]), tuple(points[-1]), (3.0, -4.0), clockwise)
        np.testing.assert_allclose(low, points.min(axis=0), atol=1e-4 * radius + 1e-9)
        np.testing.assert_allclose(high, points.max(axis=0), atol=1e-4 * radius + 1e-9)

    @given(st.integers(0, 10_000))
    def test_centres_by_radius_are_as_far_from_both_ends(self, seed):
        """All at once as one by one; and the centre is the radius from both ends, left or right as asked."""
        rng = np.random.default_rng(seed)
        start, end = rng.uniform(-9, 9, (2, 5, 2))
        chord = np.hypot(*(end - start).T)
        radius = rng.choice((-1.0, 1.0), 5) * rng.uniform(0.5, 3.0, 5) * chord
        clockwise = rng.random(5) < 0.5
        centres = centres_by_radius(start, end, radius, clockwise)
        np.testing.assert_allclose(np.hypot(*(centres - start).T), np.abs(radius))
        np.testing.assert_allclose(np.hypot(*(centres - end).T), np.abs(radius))
        for k in range(5):
            one = centre_by_radius(tuple(start[k]), tuple(end[k]), float(radius[k]), bool(clockwise[k]))
            np.testing.assert_allclose(centres[k], one, atol=1e-9)
        self.assertIsNone(centres_by_radius(start, end, chord * 0.4, clockwise))

    def test_no_circle(self):
        with self.assertRaisesRegex(ExpressionError, "from its centre"):
            arc_extent((1.0, 0.0), (0.0, 2.0), (0.0, 0.0), False)
