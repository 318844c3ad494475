"""How many offsets a pattern needs, and which it gets."""

from __future__ import annotations

import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.many_parts.codes import codes_of_setup, free_for, with_school
from ledgecliff.core.model.work_offsets import codes_of
from ledgecliff.core.register.entries import Entry, Use
from tests.core.patterns.test_instances import FACES
from tests.helpers import shipped_plan

JOB = shipped_plan("rack-shoes").job


def use(job_id="f" * 12, fixture="vise"):
    return Use(job="another", setup="Op 10", fixture=fixture, job_id=job_id, setup_id="a" * 12)


class NeededTest(unittest.TestCase):
    def test_each_school(self):
        self.assertEqual([codes_of_setup(JOB, 0, (), school).needed for school in
                          ("own each", "local shifts", "in the program")], [10, 1, 1])  # fmt: skip

    def test_one_for_each_face_or_group(self):
        job = shipped_plan("hinge-leaves").job
        grid = {"kind": "grid", "columns": 2, "rows": 3, "column_pitch": 90.0, "row_pitch": 80.0}
        faces = [
            {"carrier": face.id, "index": [{"word": "B", "degrees": 90.0 * k}]} for k, face in enumerate(FACES) if k
        ]
        for one_each, needed in (("face", 4), ("group", 12)):
            pattern = {"layout": grid, "faces": faces, "grouped_by": "rows", "one_each": one_each}
            made = set_value(job, ("setups", 0, "pattern"), pattern)
            self.assertEqual(codes_of_setup(made, 0, (), "local shifts").needed, needed)
            self.assertEqual(codes_of_setup(made, 0, (), "own each").needed, 24)


class FreeTest(unittest.TestCase):
    def test_less_what_the_job_does_else(self):
        """54 on the control; Op 20 has five of them."""
        self.assertEqual(len(codes_of(JOB.machine)), 54)
        self.assertEqual(len(free_for(JOB, 0)), 49)
        self.assertEqual(free_for(JOB, 0)[0], "G54")
        self.assertFalse({"G55", "G54.1 P1"} & set(free_for(JOB, 0)))

    def test_less_other_jobs_and_fixtures_that_stay(self):
        for entry, taken in (
            (Entry("G57", use=use()), True),
            (Entry("G57", resident="long vise"), True),
            (Entry("G57", resident="plate of ten"), False),
            (Entry("G57", use=use(job_id=JOB.id)), False),
            (Entry("G57"), False),
        ):
            self.assertEqual("G57" not in free_for(JOB, 0, [entry]), taken, entry)


class GivenTest(unittest.TestCase):
    def test_none_for_two_and_what_was_kept_stays(self):
        job = with_school(JOB, 0, "own each")
        codes = [kept.offset for kept in job.setups[0].pattern.codes]
        self.assertEqual((len(codes), len(set(codes))), (9, 9))
        wider = set_value(job, ("setups", 0, "pattern", "layout", "columns"), 6)
        again = {kept.key: kept.offset for kept in with_school(wider, 0, "own each").setups[0].pattern.codes}
        for kept in job.setups[0].pattern.codes:
            self.assertEqual(again[kept.key], kept.offset)
        self.assertEqual(len(set(again.values())), 11)

    def test_not_what_the_register_keeps_for_others(self):
        entries = [Entry(f"G5{k}", use=use()) for k in (6, 7, 8)]
        given = {kept.offset for kept in with_school(JOB, 0, "own each", entries).setups[0].pattern.codes}
        self.assertFalse(given & {"G56", "G57", "G58"})

    def test_it_is_said_by_how_many_it_does_not_fit(self):
        few = set_value(JOB, ("machines", 0, "extended"), {"count": 4})
        with self.assertRaisesRegex(InvalidValueError, "needs 10 work offsets and 5 are free: 5 too few"):
            with_school(few, 0, "own each")
        self.assertEqual(with_school(few, 0, "in the program").setups[0].pattern.school, "in the program")
