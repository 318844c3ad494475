"""Edits of patterns: what is kept, what is refused, and which index brings a face to the spindle."""

from __future__ import annotations

import random
import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.patterns import (
    faces_for,
    nudged,
    with_group,
    with_instance,
    with_pattern,
    with_state,
    without_pattern,
)
from ledgecliff.core.edits.setups import add_setup, copy_setup, remove_operation, rename_operation
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.plan import make_plan
from tests.draws import draws
from tests.helpers import shipped_plan


class InstancesTest(unittest.TestCase):
    def test_on_again_after_it_was_finished_is_remembered(self):
        job = shipped_plan("rack-shoes").job
        job = with_state(job, 0, ["3-1"], "finished")
        self.assertFalse(job.setups[0].pattern.at("3-1").finished_before)
        job = with_state(job, 0, ["3-1"], "on")
        self.assertTrue(job.setups[0].pattern.at("3-1").finished_before)
        job = with_state(job, 0, ["3-1"], "finished")
        self.assertFalse(job.setups[0].pattern.at("3-1").finished_before)

    def test_what_says_nothing_is_not_kept(self):
        job = with_state(shipped_plan("rack-shoes").job, 0, ["4-2"], "on")
        self.assertEqual(job.setups[0].pattern.instances, ())
        job = nudged(nudged(job, 0, ["1-1"], (1.0, 0.0, 0.0)), 0, ["1-1"], (-1.0, 0.0, 0.0))
        self.assertEqual(job.setups[0].pattern.instances, ())

    def test_nudges_add_up(self):
        job = shipped_plan("rack-shoes").job
        for _ in range(3):
            job = nudged(job, 0, ["1-1", "2-1"], (0.1, 0.0, -0.05))
        self.assertEqual(job.setups[0].pattern.at("2-1").shift.as_tuple(), (0.3, 0.0, -0.15))

    def test_one_station_again(self):
        job = without_pattern(shipped_plan("rack-shoes").job, 0)
        self.assertEqual(len(make_plan(job, shipped_plan("rack-shoes").models).instances(0)), 1)


class RefusedTest(unittest.TestCase):
    """What a job file could not be read with again is refused when it is entered, in words."""

    def test_in_words(self):
        job = shipped_plan("rack-shoes").job
        for edit, field in (
            (lambda: with_state(job, 0, ["1-1"], "skipped", ""), "say why"),
            (lambda: with_state(job, 0, ["1-1"], "skipped", "x" * 500), "reason"),
            (lambda: with_instance(job, 0, "1-1", note="y" * 100_000), "note"),
            (lambda: with_group(job, 0, "row 1", "row", name="z" * 200), "name"),
            (lambda: nudged(job, 0, ["1-1"], (1e9, 0.0, 0.0)), "shift"),
            (lambda: nudged(job, 0, ["1-1"], (float("nan"), 0.0, 0.0)), "shift"),
        ):
            with self.assertRaisesRegex(InvalidValueError, field):
                edit()


class OfTheSetupTest(unittest.TestCase):
    def test_operations_over_groups_follow_their_name(self):
        job = with_pattern(shipped_plan("rack-shoes").job, 0, over_groups=("bore pin bore",))
        renamed = rename_operation(job, 0, 0, "bore all")
        self.assertEqual(renamed.setups[0].pattern.over_groups, ("bore all",))
        self.assertEqual(remove_operation(job, 0, 0).setups[0].pattern.over_groups, ())

    def test_another_setup_has_the_stations_and_nothing_that_was_done(self):
        plan = shipped_plan("rack-shoes")
        for job in (copy_setup(plan.job, 1, "f" * 12), add_setup(plan.job, "+Y", plan, "f" * 12)):
            new = next(each for each in job.setups if each.id == "f" * 12)
            self.assertEqual(new.pattern.layout, plan.job.setups[1].pattern.layout)
            self.assertEqual((new.pattern.codes, new.pattern.instances), ((), ()))


class FaceTest(unittest.TestCase):
    def test_the_index_that_brings_each_face_round(self):
        plan = shipped_plan("hinge-leaves")
        found = {mount.name: face.index for mount, face in faces_for(plan.job, 0)}
        self.assertEqual({name: index[0].degrees % 360 for name, index in found.items()},
                         {"face at B90": 90, "face at B180": 180, "face at B270": 270})  # fmt: skip
        # Seen from Op 20, whose own face is the one at 90.
        found = {mount.name: face.index[0].degrees % 360 for mount, face in faces_for(plan.job, 1)}
        self.assertEqual(found, {"face at B0": 0, "face at B180": 180, "face at B270": 270})

    def test_any_column_either_sense_measured_or_not(self):
        """Whatever is found puts the face as the master's lies."""
        chance, plan = random.Random(3), shipped_plan("hinge-leaves")
        for _ in range(draws(8, 100)):
            job = plan.job
            sense = chance.choice(("right-handed", "left-handed"))
            job = set_value(job, ("machines", 0, "carriers", 0, "sense"), sense)
            job = set_value(job, ("machines", 0, "carriers", 0, "flat_deg"), chance.choice((0.0, 1.25)))
            turn = chance.uniform(-180, 180)
            job = set_value(job, ("machines", 0, "carriers", 2, "turned"), [{"about": "y", "degrees": turn}])
            job = set_value(job, ("setups", 0, "index"), [{"word": "B", "degrees": chance.uniform(-90, 90)}])
            face = next(face for mount, face in faces_for(job, 0) if mount.name == "face at B90")
            made = make_plan(with_pattern(without_pattern(job, 0), 0, faces=(face,)), plan.models)
            first, other = made.instances(0)
            self.assertLess(other.leans_deg, 1e-6)
            np.testing.assert_allclose(first.located.tf_m_u.turn, other.located.tf_m_u.turn, atol=1e-7)

    def test_a_face_that_leans_a_little_is_brought_round_and_told(self):
        plan = shipped_plan("hinge-leaves")
        for tilt_deg, found in ((0.5, True), (3.0, False)):
            leaning = set_value(plan.job, ("machines", 0, "carriers", 2, "tilt_x_deg"), tilt_deg)
            face = next(face for mount, face in faces_for(leaning, 0) if mount.name == "face at B90")
            self.assertEqual(face is not None, found, tilt_deg)
            if face is not None:
                alone = with_pattern(without_pattern(leaning, 0), 0, faces=(face,))
                made = make_plan(alone, plan.models)
                self.assertAlmostEqual(made.instances(0)[1].leans_deg, tilt_deg, places=3)
