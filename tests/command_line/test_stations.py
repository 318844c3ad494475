"""Stations of patterns on the command line."""

from __future__ import annotations

import csv
import io
import json
import shutil

import ezdxf

from ledgecliff.core.changing import set_value
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job, write_job
from tests.command_line.test_main import CommandTest, run


class ChangedTest(CommandTest):
    """What is changed is written, and said back."""

    def setUp(self):
        super().setUp()
        self.job = self.folder / "shoes.json"
        write_job(read_job(demo_job("rack-shoes")), self.job)

    def changed(self, *words, setup="Op 10"):
        status, out, error = run("stations", str(self.job), "--setup", setup, "--json", *words)
        self.assertEqual(status, 0, error)
        mine = next(each for each in json.loads(out)["setups"] if each["name"] == setup)
        # The same when it is read again.
        again = json.loads(run("stations", str(self.job), "--json")[1])["setups"]
        self.assertEqual(mine, next(each for each in again if each["name"] == setup))
        return mine, error

    def refused(self, *words):
        before = self.job.read_text(encoding="utf-8")
        status, _, error = run("stations", str(self.job), *words)
        self.assertEqual(status, 2, words)
        self.assertEqual(self.job.read_text(encoding="utf-8"), before)
        return error

    def by_name(self, setup):
        return {each["name"]: each for each in setup["instances"]}

    def test_a_recut_with_its_sign_explained(self):
        before = self.by_name(self.changed()[0])
        told, said = self.changed("--recut", "front row", "+Y 0.15", "--day", "2026-05-01", "--reason", "worn")
        after = self.by_name(told)
        self.assertAlmostEqual(after["3"]["machine"]["y"] - before["3"]["machine"]["y"], -0.15)
        self.assertEqual(after["8"], before["8"])
        self.assertIn("0.150 mm to the front: Y -0.150 mm", said)
        group = read_job(self.job).setups[0].pattern.group("row 1")
        self.assertEqual((group.recuts[0].reason, group.shifted_on), ("worn", "2026-05-01"))

    def test_shifts_of_one_and_of_a_group(self):
        told, _ = self.changed("--shift", "3", "0.5", "0", "-1/16 in")
        self.assertEqual(self.by_name(told)["3"]["local"], {"x": 148.5, "y": 0.0, "z": -1.5875})
        told, _ = self.changed("--shift", "back row", "0", "-0.2", "0", "--day", "2026-05-02")
        self.assertEqual(self.by_name(told)["6"]["local"], {"x": 0.0, "y": 118.0, "z": 0.0})

    def test_skipped_finished_and_the_next_load(self):
        told, _ = self.changed("--skip", "2", "4", "--reason", "bad blank", "--finished", "1")
        states = {name: (each["state"], each["reason"]) for name, each in self.by_name(told).items()}
        self.assertEqual((states["2"], states["1"]), (("skipped", "bad blank"), ("finished", "")))
        told, _ = self.changed("--new-load")
        states = {name: each["state"] for name, each in self.by_name(told).items()}
        self.assertEqual((states["2"], states["1"], states["9"]), ("skipped", "on", "skipped"))
        self.assertIn("say why", self.refused("--setup", "Op 10", "--skip", "5"))

    def test_numbered_anew_while_what_is_known_stays(self):
        told, _ = self.changed("--number", "first 11, prefix S, from right, to and fro")
        names = self.by_name(told)
        self.assertEqual(list(names), [f"S{k}" for k in range(11, 21)])
        skipped = [name for name, each in names.items() if each["state"] == "skipped"]
        self.assertEqual([names[name]["local"]["x"] for name in skipped], [222.0])

    def test_schools(self):
        told, _ = self.changed("--school", "own each")
        self.assertEqual(told["codes"], {"needed": 10, "free": 49, "policy": "own each"})
        offsets = [each["offset"] for each in told["instances"]]
        self.assertEqual(len(set(offsets)), 10)
        self.assertEqual(offsets[0], "G54")
        others = {each["offset"] for each in json.loads(run("stations", str(self.job), "--json")[1])["setups"][1][
            "instances"]}  # fmt: skip
        self.assertFalse(others & set(offsets))

    def test_too_few_codes_says_by_how_many(self):
        write_job(set_value(read_job(self.job), ("machines", 0, "extended"), None), self.job)
        job = set_value(read_job(self.job), ("setups", 1, "pattern"), None)
        write_job(job, self.job)
        self.assertIn("5 too few", self.refused("--setup", "Op 10", "--school", "own each"))

    def test_another_pattern(self):
        told, _ = self.changed("--pattern", "3x1, 90, 0", "--loads", "4")
        self.assertEqual([each["local"]["x"] for each in told["instances"]], [0.0, 90.0, 180.0])
        told, _ = self.changed("--pattern", "ring 4, 0, 120, 90, parallel", setup="Op 20")
        self.assertEqual(len(told["instances"]), 4)
        told, _ = self.changed("--pattern", "none", setup="Op 20")
        self.assertEqual(len(told["instances"]), 1)

    def test_refused(self):
        self.assertIn("no grid or ring", self.refused("--setup", "Op 10", "--pattern", "some"))
        self.assertIn("lie on one another", self.refused("--setup", "Op 10", "--pattern", "3x1, 0, 0"))
        self.assertIn("there is no '99'", self.refused("--setup", "Op 10", "--on", "99"))
        self.assertIn("there is no 'left'", self.refused("--setup", "Op 10", "--shift", "left", "1", "0", "0"))
        self.assertIn("no way a face looks", self.refused("--setup", "Op 10", "--recut", "back row", "Y 0.2", "--day",
                                                          "2026-05-01"))  # fmt: skip
        self.assertIn("sign follows", self.refused("--setup", "Op 10", "--recut", "back row", "-Y -0.2", "--day",
                                                   "2026-05-01"))  # fmt: skip
        self.assertIn("say when", self.refused("--setup", "Op 10", "--recut", "back row", "-Y 0.2"))
        self.assertIn("which setup", self.refused("--on", "1"))
        self.assertIn("is not known", self.refused("--setup", "Op 10", "--number", "backwards"))

    def test_what_a_miss_costs_and_where_the_table_ends(self):
        self.changed("--costs", "2, 100, 5%")
        costs = read_job(self.job).setups[0].probing.costs
        self.assertEqual((costs.stop, costs.miss, costs.wrong), (2.0, 100.0, 0.05))
        for words, why in (
            ("1, 50", "give what a stop costs"),
            ("1, fifty, 1%", "not three numbers"),
            ("0, 1, 1%", ""),
        ):
            self.assertIn(why, self.refused("--setup", "Op 10", "--costs", words))
        self.changed("--costs", "")
        self.changed("--over-groups", "bore pin bore")
        self.assertEqual(read_job(self.job).setups[0].pattern.over_groups, ("bore pin bore",))
        self.assertIn("there is no 'wash'", self.refused("--setup", "Op 10", "--over-groups", "wash"))
        self.changed("--over-groups")
        self.assertEqual(read_job(self.job).setups[0].pattern.over_groups, ())
        self.assertIsNone(read_job(self.job).setups[0].probing.costs)
        status, _, error = run("stations", str(self.job), "--table", "-1200", "0", "-20 in", "10")
        self.assertEqual((status, error), (0, ""))
        top = read_job(self.job).machine.table
        self.assertEqual((top.left, top.right, top.front, top.back), (-1200, 0, -508, 10))
        self.refused("--table", "0", "-1200", "0", "10")

    def test_faces_with_their_index(self):
        job = self.folder / "leaves.json"
        write_job(read_job(demo_job("hinge-leaves")), job)
        shutil.copy(demo_job("hinge-leaves").parent / "hinge_leaf.step", self.folder)
        self.job = job
        self.changed("--pattern", "none")
        told, _ = self.changed("--pattern", "1x1, 0, 0", "--face", "face at B180", "--grouped-by", "faces")
        other = told["instances"][1]
        self.assertEqual((other["face"], other["carrier"], other["index"]), ("face at B180", "column", "B180"))
        self.assertEqual(other["machine"], told["instances"][0]["machine"])
        self.assertIn("no other 'roof'", self.refused("--setup", "Op 10", "--face", "roof"))


class StationsTest(CommandTest):
    def told(self, *more, job=None):
        status, out, error = run("stations", str(job or demo_job("rack-shoes")), "--json", *more)
        self.assertEqual((status, error), (0, ""))
        return json.loads(out)["setups"]

    def test_the_demo(self):
        first, second = self.told()
        self.assertEqual(len(first["instances"]), 10)
        self.assertEqual(first["codes"]["policy"], "local shifts")
        self.assertEqual(first["codes"]["needed"], 1)
        # 54 of the control, less five of Op 20.
        self.assertEqual(first["codes"]["free"], 49)
        seventh = first["instances"][6]
        self.assertEqual(
            (seventh["name"], seventh["group"], seventh["carrier"], seventh["face"], seventh["state"]),
            ("7", "back row", "table", "", "on"),
        )
        self.assertEqual(seventh["machine"], {"x": -925.0, "y": -240.8, "z": -500.0})
        self.assertEqual(seventh["local"], {"x": 74.0, "y": 118.2, "z": 0.0})
        self.assertEqual(seventh["offset"], "G54")
        skipped = first["instances"][8]
        self.assertEqual((skipped["state"], skipped["reason"]), ("skipped", "its clamp is away to be mended"))
        self.assertEqual(second["codes"], {"needed": 5, "free": 53, "policy": "own each"})
        self.assertEqual([each["offset"] for each in second["instances"]],
                         ["G55", "G54.1 P1", "G54.1 P2", "G54.1 P3", "G54.1 P4"])  # fmt: skip
        self.assertTrue(all(not any(each["local"].values()) for each in second["instances"]))

    def test_in_words(self):
        status, out, _ = run("stations", str(demo_job("rack-shoes")))
        self.assertEqual(status, 0)
        self.assertIn("Op 10: local shifts, 1 offsets needed, 49 free", out)
        self.assertIn("skipped (its clamp is away to be mended)", out)

    def test_other_jobs_and_fixtures_in_the_register_take_codes(self):
        place = str(self.folder / "register.db")
        job = str(demo_job("rack-shoes"))
        run("offsets", "set", "G57", "--resident", "long vise", "--job", job, "--register", place)
        before = self.told()[0]["codes"]["free"]
        after = self.told("--register", place)[0]["codes"]["free"]
        self.assertEqual(before - after, 1)

    def test_choices_side_by_side(self):
        second = self.told("--choices")[1]["choices"]
        self.assertEqual([(row["policy"], row["probed"], row["codes"]) for row in second["rows"]], [
            ("local shifts", "none", 1), ("local shifts", "first of the load", 1), ("own each", "none", 5),
            ("own each", "every one", 5),
        ])  # fmt: skip
        for row in second["rows"]:
            self.assertTrue(2.0 * row["standard"] - 1e-6 <= row["expanded"] <= 2.45 * row["standard"])
        self.assertEqual(sum(row["best"] for row in second["rows"]), 1)
        self.assertIn("* local shifts, probed: none", run("stations", str(demo_job("rack-shoes")), "--choices")[1])

    def test_tables_and_drawings(self):
        table, drawing = self.folder / "stations.csv", self.folder / "stations.dxf"
        self.told("--csv", str(table), "--dxf", str(drawing))
        rows = list(csv.DictReader(io.StringIO(table.read_text(encoding="utf-8"))))
        self.assertEqual(len(rows), 15)
        self.assertEqual((rows[6]["setup"], rows[6]["number"], rows[6]["machine y (mm)"]), ("Op 10", "7", "-240.8000"))
        self.assertEqual((rows[6]["local x (mm)"], rows[6]["local y (mm)"]), ("74.0000", "118.2000"))
        space = ezdxf.readfile(drawing).modelspace()
        circles = {tuple(round(v, 4) for v in each.dxf.center)[:2] for each in space.query("CIRCLE")}
        self.assertIn((74.0, 118.2), circles)
        self.assertIn((296.0, 0.0), circles)
        self.assertEqual(len(space.query("CIRCLE")), 15)

    def test_in_inches_the_table_says_so(self):
        job = set_value(read_job(demo_job("rack-shoes")), ("machines", 0, "program_units"), "in")
        write_job(job, self.folder / "inch.json")
        table = self.folder / "stations.csv"
        self.told("--csv", str(table), job=self.folder / "inch.json")
        rows = list(csv.DictReader(io.StringIO(table.read_text(encoding="utf-8"))))
        self.assertEqual(rows[6]["local x (in)"], f"{74 / 25.4:.5f}")

    def test_names_do_no_harm_in_a_spreadsheet(self):
        path = ("setups", 0, "pattern", "groups", 0, "name")
        write_job(set_value(read_job(demo_job("rack-shoes")), path, "=1+1"), self.folder / "odd.json")
        table = self.folder / "stations.csv"
        self.told("--csv", str(table), job=self.folder / "odd.json")
        self.assertNotIn(",=1", table.read_text(encoding="utf-8"))
