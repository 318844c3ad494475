"""Rotary axes and indexes on the command line."""

from __future__ import annotations

import json

from ledgecliff.store.job_files import write_job
from tests.command_line.test_main import DEMO, CommandTest, run
from tests.core.test_rotary_schools import TABLE, TILTING, indexed_job


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
             "centre": {"y": -210.5, "z": -388.25}, "uncertainty": 0.006, "origin": "trunnion faces"},
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

    def test_nothing_turns(self):
        empty = {"axes": [], "indexes": [], "placement": None, "axes_miss": None, "sweep_radius": None}
        self.assertEqual(json.loads(run("rotary", DEMO, "--json")[1]), empty)
        self.assertIn("no rotary axis", run("rotary", DEMO)[1])
        self.assertNotIn("index", json.loads(run("coordinates", DEMO, "--json")[1])["setups"][0])
