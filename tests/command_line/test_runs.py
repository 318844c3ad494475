"""A day at a machine on the command line."""

from __future__ import annotations

import itertools
import json

from ledgecliff.core.changing import set_value
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job, write_job
from tests.command_line.test_main import CommandTest, run
from tests.core.runs.test_runs import job
from tests.core.scheduling.problems import TUESDAY

THIRTY = {
    "parts": 30, "tool_call_s": 9, "probing_min": 0.6, "loading_min": 1.5, "setup_min": 12, "tool_calls_together": 6,
    "sides": [{"name": "Op 10", "minutes": 21, "tool_calls": 4}, {"name": "Op 20", "minutes": 9, "tool_calls": 4}],
}  # fmt: skip
BACKLOG = """name;kind;tools;minutes;steps;due_h
bracket;vise;T1 T2;60,5;;2
plate;plate;T3;45;;
inlay;vise;;;12 T1 T2 | wait 60 | 8 T3;
"""


class RunsTest(CommandTest):
    def file(self, name, content):
        path = self.folder / name
        path.write_text(content if isinstance(content, str) else json.dumps(content), encoding="utf-8")
        return str(path)

    def told(self, *words, wrote=False):
        status, out, error = run("run", *words, "--json")
        self.assertEqual((status, "is written" in error if wrote else error), (0, True if wrote else ""), error)
        return json.loads(out)

    def refused(self, *words):
        status, _, error = run("run", *words)
        self.assertEqual(status, 2, words)
        return error

    def test_order(self):
        path = self.file("tuesday.json", TUESDAY)
        told = self.told("order", path)
        self.assertEqual((told["tool_calls"], told["offset_calls"], told["indexes"], told["proven"]), (6, 7, 0, True))
        self.assertEqual((told["naive"]["tool_calls"], told["naive"]["offset_calls"]), (12, 3))
        self.assertEqual(told["bound"]["tool_calls"], 6)
        self.assertEqual(len(told["order"]), 6)
        first = told["order"][0]["tasks"][0]
        self.assertEqual(set(first), {"station", "task", "offset", "minutes", "start"})
        # The first starts after its tool and its offset are called.
        self.assertAlmostEqual(first["start"], 11 / 60, places=3)
        self.assertEqual(told["called_again"][0]["why"], "A needs T2 before T3, B the reverse")
        status, out, _ = run("run", "order", path, "--by", "time", "--seconds", "5")
        self.assertEqual(status, 0)
        self.assertIn("proven: none is better", out)
        self.assertIn("station after station: 12 tool calls", out)

    def test_flow(self):
        told = self.told("flow", self.file("thirty.json", THIRTY))
        self.assertEqual((told["batch"]["minutes"], told["batch"]["first_part"]), (1086.0, 746.7))
        self.assertEqual(
            (told["flow"]["minutes"], told["flow"]["first_part"], told["flow"]["in_work"]), (1077.3, 82.8, 2)
        )
        # Counted of tasks: A, B and C of Tuesday by themselves four calls each, together six.
        counted = self.told("flow", self.file("counted.json", {**TUESDAY, "parts": 2}))
        work = 21.0 + 9.0 + 12.5
        self.assertAlmostEqual(counted["batch"]["minutes"], 2 * (work + 12 * 0.15), places=3)
        # A; A and B; B and C; C: of both pairs T3 is called before and after T2, so six.
        self.assertAlmostEqual(counted["flow"]["minutes"], 2 * work + (4 + 6 + 6 + 4) * 0.15, places=3)
        out = run("run", "flow", self.file("thirty.json", THIRTY))[1]
        self.assertIn("A part that fails costs so many minutes more: on Op 10 23.7, on Op 20 59.4.", out)

    def test_flow_of_a_run(self):
        path, picture = str(demo_job("float-housing").parent / "tuesday" / "tuesdays_table.json"), self.folder / "f.svg"
        told = self.told("flow", path, "--job", "Float housing, Tuesday", "--picture", str(picture))
        self.assertEqual(len(told["flow"]["cycles"]), 2)
        self.assertIn("Batch by side", picture.read_text(encoding="utf-8"))
        self.assertIn("'Nobody'", self.refused("flow", path, "--job", "Nobody"))

    def test_the_demo(self):
        """By hand along the ring: pins and marks, filled, 90 to cure, bored, turned, marks; the rest meanwhile."""
        folder = demo_job("float-housing").parent / "tuesday"
        run_file, backlog = folder / "tuesdays_table.json", folder / "backlog.csv"
        self.assertEqual(self.told("check", str(run_file))["findings"], [])
        told = self.told("order", str(run_file), "--by", "time", "--seconds", "4")
        longest = 6 + 8 * 2.2 + 8 + 90 + 12 + 6 + 4 * 2.2 + 6
        self.assertGreaterEqual(told["minutes"], longest)
        self.assertLess(told["minutes"], longest + 2)
        self.assertLess(told["minutes"], told["naive"]["minutes"] - 60)
        # Shoe by shoe in the block that cuts them all.
        block = next(each for each in self.told("order", str(run_file), "--seconds", "1")["order"] if each["tool"] == 6)
        shoes = [name for name, _ in itertools.groupby(task["station"] for task in block["tasks"])]
        self.assertEqual(shoes, [f"Shoe {k}" for k in (1, 2, 3, 4, 5, 6, 7, 8, 10)])
        loads = self.told("loads", str(backlog))
        self.assertEqual(len({job["name"] for each in loads["loads"] for job in each["jobs"]}), 24)
        self.assertEqual((len(loads["loads"]), loads["bound"]["loads"]), (12, 12))

    def test_loads(self):
        path = self.file("backlog.csv", BACKLOG)
        # All of it in one load of 125.5 minutes: fewer loads count before a bracket that is due in two hours.
        told = self.told("loads", path, "--between", "15")
        self.assertEqual((len(told["loads"]), told["late"], told["proven"]), (1, 5.5, True))
        self.assertEqual(told["loads"][0]["tools_in"], ["T1", "T2", "T3"])
        frozen = self.told("loads", path, "--frozen", "plate=2", "--between", "15")
        # Where the inlay is cut costs nothing either way, so either may come out.
        self.assertIn("plate", [each["name"] for each in frozen["loads"][1]["jobs"]])
        self.assertEqual(
            (len(frozen["loads"]), frozen["late"], frozen["tools_changed"], frozen["proven"]), (2, 0.0, 3, True)
        )
        out = run("run", "loads", path)[1]
        self.assertIn("1 loads (none with fewer than 1)", out)

    def test_a_backlog_as_jobs_come_and_go(self):
        table, path = self.file("backlog.csv", BACKLOG), str(self.folder / "monday.json")
        room = ("--stations", "vise 2, plate 1", "--hours", "1.3", "--between", "15")
        told = self.told("backlog", path, "--take", table, *room, "--freeze", "plate=2")
        self.assertEqual([(each["name"], each["load"]) for each in told["jobs"]],
                         [("bracket", None), ("plate", 2), ("inlay", None)])  # fmt: skip
        picture = self.folder / "loads.svg"
        loads = self.told("loads", path, "--picture", str(picture))
        self.assertIn("plate", [each["name"] for each in loads["loads"][1]["jobs"]])
        self.assertEqual(loads["loads"][0]["jobs"][0]["start"], 0.0)
        self.assertIn("Load 2", picture.read_text(encoding="utf-8"))
        # The file's own room counts, but for what is stated.
        self.assertEqual(len(self.told("loads", path, "--hours", "8", "--frozen", "plate=1")["loads"]), 1)
        out = self.folder / "left.csv"
        told = self.told("backlog", path, "--first-load-done", "--thaw", "plate", "--table", str(out))
        self.assertEqual([(each["name"], each["load"]) for each in told["jobs"]], [("plate", None), ("inlay", None)])
        self.assertIn("plate,plate,1,1,45 T3,,", out.read_text(encoding="utf-8"))
        self.assertEqual(len(self.told("backlog", path, "--out", "plate")["jobs"]), 1)
        for words, why in ((("--out", "stay"), "there is no 'stay'"), (("--freeze", "inlay"), "no job with its load"),
                           (("--take", str(self.folder / "none.csv")), "cannot be read")):  # fmt: skip
            self.assertIn(why, self.refused("backlog", path, *words))
        bad = self.file("bad.json", {"format": "ledgecliff-backlog", "version": 2})
        self.assertIn("newer Ledgecliff", self.refused("backlog", bad))
        twice = json.loads((self.folder / "monday.json").read_text(encoding="utf-8"))
        twice["jobs"] *= 2
        self.assertIn("two jobs share the id", self.refused("loads", self.file("twice.json", twice)))

    def test_a_run_from_jobs_to_what_is_left(self):
        one, other, shoes, day = (self.folder / f"{name}.json" for name in ("one", "other", "shoes", "tuesday"))
        write_job(job("one", 1, 2), one)
        write_job(job("other", 2, 1, offset="G55"), other)
        write_job(read_job(demo_job("rack-shoes")), shoes)
        self.told("add", str(day), str(one), "--setup", "Op 10", "--as", "A", "--title", "Tuesday", wrote=True)
        self.told("add", str(day), str(other), "--setup", "Op 10", "--as", "B", wrote=True)
        self.assertIn("is cut on Mill 4", self.refused("add", str(day), str(shoes), "--setup", "Op 10"))
        told = self.told(
            "change", str(day), "--minutes", "A/face 1", "4", "--turn", "turn it", "3", "A", "B", wrote=True
        )
        self.assertEqual((told["title"], told["stations"][0]["tasks"][0]["minutes"]), ("Tuesday", 4.0))
        order = [f"{task['station']}/{task['task']}" for each in self.told("order", str(day))["order"]
                 for task in each["tasks"]]  # fmt: skip
        self.assertEqual(order, ["A/face 1", "A/drill 2", "B/turn it", "B/drill 1", "B/face 2"])
        self.assertEqual(run("run", "check", str(day))[0], 0)
        self.told("tick", str(day), "A/face 1", "A/drill 2", wrote=True)
        left = [task["task"] for each in self.told("order", str(day))["order"] for task in each["tasks"]]
        self.assertEqual(left, ["turn it", "drill 1", "face 2"])
        # The job gets another offset: told, an error, and taken over by one step.
        write_job(set_value(read_job(one), ("setups", 0, "offset"), "G57"), one)
        status, out, _ = run("run", "check", str(day), "--json")
        self.assertEqual((status, json.loads(out)["findings"][0]["code"]), (1, "RUN_JOB_CHANGED"))
        status, out, _ = run("run", "take", str(day))
        self.assertEqual((status, out.strip()), (0, "A: its offset is G57 now, not G54"))
        self.assertEqual(run("run", "check", str(day))[0], 0)
        one.unlink()
        self.assertIn("RUN_JOB_MISSING", run("run", "check", str(day))[1])

    def test_times_from_toolpath_programs(self):
        one, day = self.folder / "one.json", str(self.folder / "day.json")
        write_job(job("one", 1, program="a.nc"), one)
        text = "G21 G90 G94 G54\nT1 M6\nG43 H1\nG0 X0 Y0 Z5\nG1 X100 F200\nG0 Z105\nG4 P6.0\nM30\n"
        (self.folder / "a.nc").write_text(text, encoding="ascii")
        self.told("add", day, str(one), "--setup", "Op 10", "--as", "A", wrote=True)
        told = self.told("take", day, "--times")
        # 0.5 fed, 100 in rapid at 10 m a minute, 6 s.
        self.assertEqual(told["changed"], ["A/face 1 takes 0.61 min by its program"])
        self.told("change", day, "--rapid", "1000", wrote=True)
        self.assertEqual(self.told("take", day, "--times")["changed"], ["A/face 1 takes 0.7 min by its program"])
        # Posted for another offset it would cut at another place.
        (self.folder / "a.nc").write_text(text.replace("G54", "G55"), encoding="ascii")
        self.assertIn("RUN_PROGRAM_OFFSET", run("run", "check", day)[1])

    def test_posted_and_on_paper(self):
        one, path = self.folder / "one.json", self.folder / "day.json"
        write_job(job("one", 1, 2, program="a.nc"), one)
        (self.folder / "a.nc").write_text("G21 G54\nT1 M6\nG43 H1\nG0 X0 Y0 Z5\nG1 Z-1 F100\nM30\n", encoding="ascii")
        day, out = str(path), self.folder / "out"
        self.told("add", day, str(one), "--setup", "Op 10", "--as", "A <b>", "--title", "Tuesday & more", wrote=True)
        (main,) = self.told("post", day, "-o", str(out))["programs"]
        text = (out / "tuesday-more-main.ngc").read_text(encoding="utf-8")
        self.assertEqual(main, str(out / "tuesday-more-main.ngc"))
        self.assertIn("o7001 call", text)
        self.assertRegex(text, r"M0 \(no toolpath program for A .*: drill 2\)")
        self.assertEqual(len(self.told("post", day, "-o", str(out), "--by-block")["programs"]), 2)
        sheet = self.folder / "day.html"
        self.told("sheet", day, "-o", str(sheet))
        html = sheet.read_text(encoding="utf-8")
        for words in ("Tuesday &amp; more", "A &lt;b&gt;", "drill 2", "T2", "2 tool calls", "a.nc", "locked out"):
            self.assertIn(words, html)
        self.assertRegex(html, r"is done after \d+:\d\d: 1 part, cut for 0\.0 min each")
        self.assertEqual(html.count('class="box"'), 3)  # two tasks and a station
        self.told("tick", day, "A <b>/face 1", wrote=True)
        self.told("sheet", day, "-o", str(sheet), "--unit", "in")
        self.assertIn("1 done before", sheet.read_text(encoding="utf-8"))
        self.told("sheet", day, "-o", str(self.folder / "day.pdf"))
        self.assertEqual((self.folder / "day.pdf").read_bytes()[:4], b"%PDF")
        self.assertIn("is not .html or .pdf", self.refused("sheet", day, "-o", str(self.folder / "day.txt")))
        drawn = self.folder / "day.svg"
        self.told("picture", day, "-o", str(drawn))
        self.assertIn("A &lt;b&gt;", drawn.read_text(encoding="utf-8"))
        self.assertIn("<svg", html)
        # After a stop nothing is, until the zero is found again.
        self.told("stop", day, wrote=True)
        self.assertIn("RUN_FIND_AGAIN", self.refused("post", day, "-o", str(out)))
        self.told("found", day, "A <b>", wrote=True)
        self.told("post", day, "-o", str(out))
        # With a hazard nothing is posted.
        other = self.folder / "other.json"
        write_job(set_value(job("other", 1), ("machines", 0, "cutters", 0, "name"), "another tool"), other)
        self.told("add", day, str(other), "--setup", "Op 10", "--as", "B", wrote=True)
        self.assertIn("T1", self.refused("post", day, "-o", str(out)))
        self.assertEqual(self.told("change", day, "--out", "B", wrote=True)["title"], "Tuesday & more")

    def test_what_cannot_be_said_of_a_run(self):
        one, path = self.folder / "one.json", self.folder / "tuesday.json"
        write_job(job("one", 1, 2), one)
        day = str(path)
        self.told("add", day, str(one), "--setup", "Op 10", "--as", "A", wrote=True)
        before = path.read_text(encoding="utf-8")
        for words, why in (
            (("change", day, "--minutes", "A/face it", "4"), "there is none"),
            (("change", day, "--minutes", "A/face 1", "x"), "is no number"),
            (("change", day, "--minutes", "A/face 1", "-4"), "greater than or equal to 0"),
            (("change", day, "--turn", "turn", "3", "A", "Z"), "there is no 'Z'"),
            (("change", day, "--pockets", "0"), "pockets"),
            (("change", day, "--action", "brush"), "its name, minutes"),
            (("change", day, "--life", "1", "0"), "greater than 0"),
            (("change", day, "--life", "1.5", "3"), "tool"),
            (("change", day, "--action", "", "3"), "name"),
            (("change", day, "--action", "brush", "-3"), "minutes"),
            (("change", day, "--wait", "A/face 1", "A/drill 2", "-3"), "wait"),
            (("add", day, str(one), "--setup", "Op 10", "--as", "A" * 90), "name"),
            (("tick", day, "nothing"), "there is none"),
            (("add", day, str(one), "--setup", "Op 99"), "there is no 'Op 99'"),
            (("check", str(one)), "is no run"),
        ):
            self.assertIn(why, self.refused(*words), words)
        self.assertEqual(path.read_text(encoding="utf-8"), before)
        self.told("change", day, "--after", "A/drill 2", "A/face 1", wrote=True)
        self.assertIn("circle", self.refused("order", day))
        self.told("change", day, "--not-after", "A/drill 2", "A/face 1", "--action", "brush", "2", wrote=True)
        self.assertEqual(self.told("change", day, "--no-action", "brush", wrote=True)["actions"], [])
        self.assertEqual(path.read_text(encoding="utf-8"), before)

    def test_refused(self):
        for name, content, command, why in (
            ("a.json", "{", "order", "cannot be read"),
            ("b.json", {**THIRTY, "parts": 0}, "flow", "parts"),
            ("c.json", {**THIRTY, "loading": "robot"}, "flow", "'inside'"),
            ("d.json", {**THIRTY, "tool_calls_together": 3}, "flow", "from 4 to 8"),
            ("e.json", {**THIRTY, "sides": []}, "flow", "1 to 12 sides"),
            ("f.json", {**THIRTY, "setup_min": -1}, "flow", "setup_min"),
            ("a.csv", "", "loads", "is empty"),
            ("b.csv", "name,minutes\na,3", "loads", "no column 'kind'"),
            ("c.csv", "name,kind,colour\na,vise,red", "loads", "'colour'"),
            ("d.csv", "name,kind,minutes\na,vise,x", "loads", "line 2, minutes: 'x' is no number"),
            ("e.csv", "name,kind,minutes\na,vise,nan", "loads", "'nan'"),
            ("f.csv", "name,kind,minutes\na,vise,1\na,vise,2", "loads", "there twice"),
            ("g.csv", "name,kind,steps\na,vise,wait | 3 T1", "loads", "neither minutes with tools"),
            ("h.csv", "name,kind,steps\na,vise,3 T1 | wait 5", "loads", "end with a wait"),
            ("i.csv", "name,kind,minutes,stations\na,vise,3,1.5", "loads", "no whole number"),
            ("j.csv", "name,kind,minutes\na,trunnion,3", "loads", "'trunnion'"),
            ("k.csv", "name,kind,minutes\na,vise,3,4", "loads", "more cells"),
            ("l.csv", "name,kind,minutes\na,,3", "loads", "line 2, kind: is missing"),
        ):  # fmt: skip
            self.assertIn(why, self.refused(command, self.file(name, content)), name)
        path = self.file("backlog.csv", BACKLOG)
        self.assertIn("'vise'", self.refused("loads", path, "--stations", "vise"))
        self.assertIn("no job with its load", self.refused("loads", path, "--frozen", "plate"))
        self.assertIn("cannot be read", self.refused("loads", str(self.folder / "none.csv")))
