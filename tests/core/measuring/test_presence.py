"""Presence windows: shares counted in seeded parts, and the symmetry of the proposal."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.model.machine import StopCosts
from ledgecliff.core.probing.seat_window import proposed_window, window
from tests.draws import draws


class WindowTest(unittest.TestCase):
    def test_shares_as_counted(self):
        """A million seeded thicknesses, sigma 0.05, window -0.15 to +0.1, parts riding 0.2 up."""
        tops = np.random.default_rng(5).normal(0.0, 0.05, 1_000_000)
        found = window(0.05, 0.2, 0.15, 0.1)
        self.assertAlmostEqual(found.false_stops, float(np.mean((tops < -0.15) | (tops > 0.1))), places=3)
        self.assertAlmostEqual(found.missed, float(np.mean(tops + 0.2 <= 0.1)), places=3)

    def test_where_both_cost_alike_it_errs_alike_on_both_sides(self):
        found = proposed_window(0.05, 0.4, StopCosts(stop=1, miss=100, wrong=0.01))
        self.assertAlmostEqual(found.above, 0.2)
        self.assertAlmostEqual(found.missed, found.false_stops, places=4)
        self.assertTrue(found.separates)

    def test_worked_example(self):
        """Thickness normal with 0.04, least rise 0.25, -0.12 below: false stops and misses of several limits above."""
        for above, false_stops, missed in (
            (0.10, 0.76, 0.009),
            (0.12, 0.27, 0.058),
            (0.15, 0.14, 0.62),
            (0.20, 0.14, 10.6),
        ):
            found = window(0.04, 0.25, 0.12, above)
            self.assertAlmostEqual(100 * found.false_stops, false_stops, delta=0.006)
            self.assertAlmostEqual(100 * found.missed, missed, delta=0.0005 * max(1, 100 * missed))
        for wrong, above in ((1.0, 0.100), (0.01, 0.129), (0.001, 0.144)):
            found = proposed_window(0.04, 0.25, StopCosts(stop=1, miss=50, wrong=wrong))
            self.assertAlmostEqual(found.above, above, places=3)

    def test_no_other_limit_costs_less(self):
        """Tried at every limit, with any costs."""
        chance = np.random.default_rng(7)
        for _ in range(draws(50, 1000)):
            sigma, rise = chance.uniform(0.01, 0.1), chance.uniform(0.05, 0.6)
            costs = StopCosts(stop=chance.uniform(0.1, 10), miss=chance.uniform(1, 500), wrong=chance.uniform(1e-4, 1))

            def cost(above, sigma=sigma, rise=rise, costs=costs):
                each = window(sigma, rise, 0.3, above)
                return costs.stop * each.false_stops + costs.wrong * costs.miss * each.missed

            best = cost(proposed_window(sigma, rise, costs).above)
            # It is said to a micrometre.
            self.assertLessEqual(best, min(map(cost, np.linspace(0.0, rise, 400))) * 1.03 + 1e-9)

    def test_no_window_tells_a_thin_chip_from_rough_stock(self):
        """Six standard deviations of 0.1 do not fit into a chip of 0.2."""
        self.assertFalse(proposed_window(0.1, 0.2).separates)

    def test_stock_that_does_not_vary(self):
        self.assertEqual((window(0.0, 0.1, 0.05, 0.05).false_stops, window(0.0, 0.1, 0.05, 0.05).missed), (0.0, 0.0))
        self.assertEqual(window(0.0, 0.1, 0.05, 0.2).missed, 1.0)
