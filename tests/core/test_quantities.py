"""Lengths as they are typed in a shop."""

from __future__ import annotations

import unittest
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from ledgecliff.core.errors import QuantityError
from ledgecliff.core.quantities import format_length, format_scatter, format_short
from ledgecliff.core.typed import parse_feed, parse_length


class ParseLengthTest(unittest.TestCase):
    def test_sums_in_any_units(self):
        """Hand-worked: an inch is exactly 25.4 mm."""
        for text, mm in {
            "55 mm - 1.5 in": 55 - 38.1,
            "3.120 in / 2": 39.624,
            '3/16"': 4.7625,
            "1 1/2 in": 38.1,
            '2 3/8" + 1 mm': 61.325,
            "-5": -5.0,
            "−5 mm": -5.0,
            "2 * (10 mm + 1 cm)": 40.0,
            "10 thou": 0.254,
            "0.1 m": 100.0,
            "50 µm": 0.05,
            "1 ft": 304.8,
            "6 in / 4": 38.1,
            "2 × 3.5": 7.0,
            "1e-2 m": 10.0,
            "12": 12.0,
            "-(3 - 5) mm": 2.0,
            "+.5": 0.5,
        }.items():
            with self.subTest(text):
                self.assertAlmostEqual(parse_length(text), mm, places=9)

    def test_plain_numbers_take_the_shown_unit_also_inside_sums(self):
        self.assertAlmostEqual(parse_length("3", "in"), 76.2)
        self.assertAlmostEqual(parse_length("1 in + 1", "mm"), 26.4)
        self.assertAlmostEqual(parse_length("1 mm + 1", "in"), 26.4)
        self.assertAlmostEqual(parse_length("2 * 3", "in"), 152.4)

    def test_what_is_no_length_is_refused_with_the_reason(self):
        for text, reason in {
            "": "Nothing was entered",
            "  ": "Nothing was entered",
            "55,5": "a point, not a comma",
            "5 parsec": "the unit 'parsec' is unknown",
            "1/0": "divides by zero",
            "5 mm * 2 mm": "multiplied or divided by each other",
            "6 in / 2 in": "multiplied or divided by each other",
            "5 mm)": "not expected here",
            "(5 mm": "closing bracket",
            "5 +": "ends too early",
            "* 5": "a number is missing",
            "5 $": "'$' is unknown",
            "1e9": "longer than",
            "1e999": "longer than",
            "nan": "a number is missing",
        }.items():
            with self.subTest(text), self.assertRaisesRegex(QuantityError, reason.replace("$", r"\$")):
                parse_length(text)

    def test_no_text_runs_as_code(self):
        with self.assertRaises(QuantityError):
            parse_length("__import__('os').getcwd()")

    @given(st.integers(0, 500), st.integers(1, 63), st.sampled_from((2, 4, 8, 16, 32, 64)))
    def test_mixed_inch_fractions(self, whole, numerator, denominator):
        expected = float((whole + Fraction(numerator, denominator)) * Fraction(254, 10))
        self.assertAlmostEqual(parse_length(f"{whole} {numerator}/{denominator} in"), expected, places=6)

    @given(st.floats(-9_000, 9_000), st.sampled_from(("mm", "in")))
    def test_what_is_shown_reads_back(self, mm, unit):
        """Formatting and reading agree to the last place shown."""
        shown = format_length(mm, unit, sign=True)
        self.assertAlmostEqual(parse_length(shown, unit), mm, delta=0.00051 if unit == "mm" else 0.0014)

    @given(st.text(max_size=24))
    def test_any_text_gives_a_length_or_a_clear_refusal(self, text):
        try:
            value = parse_length(text)
        except QuantityError as error:
            self.assertTrue(str(error))
        else:
            self.assertTrue(abs(value) <= 100_000.0)


class ParseFeedTest(unittest.TestCase):
    def test_per_minute_may_be_written(self):
        for text in ("500", "500 mm/min", "500mm / min", "0.5 m/min"):
            with self.subTest(text):
                self.assertAlmostEqual(parse_feed(text), 500.0)
        self.assertAlmostEqual(parse_feed("20 in/min"), 508.0)
        self.assertAlmostEqual(parse_feed("20 ipm"), 508.0)


class FormatTest(unittest.TestCase):
    def test_places_and_signs(self):
        self.assertEqual(format_length(32.5, sign=True), "+32.500")
        self.assertEqual(format_length(-28, sign=True), "−28.000")
        self.assertEqual(format_length(-0.0001, sign=True), "+0.000")
        self.assertEqual(format_length(25.4, "in", with_unit=True), "1.0000 in")
        self.assertEqual(format_scatter(0.001, "in"), "0.00004")
        self.assertEqual(format_scatter(0.0125), "0.0125")
        self.assertEqual(format_short(98.0), "98")
        self.assertEqual(format_short(-4.5), "−4.5")
