"""Combined sources against published examples, exact distributions, and derivatives by small steps."""

from __future__ import annotations

import math
import random
import threading
import unittest

import numpy as np
from scipy import stats

from ledgecliff.core.errors import CancelledError, InvalidValueError
from ledgecliff.core.uncertainty.combine import combine
from ledgecliff.core.uncertainty.correlated_draws import Correlated
from ledgecliff.core.uncertainty.coverage import circle_factor, coverage_factor, effective_dof, within_circle
from ledgecliff.core.uncertainty.distributions import deviations, draw
from ledgecliff.core.uncertainty.expressions import Expression
from ledgecliff.core.uncertainty.monte_carlo import drawn
from ledgecliff.core.uncertainty.propagation import propagate
from ledgecliff.core.uncertainty.sources import sources_of
from tests.draws import draws

MANY = 200_000


def source(name, size, distribution="normal", **more):
    return {"name": name, "distribution": distribution, "size": size, **more}


def combined(*sources, count=MANY, seed=1, **more):
    return combine(sources_of({"sources": list(sources), **more}), count, seed)


class PublishedTest(unittest.TestCase):
    """Examples of JCGM 100 and JCGM 101, whose numbers are printed there."""

    def test_gauge_block_degrees_of_freedom(self):
        """JCGM 100, H.1.6: 25 (18), 9.7 (25.6), 2.9 (50), 16.6 (2) come to 32 with 16.7."""
        parts = [(25.0, 18.0), (9.7, 25.6), (2.9, 50.0), (16.6, 2.0)]
        found = propagate(np.array([u for u, _ in parts]), [dof for _, dof in parts])
        self.assertAlmostEqual(found.u, 32.0, delta=0.5)
        self.assertAlmostEqual(found.dof, 16.7, delta=0.35)  # printed with u rounded to 32
        self.assertAlmostEqual(found.k, stats.t.ppf(0.975, found.dof), 9)

    def test_resistance_and_reactance(self):
        """JCGM 100, H.2: voltage, current and phase, correlated."""
        entered = (
            source("V", 0.0032, value=4.9990), source("I", 0.0095e-3, value=19.6610e-3),
            source("phi", 0.00075, value=1.04446),
        )  # fmt: skip
        correlated = [["V", "I", -0.36], ["V", "phi", 0.86], ["I", "phi", -0.65]]
        for model, value, u in (
            ("V / I * cos(phi)", 127.732, 0.071), ("V / I * sin(phi)", 219.847, 0.295), ("V / I", 254.260, 0.236),
        ):  # fmt: skip
            found = combined(*entered, correlated=correlated, model=model)
            self.assertAlmostEqual(found.value, value, delta=0.0015)
            self.assertAlmostEqual(found.propagated.u, u, delta=0.0015, msg="coefficients are printed rounded")
            self.assertAlmostEqual(found.drawn.sd, found.propagated.u, delta=0.01 * u)
            self.assertTrue(found.agree)

    def test_sums_of_four(self):
        """JCGM 101, 9.2: four normal ones, four even ones, and one of those ten times as wide."""
        root = math.sqrt(3.0)
        for entered, u, half in (
            ([source(name, 1.0) for name in "abcd"], 2.0, 3.92),
            ([source(name, root, "uniform") for name in "abcd"], 2.0, 3.88),
            ([source(name, root * (10 if name == "d" else 1), "uniform") for name in "abcd"], math.sqrt(103.0), 17.0),
        ):  # fmt: skip
            found = combined(*entered)
            self.assertAlmostEqual(found.propagated.u, u, 12)
            self.assertAlmostEqual(found.drawn.sd, u, delta=0.01 * u)
            for end in (-found.drawn.low, found.drawn.high, -found.drawn.shortest[0], found.drawn.shortest[1]):
                self.assertAlmostEqual(end, half, delta=0.012 * half + 3.0 * found.drawn.unsure)
        self.assertFalse(found.agree, "20.2 by propagation, 17.0 by what is really possible")

    def test_squares(self):
        """JCGM 101, 9.4: what is lost by a mismatch, which propagation has as nothing at all."""
        entered, model = [source("x", 0.005), source("y", 0.005)], "x**2 + y**2"
        found = combined(*entered, model=model)
        self.assertEqual((found.value, found.propagated.u), (0.0, 0.0))
        self.assertFalse(found.agree)
        # Exponential, exactly: mean and deviation are twice the variance.
        for value, wanted in ((found.drawn.mean, 50e-6), (found.drawn.sd, 50e-6), (found.drawn.shortest[1], 149.8e-6)):
            self.assertAlmostEqual(value, wanted, delta=0.02 * wanted)
        self.assertAlmostEqual(found.drawn.shortest[0], 0.0, delta=1e-6)
        found = combined(*entered, model=model, correlated=[["x", "y", 0.9]])
        self.assertAlmostEqual(found.drawn.sd, 67e-6, delta=1.2e-6)
        found = combined(source("x", 0.005, value=0.010), entered[1], model=model)
        self.assertAlmostEqual(found.propagated.u, 100e-6, 12)
        self.assertAlmostEqual(found.drawn.sd, 112e-6, delta=1.5e-6)


class FloatHousingTest(unittest.TestCase):
    """Example B of the error budget, from its sources."""

    def expanded(self, *sources):
        found = combined(*sources)
        return round(found.propagated.u, 4), found.propagated.expanded, found.drawn.half

    def test_by_the_bore(self):
        lands, touch = source("lands", 0.004), 0.003
        u, expanded, _ = self.expanded(source("a", touch, sensitivity=0.5), source("b", touch, sensitivity=0.5), lands)
        self.assertEqual((u, round(expanded, 3)), (0.0045, 0.009))

    def test_by_the_stop(self):
        cuts = [source(f"cut {k}", 0.004) for k in range(3)]
        u, expanded, _ = self.expanded(source("clamping", 0.010), source("touch", 0.003), *cuts)
        self.assertEqual((u, round(expanded, 3)), (0.0125, 0.025))

    def test_against_the_other_end(self):
        rest = [source("clamping", 0.010), source("touch", 0.003), source("lands", 0.004)]
        for by, k2, mc in ((1.0, 0.92, 0.76), (0.5, 0.46, 0.38)):
            _, expanded, half = self.expanded(source("length", 0.8, "uniform", sensitivity=by), *rest)
            self.assertEqual((round(expanded, 2), round(half, 2)), (k2, mc))

    def test_by_pins(self):
        u, expanded, half = self.expanded(
            source("shift", 0.02, "disc"), source("turn", 0.04 / 180, "uniform", sensitivity=120.0),
            source("machine", 0.004),
        )  # fmt: skip
        self.assertEqual((u, round(expanded, 3), round(half, 3)), (0.0188, 0.038, 0.035))


EXACT = {
    "normal": stats.norm(0.0, 0.3), "one-sided": stats.halfnorm(0.0, 0.3), "uniform": stats.uniform(-0.3, 0.6),
    "triangular": stats.triang(0.5, -0.3, 0.6), "arcsine": stats.arcsine(-0.3, 0.6),
    "disc": stats.semicircular(0.0, 0.3),
}  # fmt: skip


class DistributionTest(unittest.TestCase):
    def test_each_against_its_own_distribution(self):
        chance = np.random.default_rng(8)
        chances = np.linspace(0.0005, 0.9995, 500)
        for name, wanted in EXACT.items():
            with self.subTest(name):
                np.testing.assert_allclose(deviations(name, 0.3, chances), wanted.ppf(chances), atol=1e-9)
                found = draw(name, 0.3, chance, 20_000)
                self.assertGreater(stats.kstest(found, wanted.cdf).pvalue, 1e-3)
                (u,) = [each.u for each in sources_of({"sources": [source("a", 0.3, name)]}).sources]
                self.assertAlmostEqual(u**2, wanted.moment(2), 9, "about what is told")
                self.assertFalse(np.any(draw(name, 0.0, chance, 5)))

    def test_few_degrees_of_freedom_are_drawn_wider(self):
        chance = np.random.default_rng(9)
        for dof in (3.0, 12.0):
            self.assertGreater(
                stats.kstest(draw("normal", 1.0, chance, 20_000, dof=dof), stats.t(dof).cdf).pvalue, 1e-3
            )
        found = combined(source("a", 1.0, dof=4))
        self.assertAlmostEqual(found.propagated.expanded, stats.t.ppf(0.975, 4), 9)
        self.assertAlmostEqual(found.drawn.half, stats.t.ppf(0.975, 4), delta=0.05)

    def test_samples(self):
        values = [1.0, 2.0, 4.0, 9.0]
        entered = {"name": "a", "distribution": "samples", "values": values}
        found = combined(entered, {**entered, "name": "b", "value": 100.0})
        self.assertEqual(found.value, 104.0)
        # Hand-worked: mean 4, squares 9 + 4 + 0 + 25 over three.
        self.assertAlmostEqual(found.propagated.u, math.sqrt(2.0 * 38.0 / 3.0), 12)
        self.assertAlmostEqual(found.drawn.sd, found.propagated.u, delta=0.01 * found.propagated.u)
        self.assertAlmostEqual(found.drawn.mean, 104.0, delta=0.05)
        self.assertAlmostEqual(found.propagated.dof, 6.0, 9)


class CoverageTest(unittest.TestCase):
    def test_never_below_two(self):
        self.assertEqual([coverage_factor(dof) for dof in (math.inf, 200.0)], [2.0, 2.0])
        self.assertAlmostEqual(coverage_factor(5.0), 2.5706, 4)
        self.assertAlmostEqual(coverage_factor(60.0), 2.0003, 4)

    def test_what_is_fully_known_limits_nothing(self):
        self.assertEqual(effective_dof([(1.0, math.inf), (0.0, 3.0)]), math.inf)
        self.assertEqual(effective_dof([]), math.inf)
        self.assertAlmostEqual(effective_dof([(1e-200, 4.0), (1e-200, 4.0)]), 8.0, 9, "however small they are")

    def test_circles(self):
        """Of two equal ones in closed form, of one alone the normal one's, between them by many draws."""
        self.assertAlmostEqual(circle_factor(1.0), math.sqrt(-2.0 * math.log(0.05)), 9)
        self.assertAlmostEqual(circle_factor(0.0), 1.959964, 5)
        chance = np.random.default_rng(4)
        for ratio in (0.02, 0.3, 0.7):
            far = np.hypot(chance.standard_normal(MANY), ratio * chance.standard_normal(MANY))
            self.assertAlmostEqual(np.quantile(far, 0.95), circle_factor(ratio), delta=0.02)
            self.assertAlmostEqual(within_circle(1.3, 1.0, ratio), np.mean(far < 1.3), delta=0.005)
        self.assertAlmostEqual(within_circle(0.02, 0.01, 0.01), 1.0 - math.exp(-2.0), 9)
        self.assertEqual(within_circle(0.1, 0.0, 0.0), 1.0)


class CorrelatedTest(unittest.TestCase):
    def test_as_stated_whatever_the_distributions(self):
        kinds = [
            ("normal", {}),
            ("uniform", {}),
            ("arcsine", {}),
            ("one-sided", {}),
            ("disc", {}),
            ("normal", {"dof": 6}),
        ]
        chance = random.Random(3)
        for number in range(draws(6, 20)):
            (one, a), (two, b) = chance.sample(kinds, 2)
            r = chance.uniform(-0.7, 0.8)
            sources = sources_of({
                "sources": [source("a", 1.0, one, **a), source("b", 3.0, two, **b), source("c", 2.0)],
                "correlated": [["a", "b", r]],
            })  # fmt: skip
            found = Correlated(sources).draw(np.random.default_rng(number), 400_000)
            self.assertEqual(set(found), {0, 1})
            self.assertAlmostEqual(float(np.corrcoef(found[0], found[1])[0, 1]), r, delta=0.015, msg=f"{one} {two}")

    def test_signs_in_a_sum(self):
        pair = [source("a", 3.0), source("b", 4.0, sensitivity=-1.0)]
        for r, u in ((1.0, 1.0), (-1.0, 7.0), (0.0, 5.0)):
            found = combined(*pair, correlated=[["a", "b", r]] if r else [])
            self.assertAlmostEqual(found.propagated.u, u, 9)
            self.assertAlmostEqual(found.drawn.sd, u, delta=0.02 * u)
            self.assertAlmostEqual(sum(each.share for each in found.entered), 1.0, 9)

    def test_what_cannot_be_correlated_so(self):
        three = [source(name, 1.0) for name in "abc"]
        for sources, correlated, words in (
            (three, [["a", "b", 0.9], ["b", "c", 0.9], ["a", "c", -0.9]], "no quantities can be correlated so"),
            ([source("a", 1.0, "one-sided"), three[1]], [["a", "b", -0.99]], "as they are spread"),
            ([source("a", 1.0, dof=2), three[1]], [["a", "b", 0.5]], "so few degrees of freedom"),
        ):  # fmt: skip
            with self.assertRaisesRegex(InvalidValueError, words):
                combined(*sources, correlated=correlated)


class ExpressionTest(unittest.TestCase):
    def test_slopes_by_small_steps(self):
        chance = random.Random(6)
        for text in ("a*b - b/c", "sqrt(a**2 + b**2) ^ 1.5", "sin(a) * cos(b/c) + tan(c/9)",
                     "exp(-a) * log(b) - abs(c)", "atan(b/a) + asin(c/10) - acos(a/10)", "a**b",
                     "degrees(radians(a)) * pi", "-(+a) - 2^b"):  # fmt: skip
            at = {name: chance.uniform(0.5, 3.0) for name in "abc"}
            expression = Expression(text, "abc")
            value, slopes = expression.at(at)
            for name in "abc":
                step = 1e-6
                up, down = (expression.at(at | {name: at[name] + sign * step})[0] for sign in (1, -1))
                self.assertAlmostEqual(
                    slopes[name], (up - down) / (2.0 * step), delta=1e-6 * (1.0 + abs(value)), msg=text
                )
            many = {name: np.array([at[name], at[name] + 0.1]) for name in "abc"}
            self.assertAlmostEqual(expression.values(many)[0], value, 12)
            self.assertAlmostEqual(
                expression.values(many)[1], expression.at({k: v + 0.1 for k, v in at.items()})[0], 12
            )

    def test_nothing_is_ever_run(self):
        for text in ("__import__('os')", "a.real", "(lambda: 1)()", "a if b else c", "[a]", "a and b", "sqrt(a, b)",
                     "'x'", "a +", "", "True", "d", "a" + "+a" * 1500, "-" * 80 + "a",
                     "1j", "a == b", "sqrt(x=a)", "\0", "max(a, b)"):  # fmt: skip
            with self.assertRaises(InvalidValueError, msg=text) as caught:
                Expression(text, "abc")
            self.assertTrue(str(caught.exception).startswith("model: "))

    def test_what_has_no_value(self):
        for text in ("1/a", "sqrt(a)", "log(a)", "9**9**9**9"):
            with self.assertRaisesRegex(InvalidValueError, "has no value, or no slope"):
                Expression(text, "a").at({"a": 0.0})
        with self.assertRaisesRegex(InvalidValueError, "no value for [0-9]+ of 5000 draws"):
            combined(source("a", 1.0, value=1.0), model="sqrt(a)", count=5000)


class RefusedTest(unittest.TestCase):
    def test_each_names_field_reason_and_remedy(self):
        good = source("a", 1.0)
        for data, words in (
            ({"sources": []}, "sources"),
            ({"sources": [{"name": "a"}]}, "source 1: normal needs its size"),
            ({"sources": [source("a", -1.0)]}, "source 1, size"),
            ({"sources": [source("a", math.nan)]}, "source 1, size"),
            ({"sources": [{"name": "a", "distribution": "samples", "values": [1.0]}]}, "two values or more"),
            ({"sources": [{**good, "distribution": "samples", "values": [1.0, 2.0]}]}, "no size"),
            ({"sources": [{**good, "values": [1.0, 2.0]}]}, "has a size, and no values"),
            ({"sources": [{**good, "distribution": "cauchy"}]}, "source 1, distribution"),
            ({"sources": [good, good]}, "'a' is there twice"),
            ({"sources": [good], "correlated": [["a", "b", 0.5]]}, "no source 'b'"),
            ({"sources": [good], "correlated": [["a", "a", 0.5]]}, "are one"),
            ({"sources": [good, source("b", 1)], "correlated": [["a", "b", 1.5]]}, "between -1 and 1"),
            ({"sources": [{**good, "sensitivity": 2.0}], "model": "a"}, "remove one of both"),
            ({"sources": [source("a b", 1.0)], "model": "1"}, "letters, digits and _"),
            ({"sources": [good], "modle": "a"}, "modle"),
            ([], "sources"),
        ):
            with self.assertRaisesRegex(InvalidValueError, words):
                sources_of(data)
        for count in (10, 10**9):
            with self.assertRaisesRegex(InvalidValueError, "draws"):
                combined(good, count=count)
        with self.assertRaises(ValueError):
            drawn(np.zeros(10))

    def test_cancelled(self):
        stop = threading.Event()
        stop.set()
        with self.assertRaises(CancelledError):
            combine(sources_of({"sources": [source("a", 1.0)]}), MANY, 1, stop.is_set)

    def test_the_same_seed_the_same_draws(self):
        one, two, other = (combined(source("a", 1.0), count=5000, seed=seed).drawn for seed in (4, 4, 5))
        self.assertEqual(one, two)
        self.assertNotEqual(one, other)
        self.assertLess(abs(one.high - 1.96), 6.0 * one.unsure)


if __name__ == "__main__":
    unittest.main()
