"""Readings to offsets: the worked numbers of handbook chapters 2 and 3."""

from __future__ import annotations

import doctest
import unittest

from ledgecliff.core.probing import evaluation
from ledgecliff.core.probing.evaluation import between, offset_for, surface_at
from ledgecliff.core.simulator.machine import reading_lag


class SurfaceTest(unittest.TestCase):
    def test_edge_finder_of_chapter_2(self):
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
    def test_pocket_of_chapter_3(self):
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
    def test_chapter_3(self):
        """At 4 ms: 500 mm/min gives 0.033 mm, 60 mm/min gives 0.004 mm."""
        self.assertAlmostEqual(reading_lag(500), 0.033, places=3)
        self.assertAlmostEqual(reading_lag(60), 0.004, places=3)
