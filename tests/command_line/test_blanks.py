"""Blanks that vary on the command line."""

from __future__ import annotations

import json

from tests.command_line.test_main import CommandTest, run
from tests.core.test_clean_up import SIZES


class CleanUpTest(CommandTest):
    def told(self, *words):
        status, out, error = run("clean-up", *words, "--json")
        self.assertEqual((status, error), (0, ""))
        return json.loads(out)

    def file(self, text):
        path = self.folder / f"sizes {len(text)}.csv"
        path.write_text(text, encoding="utf-8")
        return str(path)

    def test_groups_of_a_file(self):
        told = self.told(self.file("\n".join(map(str, SIZES))), "--finished", "96", "--least", "0.3", "--spread", "0.4")
        first = told["groups"][0]
        self.assertEqual(first["sizes"], [96.8, 96.88, 96.95, 97.05, 97.1, 97.18])
        self.assertEqual((first["equal_load"], first["equal_least"], first["least"]), (0.495, 0.4, 0.305))
        self.assertEqual(told["odds"]["edge"], 0.75)
        self.assertEqual(self.told(self.file("97.2"), "--finished", "96", "--least", "0.3", "--edge", "0.95")["odds"],
                         {"centre": 1.0, "edge": 0.0})  # fmt: skip

    def test_odds_of_a_distribution(self):
        common = ("--nominal", "97.2", "--finished", "96", "--least", "0.3", "--edge", "0.6")
        self.assertEqual(self.told(*common, "--varies", "0.8")["odds"], {"centre": 0.875, "edge": 0.6875})
        odds = self.told(*common, "--varies", "0.4", "--shape", "normal")["odds"]
        self.assertEqual((round(odds["centre"], 3), round(odds["edge"], 3)), (0.933, 0.773))

    def test_lengths_carry_their_units(self):
        told = self.told(
            "--nominal", "3.826772 in", "--varies", "0.8", "--finished", "3.779528 in", "--least", "300 um"
        )
        self.assertAlmostEqual(told["odds"]["centre"], 0.875, places=4)

    def test_in_words(self):
        _, out, _ = run("clean-up", self.file("\n".join(map(str, SIZES))), "--finished", "96", "--least", "0.3")
        self.assertIn("group 1: 6 blanks, 96.800 mm to 97.180 mm: 0.495 mm at the stop for equal load", out)
        self.assertIn("75.00% by the stop's edge with 0.675 mm there", out)

    def test_refused(self):
        sizes = self.file("97.2")
        for words, why in (
            (("--finished", "96", "--least", "0.3"), "name a file"),
            (
                (sizes, "--nominal", "97", "--varies", "1", "--finished", "96", "--least", "0.3"),
                "leave one of them out",
            ),
            ((sizes, "--finished", "0", "--least", "0.3"), "longer than nought"),
            ((sizes, "--finished", "96", "--least", "-0.3"), "nought or more"),
            ((sizes, "--finished", "96", "--least", "0.3", "--spread", "-1"), "at least nothing"),
            (("--nominal", "97", "--varies", "-1", "--finished", "96", "--least", "0.3"), "leave its sign out"),
            ((self.file("a,b\n1,2"), "--finished", "96", "--least", "0.3"), "which one column"),
            ((str(self.folder / "none.csv"), "--finished", "96", "--least", "0.3"), "cannot be read"),
        ):
            status, _, error = run("clean-up", *words)
            self.assertEqual(status, 2, words)
            self.assertIn(why, error)
