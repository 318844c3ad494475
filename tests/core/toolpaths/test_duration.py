"""How long a program takes: by hand, and against its moves walked one by one; in one go and line by line alike."""

from __future__ import annotations

import math
import random
import unittest

from ledgecliff.core.toolpaths.control_words import UNKNOWN_CONTROL
from ledgecliff.core.toolpaths.reading import read_toolpath
from tests.draws import draws

HEAD = "G21 G17 G90 G94\nT1 M6\nG43 H1\nG54\nG0 X0 Y0 Z10\n"
#: Words that nothing depends on, which have a line read by itself.
ODD = "M8\n"


def duration(text, chunk=1 << 20):
    data = text.encode()
    chunks = [data[k : k + chunk] for k in range(0, len(data), chunk)]
    return read_toolpath(chunks, control=UNKNOWN_CONTROL).duration


def walked(moves):
    """Minutes of feeding and millimetres of rapids of (kind, end, centre, feed), walked in small steps."""
    at, minutes, rapid = (0.0, 0.0, 10.0), 0.0, 0.0
    for kind, end, centre, feed in moves:
        if kind < 2:
            mm = math.dist(at, end)
        else:
            begin = math.atan2(at[1] - centre[1], at[0] - centre[0])
            last = math.atan2(end[1] - centre[1], end[0] - centre[0])
            gone = (begin - last if kind == 2 else last - begin) % math.tau or math.tau
            radius, steps, mm = math.dist(at[:2], centre), 4000, 0.0
            for _ in range(steps):
                mm += math.hypot(2.0 * radius * math.sin(gone / steps / 2.0), (end[2] - at[2]) / steps)
        minutes, rapid = (minutes, rapid + mm) if kind == 0 else (minutes + mm / feed, rapid)
        at = end
    return minutes, rapid


def text_of(moves, apart, unit=1.0):
    """The moves as lines, with a word between that has every third one read by itself where they are ``apart``."""
    lines, at, feed = [HEAD], (0.0, 0.0, 10.0), None
    for number, (kind, end, centre, now) in enumerate(moves):
        words = [f"G{kind}"] + [f"{letter}{value / unit:.6f}" for letter, value in zip("XYZ", end, strict=True)]
        if kind > 1:
            words += [f"I{(centre[0] - at[0]) / unit:.6f}", f"J{(centre[1] - at[1]) / unit:.6f}"]
        if kind and now != feed:
            words.append(f"F{now / unit:.6f}")
            feed = now
        lines.append(" ".join(words) + "\n")
        if apart and number % 3 == 0:
            lines.append(ODD)
        at = end
    text = "".join(lines)
    return text if unit == 1.0 else text.replace("G21", "G20").replace("Z10\n", f"Z{10.0 / unit:.6f}\n", 1)


def random_moves(chance, count):
    moves, at, feed = [], (0.0, 0.0, 10.0), 300.0
    for number in range(count):
        feed = chance.choice((feed, feed, float(chance.randint(50, 3000))))
        kind = 1 if number == 0 else chance.choice((0, 1, 1, 2, 3))
        end = tuple(round(value + chance.uniform(-20, 20), 3) for value in at)
        centre = None
        if kind > 1:
            radius, turn = chance.uniform(2, 30), chance.uniform(0, math.tau)
            centre = (at[0] + radius * math.cos(turn), at[1] + radius * math.sin(turn))
            angle = math.atan2(at[1] - centre[1], at[0] - centre[0]) + chance.uniform(0.2, 6.0)
            end = (centre[0] + radius * math.cos(angle), centre[1] + radius * math.sin(angle),
                   chance.choice((at[2], at[2] - 2.0)))  # fmt: skip
        moves.append((kind, end, centre, feed))
        at = end
    return moves


class ByHandTest(unittest.TestCase):
    def test_feeds_rapids_and_dwells(self):
        """100 at 200, 50 at 100, a half circle of 20 at 100; a rapid of 10; two dwells."""
        text = HEAD + "G1 X100 F200\nG1 Y50 F100\nG4 P1.5\nG2 X100 Y90 J20\nG0 Z20\nG4 X2\nM30\n"
        found = duration(text)
        self.assertAlmostEqual(found.feed_minutes, 0.5 + 0.5 + math.pi * 20.0 / 100.0, places=6)
        self.assertAlmostEqual(found.rapid_mm, 10.0)
        self.assertAlmostEqual(found.dwell_s, 3.5)
        self.assertEqual(found.not_timed, 0)
        self.assertAlmostEqual(found.minutes(1000.0), found.feed_minutes + 0.01 + 3.5 / 60.0)

    def test_in_inches_by_the_turn_and_in_inverse_time(self):
        inches = HEAD.replace("G21", "G20") + "G1 X10 F20\n"
        self.assertAlmostEqual(duration(inches).feed_minutes, 0.5)
        turned = HEAD + "S1000 M3\nG95\nG1 X100 F0.2\n"
        self.assertAlmostEqual(duration(turned).feed_minutes, 0.5)
        for unit in ("G21", "G20"):  # so many moves a minute, whatever a length is
            minutes = duration(HEAD.replace("G21", unit) + "G93\nG1 X1 F4\nG1 X2 F2\n").feed_minutes
            self.assertAlmostEqual(minutes, 0.75)
        inverse = HEAD + "G93\n" + "".join(f"G1 X{k} F4\n" for k in range(1, 9)) + "G94\nG1 X18 F100\n"
        self.assertAlmostEqual(duration(inverse).feed_minutes, 8 / 4 + 0.1)

    def test_holes(self):
        """Two holes from 2 to -18: 20 down at 100, up in rapid; 40 between them, 8 down to the first."""
        found = duration(HEAD + "G99 G81 X0 Y0 Z-18 R2 F100\nX40\nG80\n")
        self.assertAlmostEqual(found.feed_minutes, 0.4)
        self.assertAlmostEqual(found.rapid_mm, 8.0 + 20.0 + 40.0 + 20.0)

    def test_holes_repeated(self):
        """Three 10 apart, each 20 deep: from one to the next at the height that they are come to from."""
        found = duration(HEAD + "G99\nG91\nG81 X10 Z-20 R-8 L3 F100\nG90 G80\n")
        self.assertAlmostEqual(found.feed_minutes, 0.6)
        self.assertAlmostEqual(found.rapid_mm, 30.0 + 8.0 + 3 * 20.0)

    def test_a_dwell_of_many_whole_seconds(self):
        """It may be one of thousandths, as some controls take it: told, and not counted."""
        for words, seconds, told in (("P500", 0.0, True), ("P2", 2.0, False), ("P90.5", 90.5, False)):
            found = duration(HEAD + f"G4 {words}\n")
            self.assertEqual((found.dwell_s, bool(found.not_timed)), (seconds, told))

    def test_from_a_place_that_is_not_known(self):
        """After a tool change nobody knows where it is: what comes first along an axis counts as no way."""
        head = "G21 G90 G94 G54\nT1 M6\nG43 H1\nG0 Z50\n"
        found = duration(head + "Y10\nY20\nX50\nX60\nX80\nY25\nX90\nX95\n")
        self.assertAlmostEqual(found.rapid_mm, 10.0 + 10.0 + 20.0 + 5.0 + 10.0 + 5.0)
        self.assertEqual(found.not_timed, 0)
        # Moves that go nowhere need no feed.
        self.assertEqual(duration(HEAD + "G1 X0 Y0\n" * 10 + "X10 F100\n").not_timed, 0)

    def test_what_is_not_known_is_told(self):
        for lines, line in (
            ("G1 X10\n", 6), ("G1 X10 F0\n", 6), ("G95\nG1 X10 F0.2\n", 7), ("G93\nG1 X10\n", 7),
            ("G1 X10 F100\nG94\nG1 X20\n", 0), ("G1 X10 F100\nG95 S100\nG1 X20\n", 8),
            ("G4\n", 6), ("G68 X0 Y0 R30\nG1 X10 F100\n", 7), ("G4 P0.5\n", 0),
            ("".join(f"G1 X{k}\n" for k in range(20)), 6),
        ):  # fmt: skip
            self.assertEqual(bool(duration(HEAD + lines).not_timed), bool(line), lines)
        # A feed move from a place that is not known, and a rapid from there, which counts by what is known.
        self.assertTrue(duration("G21 G90 G94 G54\nT1 M6\nG43 H1\nG1 X10 F100\n").not_timed)
        self.assertFalse(duration("G21 G90 G94 G54\nT1 M6\nG43 H1\nG0 X10 Y10\nZ5\nG1 X20 Y10 Z5 F100\n").not_timed)


class WalkedTest(unittest.TestCase):
    def test_in_one_go_and_line_by_line(self):
        chance = random.Random(9)
        for _ in range(draws(12, 120)):
            moves = random_moves(chance, chance.randint(5, 60))
            minutes, rapid = walked(moves)
            for apart in (False, True):
                for unit in (1.0, 25.4):
                    found = duration(text_of(moves, apart, unit), chunk=chance.choice((1 << 20, 300)))
                    self.assertAlmostEqual(found.feed_minutes, minutes, delta=2e-5 * minutes + 1e-5)
                    self.assertAlmostEqual(found.rapid_mm, rapid, delta=2e-5 * rapid + 1e-4)
                    self.assertEqual(found.not_timed, 0)


if __name__ == "__main__":
    unittest.main()
