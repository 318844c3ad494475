"""What is done beside the machine, on the command line and on the sheet."""

from __future__ import annotations

import json
import unittest
from pathlib import Path

from ledgecliff.core.edits.setups import with_jaws
from ledgecliff.store.job_files import read_job, write_job
from tests.command_line.test_main import CommandTest, run


class BenchTest(CommandTest):
    def setUp(self):
        super().setUp()
        self.path = Path(self.job())

    def bench(self, *options):
        return run("bench", str(self.path), *options)

    def test_added_told_and_taken_out(self):
        """The blank of 100 x 68 x 34 ends at 98: 2 off that are 2 x 68 x 34."""
        self.assertEqual(self.bench()[1].strip(), "nothing is done beside the machine")
        out = self.bench("--add", "saw", "--before", "Op 10", "--set", "off=+X", "--set", "at=96", "--json")[1]
        (row,) = json.loads(out)["steps"]
        self.assertEqual((row["kind"], row["before"], row["goes"]), ("saw", "Op 10", 4624.0))
        self.assertEqual(row["after"], 100 * 68 * 34 - 4624.0)
        self.assertEqual(self.bench("--add", "heat-treat", "--before", "Op 20", "--set", "wait=600")[0], 0)
        self.assertIn("wait 600 min", self.bench()[1])
        self.assertEqual(self.bench("--remove", "saw off")[0], 0)
        self.assertEqual([step.kind for step in read_job(self.path).bench], ["heat-treat"])

    def test_a_fixture_made_in_place(self):
        """Its programs are written with the others; the station goes to where its offset says that it was cut."""
        job = with_jaws(read_job(self.path), 1, "soft")
        write_job(job, self.path)
        self.assertEqual(self.bench("--add", "make fixture", "--before", "Op 20", "--set", "tool=3")[0], 0)
        made = read_job(self.path)
        self.assertEqual((made.bench[0].kind, made.bench[0].tool), ("make fixture", 3))
        run("post", str(self.path), "-o", str(self.folder / "out"))
        self.assertTrue(list((self.folder / "out").glob("*make-the-fixture*")))
        self.assertEqual(self.bench("--known", "make the fixture", "-100", "-200 mm", "-300")[0], 0)
        known = read_job(self.path)
        places = [{station.id: station.at for station in each.machine.stations} for each in (made, known)]
        moved = [station for station, at in places[0].items() if places[1][station] != at]
        self.assertEqual(moved, [known.setups[1].station])
        self.assertIn("there is no step 'x'", self.bench("--known", "x", "1", "2", "3")[2])

    def test_inches_and_refusals(self):
        self.bench("--add", "saw", "--before", "Op 10", "--set", "at=3.75 in", "--set", "off=+X")
        self.assertAlmostEqual(read_job(self.path).bench[0].at, 95.25)
        before = self.path.read_text()
        for options, words in (
            (("--add", "weld"), "--add: there is no 'weld'"),
            (("--add", "saw", "--before", "Op 99"), "there is no 'Op 99'"),
            (("--add", "saw", "--set", "at"), "states no value"),
            (("--add", "cure", "--set", "wait=soon"), "is no number of minutes"),
            (("--add", "fill", "--set", "feature=nowhere"), "there is no feature 'nowhere'"),
            (("--remove", "weld"), "there is no step 'weld'"),
        ):
            with self.subTest(options=options):
                self.assertIn(words, self.bench(*options)[2])
        self.assertEqual(self.path.read_text(), before)

    def test_on_the_sheet_each_has_its_box(self):
        self.bench("--add", "saw", "--before", "Op 10", "--set", "at=96", "--set", "off=+X")
        self.bench("--add", "heat-treat", "--before", "Op 20", "--set", "wait=600", "--set", "note=<b>oil</b>")
        self.bench("--add", "sand")
        run("sheet", str(self.path), "-o", str(self.folder / "sheet.html"))
        text = (self.folder / "sheet.html").read_text(encoding="utf-8")
        for step in ("saw off: saw off", "heat-treat: heat-treat", "sand: sand"):
            self.assertRegex(text, f'<span class="box"></span></td><td[^>]*>{step}')
        for words in (
            "off +X, from part X +96.000",
            "10 h",
            "&lt;b&gt;oil&lt;/b&gt;",
            "Guards on",
            "mask and extraction",
        ):
            self.assertIn(words, text)


if __name__ == "__main__":
    unittest.main()
