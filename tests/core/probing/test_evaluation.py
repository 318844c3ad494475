"""Readings to offsets: the worked numbers of docs/methods."""

from __future__ import annotations

import doctest
import math
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ledgecliff.core.errors import FitError
from ledgecliff.core.frames import rotation
from ledgecliff.core.probing import evaluation
from ledgecliff.core.probing.evaluation import (
    Edge,
    between,
    corner,
    edge_through,
    in_frame,
    offset_for,
    out_of_frame,
    skew_rad,
    surface_at,
)
from ledgecliff.core.simulator.machine import reading_lag


class SurfaceTest(unittest.TestCase):
    def test_edge_finder(self):
        """Ø10 against the left side, moving +X, machine X -412.630 → surface -407.630."""
        surface = surface_at(-412.630, +1, 5.0)
        self.assertAlmostEqual(surface, -407.630, places=9)
        # Zero is the centre of a measured 96.04 width, so that side reads -48.02.
        self.assertAlmostEqual(offset_for(surface, -96.04 / 2), -359.610, places=9)

    def test_z_with_a_block(self):
        """Chapter 2: surface = reading - g, moving down on a block of height g."""
        self.assertAlmostEqual(surface_at(-189.400, -1, 0.0, gauge=50.0), -239.400)

    def test_the_other_way_round(self):
        """The same wall from the other side: the correction changes its sign, nothing else."""
        for radius in (0.0, 1.982, 5.0):
            self.assertAlmostEqual(surface_at(10.0, +1, radius) - 10.0, 10.0 - surface_at(10.0, -1, radius))

    def test_the_docstring_holds(self):
        self.assertEqual(doctest.testmod(evaluation).failed, 0)


class BetweenTest(unittest.TestCase):
    def test_pocket(self):
        """Ball centres -312.204 and -287.196, effective radius 2.982 → centre -299.700, width 30.972."""
        found = between(surface_at(-312.204, -1, 2.982), surface_at(-287.196, +1, 2.982))
        self.assertAlmostEqual(found.middle, -299.700, places=9)
        self.assertAlmostEqual(found.width, 30.972, places=9)

    def test_the_radius_cancels_in_the_middle_and_doubles_in_the_width(self):
        right = between(surface_at(0.0, +1, 2.0), surface_at(50.0, -1, 2.0))
        wrong = between(surface_at(0.0, +1, 2.1), surface_at(50.0, -1, 2.1))
        self.assertAlmostEqual(wrong.middle, right.middle)
        self.assertAlmostEqual(right.width - wrong.width, 0.2)


class ReadingLagTest(unittest.TestCase):
    def test_worked_numbers(self):
        """At 4 ms: 500 mm/min gives 0.033 mm, 60 mm/min gives 0.004 mm."""
        self.assertAlmostEqual(reading_lag(500), 0.033, places=3)
        self.assertAlmostEqual(reading_lag(60), 0.004, places=3)


class CornerTest(unittest.TestCase):
    def test_skewed_corner(self):
        """Edge at X -210.412, -130.412: Y -150.006, -149.869; a square left edge through (-240.083, -120.000)."""
        edge = edge_through(np.array([[-210.412, -150.006], [-130.412, -149.869]]), (0.0, 1.0), 0.0)
        self.assertAlmostEqual(math.degrees(skew_rad(edge, 0)), 0.0981, places=4)
        left = Edge(np.array([-240.083, -120.0]), np.array([-edge.direction[1], edge.direction[0]]), None, 0.0)
        place = corner(edge, left)
        np.testing.assert_allclose(place, (-240.0315, -150.0567), atol=5e-5)

    @given(st.floats(-40.0, 40.0), st.floats(1.0, 4.0))
    def test_a_turned_part_is_found_where_it_is(self, degrees, radius):
        """Ball centres are made by moving off each edge square to it, then sliding along by any amount."""
        turn = np.array(rotation("z", degrees))[:2, :2]
        at = np.array([100.0, 50.0])
        front = at + [turn @ (x, -radius) for x in (10.0, 35.0, 70.0)]
        left = at + [turn @ (-radius, y) for y in (12.0, 48.0)]
        a, b = edge_through(front, (0.0, 1.0), radius), edge_through(left, (1.0, 0.0), radius)
        np.testing.assert_allclose(corner(a, b), (100.0, 50.0), atol=1e-9)
        self.assertAlmostEqual(math.degrees(skew_rad(a, 0)), degrees, places=7)
        self.assertAlmostEqual(math.degrees(skew_rad(b, 1)), degrees, places=7)

    def test_edges_that_meet_at_any_angle(self):
        """From the origin along X, and through (5, 3) at 60 degrees: the foot lies 3 / tan 60 before it."""
        flat = Edge(np.array([-40.0, 0.0]), np.array([1.0, 0.0]), None, 0.0)
        slant = Edge(np.array([5.0, 3.0]), np.array([0.5, math.sqrt(0.75)]), None, 0.0)
        for a, b in ((flat, slant), (slant, flat)):
            np.testing.assert_allclose(corner(a, b), (5.0 - 3.0 / math.sqrt(3.0), 0.0), atol=1e-12)

    def test_an_edge_has_no_sense(self):
        """Fitted from the far end, its skew is the same."""
        for axis in (0, 1):
            along = np.array(rotation("z", 2.0))[:2, :2] @ np.eye(2)[axis]
            for direction in (along, -along):
                self.assertAlmostEqual(math.degrees(skew_rad(Edge(np.zeros(2), direction, None, 0.0), axis)), 2.0)

    def test_uncertainty_of_two_touches(self):
        """√2 u / spacing: 0.002 over 80 mm is 0.0000354 rad."""
        edge = edge_through(np.array([[0.0, 0.0], [80.0, 0.1]]), (0.0, 1.0), 2.0, repeatability=0.002)
        self.assertAlmostEqual(edge.u_angle_rad, 3.5355e-5, places=8)

    def test_parallel_edges_have_no_corner(self):
        edge = edge_through(np.array([[0.0, 0.0], [80.0, 0.0]]), (0.0, 1.0), 2.0)
        other = edge_through(np.array([[0.0, 9.0], [80.0, 9.0]]), (0.0, -1.0), 2.0)
        with self.assertRaisesRegex(FitError, "parallel"):
            corner(edge, other)


class SkewedFrameTest(unittest.TestCase):
    def test_by_hand(self):
        """A quarter turn: what lies in machine +Y of the zero reads as +X."""
        np.testing.assert_allclose(
            in_frame(np.array([10.0, 15.0, 2.0]), np.array([10.0, 5.0, 1.0]), math.pi / 2), (10.0, 0.0, 1.0), atol=1e-12
        )

    @given(st.floats(-3.0, 3.0))
    def test_there_and_back(self, skew):
        zero, point = np.array([-240.0, -150.0, -300.0]), np.array([12.0, -7.0, 3.0])
        np.testing.assert_allclose(in_frame(out_of_frame(point, zero, skew), zero, skew), point, atol=1e-9)
