"""``combine``: from a file or piped in, as text and as JSON; what it refuses."""

from __future__ import annotations

import io
import json
import math
from unittest import mock

from tests.command_line.test_main import CommandTest, run

SOURCES = {
    "sources": [
        {"name": "clamping", "distribution": "normal", "size": 0.010, "dof": 9},
        {"name": "length", "distribution": "uniform", "size": 0.8, "sensitivity": 0.5, "value": 100.0},
    ]
}


class CombineTest(CommandTest):
    def told(self, data, *words):
        path = self.folder / "sources.json"
        path.write_text(json.dumps(data), encoding="utf-8")
        return run("combine", str(path), *words)

    def test_as_json(self):
        status, out, error = self.told(SOURCES, "--json", "--draws", "50000")
        self.assertEqual((status, error), (0, ""))
        found = json.loads(out)
        u = math.hypot(0.010, 0.4 / math.sqrt(3.0))
        self.assertAlmostEqual(found["u"], u, 12)
        self.assertEqual((found["value"], found["coverage"], found["k"]), (50.0, 0.95, 2.0))
        self.assertAlmostEqual(found["expanded"], 2.0 * u, 12)
        self.assertAlmostEqual(found["dof"], 9.0 * (u / 0.010) ** 4, 3)
        self.assertEqual(found["monte_carlo"]["draws"], 50000)
        self.assertAlmostEqual(found["monte_carlo"]["high"], 50.0 + 0.95 * 0.4, delta=0.01)
        self.assertAlmostEqual(found["monte_carlo"]["mean"], 50.0, delta=0.01)
        self.assertFalse(found["agree"])
        self.assertEqual([each["name"] for each in found["contributions"]], ["clamping", "length"])
        self.assertEqual(self.told(SOURCES, "--json", "--draws", "50000")[1], out, "the same seed, the same draws")

    def test_piped_in_with_a_model(self):
        data = {"sources": [{"name": name, "size": 0.003} for name in "ab"], "model": "(a + b) / 2"}
        with mock.patch("sys.stdin", io.StringIO(json.dumps(data))):
            status, out, _ = run("combine", "-", "--json")
        self.assertEqual(status, 0)
        found = json.loads(out)
        self.assertAlmostEqual(found["u"], 0.003 / math.sqrt(2.0), 12)
        self.assertIsNone(found["dof"])
        self.assertTrue(found["agree"])

    def test_in_words(self):
        status, out, _ = self.told(SOURCES)
        self.assertEqual(status, 0)
        self.assertIn("50 ± 0.462 (k = 2, 95 %)", out)
        self.assertIn("what was drawn is right", out)
        self.assertLess(out.index("length"), out.index("clamping"), "the largest first")

    def test_refused(self):
        for data, words, said in (
            ({"sources": [{"name": "a"}]}, (), "source 1: normal needs its size"),
            (SOURCES, ("--draws", "5"), "draws"), (SOURCES, ("--seed", "-1"), "--seed"),
        ):  # fmt: skip
            status, _, error = self.told(data, *words)
            self.assertEqual(status, 2)
            self.assertIn(said, error)
        bad = self.folder / "bad.json"
        bad.write_text("{", encoding="utf-8")
        self.assertIn("is no JSON", run("combine", str(bad))[2])
        self.assertIn("cannot be read", run("combine", str(self.folder / "none.json"))[2])
