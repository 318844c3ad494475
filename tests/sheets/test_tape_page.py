"""A tape on paper: every line, nothing of it taken for markup."""

from __future__ import annotations

import unittest

from ledgecliff.core.tape_lines import Tape, TapeLine, heading, tape_text
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

    def test_text_stays_text(self):
        page = tape_html(TAPE, "mm")
        self.assertNotIn("<script>", page)
        self.assertIn("G54 &lt;b&gt;", page)
        self.assertTrue(tape_pdf(TAPE, "mm").startswith(b"%PDF"))
