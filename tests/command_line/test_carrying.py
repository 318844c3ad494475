"""Rotary axes and carriers stated and changed on the command line."""

from __future__ import annotations

import json
import shutil

from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from tests.command_line.test_main import CommandTest, run


class CarryingTest(CommandTest):
    def copied(self, demo):
        """A demo, written where it can be changed, and the models it refers to."""
        job = demo_job(demo)
        shutil.copy(job, self.folder)
        shutil.copy(job.parent / read_job(job).part.model.path, self.folder)
        return str(self.folder / demo_job(demo).name)

    def carriers(self, path):
        return read_job(self.folder / path).machine.carriers

    def refused(self, *words):
        status, _, error = run(*words)
        self.assertEqual(status, 2, words)
        return error


class AxisTest(CarryingTest):
    def test_all_that_is_known_of_an_axis(self):
        path = self.copied("sluice-valve-block")
        status, out, error = run(
            "axis", path, "C", "--rename", "faceplate", "--centre", "X=-402.2", "Y=-8.3 in", "--known", "0.02",
            "--origin", "spigot by hand", "--found", "2026-05-04", "--sense", "left", "--seen", "2026-05-03",
            "--level", "0.25", "--flat", "2026-05-04", "--repeats", "0.004", "--from", "-10", "--to", "200",
            "--words", "M84, M85", "--way", "counts turns", "--happened", "crash", "2026-05-05",
        )  # fmt: skip
        self.assertEqual((status, error), (0, ""))
        self.assertIn("C: faceplate, about Z, left-handed, freed and clamped by M84, M85", out)
        axis = self.carriers(path)[1]
        self.assertEqual((axis.name, axis.centre.x, round(axis.centre.y, 4)), ("faceplate", -402.2, -210.82))
        self.assertEqual((axis.uncertainty, axis.origin, axis.found_on), (0.02, "spigot by hand", "2026-05-04"))
        self.assertEqual((axis.sense, axis.sense_seen_on, axis.flat_deg), ("left-handed", "2026-05-03", 0.25))
        self.assertEqual((axis.repeat_deg, axis.lowest_deg, axis.highest_deg), (0.004, -10.0, 200.0))
        self.assertEqual((axis.free_word, axis.clamp_word, axis.way_round), ("M84", "M85", "counts turns"))
        self.assertEqual([(each.what, each.on) for each in axis.happened], [("crash", "2026-05-05")])
        run("axis", path, "faceplate", "--known", "none", "--origin", "none", "--found", "none",
            "--words", "none", "--from", "none", "--to", "none", "--repeats", "none")  # fmt: skip
        axis = self.carriers(path)[1]
        self.assertEqual((axis.uncertainty, axis.origin, axis.found_on), (None, None, None))
        self.assertEqual((axis.lowest_deg, axis.highest_deg, axis.repeat_deg, axis.free_word), (None, None, None, ""))
        # Setups stand turned by it: then it cannot be unknown.
        self.assertIn("which way C turns is not known", self.refused("axis", path, "C", "--sense", "unknown"))

    def test_what_is_still_to_be_done(self):
        path = self.copied("sluice-valve-block")
        status, out, _ = run("axis", path)
        self.assertEqual((status, out.count("done")), (0, 10))
        run("axis", path, "A", "--happened", "crash", "2026-05-05", "--flat", "none")
        status, out, _ = run("axis", path)
        self.assertEqual((status, out.count("TO DO")), (1, 2))
        self.assertIn("TO DO Mill 3, the trunnion · A: centre: No longer counts since 2026-05-05 (crash)", out)

    def test_put_on_and_taken_off(self):
        path = self.copied("float-housing")
        self.assertIn("no rotary axis", run("axis", path)[1])
        self.assertEqual(run("axis", path, "--add", "--about", "y", "--word", "B", "--rename", "column")[0], 0)
        self.assertEqual(run("axis", path, "--add")[0], 0)
        self.assertEqual([each.word for each in self.carriers(path)], ["B", "A"])
        self.assertEqual(run("axis", path, "A", "--on", "column")[0], 0)
        self.assertEqual(self.carriers(path)[1].on, self.carriers(path)[0].id)
        self.assertIn("stands on it", self.refused("axis", path, "column", "--remove"))
        self.assertEqual(run("axis", path, "A", "--on", "table")[0], 0)
        self.assertEqual(run("axis", path, "column", "--remove")[0], 0)
        self.assertEqual([each.word for each in self.carriers(path)], ["A"])

    def test_refused_in_words(self):
        path = self.copied("sluice-valve-block")
        before = read_job(self.folder / path)
        for words, why in (
            (("axis", path, "D"), "no one rotary axis 'D'"),
            (("axis", path, "A"), "nothing is changed"),
            (("axis", path, "A", "--centre", "-210"), "give it as Y=-210.5"),
            (("axis", path, "A", "--centre", "Y=near"), "near"),
            (("axis", path, "A", "--repeats", "well"), "'well' is no angle"),
            (("axis", path, "A", "--found", "yesterday"), "is no day"),
            (("axis", path, "A", "--words", "M78"), "another that clamps it"),
            (("axis", path, "A", "--from", "200"), "ends before it begins"),
            (("axis", path, "A", "--on", "turntable"), "carries itself"),
            (("axis", path, "A", "--on", "moon"), "there is no carrier 'moon'"),
            (("axis", path, "A", "--happened", "storm", "2026-05-05"), "none of crash"),
            (("axis", path, "A", "--machine", "Mill 9", "--level", "1"), "name one of the job's machines"),
        ):
            self.assertIn(why, self.refused(*words), words)
        self.assertEqual(read_job(self.folder / path), before)


class CarrierTest(CarryingTest):
    def test_a_face_as_it_measures(self):
        path = self.copied("hinge-leaves")
        self.assertIn("150.0000 from the axis", run("carrier", path, "face at B90")[1])
        before = json.loads(run("coordinates", path, "--json")[1])["setups"][1]["features"]
        words = ("--distance", "150.013", "--tilt", "0", "0", "--measured", "2026-05-04")
        told = run("carrier", path, "face at B90", *words)[1]
        self.assertIn("150.0130 from the axis\n  measured on 2026-05-04", told)
        after = json.loads(run("coordinates", path, "--json")[1])["setups"][1]["features"]
        for old, new in zip(before, after, strict=True):
            gone = {axis: round(new["machine"][axis] - old["machine"][axis], 3) for axis in "xyz"}
            self.assertEqual(gone, {"x": 0.0, "y": 0.0, "z": 0.013})
        out = run("carrier", path, "face at B270", "--tilt", "0.02", "-0.01")[1]
        self.assertIn("tilted +0.0200° about its X, -0.0100° about its Y", out)

    def test_made_listed_and_taken_off(self):
        path = self.copied("float-housing")
        self.assertIn("everything stands on its table", run("carrier", path)[1])
        run("axis", path, "--add", "--about", "y", "--word", "B", "--rename", "column", "--sense", "left")
        out = run("carrier", path, "column", "--tombstone", "6, 120, -40, 4 in")[1]
        self.assertIn("body column (column)", out)
        listed = run("carrier", path)[1]
        self.assertEqual(listed.count("120.0000 from the axis"), 6)
        self.assertIn("face at B60, on column", listed)
        self.assertAlmostEqual(self.carriers(path)[0].bodies[0].length, 141.6)
        self.assertIn("pallet, on face at B60", run("carrier", path, "face at B60", "--pallet")[1])
        self.assertIn("stands on it", self.refused("carrier", path, "face at B60", "--remove"))
        self.assertEqual(run("carrier", path, "pallet", "--remove")[0], 0)
        self.assertEqual(run("carrier", path, "face at B60", "--remove")[0], 0)
        out = run("carrier", path, "face at B0", "--carries", "left vise")[1]
        self.assertIn("carries left vise", out)

    def test_a_mount_and_its_bodies(self):
        path = self.copied("sluice-valve-block")
        out = run("carrier", path, "trunnion stands", "--at", "0", "1", "-560", "--turned", "Z 90", "--rename", "stand",
                  "--box", "post", "0", "0", "0", "10", "10", "100")[1]  # fmt: skip
        self.assertIn("stand, on the table: at 0.000 1.000 -560.000, turned Z 90", out)
        self.assertIn("body post (box)", out)
        out = run("carrier", path, "stand", "--round", "pin", "0", "0", "0", "Z", "20", "1 in", "--without", "post")[1]
        self.assertNotIn("post (box)\n  body post", out)
        self.assertAlmostEqual(self.carriers(path)[-1].bodies[-1].diameter, 25.4)
        self.assertNotIn("body post", out)
        run("carrier", path, "turntable", "--trunnion-table")
        names = [body.name for each in self.carriers(path)[:2] for body in each.bodies]
        self.assertEqual(names, ["left arm", "right arm", "bed", "first arm", "second arm", "bed", "top", "top"])

    def test_refused_in_words(self):
        path = self.copied("sluice-valve-block")
        before = read_job(self.folder / path)
        for words, why in (
            (("moon",), "there is no carrier 'moon'"),
            (("cradle", "--at", "0", "0", "0"), "state that with 'axis'"),
            (("trunnion stands", "--tombstone", "4, 1, 0, 9"), "is no rotary axis"),
            (("trunnion stands", "--trunnion-table"), "is no rotary axis"),
            (("cradle", "--tombstone", "four"), "say faces, distance"),
            (("turntable", "--tombstone", "4, 100, 0, 200"), "along the spindle"),
            (("cradle", "--trunnion-table"), "stands on an axis that tilts it"),
            (("trunnion stands", "--turned", "W 9"), "is no turn"),
            (("trunnion stands", "--distance", "5"), "no rotary axis turns"),
            (("trunnion stands", "--tilt", "20", "0"), "tilt x deg"),
            (("trunnion stands", "--box", "b", "0", "0", "0", "0", "1", "1"), "ends before it begins along X"),
            (("trunnion stands", "--round", "r", "0", "0", "0", "up", "1", "1"), "along"),
            (("trunnion stands", "--without", "roof"), "has no body 'roof'"),
            (("trunnion stands", "--carries", "shelf"), "no station 'shelf'"),
            (("trunnion stands", "--on", "trunnion stands"), "carries itself"),
        ):
            self.assertIn(why, self.refused("carrier", path, *words), words)
        self.assertEqual(read_job(self.folder / path), before)
