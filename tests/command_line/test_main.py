"""The command line: stable output, exit status, and one clear line for what cannot be read."""

from __future__ import annotations

import contextlib
import io
import json
import math
import shutil
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from ledgecliff.command_line.main import main
from ledgecliff.core.errors import InternalError, LedgecliffError
from ledgecliff.core.plan import Plan
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import job_text
from tests.helpers import changed

DEMO = str(demo_job("float-housing"))


def run(*arguments):
    """Exit status, standard output, standard error."""
    out, error = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(error):
        try:
            status = main(list(arguments))
        except SystemExit as stop:  # argparse ends this way
            status = int(stop.code or 0)
    return status, out.getvalue(), error.getvalue()


class OffersTest(unittest.TestCase):
    def test_what_can_be_done_and_why_not(self):
        status, out, _ = run("offers", DEMO, "--setup", "Op 10", "--at", "main bore", "--json")
        rows = json.loads(out)
        self.assertEqual((status, [row["can"] for row in rows["cut"]]), (0, [False, False]))
        self.assertEqual({row["can"] for row in rows["touch"]}, {True})
        self.assertIn("until 'pocket and bolt holes' is done", rows["touch"][0]["says"])
        status, out, _ = run("offers", DEMO, "--setup", "Op 20", "--at", "port")
        self.assertEqual((status, len(out.splitlines())), (1, 3))

    def test_names_that_are_not_there(self):
        for given, words in ((("Op 30", "port"), "the job has Op 10, Op 20"), (("Op 10", "prot"), "no feature 'prot'")):
            status, _, error = run("offers", DEMO, "--setup", given[0], "--at", given[1])
            self.assertEqual(status, 2)
            self.assertIn(words, error)


class ZerosTest(unittest.TestCase):
    def test_the_best_first_with_what_it_costs(self):
        status, out, _ = run("zeros", DEMO, "--setup", "Op 20", "--axis", "z", "--json")
        rows = json.loads(out)["z"]
        self.assertEqual((status, [row["can"] for row in rows][:2], rows[-1]["can"]), (0, [True, True], False))
        (now,) = [row for row in rows if row["now"]]
        self.assertEqual((now["zero"], now["moves"], now["comes"]), ("parallels", 0.0, []))
        by_squares = 2.0 * math.sqrt(sum(part["standard"] ** 2 for part in now["enters"]))
        self.assertAlmostEqual(now["expected"], by_squares, places=5)

    def test_a_present_zero_that_is_at_fault_is_told_by_the_exit_status(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "raw.json"
            shutil.copy(Path(DEMO).parent / "float_housing.step", folder)
            path.write_text(job_text(changed((("setups", 1, "datum", "z", "source"), "stock top"))), encoding="utf-8")
            status, out, _ = run("zeros", str(path), "--setup", "Op 20", "--axis", "z", "--json")
        (now,) = [row for row in json.loads(out)["z"] if row["now"]]
        self.assertEqual((status, now["can"]), (1, False))

    def test_every_axis_in_words(self):
        status, out, _ = run("zeros", DEMO, "--setup", "Op 10")
        self.assertEqual(status, 0)
        for words in ("X of Op 10", "Y of Op 10", "Z of Op 10", "= stock centre", "- fixed jaw"):
            self.assertIn(words, out)
        self.assertEqual(run("zeros", DEMO, "--setup", "Op 11")[0], 2)


class CommandTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def job(self, *edits):
        """A job file with values changed, its model beside it."""
        path = self.folder / "job.json"
        path.write_text(job_text(changed(*edits)), encoding="utf-8")
        shutil.copy(Path(DEMO).parent / "float_housing.step", self.folder)
        return str(path)


class UnsoundPlanTest(CommandTest):
    def test_of_a_plan_that_lost_some_of_the_part_no_command_says_a_word(self):
        """Nothing is printed and no file made: the one line says that it is our fault."""
        fault = InternalError("operation 'outline'", "the stock it leaves lacks 500 mm³ of the finished part")
        out = self.folder / "out"
        for words in (
            ("coordinates", DEMO), ("check", DEMO), ("features", DEMO), ("stock", DEMO), ("sides", DEMO),
            ("registration", DEMO), ("probe-plan", DEMO), ("drawings", DEMO, "-o", str(out)), ("rehearse", DEMO),
            ("post", DEMO, "-o", str(out)), ("sheet", DEMO, "-o", str(out / "sheet.html")),
        ):  # fmt: skip
            with self.subTest(words=words[0]), mock.patch.object(Plan, "check_part_is_left", side_effect=fault):
                status, printed, said = run(*words)
                self.assertEqual((status, printed), (2, ""))
                self.assertIn("Internal error in operation 'outline': the stock it leaves lacks", said)
        self.assertFalse(out.exists())


class CoordinatesTest(CommandTest):
    def test_worked_numbers_as_json(self):
        status, out, _ = run("coordinates", DEMO, "--json")
        self.assertEqual(status, 0)
        setups = json.loads(out)["setups"]
        self.assertEqual([(s["name"], s["offset"]) for s in setups], [("Op 10", "G54"), ("Op 20", "G55")])
        table = [{f["name"]: (f["x"], f["y"], f["z"]) for f in setup["features"]} for setup in setups]
        self.assertEqual(table[0]["main bore"], (-18, 0, 0))
        self.assertEqual(table[0]["bolt hole NE"], (32, 20, -28))
        self.assertEqual(table[1]["main bore"], (0, 0, 0))
        self.assertEqual(table[1]["bolt hole NE"], (50, -20, 28))
        self.assertEqual(table[1]["port"], (66, 0, 16))

    def test_as_text(self):
        status, out, _ = run("coordinates", DEMO)
        self.assertEqual(status, 0)
        self.assertRegex(out, r"bolt hole NE +\+50\.000 +-20\.000 +\+28\.000")


class CheckTest(CommandTest):
    def test_a_sound_plan(self):
        status, out, _ = run("check", DEMO, "--json")
        self.assertEqual(status, 0)
        for finding in json.loads(out)["findings"]:
            self.assertEqual(set(finding), {"code", "severity", "setup", "message", "remedy"})

    def test_a_hazard_or_error_shows_in_the_status(self):
        status, out, _ = run("check", self.job((("setups", 0, "hold", "parallels_height"), 36.0)), "--json")
        self.assertEqual(status, 1)
        self.assertEqual(json.loads(out)["findings"][0]["code"], "GRIP_ABOVE_UNDERSIDE")
        status, out, _ = run("check", self.job((("setups", 1, "offset"), "G54")))
        self.assertEqual(status, 1)
        self.assertIn("error: Op 20 and Op 10 both keep their zero in G54", out)


class FeaturesTest(CommandTest):
    def test_kinds_names_sizes_places_and_directions(self):
        status, out, _ = run("features", DEMO, "--json")
        self.assertEqual(status, 0)
        rows = {row["name"]: row for row in json.loads(out)["features"]}
        bore = rows["main bore"]
        self.assertEqual((bore["kind"], bore["named"], bore["through"]), ("bore", True, True))
        self.assertEqual(bore["sizes"]["diameter"], 22)
        self.assertEqual(bore["position"], {"x": 30, "y": 32, "z": 28})
        self.assertEqual(bore["direction"], {"x": 0, "y": 0, "z": 1})
        self.assertEqual(bore["steps"], [{"diameter": 22, "depth": 23}, {"diameter": 30, "depth": 27}])
        pocket = rows["pocket"]
        self.assertEqual(pocket["sizes"], {"length": 36, "width": 22, "depth": 22, "radius": 5})
        self.assertEqual((pocket["sides"], pocket["surface"]), (["+Z"], "finished"))
        self.assertFalse(rows["face +Z 1"]["named"])

    def test_as_text(self):
        status, out, _ = run("features", DEMO)
        self.assertEqual(status, 0)
        self.assertRegex(out, r"port +hole +\+96\.000 +\+32\.000 +\+12\.000 .*from \+X")


class StockTest(CommandTest):
    def test_worked_example(self):
        """100 x 68 x 34 on a hat of 4.5; Op 20 gets it faced, its hat on top."""
        status, out, _ = run("stock", DEMO, "--json")
        self.assertEqual(status, 0)
        first, second = json.loads(out)["setups"]
        self.assertEqual(first["size"], {"x": 100, "y": 68, "z": 34})
        self.assertEqual((first["volume"], first["hat"], first["grip"]), (231200, 4.5, 4))
        self.assertEqual(second["size"], {"x": 100, "y": 68, "z": 32.5})
        self.assertEqual((second["hat"], second["hat_on_top"], second["grip"]), (0, 4.5, 18))
        self.assertEqual(second["left"]["size"], {"x": 96, "y": 64, "z": 28})
        self.assertEqual(second["volume"], first["left"]["volume"])
        removed = sum(operation["removed"] for operation in first["operations"])
        self.assertAlmostEqual(first["volume"] - removed, first["left"]["volume"], delta=0.01)

    def test_as_text(self):
        self.assertIn("Op 10: 100.000 x 68.000 x 34.000, 231.200 cm3, hat 4.500", run("stock", DEMO)[1])


class SidesTest(CommandTest):
    def test_orders_with_their_arguments(self):
        data = json.loads(run("sides", DEMO, "--json")[1])
        self.assertEqual(data["orders"][0]["sides"], ["+Z", "-Z", "+X"])
        self.assertEqual(data["fewest"], [["+X", "+Z", "-Z"]])
        for order in data["orders"]:
            weight = sum(a["weight"] for a in order["arguments"])
            self.assertAlmostEqual(weight / len(order["sides"]), order["score"], delta=0.01)
        self.assertTrue(run("sides", DEMO)[1].startswith("+Z, then -Z, then +X"))
        self.assertNotIn("planned", data["orders"][0])

    def test_what_the_first_orders_come_to(self):
        data = json.loads(run("sides", DEMO, "--weigh", "2", "--json")[1])
        first, second, third = (order.get("planned") for order in data["orders"][:3])
        self.assertIsNone(third)
        self.assertLess(first["expanded"], second["expanded"])
        self.assertEqual((first["codes"], first["brings"], first["keeps"]), (3, None, None))
        self.assertIn("Planned so: port from bolt hole SE within 0.016 mm", run("sides", DEMO, "--weigh", "1")[1])
        for silly in ("-1", "51"):
            code, _, err = run("sides", DEMO, "--weigh", silly)
            self.assertNotEqual(code, 0)
            self.assertIn("--weigh: give how many orders to plan, 0 to 50", err)


class ImportTest(CommandTest):
    STEP = str(Path(DEMO).parent / "float_housing.step")

    def test_a_job_beside_its_model(self):
        """The job can be moved about with its model, planned and checked."""
        out = self.folder / "new" / "housing.json"
        out.parent.mkdir()
        status, said, _ = run("import", self.STEP, "-o", str(out))
        self.assertEqual((status, said.splitlines()[0]), (0, str(out)))
        self.assertTrue((out.parent / "float_housing.step").exists())
        self.assertEqual(run("check", str(out))[0], 0)
        setups = json.loads(run("stock", str(out), "--json")[1])["setups"]
        self.assertEqual([setup["name"] for setup in setups], ["Op 10", "Op 20", "Op 30"])

    def test_an_stl_file_must_be_given_its_unit(self):
        (self.folder / "part.stl").write_bytes(b"")
        status, out, error = run("import", str(self.folder / "part.stl"), "-o", str(self.folder / "job.json"))
        self.assertEqual((status, out), (2, ""))
        self.assertIn("states no length unit", error)
        self.assertFalse((self.folder / "job.json").exists())

    def test_an_older_job_is_kept(self):
        out = self.folder / "job2.json"
        data = json.loads(run("import", self.STEP, "-o", str(out), "--keep", DEMO, "--json")[1])
        self.assertEqual((data["lost"], data["moved"]), ([], []))
        self.assertIn("main bore", data["kept"])
        self.assertEqual(json.loads(run("coordinates", str(out), "--json")[1]),
                         json.loads(run("coordinates", DEMO, "--json")[1]))  # fmt: skip

    def test_a_job_that_is_there_is_not_written_over(self):
        out = self.folder / "job2.json"
        self.assertEqual(run("import", self.STEP, "-o", str(out))[0], 0)
        before = out.read_bytes()
        status, _, error = run("import", self.STEP, "-o", str(out))
        self.assertEqual(status, 2)
        self.assertIn("exists already", error)
        self.assertEqual(out.read_bytes(), before)
        self.assertEqual(run("import", self.STEP, "-o", str(out), "--keep", str(out))[0], 0)

    def test_a_place_that_cannot_be_written_and_a_file_that_is_no_model(self):
        self.assertEqual(run("import", self.STEP, "-o", str(self.folder / "no" / "job.json"))[0], 2)
        (self.folder / "bad.step").write_text("ISO-10303-21; nothing")
        status, out, error = run("import", str(self.folder / "bad.step"), "-o", str(self.folder / "job.json"))
        self.assertEqual((status, out), (2, ""))
        self.assertIn("is not a STEP file", error)


class PostTest(CommandTest):
    def test_one_probing_and_one_hover_program_a_setup(self):
        status, out, _ = run("post", DEMO, "-o", str(self.folder / "new" / "programs"))
        self.assertEqual(status, 0)
        names = [Path(line).name for line in out.splitlines()]
        self.assertEqual(
            names, ["01-op-10-probe.ngc", "01-op-10-hover.ngc", "02-op-20-probe.ngc", "02-op-20-hover.ngc"]
        )
        for line in out.splitlines():
            self.assertTrue(Path(line).read_text(encoding="ascii").startswith("%\n(Float housing)"))

    def test_nothing_is_written_when_one_program_cannot_be(self):
        job = self.job((("setups", 1, "offset"), "G99"))
        status, out, error = run("post", job, "-o", str(self.folder / "programs"))
        self.assertEqual((status, out), (2, ""))
        self.assertIn("no work offset G99", error)
        self.assertFalse((self.folder / "programs").exists())

    def test_a_place_that_cannot_be_written(self):
        (self.folder / "file").write_text("")
        status, _, error = run("post", DEMO, "-o", str(self.folder / "file"))
        self.assertEqual(status, 2)
        self.assertIn("cannot be made", error)


class CardsTest(CommandTest):
    def test_as_json_in_words_and_on_paper(self):
        status, out, _ = run("cards", DEMO, "--setup", "Op 20", "--json")
        (setup,) = json.loads(out)["setups"]
        bore, floor = setup["cards"]
        self.assertEqual((status, bore["near"], floor["writes"]), (0, 4.0, "Set G55: Z to read +0.000."))
        self.assertEqual([each["expected"] for each in bore["must_come_out"]], [22.0, 22.0, 0.0, 0.0])
        self.assertIn("Op 10 (G54)", run("cards", DEMO)[1])
        path = self.folder / "cards.pdf"
        self.assertEqual(run("cards", DEMO, "-o", str(path))[0], 0)
        self.assertTrue(path.read_bytes().startswith(b"%PDF"))
        self.assertIn("there is no 'Op 30'", run("cards", DEMO, "--setup", "Op 30")[2])
        self.assertIn("not .html or .pdf", run("cards", DEMO, "-o", str(self.folder / "cards.txt"))[2])

    def test_rehearsed(self):
        status, out, _ = run("rehearse", DEMO, "--cards", "--trials", "2")
        self.assertEqual(status, 0)
        self.assertIn("2 trials by cards", out)


class SheetTest(CommandTest):
    def test_html_and_pdf(self):
        for ending, start in ((".html", b"<!DOCTYPE html>"), (".pdf", b"%PDF-")):
            path = self.folder / f"sheet{ending}"
            status, out, _ = run("sheet", DEMO, "-o", str(path))
            self.assertEqual((status, out.strip()), (0, str(path)))
            self.assertTrue(path.read_bytes().startswith(start))

    def test_it_says_when_and_of_what_and_whether_it_was_rehearsed(self):
        path = self.folder / "sheet.html"
        for more, words in (((), "Not rehearsed"), (("--trials", "2"), "2 trials")):
            run("sheet", DEMO, "-o", str(path), *more)
            page = path.read_text("utf-8")
            self.assertTrue(words in page, words)
            self.assertRegex(page[page.index("<h1>") :][:1000], r"\d{4}-\d\d-\d\d \d\d:\d\d by \S+ · \S+\.json")

    def test_another_ending_is_refused(self):
        status, _, error = run("sheet", DEMO, "-o", str(self.folder / "sheet.doc"))
        self.assertEqual(status, 2)
        self.assertIn("is not .html or .pdf", error)


class RehearseTest(CommandTest):
    def test_json(self):
        status, out, _ = run("rehearse", DEMO, "--seed", "5", "--json")
        self.assertEqual(status, 0)
        data = json.loads(out)
        self.assertEqual([s["touches"] for s in data["setups"]], [5, 9])
        self.assertEqual([s["triggers"] for s in data["setups"]], [10, 18])
        for setup in data["setups"]:
            self.assertEqual(setup["alarms"], [])
            for axis in "xyz":
                self.assertAlmostEqual(setup["found"][axis] - setup["true"][axis], setup["difference"][axis], places=5)
                self.assertLess(abs(setup["difference"][axis]), 0.006)
        self.assertEqual([f["feature"] for f in data["features"]], ["counterbore", "bore edge break"])
        for pair in data["features"]:
            self.assertEqual(pair["nominal"], {"x": 0, "y": 0, "z": -28})
            for axis in "xyz":
                there = pair["nominal"][axis] + pair["deviation"][axis]
                self.assertAlmostEqual(pair["position"][axis], there, places=5)
        self.assertEqual(out, run("rehearse", DEMO, "--seed", "5", "--json")[1])

    def test_a_stop_shows_in_the_status(self):
        job = self.job((("setups", 0, "probing", "overtravel"), 0.02))
        status, out, _ = run("rehearse", job, "--seed", "1", "--json")
        self.assertEqual(status, 1)
        data = json.loads(out)
        self.assertTrue(data["setups"][0]["alarms"])
        self.assertIsNone(data["setups"][1]["found"])
        self.assertEqual(run("rehearse", job)[0], 1)

    def test_silly_seeds(self):
        for seed in ("-1", "x", "1.5"):
            status, _, error = run("rehearse", DEMO, "--seed", seed)
            self.assertEqual(status, 2)
            self.assertIn("is no seed", error)


class SchemaTest(CommandTest):
    def test_it_describes_every_field_of_the_demo(self):
        status, out, _ = run("schema")
        self.assertEqual(status, 0)
        schema = json.loads(out)
        self.assertEqual(set(schema["properties"]), set(json.loads(Path(DEMO).read_text())))
        self.assertFalse(schema["additionalProperties"])
        docs = Path(__file__).parents[2] / "docs"
        self.assertEqual(json.loads((docs / "job.schema.json").read_text(encoding="utf-8")), schema)
        of_run = json.loads(run("schema", "--run")[1])
        self.assertEqual(json.loads((docs / "run.schema.json").read_text(encoding="utf-8")), of_run)
        of_backlog = json.loads(run("schema", "--backlog")[1])
        self.assertEqual(json.loads((docs / "backlog.schema.json").read_text(encoding="utf-8")), of_backlog)
        self.assertIn("stations", of_run["properties"])


class RegistrationTest(CommandTest):
    def test_pins_as_json(self):
        status, out, _ = run("registration", str(demo_job("dial-ring-on-pins")), "--json")
        self.assertEqual(status, 0)
        (turn,) = json.loads(out)["turns"]
        self.assertEqual((turn["way"], turn["one_program"]), ("dowel pins", True))
        self.assertEqual([seat["name"] for seat in turn["seats"]], ["as intended", "not turned"])
        self.assertEqual(turn["findings"], [])
        self.assertEqual((turn["pins"]["length"], turn["pins"]["stands_out"]), (24.0, 12.0))
        # Both sides and the bores land within 0.02; the pins let it lie in a disc of 0.0201 and turn by 0.0076°, which
        # is an even 0.0193 at the mark, 97.5 + 48 from their middle.  A circle holds 2 to 2.45 standard deviations.
        by_squares = math.sqrt(3 * 0.02**2 + (0.0201 / 2) ** 2 + (math.radians(0.0076) * 145.5) ** 2 / 3)
        standards = math.sqrt(sum(each["standard"] ** 2 for each in turn["contributions"]))
        self.assertAlmostEqual(standards, by_squares, delta=1e-4)
        self.assertTrue(2.0 * by_squares < turn["expected_error"] < 2.45 * by_squares)
        self.assertEqual(turn["farthest"]["feature"], "upper mark 1")

    def test_frame_as_json_and_as_text(self):
        job = str(demo_job("dial-ring-in-a-frame"))
        (turn,) = json.loads(run("registration", job, "--json")[1])["turns"]
        self.assertTrue(turn["frame"]["locks"])
        self.assertEqual([w["name"] for w in turn["frame"]["other_ways"] if w["seats"]], ["not turned"])
        for play in turn["frame"]["play"].values():
            self.assertAlmostEqual(play, 0.1, places=3)
        self.assertIn("frame locks; also goes in not turned", run("registration", job)[1])

    def test_a_way_is_chosen_and_laid_out(self):
        """The job written anew has it, and is told as any other; what does not fit is refused and writes nothing."""
        out = self.folder / "chosen.json"
        source = str(demo_job("dial-ring-on-pins"))
        status, told, _ = run("registration", source, "--choose", "interlocking frame", "-o", str(out), "--json")
        (turn,) = json.loads(told)["turns"]
        self.assertEqual((status, turn["way"], turn["frame"]["locks"]), (0, "interlocking frame", True))
        self.assertEqual(json.loads(out.read_text())["setups"][0]["operations"][0]["removes"], "frame slot")
        status, told, _ = run("registration", source, "--layout", "three, all different", "-o", str(out), "--json")
        self.assertEqual((status, len(json.loads(out.read_text())["setups"][0]["operations"][0]["pins"])), (0, 3))
        out.unlink()
        for arguments, words in (
            (("--choose", "glue"), "jaw and stop; probed feature"),
            (("--layout", "ring"), "two on the axis"),
            (("--choose", "dowel pins", "--to", "Op 90"), "no turn leads to 'Op 90'; there are turns to Op 20"),
        ):
            status, _, error = run("registration", source, *arguments, "-o", str(out))
            self.assertNotEqual(status, 0)
            self.assertIn(words, error)
        self.assertFalse(out.exists())

    def test_the_json_tells_check_tabs_and_jig(self):
        (turn,) = json.loads(run("registration", str(demo_job("dial-ring-on-pins")), "--json")[1])["turns"]
        self.assertEqual({each["way"] for touch in turn["check"]["touches"] for each in touch["tells"]},
                         {"turned end for end", "not turned", "not turned and end for end"})  # fmt: skip
        (tabs,) = [each for each in turn["tabs"] if each["setup"] == "Op 20"]
        self.assertEqual(len(tabs["places"]), 6)
        self.assertIsNone(turn["jig"])
        (turn,) = json.loads(run("registration", str(demo_job("lamp-lid")), "--json")[1])["turns"]
        self.assertAlmostEqual(turn["jig"]["outline_reach"], turn["jig"]["sinks"] + 0.5, delta=0.25)
        self.assertEqual(turn["jig"]["z_shift"], -turn["jig"]["sinks"])

    def test_findings_set_the_exit_status(self):
        job = json.loads(demo_job("dial-ring-on-pins").read_text())
        job["setups"][0]["operations"][0]["pins"].pop()
        path = self.folder / "two.json"
        path.write_text(json.dumps(job))
        status, out, _ = run("registration", str(path), "--json")
        self.assertEqual(status, 1)
        (turn,) = json.loads(out)["turns"]
        self.assertIn("WRONG_SEAT", {finding["code"] for finding in turn["findings"]})
        self.assertEqual(sum(seat["seats"] for seat in turn["seats"]), 4)

    def test_drawings(self):
        status, out, _ = run("drawings", str(demo_job("lamp-lid")), "-o", str(self.folder / "d"))
        self.assertEqual(status, 0)
        names = {Path(line).name for line in out.split()}
        self.assertLessEqual({"turn-1-jig.dxf", "turn-1-jig.svg", "turn-1-before.dxf"}, names)
        self.assertTrue(all((self.folder / "d" / name).stat().st_size > 200 for name in names))


class BadInputTest(CommandTest):
    def test_one_line_and_status_2(self):
        (self.folder / "cut.json").write_text(Path(DEMO).read_text()[:900])
        (self.folder / "alone.json").write_text(Path(DEMO).read_text())
        for job, words in (
            (str(self.folder / "nothing.json"), "does not exist"),
            (str(self.folder / "cut.json"), "not a whole JSON document"),
            (str(self.folder / "alone.json"), "the model 'float_housing.step' is not there"),
            (str(self.folder), "cannot be read"),
        ):
            for command in (["coordinates"], ["check"], ["rehearse"], ["post", "-o", "x"], ["sheet", "-o", "x.pdf"]):
                status, out, error = run(command[0], job, *command[1:])
                self.assertEqual((status, out), (2, ""))
                self.assertEqual(len(error.strip().splitlines()), 1)
                self.assertIn(words, error)

    def test_no_command(self):
        self.assertEqual(run("fly")[0], 2)
        self.assertEqual(run("coordinates")[0], 2)

    def test_unknown_demo(self):
        status, _, error = run("demo-job", "dial-ring")
        self.assertEqual(status, 2)
        self.assertIn("there are: dial-ring-in-a-frame", error)

    def test_every_error_of_ours_can_be_shown(self):
        self.assertTrue(issubclass(LedgecliffError, Exception))


class ProcessTest(unittest.TestCase):
    def test_as_a_module_from_another_folder(self):
        """Nothing but the answer on standard output, wherever one stands."""
        done = subprocess.run(
            [sys.executable, "-m", "ledgecliff", "demo-job", "float-housing"],
            capture_output=True, text=True, check=True, cwd=tempfile.gettempdir(),
            env={"PYTHONPATH": str(Path(__file__).parents[2]), "PATH": "/usr/bin:/bin"},
        )  # fmt: skip
        self.assertEqual(done.stdout, f"{DEMO}\n")
        self.assertEqual(done.stderr, "")
