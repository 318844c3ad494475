"""How a part lies, its zero, and the parting plane on the command line."""

from __future__ import annotations

from pathlib import Path

from ledgecliff.store.job_files import read_job
from tests.command_line.test_main import CommandTest, run


class LayingTest(CommandTest):
    def setUp(self):
        super().setUp()
        self.path = Path(self.job())

    def run_on(self, command, *more):
        status, out, err = run(command, str(self.path), *more)
        return status, out, err, read_job(self.path)

    def test_by_places_by_a_face_and_the_zero_there(self):
        _, out, _, job = self.run_on("lay", "--setup", "Op 10", "--places", "0, 0, 0; 0, 9, 0; -5, 0, 0")
        self.assertEqual((job.setups[0].orientation.right, job.setups[0].orientation.up), ("+Y", "+Z"))
        self.assertIn("part +Z up, +Y to the right", out)
        _, _, _, job = self.run_on("lay", "--setup", "Op 10", "--face", "port", "--zero-at", "main bore")
        self.assertEqual(job.setups[0].orientation.up, job.part.feature("port").opens_to)
        before = self.path.read_text(encoding="utf-8")
        for more in ((), ("--places", "0 0 0; 1 1 1; 2 2 2"), ("--face", "nothing")):
            status, _, err, _ = self.run_on("lay", "--setup", "Op 10", *more)
            self.assertEqual(status, 2)
            self.assertTrue(err)
        self.assertEqual(self.path.read_text(encoding="utf-8"), before)

    def test_a_zero_is_taken_by_its_words(self):
        _, _, _, job = self.run_on("zeros", "--setup", "Op 20", "--axis", "x", "--take", "jaw left end")
        self.assertEqual(job.setups[1].datum.x.source, "jaw minus end")
        status, _, err, _ = self.run_on("zeros", "--setup", "Op 20", "--axis", "z", "--take", "jaw left end")
        self.assertEqual(status, 2)
        self.assertIn("parallels", err)

    def test_a_hole_nobody_has_drawn(self):
        """The first setup's zero is the middle of the part's top, at part (48, 32, 28)."""
        status, out, _, job = self.run_on("hole", "--setup", "Op 10", "--at", "-1 in", "22", "--diameter", "5")
        hole = job.part.feature("found hole 1")
        self.assertEqual((status, hole.at.x, hole.at.y, hole.at.z, hole.diameter), (0, 22.6, 54.0, 29.5, 5.0))
        self.assertIn("found hole 1: part X 22.6000", out)
        more = ("--diameter", "5.2", "--depth", "9", "--name", "found hole 1")
        _, _, _, job = self.run_on("hole", "--setup", "Op 10", "--at", "-25", "22", "-1.5", *more)
        hole = job.part.feature("found hole 1")
        self.assertEqual((hole.at.x, hole.at.z, hole.depth), (23.0, 26.5, 9.0))
        for wrong in (("500", "22"), ("1",), ("a", "b")):
            self.assertEqual(self.run_on("hole", "--setup", "Op 10", "--at", *wrong, "--diameter", "5")[0], 2)

    def test_several_parts(self):
        status, out, _, job = self.run_on("parts", "--count", "2", "--apart", "0", "110", "0")
        self.assertEqual((status, job.part.copies[0].shift.y), (0, 110.0))
        self.assertIn("parts 1, 2: joined until Op 20", out)
        _, _, _, job = self.run_on("parts", "--count", "3")
        self.assertEqual([copy.shift.y for copy in job.part.copies], [110.0, 220.0])
        self.assertEqual(self.run_on("parts", "--count", "2", "--apart", "1", "1", "1")[0], 2)
        _, _, _, job = self.run_on("parts", "--count", "1")
        self.assertEqual(job.part.copies, ())

    def test_the_parting_plane(self):
        _, out, _, job = self.run_on("parting", "--along", "z", "--at", "0.5 in", "--past", "0.3")
        self.assertEqual((job.parting.at, job.parting.past), (12.7, 0.3))
        self.assertIn("part Z 12.700", out)
        _, _, _, job = self.run_on("parting", "--none")
        self.assertIsNone(job.parting)
        self.assertEqual(self.run_on("parting", "--at", "3")[0], 2)
