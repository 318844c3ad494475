"""Outlines of straight edges and arcs: their measures against closed formulas and against shapely's buffers."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ledgecliff.core.errors import RegistrationError
from ledgecliff.core.registration.outlines import RoundedOutline, rectangle

#: An L: five outer corners and one inner, against the clock.
L_SHAPE = RoundedOutline(((0, 0), (60, 0), (60, 20), (25, 20), (25, 50), (0, 50)), (4, 0, 3, 5, 2, 0))


class RoundedOutlineTest(unittest.TestCase):
    def test_area_of_a_rounded_rectangle(self):
        """Four corners of radius r lose (4 - pi) r² together."""
        self.assertAlmostEqual(rectangle(30, 20, 5).polygon.area, 60 * 40 - (4 - math.pi) * 25, delta=0.02)

    def test_edges_close_and_arcs_keep_to_their_circle(self):
        edges = L_SHAPE.edges
        for edge, following in zip(edges, edges[1:] + edges[:1], strict=True):
            np.testing.assert_allclose(edge.end, following.start, atol=1e-9)
            if edge.bulge:
                self.assertAlmostEqual(math.dist(edge.centre, edge.start), edge.radius)
                self.assertAlmostEqual(math.dist(edge.centre, edge.end), edge.radius)
        self.assertEqual(sorted(round(e.radius, 6) for e in edges if e.bulge), [2, 3, 4, 5])
        self.assertEqual(sum(edge.bulge < 0 for edge in edges), 1, "one inner corner turns with the clock")

    @given(st.floats(0.1, 3.0))
    def test_offset_is_the_edge_of_a_round_tools_path(self, by):
        offset, buffered = L_SHAPE.offset(by).polygon, L_SHAPE.polygon.buffer(by, quad_segs=400)
        self.assertLess(offset.symmetric_difference(buffered).area, 2e-3 * buffered.length)

    def test_offset_of_a_convex_outline_by_steiner(self):
        """A convex area grows by its girth times the offset, and a circle."""
        start = rectangle(30, 20, 5).polygon
        grown = rectangle(30, 20, 5).offset(4.0).polygon
        self.assertAlmostEqual(grown.area, start.area + 4.0 * start.length + math.pi * 16.0, delta=0.05)

    def test_mirrored_twice_is_itself(self):
        for across in ("x", "y"):
            once = L_SHAPE.mirrored(across)
            self.assertTrue(once.polygon.exterior.is_ccw)
            self.assertAlmostEqual(once.polygon.area, L_SHAPE.polygon.area)
            self.assertAlmostEqual(once.mirrored(across).polygon.symmetric_difference(L_SHAPE.polygon).area, 0.0)

    def test_radii_that_do_not_fit_are_refused(self):
        with self.assertRaisesRegex(RegistrationError, "2.000 mm too short"):
            _ = rectangle(30, 20, 21).edges
