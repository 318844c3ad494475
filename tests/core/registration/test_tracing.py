"""Arcs found again in polygons."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from ledgecliff.core.registration.interlock import FrameSizes, make_frame
from ledgecliff.core.registration.outlines import rectangle
from ledgecliff.core.registration.tracing import traced
from ledgecliff.core.turns.drawings import part_outline
from tests.turn_jobs import ring_plan


class TracedTest(unittest.TestCase):
    def test_a_circle_is_two_half_arcs(self):
        angles = 2 * np.pi * np.arange(60) / 60
        edges = traced(5.0 + 30.0 * np.column_stack([np.cos(angles), np.sin(angles)]))
        self.assertEqual([round(edge.radius, 6) for edge in edges], [30.0, 30.0])
        for edge in edges:
            np.testing.assert_allclose(edge.centre, (5.0, 5.0), atol=1e-9)

    @given(st.integers(0, 200), st.floats(2.0, 15.0), st.floats(0.005, 0.05))
    def test_a_rounded_rectangle_comes_back_wherever_its_ring_begins(self, start, radius, tolerance):
        points = rectangle(40, 25, radius).points(tolerance)
        edges = traced(np.roll(points, start, axis=0))
        self.assertEqual(sorted(round(edge.radius, 4) for edge in edges if edge.bulge), [round(radius, 4)] * 4)
        self.assertEqual(sum(not edge.bulge for edge in edges), 4)
        for edge, following in zip(edges, edges[1:] + edges[:1], strict=True):
            np.testing.assert_allclose(edge.end, following.start, atol=1e-9)

    def test_a_frame_comes_back_arc_by_arc(self):
        piece = make_frame(FrameSizes(70, 60, 6, 0.1)).piece
        found = traced(piece.points(0.002))
        made = [edge for edge in piece.edges if edge.bulge]
        arcs = [edge for edge in found if edge.bulge]
        self.assertEqual(len(arcs), len(made))
        self.assertEqual(sorted(round(edge.radius, 3) for edge in arcs), sorted(round(edge.radius, 3) for edge in made))

    def test_a_square_has_no_arcs(self):
        edges = traced(np.array([[0, 0], [5, 0], [10, 0], [10, 10], [0, 10]], dtype=float))
        self.assertEqual(len(edges), 4)
        self.assertFalse(any(edge.bulge for edge in edges))

    def test_the_rings_outlines_are_circles(self):
        outer, inner = part_outline(ring_plan("on-pins").setups[0])
        for path, radius in ((outer, 120.0), (inner, 75.0)):
            self.assertEqual({round(edge.radius, 3) for edge in path.edges}, {radius})
            self.assertAlmostEqual(sum(abs(4 * math.atan(e.bulge)) for e in path.edges), 2 * math.pi)
