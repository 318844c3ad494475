"""Fixtures from models on the command line: listed, made, kept in the library and taken from there."""

from __future__ import annotations

import json
import os
import shutil
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from ledgecliff.store.shop import read_shop
from tests.command_line.test_main import run
from tests.own_fixture_models import clamp, nest, write_stl


class FixturesTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        patch = mock.patch.dict(os.environ, XDG_CONFIG_HOME=str(self.folder / "config"))
        patch.start()
        self.addCleanup(patch.stop)
        self.job = self._copy("first")
        self.nest = write_stl(self.folder / "hinge_nest.stl", nest())
        self.toe = write_stl(self.folder / "toe.stl", clamp())

    def _copy(self, name):
        (self.folder / name).mkdir()
        demo = demo_job("float-housing")
        for each in (demo.name, "float_housing.step"):
            shutil.copy(demo.parent / each, self.folder / name / each)
        return self.folder / name / demo.name

    def _number(self, facing, level):
        axis = facing[1].lower()
        listed = json.loads(run("fixture-model", str(self.nest), "--json")[1])["faces"]
        return next(
            str(each["number"]) for each in listed if each["facing"] == facing and abs(each["at"][axis] - level) < 1e-3
        )

    def _make(self, *more):
        return run(
            "fixture", str(self.job), "--setup", "Op 20", "--model", str(self.nest),
            "--seat", self._number("+Z", 0.0), "--against", self._number("+X", -40.0),
            "--against", self._number("+Y", -30.0), "--bore", "1", "--moving", str(self.toe), "--moves=-X",
            "--travel", "30", "--stands-at", "-300", "-200", "-400", "--json", *more,
        )  # fmt: skip

    def test_made_told_and_checked(self):
        """The housing's finished walls of 96 x 64 lie against the pads: from its main bore at 30, 32 of it the
        fixture's zero is at +10, -2."""
        status, out, error = self._make()
        self.assertEqual((status, error), (0, ""))
        told = json.loads(out)
        self.assertEqual(told["zero"], {"x": 10.0, "y": -2.0, "z": 0.0})
        self.assertEqual(told["moves"], [{"name": "toe", "way": 14.0}])
        self.assertTrue((self.job.parent / "hinge_nest.stl").exists())
        self.assertTrue((self.job.parent / "toe.stl").exists())
        self.assertEqual(json.loads(run("fixture", str(self.job), "--setup", "Op 20", "--json")[1]), told)
        self.assertNotIn("hazard", run("check", str(self.job))[1])
        self.assertIn("no fixture from a model holds it", run("fixture", str(self.job), "--setup", "Op 10")[2])

    def test_what_is_refused_changes_nothing(self):
        before = self.job.read_text()
        wrong = ("fixture", str(self.job), "--setup", "Op 20", "--model", str(self.nest), "--against", "99")
        self.assertIn("--against: there is no number 99", run(*wrong)[2])
        self.assertIn("there is no 'vise 9'", run("fixture", str(self.job), "--setup", "Op 20", "--take", "vise 9")[2])
        self.assertEqual(self.job.read_text(), before)
        other = write_stl(self.job.parent / "hinge_nest.stl", clamp())
        self.assertIn("is another model of that name", self._make()[2])
        self.assertTrue(other.exists())

    def test_kept_in_the_library_and_taken_by_another_job(self):
        self._make("--keep")
        kept = next(each for each in read_shop().fixtures if each.name == "hinge nest")
        self.assertTrue(all(Path(each.path).is_absolute() and Path(each.path).exists() for each in kept.models))
        self.assertNotIn(str(self.folder), (self.folder / "config" / "ledgecliff" / "shop.json").read_text())
        second = self._copy("second")
        status, _, error = run("fixture", str(second), "--setup", "Op 20", "--take", "hinge nest")
        self.assertEqual((status, error), (0, ""))
        self.assertTrue((second.parent / "hinge_nest.stl").exists())
        machine = read_job(second).machine_of(read_job(second).setups[1])
        mine = next(each for each in machine.fixtures if each.name == "hinge nest")
        self.assertEqual([each.path for each in mine.models], ["hinge_nest.stl", "toe.stl"])
        self.assertEqual(run("coordinates", str(second))[0], 0)

    def test_a_library_that_is_moved_takes_its_models_along(self):
        self._make("--keep")
        shutil.move(self.folder / "config", self.folder / "elsewhere")
        with mock.patch.dict(os.environ, XDG_CONFIG_HOME=str(self.folder / "elsewhere")):
            kept = next(each for each in read_shop().fixtures if each.name == "hinge nest")
            self.assertTrue(all(Path(each.path).exists() for each in kept.models))

    def test_a_model_that_is_gone_is_named(self):
        self._make()
        (self.job.parent / "toe.stl").unlink()
        self.assertIn(
            "fixture 'hinge nest', model, path: the model 'toe.stl' is not there", run("check", str(self.job))[2]
        )


if __name__ == "__main__":
    unittest.main()
