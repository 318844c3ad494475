"""Presence windows: shares counted in seeded parts, and the symmetry of the proposal."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.measuring.presence import proposed_window, window


class WindowTest(unittest.TestCase):
    def test_shares_as_counted(self):
        """A million seeded thicknesses, sigma 0.05, window -0.15 to +0.1, parts riding 0.2 up."""
        tops = np.random.default_rng(5).normal(0.0, 0.05, 1_000_000)
        found = window(0.05, 0.2, 0.15, 0.1)
        self.assertAlmostEqual(found.false_stops, float(np.mean((tops < -0.15) | (tops > 0.1))), places=3)
        self.assertAlmostEqual(found.missed, float(np.mean(tops + 0.2 <= 0.1)), places=3)

    def test_proposal_errs_alike_on_both_sides(self):
        found = proposed_window(0.05, 0.4)
        self.assertEqual(found.above, 0.2)
        self.assertAlmostEqual(found.missed, found.false_stops, places=4)
        self.assertTrue(found.separates)

    def test_no_window_tells_a_thin_chip_from_rough_stock(self):
        """Six standard deviations of 0.1 do not fit into a chip of 0.2."""
        self.assertFalse(proposed_window(0.1, 0.2).separates)

    def test_stock_that_does_not_vary(self):
        self.assertEqual((window(0.0, 0.1, 0.05, 0.05).false_stops, window(0.0, 0.1, 0.05, 0.05).missed), (0.0, 0.0))
        self.assertEqual(window(0.0, 0.1, 0.05, 0.2).missed, 1.0)
