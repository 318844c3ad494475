"""Fits against closed solutions, an independent optimiser, and seeded noise with a derived bound."""

from __future__ import annotations

import itertools
import math
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import least_squares

from ledgecliff.core.errors import FitError
from ledgecliff.core.probing.fits import _triple as three_of
from ledgecliff.core.probing.fits import fit_circle, fit_line, fit_plane

ANGLE = st.floats(-math.pi, math.pi)
PLACE = st.floats(-500.0, 500.0)


def on_circle(centre, radius, angles):
    return np.array(centre) + radius * np.column_stack([np.cos(angles), np.sin(angles)])


class CircleTest(unittest.TestCase):
    def test_through_three_points_by_hand(self):
        """(0, 0), (8, 0), (0, 6): the right angle makes (4, 3) the centre and 5 the radius."""
        fit = fit_circle(np.array([[0.0, 0.0], [8.0, 0.0], [0.0, 6.0]]))
        np.testing.assert_allclose([*fit.centre, fit.radius], [4.0, 3.0, 5.0], atol=1e-12)
        self.assertTrue(math.isnan(fit.u_centre), "three points leave nothing over to judge by")

    @given(PLACE, PLACE, st.floats(0.5, 300.0), ANGLE)
    def test_exact_points_give_the_circle_back(self, x, y, radius, start):
        fit = fit_circle(on_circle((x, y), radius, start + np.array([0.0, 1.1, 2.0, 3.9])))
        np.testing.assert_allclose([*fit.centre, fit.radius], [x, y, radius], atol=1e-7)

    def test_a_short_arc_against_a_general_optimiser(self):
        """An interrupted bore: 70 degrees of it, 0.01 noise; scipy's own solver is the judge."""
        rng = np.random.default_rng(3)
        points = on_circle((120.0, -40.0), 15.0, np.linspace(0.2, 1.42, 12)) + rng.normal(0.0, 0.01, (12, 2))
        judge = least_squares(
            lambda p: np.hypot(points[:, 0] - p[0], points[:, 1] - p[1]) - p[2], [119.0, -41.0, 14.0], xtol=1e-15
        )
        fit = fit_circle(points)
        np.testing.assert_allclose([*fit.centre, fit.radius], judge.x, atol=1e-6)
        self.assertAlmostEqual(float((fit.residuals**2).sum()), float((judge.fun**2).sum()), places=10)

    def test_stated_uncertainty_covers_the_scatter_of_the_centre(self):
        """Over 400 seeded bores the centre scatters as its stated uncertainty says, within a tenth."""
        rng = np.random.default_rng(11)
        angles = np.radians([0, 60, 120, 180, 240, 300])
        fits = [fit_circle(on_circle((0, 0), 10, angles) + rng.normal(0.0, 0.005, (6, 2))) for _ in range(400)]
        scatter = float(np.std([fit.centre[0] for fit in fits]))
        stated = math.sqrt(float(np.mean([fit.u_centre**2 for fit in fits])))
        self.assertLess(abs(scatter - stated), 0.1 * stated)

    def test_in_space_the_plane_and_the_circle_come_out(self):
        """A bore whose axis leans by 30 degrees towards +Y: turned there by hand, turned back by the fit."""
        angles = np.radians([10, 80, 150, 220, 290])
        flat = np.column_stack([on_circle((0, 0), 8, angles), np.zeros(5)])
        c, s = math.cos(math.radians(30)), math.sin(math.radians(30))
        lean = np.array([[1, 0, 0], [0, c, s], [0, -s, c]])
        fit = fit_circle(flat @ lean.T + (5.0, 6.0, 7.0))
        np.testing.assert_allclose(fit.centre, (5.0, 6.0, 7.0), atol=1e-9)
        np.testing.assert_allclose(fit.normal, (0.0, s, c), atol=1e-9)
        self.assertAlmostEqual(fit.radius, 8.0, places=9)

    def test_scattered_points_against_every_centre_on_grids(self):
        """Brute force: about each centre of fine and coarse grids the best radius is the mean distance.  None of them
        leaves less than the fit, and what is refused has no best centre anywhere near."""
        fitted = refused = 0
        for seed in range(60):
            rng = np.random.default_rng(seed)
            count = int(rng.integers(3, 9))
            points = rng.uniform(-10, 10, (count, 2)) * (1.0, rng.choice([1.0, 0.1, 1e-6])) + rng.uniform(-900, 900, 2)
            middle, size = points.mean(axis=0), float(np.std(points))
            least = {}
            for reach in (1.0, 3.0, 10.0, 40.0, 200.0, 1e5):
                x, y = np.meshgrid(*[m + np.linspace(-reach, reach, 81) * size for m in middle])
                away = np.hypot(x[..., None] - points[:, 0], y[..., None] - points[:, 1])
                least[reach] = float(((away - away.mean(axis=-1, keepdims=True)) ** 2).sum(axis=-1).min())
            try:
                fit = fit_circle(points)
            except FitError:
                refused += 1
                self.assertEqual(min(least.values()), least[1e5], seed)
                continue
            fitted += 1
            self.assertLessEqual(float((fit.residuals**2).sum()), min(least.values()) * (1 + 1e-6) + 1e-12, seed)
        self.assertGreater(min(fitted, refused), 5)

    def test_very_many_points_are_as_good_as_few(self):
        """Thousands that lie plainly round, or hardly do, against a general optimiser that begins at the truth."""
        rng = np.random.default_rng(8)
        for count, scatter in ((10_000, 0.01), (4_000, 12.0)):
            angles = rng.uniform(0.0, 2.5, count)
            true = np.array([3.0, -7.0, 20.0])
            points = true[:2] + true[2] * np.column_stack([np.cos(angles), np.sin(angles)])
            points += rng.normal(0.0, scatter, points.shape)
            off = lambda p, points=points: np.hypot(points[:, 0] - p[0], points[:, 1] - p[1]) - p[2]  # noqa: E731
            best = least_squares(off, true, xtol=1e-12, ftol=1e-12).x
            fitted = fit_circle(points)
            found = (*fitted.centre, fitted.radius)
            self.assertLessEqual((off(found) ** 2).sum(), (off(best) ** 2).sum() * (1.0 + 1e-9))
            np.testing.assert_allclose(found, best, rtol=2e-4, atol=2e-3)

    def test_starts_are_spread_over_all_threes_of_points(self):
        """By their number they are those that going through all of them comes to."""
        for count in (3, 4, 7, 12):
            threes = [list(three) for three in itertools.combinations(range(count), 3)]
            self.assertEqual([three_of(count, number) for number in range(len(threes))], threes)
        self.assertEqual(three_of(10_000, math.comb(10_000, 3) - 1), [9_997, 9_998, 9_999])

    def test_one_point_far_off_does_not_throw_it(self):
        """Eight points of a ring of 20 and one 300 away: it ends, and its slope is level there."""
        points = np.vstack([on_circle((5, 5), 20, np.radians(np.arange(0, 360, 45))), [[300.0, 5.0]]])
        fit = fit_circle(points)
        for step in ((1e-3, 0), (-1e-3, 0), (0, 1e-3), (0, -1e-3)):
            away = np.hypot(*(points - fit.centre - step).T)
            self.assertGreater(float(((away - away.mean()) ** 2).sum()), float((fit.residuals**2).sum()))

    def test_points_on_a_line_are_refused(self):
        for points in (
            [[0, 0], [1, 1], [2, 2]],
            [[3, 3]] * 4,
            [[0, 0], [1, 0]],
            [[0, 0, 0, 0]] * 4,
            [[0, math.nan]] * 3,
        ):
            with self.subTest(points=points), self.assertRaises(FitError):
                fit_circle(np.array(points, dtype=float))


class LineTest(unittest.TestCase):
    def test_edge(self):
        """Y -150.006 at X -210.412 and -149.869 at -130.412: 0.0981 degrees."""
        fit = fit_line(np.array([[-210.412, -150.006], [-130.412, -149.869]]))
        self.assertAlmostEqual(math.degrees(math.atan2(fit.direction[1], fit.direction[0])), 0.0981, places=4)

    @given(PLACE, PLACE, ANGLE)
    def test_turning_the_points_turns_the_line(self, x, y, angle):
        points = np.array([[0.0, 0.03], [20.0, -0.02], [40.0, 0.01], [60.0, 0.0]])
        c, s = math.cos(angle), math.sin(angle)
        turned = fit_line(points @ np.array([[c, s], [-s, c]]) + (x, y))
        plain = fit_line(points)
        parallel = abs(float(np.array([[c, -s], [s, c]]) @ plain.direction @ turned.direction))
        self.assertAlmostEqual(parallel, 1.0, places=9)
        self.assertAlmostEqual(turned.spread, plain.spread, places=8)

    def test_steep_and_flat_lines_alike(self):
        """Least distance square to the line, so that swapping X and Y swaps the answer and no more."""
        points = np.array([[0.0, 0.0], [1.0, 9.8], [2.0, 20.3], [3.0, 29.9]])
        a, b = fit_line(points), fit_line(points[:, ::-1])
        np.testing.assert_allclose(a.direction, b.direction[::-1], atol=1e-12)
        np.testing.assert_allclose(np.abs(a.residuals), np.abs(b.residuals), atol=1e-12)

    def test_in_space(self):
        fit = fit_line(np.array([[0, 0, 0], [1, 2, 2], [2, 4, 4]], dtype=float))
        np.testing.assert_allclose(fit.direction, np.array([1, 2, 2]) / 3, atol=1e-12)

    def test_points_without_a_direction_are_refused(self):
        """The corners of a square, and of a cube: any line through the middle fits them as well."""
        square = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype=float)
        with self.assertRaisesRegex(FitError, "spread alike"):
            fit_line(square)
        self.assertAlmostEqual(abs(fit_line(square * (1.01, 1.0)).direction[0]), 1.0)
        cube = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], dtype=float)
        with self.assertRaisesRegex(FitError, "across any plane"):
            fit_plane(cube)
        self.assertAlmostEqual(fit_plane(cube * (1.0, 1.0, 0.9)).normal[2], 1.0)

    def test_a_place_that_cannot_be_is_refused(self):
        for fit, width in ((fit_line, 2), (fit_circle, 2), (fit_plane, 3)):
            with self.assertRaisesRegex(FitError, "10 km"):
                fit(np.array([[0.0] * width, [1e300] + [0.0] * (width - 1), [0.0] * (width - 1) + [1.0]]))

    def test_one_place_is_refused(self):
        with self.assertRaisesRegex(FitError, "one place"):
            fit_line(np.array([[5.0, 5.0], [5.0, 5.0]]))


class PlaneTest(unittest.TestCase):
    def test_by_hand(self):
        """z = 0.01 x - 0.02 y + 3: normal along (-0.01, 0.02, 1)."""
        xy = np.array([[0, 0], [100, 0], [0, 100], [100, 100]], dtype=float)
        fit = fit_plane(np.column_stack([xy, 0.01 * xy[:, 0] - 0.02 * xy[:, 1] + 3.0]))
        np.testing.assert_allclose(fit.normal, np.array([-0.01, 0.02, 1]) / math.sqrt(1.0005), atol=1e-12)
        self.assertLess(float(np.abs(fit.residuals).max()), 1e-12)

    def test_one_high_corner_of_four(self):
        """A warped top: one corner 0.04 up leaves ±0.01 at each, with signs in turn."""
        fit = fit_plane(np.array([[0, 0, 0], [100, 0, 0], [100, 100, 0.04], [0, 100, 0]], dtype=float))
        np.testing.assert_allclose(fit.residuals, [0.01, -0.01, 0.01, -0.01], atol=1e-6)

    def test_points_on_a_line_are_refused(self):
        with self.assertRaisesRegex(FitError, "one line"):
            fit_plane(np.array([[0, 0, 0], [1, 1, 1], [2, 2, 2]], dtype=float))
