"""Blanks that vary: the worked example, groups by trying all, odds by counting."""

from __future__ import annotations

import math
import random
import unittest

import numpy as np

from ledgecliff.core.clean_up import Spread, batch_of, grouped, odds_of, too_small, usual_allowance
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.typed_sizes import parse_sizes
from tests.draws import draws

SIZES = (97.62, 97.05, 96.88, 97.41, 97.90, 97.18, 96.95, 97.33, 97.77, 97.10, 97.55, 96.80)


class WorkedExampleTest(unittest.TestCase):
    def test_groups(self):
        rows = [
            (group.batch.smallest, group.batch.largest, len(group.batch.sizes), group.equal_load, group.equal_least)
            for group in grouped(batch_of(SIZES), 96.0, 0.4)
        ]
        self.assertEqual([row[:3] for row in rows], [(96.80, 97.18, 6), (97.33, 97.62, 4), (97.77, 97.90, 2)])
        for row, (load, least) in zip(rows, ((0.495, 0.305), (0.7375, 0.5925), (0.9175, 0.8525)), strict=True):
            self.assertAlmostEqual(row[3].at_stop, load, places=9)
            self.assertAlmostEqual(row[3].least, least, places=9)
        self.assertAlmostEqual(rows[0][4].at_stop, 0.4, places=9)
        self.assertAlmostEqual(rows[0][4].least, 0.4, places=9)

    def test_odds(self):
        for told, centre, edge in (
            (Spread(97.2, 0.8), 0.875, 0.6875), (Spread(97.2, 0.4, "normal"), 0.933, 0.773),
        ):  # fmt: skip
            odds = odds_of(told, 96.0, 0.3, 0.6)
            self.assertAlmostEqual(odds.centre, centre, places=3)
            self.assertAlmostEqual(odds.edge, edge, places=3)

    def test_less_at_the_stop_than_must_come_off_never_cleans_up(self):
        self.assertEqual(odds_of(Spread(97.2, 0.8), 96.0, 0.3, 0.29).edge, 0.0)
        self.assertEqual(odds_of(batch_of(SIZES), 96.0, 0.3, 0.29).edge, 0.0)
        self.assertAlmostEqual(odds_of(Spread(97.2, 0.8), 96.0, 0.3, 0.3).edge, 0.875)


class PropertyTest(unittest.TestCase):
    def test_no_fewer_groups_would_do(self):
        """Every way of cutting the sorted sizes into runs, tried."""
        chance = random.Random(8)
        for _ in range(draws(60, 600)):
            sizes = sorted(round(chance.uniform(96, 98), 2) for _ in range(chance.randrange(1, 9)))
            spread = chance.choice((0.0, 0.1, 0.25, 0.4, 1.0))
            found = grouped(batch_of(sizes), 95.0, spread)
            self.assertEqual(sorted(size for group in found for size in group.batch.sizes), sizes)
            self.assertTrue(all(group.batch.largest - group.batch.smallest <= spread + 1e-9 for group in found))
            fewest = min(
                bin(cuts).count("1") + 1 for cuts in range(2 ** (len(sizes) - 1)) if _all_within(sizes, cuts, spread)
            )
            self.assertEqual(len(found), fewest, (sizes, spread))

    def test_equal_load_and_equal_least_by_both_ends(self):
        """At each end what comes off: alike to half the spread; and alike of the smallest."""
        chance = random.Random(9)
        for _ in range(draws(60, 600)):
            sizes = [chance.uniform(96.5, 98) for _ in range(chance.randrange(1, 9))]
            for group in grouped(batch_of(sizes), 96.0, 0.5):
                load, least = group.equal_load, group.equal_least
                ends = [(load.at_stop, size - 96.0 - load.at_stop) for size in group.batch.sizes]
                half = (group.batch.largest - group.batch.smallest) / 2.0
                self.assertLessEqual(max(abs(a - b) for a, b in ends), half + 1e-9)
                self.assertAlmostEqual(min(map(min, ends)), load.least, places=9)
                self.assertAlmostEqual(least.at_stop, group.batch.smallest - 96.0 - least.at_stop, places=9)
                self.assertGreaterEqual(least.least, load.least - 1e-9)

    def test_odds_as_counted(self):
        """A hundred thousand blanks of either distribution, laid against the stop or found by their middle."""
        chance = np.random.default_rng(10)
        for shape in ("uniform", "normal"):
            told = Spread(97.2, 0.5, shape)
            many = chance.uniform(96.7, 97.7, 100_000) if shape == "uniform" else chance.normal(97.2, 0.5, 100_000)
            odds = odds_of(told, 96.0, 0.3, 0.5)
            found = (many - 96.0) / 2.0 >= 0.3
            stop = (many - 96.0 - 0.5 >= 0.3) & (0.5 >= 0.3)
            self.assertAlmostEqual(odds.centre, float(found.mean()), delta=0.006)
            self.assertAlmostEqual(odds.edge, float(stop.mean()), delta=0.006)

    def test_measured_sizes_are_counted_themselves(self):
        odds = odds_of(batch_of(SIZES), 96.0, 0.3, 0.675)
        self.assertEqual(odds.edge, sum(size - 96.0 - 0.675 >= 0.3 for size in SIZES) / len(SIZES))
        self.assertEqual(len(too_small(SIZES, 96.0, 0.3, 0.675)), sum(size < 96.975 for size in SIZES))
        self.assertAlmostEqual(usual_allowance(batch_of(SIZES), 96.0), 0.675)

    def test_a_size_on_the_limit_cleans_up(self):
        self.assertEqual(odds_of(batch_of([96.9]), 96.0, 0.3, 0.6).edge, 1.0)
        self.assertEqual(odds_of(batch_of([96.6]), 96.0, 0.3, 0.6).centre, 1.0)
        self.assertEqual(odds_of(Spread(96.6, 0.0), 96.0, 0.3, 0.6).centre, 1.0)

    def test_refused(self):
        for sizes in ((), (97.0, math.nan), (97.0, -1.0)):
            with self.assertRaises(InvalidValueError):
                batch_of(sizes)
        with self.assertRaises(InvalidValueError):
            grouped(batch_of([97.0]), 96.0, -0.1)


def _all_within(sizes, cuts, spread):
    first = sizes[0]
    for k, size in enumerate(sizes[1:]):
        first = size if cuts >> k & 1 else first
        if size - first > spread + 1e-9:
            return False
    return True


class TypedTest(unittest.TestCase):
    def test_as_people_write_them(self):
        for text in (
            "97.62 97.05 96.88", "97.62\n97.05\n96.88\n", "97.62, 97.05, 96.88", "97,62;97,05;96,88",
            "size (mm)\n97.62\n97.05\n\n96.88", "97.62 mm, 97.05 mm, 96.88 mm", "# bar 3\n97.62\t97.05\t96.88",
        ):  # fmt: skip
            self.assertEqual(parse_sizes(text, "mm"), (97.62, 97.05, 96.88), text)

    def test_inches(self):
        self.assertEqual(parse_sizes("3.84 3.85", "in"), (3.84 * 25.4, 3.85 * 25.4))
        self.assertEqual(parse_sizes("3.84 in\n97.5 mm", "mm"), (3.84 * 25.4, 97.5))
        self.assertEqual(parse_sizes("3 7/8 in 3.85 in", "mm"), (3.875 * 25.4, 3.85 * 25.4))
        self.assertEqual(parse_sizes("1 1/2, 1 5/8", "in"), (1.5 * 25.4, 1.625 * 25.4))

    def test_a_column_of_a_table(self):
        self.assertEqual(parse_sizes("blank,length,note\n1,97.62,good\n2,97.05,\n", "mm"), (97.62, 97.05))
        self.assertEqual(parse_sizes("no;size\n1;97,62\n2;97,05\n", "mm"), (97.62, 97.05))

    def test_numbers_of_blanks_are_not_taken_for_sizes(self):
        """A table without a heading that says which column: a 1 is no size among 97s."""
        with self.assertRaisesRegex(InvalidValueError, "line 1.*nothing like the others"):
            parse_sizes("1,97.62\n2,97.05\n3,97.33\n", "mm")

    def test_refused_by_line(self):
        for text, words in (("97.6\nabc", "line 2"), ("97.6\n-3", "line 2"), ("97.6\n0", "line 2")):
            with self.assertRaisesRegex(InvalidValueError, words):
                parse_sizes(text, "mm")
