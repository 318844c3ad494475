"""Scatter: what is told of it holds for what is drawn of it."""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.scatter import Scatter

DRAWS = 40_000


class ScatterTest(unittest.TestCase):
    def test_the_standard_uncertainty_is_the_root_of_the_drawn_mean_square(self):
        for kind in ("normal", "one-sided", "even"):
            chance = np.random.default_rng(5)
            drawn = np.array([Scatter(kind, 0.3).draw(chance) for _ in range(DRAWS)])
            with self.subTest(kind):
                self.assertAlmostEqual(math.sqrt(np.mean(drawn**2)) / Scatter(kind, 0.3).standard, 1.0, delta=0.02)
                self.assertLessEqual(np.abs(drawn).max(), Scatter(kind, 0.3).most)
                self.assertEqual(bool((drawn >= 0.0).all()), kind == "one-sided")

    def test_a_disc_is_filled_evenly(self):
        """Half of all places lie within the radius over root two, and along any line they spread alike."""
        chance, disc = np.random.default_rng(6), Scatter("disc", 2.0)
        places = np.array([disc.draw_in_plane(chance) for _ in range(DRAWS)])
        out = np.linalg.norm(places, axis=1)
        self.assertLessEqual(out.max(), disc.most)
        self.assertAlmostEqual(np.mean(out < 2.0 / math.sqrt(2.0)), 0.5, delta=0.01)
        for way in ((1.0, 0.0), (0.0, 1.0), (0.6, -0.8)):
            self.assertAlmostEqual(np.std(places @ way) / disc.standard, 1.0, delta=0.02)

    def test_readings_are_averaged_and_nothing_else(self):
        self.assertAlmostEqual(Scatter("normal", 0.01).averaged(4).standard, 0.005)
        for kind in ("one-sided", "even", "disc"):
            with self.assertRaises(ValueError):
                Scatter(kind, 0.01).averaged(2)

    def test_a_disc_is_drawn_in_its_plane_and_only_a_disc(self):
        chance = np.random.default_rng(1)
        with self.assertRaises(ValueError):
            Scatter("disc", 1.0).draw(chance)
        with self.assertRaises(ValueError):
            Scatter("even", 1.0).draw_in_plane(chance)


if __name__ == "__main__":
    unittest.main()
