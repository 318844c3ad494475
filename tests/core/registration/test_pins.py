"""Play of pins against worked numbers and against placements tried at random; where pins go."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ledgecliff.core.errors import RegistrationError
from ledgecliff.core.registration.pins import PIN_LAYOUTS, Margin, image, laid_out, one_program, play_at
from ledgecliff.core.registration.seats import RoundPlace, seats
from ledgecliff.core.turns.turn_plan import SeatPlay
from tests.draws import draws

TWO = [RoundPlace(-90, 0, 6), RoundPlace(90, 0, 6)]


class PlayTest(unittest.TestCase):
    def test_worked_numbers(self):
        """D = 180, c = 0.04 each: 0.02 and 0.0127 degrees; at 120 from the middle 0.047 if both were full at once.

        They are not: with the turn full each pin presses square to the line, and nothing is left to shift along it.
        By hand, on the circle ``t² + (90 θ)² = 0.02²`` the most of ``t + 120 θ`` is ``0.02 sqrt(1 + (4/3)²)`` = 0.0333.
        """
        play = play_at(TWO, [0.04, 0.04], 0.0, 120.0)
        self.assertAlmostEqual(play.shift, 0.02, delta=2e-4)
        self.assertAlmostEqual(play.turn_deg, 0.0127, places=4)
        self.assertAlmostEqual(SeatPlay(play.shift, play.turn_rad).at(120.0), 0.047, places=3)
        self.assertAlmostEqual(play.worst, 0.02 * math.hypot(1.0, 4.0 / 3.0), delta=3e-4)

    @settings(max_examples=draws(20, 100))
    @given(st.permutations(range(4)), st.floats(-100, 100), st.floats(-100, 100))
    def test_the_order_of_pins_does_not_matter(self, order, x, y):
        pins = [RoundPlace(-90, 10, 6), RoundPlace(80, -40, 6), RoundPlace(15, 60, 6), RoundPlace(-20, -70, 8)]
        clear = [0.04, 0.08, 0.02, 0.1]
        plain = play_at(pins, clear, x, y)
        other = play_at([pins[k] for k in order], [clear[k] for k in order], x, y)
        for one, two in ((plain.worst, other.worst), (plain.shift, other.shift), (plain.turn_rad, other.turn_rad)):
            self.assertAlmostEqual(one, two, places=9)

    def test_told_no_larger_than_some_pose_really_is(self):
        """By lot, against the worst of very many poses that the pins allow: within three in a hundred of it."""
        rng = np.random.default_rng(2)
        for _ in range(12):
            places = rng.uniform(-100, 100, (int(rng.integers(2, 5)), 2))
            clear = rng.uniform(0.01, 0.2, len(places))
            x, y = rng.uniform(-150, 150, 2)
            told = play_at([RoundPlace(a, b, 6) for a, b in places], clear.tolist(), x, y).worst
            spread = np.ptp(places, axis=0).max()
            worst, middle, reach = 0.0, np.zeros(3), np.array([0.2, 0.2, 0.4 / spread])
            for _ in range(14):  # closer and closer about the worst pose so far
                pose = middle + rng.uniform(-1, 1, (60000, 3)) * reach
                off = pose[:, None, :2] + pose[:, None, 2:] * np.stack([-places[:, 1], places[:, 0]], axis=1)
                inside = (np.linalg.norm(off, axis=2) <= clear / 2.0).all(axis=1)
                there = np.hypot(pose[:, 0] - pose[:, 2] * y, pose[:, 1] + pose[:, 2] * x) * inside
                if there.max() > worst:
                    worst, middle = float(there.max()), pose[int(np.argmax(there))]
                reach = reach * 0.6
            self.assertGreaterEqual(told, worst - 1e-9)
            self.assertLess(told, 1.03 * worst)

    def test_one_pin_holds_nothing(self):
        with self.assertRaises(RegistrationError):
            play_at([RoundPlace(0, 0, 6), RoundPlace(0, 0, 8)], [0.1, 0.1], 1, 1)

    @settings(max_examples=draws(30, 100))
    @given(
        st.lists(st.tuples(st.floats(-100, 100), st.floats(-100, 100), st.floats(0.01, 0.3)), min_size=2, max_size=5),
        st.floats(-200, 200),
        st.floats(-200, 200),
        st.integers(0, 10_000),
    )
    def test_no_placement_that_the_pins_allow_is_worse(self, rows, x, y, seed):
        places = [(a, b) for a, b, _ in rows]
        if max(math.dist(a, b) for a in places for b in places) < 20.0:
            return
        pins, clearances = [RoundPlace(a, b, 6) for a, b, _ in rows], [c for _, _, c in rows]
        worst = play_at(pins, clearances, x, y).worst
        rng = np.random.default_rng(seed)
        q = np.array([complex(a, b) for a, b in places])
        shift = (rng.uniform(-1, 1, 4000) + 1j * rng.uniform(-1, 1, 4000)) * max(clearances)
        angle = rng.uniform(-1, 1, 4000) * 0.01
        off = np.abs(np.exp(1j * angle)[:, None] * q + shift[:, None] - q)
        allowed = (off <= np.array(clearances) / 2.0).all(axis=1)
        there = np.abs(np.exp(1j * angle) * complex(x, y) + shift - complex(x, y))[allowed]
        self.assertLessEqual(float(there.max(initial=0.0)), worst * 1.001 + 1e-3)

    def test_the_bound_is_reached_beside_two_pins(self):
        """At the middle both pins press the same way: all of c/2."""
        self.assertAlmostEqual(play_at(TWO, [0.04, 0.04], 0.0, 0.0).worst, 0.02, delta=2e-4)


class LayoutTest(unittest.TestCase):
    MARGIN = Margin(half_part=75.0, path=6.0, wall=5.0, half_blank=100.0)

    def test_half_way_between_path_and_edge(self):
        self.assertAlmostEqual(self.MARGIN.middle, (81.0 + 100.0) / 2.0)

    def test_lacking_room_is_said_and_extended_away(self):
        """Beside 81 of path: wall 5, bore 8, wall 5 make 99; a blank of 95 lacks 4."""
        tight = Margin(75.0, 6.0, 5.0, 95.0)
        self.assertAlmostEqual(tight.lacking(8.0), 4.0)
        with self.assertRaisesRegex(RegistrationError, "longer"):
            laid_out("two on the axis", tight, 20.0, 8.0, "x")
        self.assertAlmostEqual(tight.extended(4.0).lacking(8.0), 0.0)

    def test_each_layout_seats_as_it_says(self):
        expected = {
            "two on the axis": 4,
            "two of two diameters": 2,
            "three, one on the axis": 2,
            "three, all different": 1,
        }
        for layout in PIN_LAYOUTS:
            for turn in ("x", "y"):
                pins = laid_out(layout, self.MARGIN, 30.0, 8.0, turn)
                bores = [RoundPlace(pin.x, pin.y, pin.diameter + 0.04) for pin in pins]
                found = seats(bores, [image(pin, turn) for pin in pins], turn)
                self.assertEqual(sum(seat.seats for seat in found), expected[layout], (layout, turn))
                self.assertEqual(one_program(pins, turn), layout != "three, all different")
