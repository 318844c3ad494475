"""``budget`` and ``rehearse --seeds``: against what is worked out by hand, and what they refuse."""

from __future__ import annotations

import csv
import io
import json
import math
import shutil
from pathlib import Path

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.parts import rename_feature
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job, write_job
from tests.command_line.test_main import DEMO, CommandTest, run

BY_JAW = str(demo_job("float-housing-by-jaw"))


class BudgetTest(CommandTest):
    def told(self, job, *words):
        status, out, error = run("budget", job, "--json", "--draws", "20000", "--quick", *words)
        self.assertEqual((status, error), (0, ""))
        return json.loads(out)

    def test_by_the_bore_and_by_the_stop(self):
        """Example B of the handbook with the demo's own figures: a touch repeats to 0.001, a cut lands with 0.004."""
        machine = read_job(Path(DEMO)).machines[0]
        touch, lands = machine.probe.repeatability, machine.accuracy
        (row,) = [each for each in self.told(DEMO)["pairs"] if each["feature"] == "bore edge break"]
        self.assertEqual((row["to"], row["what"], row["direction"]), ("main bore", "other side", "across Z"))
        self.assertAlmostEqual(row["u"], math.hypot(touch / math.sqrt(2.0), lands), 5)
        self.assertAlmostEqual(row["expanded"], 2.4477 * row["u"], 4, "a circle")
        self.assertAlmostEqual(row["monte_carlo"][1], row["expanded"], delta=0.0003)
        self.assertEqual((row["tolerance"], row["share"], row["p_out"], row["coverage"]), (None, None, None, 0.95))
        by_stop = self.told(BY_JAW)
        (row,) = [each for each in by_stop["pairs"] if each["feature"] == "bore edge break"]
        named = {each["name"].split(",")[0]: each["u"] for each in row["contributions"]}
        self.assertAlmostEqual(named["clamping"], 0.010, delta=0.006)
        self.assertAlmostEqual(sum(each["u"] ** 2 for each in row["contributions"]), row["u"] ** 2, 7)
        self.assertGreaterEqual(row["u"], math.sqrt(0.010**2 + touch**2 + 3 * lands**2) - 1e-6)
        self.assertIn("clamping, how it lies turned, Op 20", by_stop["assumed"])

    def test_a_tolerance_has_its_share_and_its_odds(self):
        job = read_job(Path(DEMO))
        number = next(k for k, each in enumerate(job.part.features) if each.name == "bore edge break")
        path = self.folder / "job.json"
        shutil.copy(Path(DEMO).parent / "float_housing.step", self.folder)
        for asked, factor in (({"position": 0.01, "to": "main bore"}, 1.0), ({"even": 0.02}, 2.0)):
            write_job(set_value(job, ("part", "features", number, "tolerance"), asked), path)
            (row,) = [each for each in self.told(str(path))["pairs"] if each["feature"] == "bore edge break"]
            self.assertEqual(row["tolerance"], 0.01 * factor)
            self.assertAlmostEqual(row["share"], row["expanded"] / (0.01 * factor), 4)
            # Both normal, alike both ways: the share outside a circle in closed form.
            self.assertAlmostEqual(row["p_out"], math.exp(-0.5 * (0.01 * factor / row["u"]) ** 2), delta=0.005)

    def test_in_words(self):
        status, out, _ = run("budget", DEMO, "--draws", "2000", "--quick")
        self.assertEqual(status, 0)
        self.assertIn("bore edge break from main bore, other side across Z: within a circle of 0.0", out)

    def test_what_else_could_give_the_zero(self):
        """By the bore the far side comes nearer than by the stop, as example B has it."""
        status, out, _ = run("budget", BY_JAW, "--json", "--draws", "2000")
        self.assertEqual(status, 0)
        found = json.loads(out)
        now = max(row["expanded"] for row in found["pairs"])
        best = next(each for each in found["alternatives"] if each["setup"] == "Op 20")
        self.assertEqual(best["change"], "X and Y from main bore")
        self.assertLess(best["expanded"], 0.5 * now)
        self.assertGreater(best["touches"], 3)
        told = {
            "setup",
            "change",
            "feature",
            "expanded",
            "minutes",
            "touches",
            "codes",
            "keeps",
            "extra_stock",
            "makes",
            "brings",
        }
        self.assertEqual(set(best), told)
        ways = [each["change"] for each in found["alternatives"] if each["change"].startswith("registered by")]
        self.assertIn("registered by probed feature", ways)
        (route,) = [each for each in found["alternatives"] if each["setup"] is None]
        self.assertIn("Op 20: X and Y from main bore", route["change"])
        self.assertLess(route["expanded"], 0.5 * now)
        words = run("budget", BY_JAW, "--draws", "2000")[1]
        self.assertIn("Op 20, the best first:\n  X and Y from main bore: 0.010, ", words)
        self.assertIn("The whole route, the best first:\n", words)

    def test_as_a_table(self):
        """In inches, and with a name that a spreadsheet would run."""
        job = read_job(Path(DEMO))
        number = next(k for k, each in enumerate(job.part.features) if each.name == "bore edge break")
        path, table = self.folder / "job.json", self.folder / "pairs.csv"
        shutil.copy(Path(DEMO).parent / "float_housing.step", self.folder)
        write_job(rename_feature(job, number, "=1+1"), path)
        status, _, error = run("budget", str(path), "--quick", "--draws", "2000", "--csv", str(table), "--unit", "in")
        self.assertEqual((status, error), (0, ""))
        rows = list(csv.DictReader(io.StringIO(table.read_text(encoding="utf-8"))))
        row = next(each for each in rows if each["feature"].endswith("=1+1"))
        self.assertEqual((row["feature"], row["to"], row["unit"], row["tolerance"]), ("'=1+1", "main bore", "in", ""))
        mine = next(each for each in self.told(DEMO)["pairs"] if each["feature"] == "bore edge break")
        self.assertAlmostEqual(float(row["expanded"]) * 25.4, mine["expanded"], 5)
        self.assertAlmostEqual(float(row["of it 1"]), mine["contributions"][0]["share"], 5)

    def test_the_same_seed_the_same_draws(self):
        self.assertEqual(self.told(DEMO, "--seed", "3"), self.told(DEMO, "--seed", "3"))
        self.assertNotEqual(self.told(DEMO, "--seed", "3")["pairs"], self.told(DEMO, "--seed", "4")["pairs"])

    def test_over_seeds(self):
        status, out, _ = run("rehearse", BY_JAW, "--seeds", "1-12", "--json")
        self.assertEqual(status, 0)
        found = json.loads(out)
        self.assertEqual((found["seeds"], found["failed"]), ([1, 12], []))
        for row in found["pairs"]:
            self.assertEqual((row["parts"], row["agrees"]), (12, True))
            self.assertGreater(row["budget"]["sd"], 0.004)
            self.assertGreater(row["sd"], 0.002)
        self.assertIn("as the budget has it", run("rehearse", BY_JAW, "--seeds", "1-3")[1])

    def test_refused(self):
        for words in (("budget", DEMO, "--draws", "10"), ("budget", DEMO, "--seed", "-1"),
                      ("rehearse", DEMO, "--seeds", "5-1"), ("rehearse", DEMO, "--seeds", "x"),
                      ("rehearse", DEMO, "--seeds", "1-99999"),
                      ("rehearse", DEMO, "--seeds", "1-2", "--seed", "1")):  # fmt: skip
            status, _, error = run(*words)
            self.assertEqual(status, 2, words)
            self.assertTrue(error)
