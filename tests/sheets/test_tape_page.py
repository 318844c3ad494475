"""A tape on paper: every line, nothing of it taken for markup."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from ledgecliff.core.quantities import said
from ledgecliff.core.tape_lines import SIMULATED, SIMULATED_MARK, Tape, TapeLine, heading, tape_text, tape_to_paste
from ledgecliff.sheets.tape_page import tape_html, tape_pdf

TAPE = Tape("G54 <b>", "by hand & eye", (
    heading("X <script>"), TapeLine("left side", -412.63), TapeLine("surface", -407.63, "sum"),
    TapeLine("E X", -359.61, "total"),
))  # fmt: skip


class TapePageTest(unittest.TestCase):
    def test_lines_and_numbers_in_either_unit(self):
        for unit, number in (("mm", "−359.610"), ("in", "−14.1579")):
            page = tape_html(TAPE, unit)
            self.assertIn(number, page)
            self.assertIn(number, tape_text(TAPE, unit))
            self.assertIn(f"lengths in {unit}", page)
            self.assertEqual(page.count("<tr "), 4)

    def test_what_is_pasted_are_numbers(self):
        """Cell by cell, as a table takes it: each number can be read back, and comes to what the tape has."""
        tape = Tape("G54", "planned", (
            heading("Part −Z up"), TapeLine("left side", -412.63), TapeLine("room", 7.5, signed=False),
            TapeLine(f"less {said(-1.27)}", 0.0), TapeLine("E X", -359.61, "total"),
        ))  # fmt: skip
        for unit, per in (("mm", 1.0), ("in", 25.4)):
            text = tape_to_paste(tape, unit)
            self.assertTrue(text.isascii() and text.endswith(f"(lengths in {unit})\n"))
            rows = [row.split("\t") for row in text.splitlines()]
            numbers = [float(row[1]) for row in rows if len(row) == 2]
            np.testing.assert_allclose(numbers, np.array([-412.63, 7.5, 0.0, -359.61]) / per, atol=5e-4)
            self.assertEqual(rows[2], ["Part -Z up"])
        self.assertIn("less -1.270 mm\t+0.000", tape_to_paste(tape, "mm"))

    def test_what_is_simulated_says_so_above_and_in_each_total(self):
        simulated = replace(TAPE, simulated=True)
        for made, plain in (
            (tape_text(simulated, "mm"), tape_text(TAPE, "mm")),
            (tape_to_paste(simulated, "mm"), tape_to_paste(TAPE, "mm")),
            (tape_html(simulated, "mm"), tape_html(TAPE, "mm")),
        ):
            self.assertIn(SIMULATED, made)
            self.assertIn(f"E X · {SIMULATED_MARK}", made)
            self.assertNotIn(f"surface · {SIMULATED_MARK}", made)
            self.assertNotIn(SIMULATED, plain)
            self.assertNotIn(SIMULATED_MARK, plain)

    def test_text_stays_text(self):
        page = tape_html(TAPE, "mm")
        self.assertNotIn("<script>", page)
        self.assertIn("G54 &lt;b&gt;", page)
        self.assertTrue(tape_pdf(TAPE, "mm").startswith(b"%PDF"))
