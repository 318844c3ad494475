"""The wrong-seat test against known facts and against trying every assignment by brute force."""

from __future__ import annotations

import cmath
import itertools
import math
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import minimize

from ledgecliff.core.registration.pins import image
from ledgecliff.core.registration.seats import RoundPlace, Seat, _same, seats

PLAY = 0.04
places = st.lists(
    st.tuples(st.floats(-100, 100), st.floats(-100, 100)), min_size=3, max_size=5, unique_by=lambda p: round(p[0])
)


def found(pins, turn="x", play=PLAY):
    """Seats of bores at ``pins`` (x, y, diameter) on their turned image."""
    bores = [RoundPlace(x, y, d + play) for x, y, d in pins]
    return seats(bores, [image(RoundPlace(x, y, d), turn) for x, y, d in pins], turn)


def names(pins, turn="x"):
    return {seat.name for seat in found(pins, turn) if seat.seats}


def brute_force(pins, turn, tolerance):
    """How many rigid placements seat: each assignment fitted by least squares, up to ``tolerance``."""
    q = np.array([complex(x, y) for x, y, _ in pins])
    p = np.conj(q) if turn == "x" else -np.conj(q)
    count = {True: 0, False: 0}
    for turned in (True, False):
        start = p if turned else q
        for order in itertools.permutations(range(len(q))):
            s = start[list(order)]
            arm = np.sum((p - p.mean()) * np.conj(s - s.mean()))
            factor = arm / abs(arm) if abs(arm) > 1e-12 else 1.0
            off = np.abs(factor * (s - s.mean()) + p.mean() - p)
            count[turned] += bool(off.max() <= tolerance)
    return count


def worst_miss(bores, pins, turn, seat):
    """How far the worst pin is off the bore that it comes nearest to going in, beyond their play."""
    q = np.array([[b.x, b.y] for b in bores])
    if seat.turned:
        q = q * ((1.0, -1.0) if turn == "x" else (-1.0, 1.0))
    middle, c, s = q.mean(axis=0), math.cos(math.radians(seat.spin_deg)), math.sin(math.radians(seat.spin_deg))
    placed = (q - middle) @ np.array([[c, s], [-s, c]]) + middle + seat.shift
    best = np.inf
    for order in itertools.permutations(range(len(bores)), len(pins)):
        off = [
            math.dist(placed[k], (pin.x, pin.y)) - (bores[k].diameter - pin.diameter) / 2.0
            for k, pin in zip(order, pins, strict=True)
        ]
        best = min(best, max(off))
    return best


def least_near(bores, pins, turn, seat):
    """The least worst miss of any placement near a seat, by searching for it."""

    def miss(place):
        return worst_miss(bores, pins, turn, replace(seat, spin_deg=math.degrees(place[0]), shift=place[1:]))

    start = np.array([math.radians(seat.spin_deg), *seat.shift])
    options = {"xatol": 1e-7, "fatol": 1e-7, "maxiter": 4000}
    return minimize(miss, start, method="Nelder-Mead", options=options).fun


class WorkedFactsTest(unittest.TestCase):
    def test_two_equal_pins_always_seat_in_four_ways(self):
        expected = {"as intended", "end for end", "not turned", "not turned and end for end"}
        self.assertEqual(names([(-90, 0, 6), (90, 0, 6)]), expected)
        # Off the axis the ways are the same four, the others spun as the pattern leans.
        self.assertEqual(len(names([(-90, 12, 6), (70, -3, 6)])), 4)

    def test_three_in_a_scalene_triangle_seat_in_one_way_and_not_at_all_unturned(self):
        self.assertEqual(names([(-90, 30, 6), (-90, -20, 6), (90, 11, 6)]), {"as intended"})

    def test_three_in_an_isosceles_triangle_on_the_axis_leave_not_turned(self):
        self.assertEqual(names([(-90, 30, 6), (-90, -30, 6), (90, 0, 6)]), {"as intended", "not turned"})
        self.assertEqual(names([(30, -90, 6), (-30, -90, 6), (0, 90, 6)], "y"), {"as intended", "not turned"})

    def test_different_diameters_exclude_too(self):
        self.assertEqual(names([(-90, 0, 6), (90, 0, 8)]), {"as intended", "not turned"})

    def test_fewer_than_two_pins_hold_nothing(self):
        self.assertEqual(found([(10, 0, 6)]), ())


class SeatTest(unittest.TestCase):
    def test_a_nearly_symmetrical_pattern_is_told_with_its_miss(self):
        """End for end every pin misses by 0.3 at one end: half of it each, less the play on a side."""
        near = [seat for seat in found([(-90, 0, 6), (90, 0.0, 6), (0.0, 40.0, 6), (0.0, -40.3, 6)]) if not seat.seats]
        self.assertTrue(near)
        for seat in near:
            self.assertAlmostEqual(seat.miss, 0.15 - PLAY / 2.0, delta=0.08)

    def test_a_slack_bore_lets_in_what_a_close_one_does_not(self):
        pins = [(-90, 0, 6), (90, 0, 6), (0, 40, 6), (0.2, -40, 6)]
        self.assertLess(len([s for s in found(pins) if s.seats]), 4)
        self.assertEqual(len([s for s in found(pins, play=0.5) if s.seats]), 4)

    def test_each_is_told_once_the_wanted_ones_first(self):
        """Two pins seat in four ways however they are spun; half a turn is told as +180, never as -180."""
        for degrees in (0.0, 17.0, 90.0, 90.0005, 179.0, -63.0):
            way = cmath.rect(90.0, math.radians(degrees))
            ways = found([(-way.real, -way.imag, 6), (way.real, way.imag, 6)])
            self.assertEqual([seat.turned for seat in ways], [True, True, False, False], degrees)
            self.assertTrue(ways[0].intended)
            self.assertTrue(all(-180.0 < seat.spin_deg <= 180.0 for seat in ways), ways)
            self.assertAlmostEqual(abs(ways[1].spin_deg), 180.0, places=6)

    def test_wide_bores_let_in_what_is_spaced_otherwise(self):
        """Bores 183.2 apart, 2 wider all round at either pin: each pin 1.6 off its middle, 0.4 to spare."""
        bores = [RoundPlace(-91.6, 0, 10), RoundPlace(91.6, 0, 10)]
        pins = [RoundPlace(-90, 0, 6), RoundPlace(90, 0, 6)]
        best = seats(bores, pins, "x")[0]
        self.assertTrue(best.seats)
        self.assertAlmostEqual(best.miss, -0.4, delta=1e-3)
        narrow = [RoundPlace(bore.x, bore.y, 8.0) for bore in bores]
        self.assertFalse(any(seat.seats for seat in seats(narrow, pins, "x")))

    def test_a_pin_takes_the_bore_that_it_goes_into(self):
        """Right where the pin would be is a thin hole, beside it one that is wide enough."""
        bores = [RoundPlace(-90, 0, 6.04), RoundPlace(90, 0, 4.0), RoundPlace(94, 0, 14.2)]
        pins = [RoundPlace(-90, 0, 6), RoundPlace(90, 0, 6)]
        self.assertTrue(seats(bores, pins, "x")[0].seats)

    def test_a_seat_lies_as_it_is_told(self):
        """Bores turned over, spun about their middle and shifted as told: each pin has one of its own, as far off as
        told and no further; and no other place nearby is better."""
        draw = np.random.default_rng(4)
        for _ in range(60):
            turn = draw.choice(["x", "y"])
            bores = [RoundPlace(*draw.uniform(-90, 90, 2), draw.uniform(6.0, 9.0)) for _ in range(draw.integers(3, 6))]
            taken = bores[: draw.integers(2, len(bores) + 1)]
            pins = [image(RoundPlace(*(np.array([b.x, b.y]) + draw.uniform(-0.3, 0.3, 2)), 6.0), turn) for b in taken]
            for seat in seats(bores, pins, turn):
                self.assertAlmostEqual(worst_miss(bores, pins, turn, seat), seat.miss, places=6)
                if seat.miss > 0.0:
                    # What seats is not looked at further.
                    self.assertLess(seat.miss - least_near(bores, pins, turn, seat), 2e-4)

    def test_none_is_told_twice(self):
        """Wide bores near each other: many pairs of them lead to the same placement."""
        draw = np.random.default_rng(9)
        told = 0
        for _ in range(40):
            pins = [(*draw.uniform(-12, 12, 2), 6.0) for _ in range(4)]
            ways = found(pins, play=3.0)
            told += len(ways)
            for a, b in itertools.combinations(ways, 2):
                turn = abs(cmath.phase(cmath.rect(1.0, math.radians(a.spin_deg - b.spin_deg))))
                same = a.turned == b.turned and turn < 1e-3 and math.dist(a.shift, b.shift) < 0.02
                self.assertFalse(same, (a, b))
        self.assertGreater(told, 50)

    def test_half_a_turn_from_either_side_is_the_same(self):
        for a, b, same in ((179.99999, -179.99999, True), (-179.99999, 179.99999, True), (179.0, -179.0, False)):
            self.assertEqual(_same(Seat(True, a, (0.0, 0.0), 0.0), Seat(True, b, (0.0, 0.0), 0.0)), same, (a, b))

    def test_half_a_millimetre_is_nearly_and_more_is_not(self):
        """Two pins 180 apart, bores further apart by as much as each misses at either end."""
        for off, told in ((0.45, True), (0.55, False), (0.7, False)):
            bores = [RoundPlace(-90 - off, 0, 6), RoundPlace(90 + off, 0, 6)]
            self.assertEqual(bool(seats(bores, [RoundPlace(-90, 0, 6), RoundPlace(90, 0, 6)], "x")), told, off)

    def test_words(self):
        for spin, shift, words in (
            (0.8, 0.4, "as intended"), (1.2, 0.0, "spun by 1°"), (178.8, 0.0, "spun by 179°"),
            (-179.2, 0.0, "end for end"), (0.0, 0.6, "shifted"), (-30.0, 2.0, "spun by −30° and shifted"),
        ):  # fmt: skip
            self.assertEqual(Seat(True, spin, (shift, 0.0), 0.0).name, words)
            self.assertTrue(Seat(False, spin, (shift, 0.0), 0.0).name.startswith("not turned"))

    def test_a_pin_thicker_than_its_bore_never_goes_in(self):
        bores = [RoundPlace(-50, 0, 6.0), RoundPlace(50, 0, 6.0)]
        self.assertEqual(
            [s for s in seats(bores, [RoundPlace(-50, 0, 6.1), RoundPlace(50, 0, 6.1)], "x") if s.seats], []
        )

    @given(places, st.sampled_from(["x", "y"]))
    def test_as_many_as_brute_force_finds(self, points, turn):
        """Half a pin's play decides; near that limit both methods may differ, so it is kept out of the way."""
        pins = [(x, y, 6.0) for x, y in points]
        close, wide = (brute_force(pins, turn, PLAY / 2.0 + by) for by in (-0.015, 0.3))
        if close != wide or min(math.dist(a, b) for a, b in itertools.combinations(points, 2)) < 2.0:
            return
        seated = [seat for seat in found(pins, turn) if seat.seats]
        self.assertEqual(sum(seat.turned for seat in seated), close[True])
        self.assertEqual(sum(not seat.turned for seat in seated), close[False])

    @given(places, st.floats(-math.pi, math.pi), st.floats(-500, 500), st.floats(-500, 500))
    def test_where_the_part_lies_and_how_it_is_spun_does_not_matter(self, points, angle, x, y):
        """The pattern moved as a whole: as many seats, and turned ones as far off the wanted seat as before."""

        def moved(point):
            place = cmath.rect(1.0, angle) * complex(*point) + complex(x, y)
            return place.real, place.imag, 6.0

        if min(math.dist(a, b) for a, b in itertools.combinations(points, 2)) < 2.0:
            return
        before, after = found([(*p, 6.0) for p in points]), found([moved(p) for p in points])
        self.assertEqual(*([round(s.miss, 3) for s in seen if s.miss < 0.3] for seen in (before, after)))
        self.assertTrue(after[0].intended)
