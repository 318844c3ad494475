"""Pieces and templates on the command line."""

from __future__ import annotations

import json
import unittest
from pathlib import Path

from ledgecliff.store.job_files import read_job
from tests.command_line.test_main import CommandTest, run


class PiecesTest(CommandTest):
    def setUp(self):
        super().setUp()
        self.path = Path(self.job())

    def test_taken_and_put(self):
        piece = self.folder / "piece.json"
        out = run("take", str(self.path), "--setup", "Op 10", "--what", "operations", "--name", "face the top")[1]
        piece.write_text(out, encoding="utf-8")
        self.assertEqual([each["name"] for each in json.loads(out)["operations"]], ["face the top"])
        self.assertEqual(run("put", str(self.path), str(piece), "--setup", "Op 20")[0], 0)
        self.assertEqual(read_job(self.path).setups[1].operations[-1].name, "face the top")
        piece.write_text("{", encoding="utf-8")
        self.assertIn("is no piece of a job", run("put", str(self.path), str(piece), "--setup", "Op 20")[2])
        self.assertIn("there is no 'Op 5'", run("take", str(self.path), "--setup", "Op 5")[2])

    def test_a_job_like_another(self):
        new = self.folder / "new.json"
        self.assertEqual(run("alike", str(self.path), "-o", str(new), "--title", "Valve body")[0], 0)
        self.assertEqual(read_job(new).title, "Valve body")
        self.assertNotEqual(read_job(new).id, read_job(self.path).id)
        self.assertIn("is there already", run("alike", str(self.path), "-o", str(new))[2])


if __name__ == "__main__":
    unittest.main()
