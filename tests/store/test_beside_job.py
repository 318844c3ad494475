"""What lies beside a job is read as it is now, and a program only once."""

from __future__ import annotations

import os
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from ledgecliff.core.errors import CancelledError
from ledgecliff.core.register.entries import Use, claimed
from ledgecliff.core.toolpaths.control_words import control_words
from ledgecliff.store import beside_job
from ledgecliff.store.beside_job import BesideJob
from ledgecliff.store.register_db import RegisterDb
from tests.core.findings.test_everything import PROGRAM
from tests.helpers import demo, demo_plan, plan_with

PATH = ("setups", 0, "operations", 1, "program")


class BesideJobTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.place = self.folder / "register.db"
        self.beside = BesideJob()
        self.plan = plan_with((PATH, "part.ngc"))
        self.control = control_words(self.plan.job.machine)

    def read(self, plan=None, **more):
        return self.beside.read(plan or self.plan, self.folder, self.place, **more)

    def test_a_program_is_read_again_only_when_it_is_another(self):
        file = self.folder / "part.ngc"
        self.assertIn("not there", self.read().programs["part.ngc", self.control])
        file.write_text(PROGRAM)
        self.assertFalse(self.beside.knows(self.plan, self.folder))
        first = self.read().programs["part.ngc", self.control]
        self.assertTrue(self.beside.knows(self.plan, self.folder))
        with mock.patch.object(beside_job, "read_program", side_effect=AssertionError("is known")):
            self.assertIs(self.read().programs["part.ngc", self.control], first)
        file.write_text(PROGRAM.replace("X20", "X25"))
        os.utime(file, ns=(1, 1))
        self.assertNotEqual(self.read().programs["part.ngc", self.control].extents, first.extents)

    def test_half_a_program_is_not_kept(self):
        (self.folder / "part.ngc").write_text(PROGRAM)
        with self.assertRaises(CancelledError):
            self.read(cancelled=lambda: True)
        self.assertFalse(self.beside.knows(self.plan, self.folder))
        self.assertTrue(self.read().programs["part.ngc", self.control].complete)

    def test_looking_begins_no_register(self):
        codes = [entry.code for entry in self.read().entries[demo().machine.id]]
        self.assertEqual(codes[0], "G54")
        self.assertFalse(self.place.exists())

    def test_what_the_register_has_now(self):
        db = RegisterDb(self.place)
        self.addCleanup(db.close)
        self.assertIsNone(self.read(demo_plan()).entries[demo().machine.id][0].use)
        entry = db.entries(demo().machine)[0]
        db.write(demo().machine, [claimed(entry, Use("sluice gate", "Op 10"))])
        self.beside.forget_register()
        self.assertEqual(self.read(demo_plan()).entries[demo().machine.id][0].use.job, "sluice gate")

    def test_a_register_that_cannot_be_read_says_why_and_programs_are_read_all_the_same(self):
        self.place.write_bytes(b"not a register" * 100)
        (self.folder / "part.ngc").write_text(PROGRAM)
        known = self.read()
        self.assertTrue(known.no_register)
        self.assertTrue(known.programs["part.ngc", self.control].complete)
