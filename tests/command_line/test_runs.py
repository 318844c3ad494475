"""A day at a machine on the command line."""

from __future__ import annotations

import json

from tests.command_line.test_main import CommandTest, run
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

    def told(self, *words):
        status, out, error = run("run", *words, "--json")
        self.assertEqual((status, error), (0, ""))
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
        self.assertIn("a part that fails on Op 20 costs 59.4 min more", out)

    def test_loads(self):
        path = self.file("backlog.csv", BACKLOG)
        # All of it in one load of 125.5 minutes: fewer loads count before a bracket that is due in two hours.
        told = self.told("loads", path, "--between", "15")
        self.assertEqual((len(told["loads"]), told["late"], told["proven"]), (1, 5.5, True))
        self.assertEqual(told["loads"][0]["tools_in"], ["T1", "T2", "T3"])
        frozen = self.told("loads", path, "--frozen", "plate=2", "--between", "15")
        self.assertEqual([each["name"] for each in frozen["loads"][1]["jobs"]], ["plate"])
        out = run("run", "loads", path)[1]
        self.assertIn("1 loads (none with fewer than 1)", out)

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
            ("g.csv", "name,kind,steps\na,vise,wait 5 | 3 T1", "loads", "neither minutes with tools"),
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
