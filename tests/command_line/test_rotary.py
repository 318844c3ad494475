"""Rotary axes and indexes on the command line."""

from __future__ import annotations

import json

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.programs.dialect import dialect_of
from ledgecliff.core.simulator.axes import Axes, planned_axes
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from ledgecliff.store.job_files import write_job
from tests.command_line.test_main import DEMO, CommandTest, run
from tests.core.test_rotary_schools import TABLE, TILTING, indexed_job
from tests.jobs import plan_of


class RotaryTest(CommandTest):
    def written(self, job):
        write_job(job, self.folder / "indexed.json")
        return str(self.folder / "indexed.json")

    def test_report(self):
        path = self.written(indexed_job())
        report = json.loads(run("rotary", path, "--json")[1])
        self.assertEqual(
            report["axes"][0] | {"machine": ""},
            {"machine": "", "word": "A", "name": "cradle", "about": "x", "on": None, "sense": "right",
             "centre": {"y": -210.5, "z": -388.25}, "uncertainty": 0.006, "origin": "trunnion faces",
             "found_on": None, "sense_seen_on": None, "flat_deg": 0.0, "flat_swept_on": None},
        )  # fmt: skip
        row = report["indexes"][2]
        self.assertEqual((row["setup"], row["index"]), ("Op 30", {"A": 90, "C": 90}))
        self.assertEqual((row["part_up"], row["part_right"]), ("+X", "-Y"))
        self.assertEqual(row["offset"]["computed"], {"x": -402.12, "y": -317.75, "z": -388.49})
        placement = {"x": -45.0, "y": -35.24, "z": 47.25, "about_x": 0.0, "about_y": 0.0, "about_z": 0.0}
        self.assertEqual((report["placement"], report["axes_miss"]), (placement, 0.24))
        words = run("rotary", path)[1]
        for line in (
            "A about X, on the table, sense right", "centre Y -210.500, Z -388.250 ± 0.006 (trunnion faces)",
            "C about Z, on cradle, sense right", "(nobody has said how it was found)",
            "Op 30: A90 C90, part +X up, -Y to the right", "the two axes miss each other by 0.240",
        ):  # fmt: skip
            self.assertIn(line, words)

    def test_senses(self):
        left = TILTING.model_copy(update={"sense": "left-handed"})
        report = json.loads(run("rotary", self.written(indexed_job(left, TABLE)), "--json")[1])
        self.assertEqual([axis["sense"] for axis in report["axes"]], ["left", "right"])
        self.assertEqual(report["indexes"][1]["part_up"], "-Y")
        unknown = TILTING.model_copy(update={"sense": None})
        path = self.written(indexed_job(unknown, TABLE, indexes=((0, 0), (0, 90))))
        report = json.loads(run("rotary", path, "--json")[1])
        self.assertEqual((report["axes"][0]["sense"], report["indexes"][1]["index"]), ("unknown", {"A": 0, "C": 90}))

    def test_where_features_are_on_the_machine(self):
        path = self.written(indexed_job())
        back = json.loads(run("coordinates", path, "--json")[1])["setups"][1]
        self.assertEqual(back["index"], {"A": 90, "C": 0})
        place = next(row["machine"] for row in back["features"] if row["name"] == "back port")
        self.assertEqual(place, {"x": -387.12, "y": -282.75, "z": -353.49})
        self.assertIn("Op 20 (G54) A90 C0", run("coordinates", path)[1])

    def test_a_centre_from_readings(self):
        """The worked example of the method, and what it is kept as."""
        faces = {"kind": "trunnion faces", "z_table": -330.25, "radius": 2, "first": {"degrees": 90, "y": -270.5},
                 "second": {"degrees": -90, "y": -150.5}}  # fmt: skip
        (self.folder / "faces.json").write_text(json.dumps({"format": "ledgecliff-tape", "centre": faces}))
        status, out, _ = run("tape", str(self.folder / "faces.json"), "--json")
        centre = json.loads(out)["centre"]
        self.assertEqual((status, centre["centre"], centre["height"]), (0, {"y": -210.5, "z": -388.25}, 58.0))
        self.assertIn("known to ± ", run("tape", str(self.folder / "faces.json"))[1])
        job = self.written(indexed_job())
        kept = str(self.folder / "kept.json")
        for axis, wanted in (("cradle", "trunnion faces"), ("A", "trunnion faces")):
            run("tape", str(self.folder / "faces.json"), "--job", job, "--keep", axis, "-o", kept)
            self.assertEqual(json.loads(run("rotary", kept, "--json")[1])["axes"][0]["origin"], wanted)
        for axis, why in (("B", "no one rotary axis 'B'"), ("C", "lies along Z")):
            status, _, error = run("tape", str(self.folder / "faces.json"), "--job", job, "--keep", axis, "-o", kept)
            self.assertEqual(status, 2)
            self.assertIn(why, error)
        sweep = {"kind": "flat sweep", "z_low": 0.0, "z_high": 0.1, "apart": 200}
        (self.folder / "sweep.json").write_text(json.dumps({"format": "ledgecliff-tape", "centre": sweep}))
        self.assertEqual(run("tape", str(self.folder / "sweep.json"))[0], 1, "something is left to do")

    def test_stood_at_an_index(self):
        path = self.written(indexed_job(indexes=((0, 0), (0, 0))))
        run("lay", path, "--setup", "Op 20", "--index", "A=-30", "c = 12.5")
        row = json.loads(run("rotary", path, "--json")[1])["indexes"][1]
        self.assertEqual(row["index"], {"A": -30.0, "C": 12.5})
        for given, why in (("A", "no angle of an axis"), ("B=5", ""), ("A=ninety", "no angle of an axis")):
            status, _, error = run("lay", path, "--setup", "Op 20", "--index", given)
            self.assertEqual(status, 2, given)
            self.assertIn(why, error)

    def test_sense_test(self):
        """In two styles, on the simulated machine: it comes back to nought, and stops twice to look."""
        for profile, end in (("parameter style", "M2"), ("numbered-variable skip style", "M30")):
            cradle = TILTING.model_copy(update={"free_word": "M78", "clamp_word": "M79", "highest_deg": 60.0})
            job = set_value(indexed_job(cradle, TABLE, indexes=((0, 0),)), ("machines", 0, "profile"), profile)
            text = run("rotary", self.written(job), "--sense-test", "A")[1]
            machine = plan_of(job).job.machine
            unit = SimulatedMachine(machine, [], {1: np.zeros(3)}, quiet(), axes=Axes(planned_axes(machine)))
            unit.change_tool(2)
            outcome = Control(unit, dialect_of(machine)).run(text)
            self.assertEqual((outcome.alarm, outcome.ended, unit.free), ("", True, set()))
            self.assertEqual(unit.axes.angles["A"], 0.0)
            lines = text.splitlines()
            self.assertEqual([line for line in lines if line.startswith("G0 A")], ["G0 A0.0", "G0 A60.0", "G0 A0.0"])
            self.assertIn("the back side of the part has come up", text)
            self.assertEqual(lines[-2], end)

    def test_nothing_turns(self):
        empty = {"axes": [], "indexes": [], "placement": None, "axes_miss": None, "sweep_radius": None}
        self.assertEqual(json.loads(run("rotary", DEMO, "--json")[1]), empty)
        self.assertIn("no rotary axis", run("rotary", DEMO)[1])
        self.assertNotIn("index", json.loads(run("coordinates", DEMO, "--json")[1])["setups"][0])
