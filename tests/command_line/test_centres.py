"""Programs that find a centre, and their results, on the command line."""

from __future__ import annotations

import json

import numpy as np

from ledgecliff.core.blanks import box
from ledgecliff.core.contact.first_contact import Body
from ledgecliff.core.model.base import Point
from ledgecliff.core.programs.dialect import dialect_of
from ledgecliff.core.rehearsal.standing import true_axes
from ledgecliff.core.rehearsal.true_world import AxisError
from ledgecliff.core.simulator.axes import Axes
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from ledgecliff.store.job_files import read_job
from tests.command_line.test_carrying import CarryingTest
from tests.command_line.test_main import run


class CentreTest(CarryingTest):
    FACES = ("--by", "trunnion faces", "--offset", "G59", "--along", "-402 mm", "--level", "-434", "--edge", "115",
             "--depth", "12", "--angles", "90", "-30")  # fmt: skip

    def measured(self, path, program):
        """What the simulated machine's variables hold after the program, as lines: the cradle 0.3 behind and 0.2 below
        of where it is believed."""
        machine = read_job(self.folder / path).machine
        gone = (AxisError(axis="cradle", off=Point(x=0, y=0.3, z=-0.2)),)
        cradle = machine.carriers[0].id
        table = Body("table", box((-522, -330.74, -474), (-282, -90.74, -434)), carrier=cradle)
        unit = SimulatedMachine(
            machine, [table], {k: np.zeros(3) for k in range(1, 10)}, quiet(), axes=Axes(true_axes(machine, gone))
        )
        outcome = Control(unit, dialect_of(machine).on(machine)).run(program)
        self.assertEqual(outcome.alarm, "")
        return outcome.parameters

    def test_from_the_program_to_what_is_kept(self):
        path = self.copied("sluice-valve-block")
        told = json.loads(run("centre", path, "A", *self.FACES, "--json")[1])
        self.assertEqual([row["key"] for row in told["results"]], ["z_table", "first.y", "second.y"])
        held = self.measured(path, told["program"])
        lines = "\n".join(f"#{row['variable']} = {held[row['variable']]:.4f}" for row in told["results"])
        (self.folder / "held.txt").write_text(lines)
        status, out, _ = run(
            "centre", path, "cradle", *self.FACES, "--results", str(self.folder / "held.txt"), "--keep"
        )
        self.assertEqual(status, 0)
        self.assertIn("centre Y", out)
        self.assertIn("known to ±", out)
        axis = read_job(self.folder / path).machine.carriers[0]
        self.assertAlmostEqual(axis.centre.y, -210.2, delta=axis.uncertainty + 1e-4)
        self.assertAlmostEqual(axis.centre.z, -388.45, delta=axis.uncertainty + 1e-4)
        self.assertEqual(axis.origin, "trunnion faces")
        self.assertLess(axis.uncertainty, 0.05)

    def test_written_to_a_file(self):
        path = self.copied("sluice-valve-block")
        out = run("centre", path, "C", "--by", "table bore", "--offset", "G59", "--diameter", "1.25 in", "--level",
                  "-434", "-o", str(self.folder / "bore.ngc"))[1]  # fmt: skip
        self.assertIn("#500: bore at 0, middle X", out)
        text = (self.folder / "bore.ngc").read_text()
        self.assertIn("C180.0", text)
        self.assertIn("M76", text)

    def test_refused_in_words(self):
        path = self.copied("sluice-valve-block")
        (self.folder / "odd.txt").write_text("#500 = -434\n#612 = 3\n")
        (self.folder / "few.txt").write_text("#500 = -434\n")
        for words, why in (
            (("A", "--by", "table bore", "--offset", "G59"), "does not fit an axis about X"),
            (("A", "--by", "bar", "--offset", "G59", "--along", "-300"), "diameter"),
            (("A", "--by", "bar", "--offset", "G42", "--along", "-300", "--diameter", "20"), "no work offset G42"),
            (("A", "--by", "bar", "--offset", "G59", "--diameter", "-2"), "--diameter"),
            (("A", "--by", "bar", "--offset", "G59", "--guess", "50"), "--guess"),
            (("A", *self.FACES[:-1], "-60"), "does not go to -60°"),
            (("A", *self.FACES, "--results", str(self.folder / "odd.txt")), "line 2: #612 is no result"),
            (("A", *self.FACES, "--results", str(self.folder / "few.txt")), "is missing"),
            (("A", *self.FACES, "--results", str(self.folder / "none.txt")), "cannot be read"),
        ):
            self.assertIn(why, self.refused("centre", path, *words), words)
