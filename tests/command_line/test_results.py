"""Results of a run on the command line: typed, learned from a report, kept in the register."""

from __future__ import annotations

import json
import unittest
from pathlib import Path

import numpy as np

from ledgecliff.core.register.entries import Entry, Value, with_value
from ledgecliff.store.job_files import write_job
from ledgecliff.store.register_db import RegisterDb
from tests.command_line.test_main import CommandTest, run
from tests.core.measuring.test_instance_results import pasted
from tests.core.programs.test_instance_programs import SECOND, at, lying, shoes
from tests.core.programs.test_instance_programs import run as rehearsed

LINES = "#500 = 1.2\n#501 = 99.9\n#510 = -0.4\n#511 = 68.05\n#520 = 2.1\n"
REPORT = "WEB X mid {} size {}\nWEB Y mid {} size {}\nTOP {}\n"
BEFORE = ("--before", "-520", "-214", "-409.5")


class ResultsTest(CommandTest):
    def setUp(self):
        super().setUp()
        self.path = self.job()
        self.lines = self.file("lines.txt", LINES)
        self.register = str(self.folder / "register.db")

    def file(self, name, text):
        path = self.folder / name
        path.write_text(text, encoding="utf-8")
        return str(path)

    def results(self, *arguments):
        return run("results", self.path, *arguments, "--setup", "Op 10", "--register", self.register)

    def test_typed_kept_and_confirmed(self):
        status, out, _ = self.results(self.lines, *BEFORE, "--json")
        data = json.loads(out)
        self.assertEqual((status, data["wcs"]), (1, {"x": -518.8, "y": -214.4, "z": -408.9, "skew_deg": 0.0}))
        self.assertIn("Confirm it", self.results(self.lines, *BEFORE, "--keep")[2])
        self.results(self.lines, *BEFORE, "--keep", "--confirmed")
        listed = run("offsets", "list", "--job", self.path, "--register", self.register, "--json")[1]
        row = next(each for each in json.loads(listed)["offsets"] if each["code"] == "G54")
        self.assertEqual((row["value"]["x"], row["origin"]), (-518.8, "touches"))
        self.assertIn("say what the offset held before", self.results(self.lines, "--keep")[2])

    def test_sizes_go_into_the_batch(self):
        self.results(self.lines, *BEFORE, "--keep-sizes")
        told = json.loads(run("blanks", self.path, "--json")[1])
        self.assertEqual((told["along"], told["groups"][0]["sizes"]), ("x", [99.9]))
        self.assertIn("already", self.results(self.lines, *BEFORE, "--keep-sizes")[2])
        self.assertIn("one thing at a time", self.results(self.lines, *BEFORE, "--keep-sizes", "--keep-holes")[2])

    def test_a_report_is_shown_once(self):
        first = self.file("1.log", REPORT.format("1.200", "99.900", "-0.400", "68.050", "2.100"))
        second = self.file("2.log", REPORT.format("0.350", "99.870", "0.125", "67.990", "1.480"))
        self.assertIn("no kind of report 'ours' was shown", self.results(second, "--report", "ours")[2])
        self.results(self.lines, "--show", "ours", first)
        out = self.results(second, "--report", "ours", *BEFORE)[1]
        self.assertIn("G54: X -519.6500  Y -213.8750  Z -409.5200", out)

    def test_a_file_in_inches(self):
        results = [{"step": 1, "key": key, "value": value} for key, value in (("x", 0.04), ("size x", 3.93))]
        data = {"format": "ledgecliff-results", "setup": "Op 10", "unit": "in", "results": results}
        path = self.file("r.json", json.dumps(data))
        out = self.results(path, *BEFORE)[1]
        self.assertIn("G54: X -518.9840", out)
        self.assertIn("are of 'Op 10', not of 'Op 20'", run("results", self.path, path, "--setup", "Op 20")[2])
        self.assertIn("cannot be read", self.results(str(self.folder / "none.txt"))[2])


class InstanceResultsTest(CommandTest):
    """Results of all instances of a pattern, as the simulated control keeps them."""

    @classmethod
    def setUpClass(cls):
        cls.plan = shoes(((*SECOND, "missing"), "skip it"), ((*SECOND, "seating"), True))
        cls.missing = cls.plan.instances(1)[1].name
        cls.result = rehearsed(cls.plan, lying("Op 20", cls.missing, z=1.5))

    def setUp(self):
        super().setUp()
        self.path = self.folder / "shoes.json"
        write_job(self.plan.job, self.path)
        self.lines = self.folder / "lines.txt"
        self.lines.write_text(pasted(self.result, "Op 20"), encoding="utf-8")
        self.register = str(self.folder / "register.db")

    def results(self, *arguments):
        more = ("--setup", "Op 20", "--register", self.register)
        return run("results", str(self.path), str(self.lines), *more, *arguments)

    def test_each_and_who_is_missing(self):
        status, out, _ = self.results("--json")
        self.assertEqual(status, 1)
        told = {each["instance"]: each for each in json.loads(out)["instances"]}
        self.assertEqual([name for name, each in told.items() if each["missing"]], [self.missing])
        self.assertNotIn("wcs", told[self.missing])
        self.assertEqual(len({each["offset"] for each in told.values() if "offset" in each}), 4)
        self.assertIn(f"Instance {self.missing}: MISSING OR NOT SEATED", self.results()[1])
        for words in (("--report", "ours"), ("--keep-holes",)):
            self.assertEqual(self.results(*words)[0], 2)

    def test_kept_for_each_from_what_the_register_says(self):
        status, _, error = self.results("--keep")
        self.assertEqual(status, 2)
        self.assertIn("does not say what", error)
        seen = {each.offset: each for each in at(self.result, "Op 20").values()}
        machine = self.plan.setups[1].machine
        low = machine.length_shift()
        db = RegisterDb(Path(self.register))
        held = [
            with_value(Entry(code), Value(x, y, z - low), "typed")
            for code, each in seen.items()
            for x, y, z in [each.assumed]
        ]
        db.write(machine, held)
        status, _, error = self.results("--keep", "--confirmed")
        self.assertEqual(status, 1, error)
        entries = {each.code: each for each in db.entries(machine)}
        db.close()
        for code, each in seen.items():
            value = entries[code].value
            if each.instance == self.missing:
                self.assertEqual(entries[code].origin, "typed")
                continue
            np.testing.assert_allclose((value.x, value.y, value.z + low), each.found, atol=2e-4)
            self.assertEqual(entries[code].use.job_id, self.plan.job.id)
        used = {entries[code].use.instance for code, each in seen.items() if each.instance != self.missing}
        self.assertEqual(len(used), 4)


if __name__ == "__main__":
    unittest.main()
