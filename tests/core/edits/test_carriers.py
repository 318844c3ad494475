"""Pallets, tombstones and trunnion tables put on a machine, and faces as they are measured."""

from __future__ import annotations

import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from ledgecliff.core.carrier_bodies import standing_bodies
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.carriers import (
    mounts,
    new_body,
    with_body,
    with_distance,
    with_pallet,
    with_tombstone,
    with_trunnion_table,
    without_body,
    without_mount,
)
from ledgecliff.core.edits.rotary import stand_on, with_rotary
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.stations import IndexAngle
from ledgecliff.core.places import distance_of, tf_m_body
from ledgecliff.core.register.meaning import meaning_of
from tests.core.test_places import A, C, rotary
from tests.helpers import demo, shipped_plan


def with_axes(*axes):
    return set_value(demo(), ("machines", 0, "carriers"), axes)


class TombstoneTest(unittest.TestCase):
    def test_any_number_of_faces_come_to_the_spindle_at_their_angle(self):
        for about, along in (("y", (-60.0, 360.0)), ("x", (-500.0, -100.0))):
            for sense in ("right-handed", "left-handed"):
                for faces in (3, 4, 6, 7):
                    word, centre = "B" if about == "y" else "A", (-350.0, -120.0, -520.0)
                    axis = rotary(word, about, centre, sense=sense, flat_deg=1.5)
                    job = with_tombstone(with_axes(axis), 0, axis.id, faces, 150.0, along)
                    machine = job.machine
                    made = mounts(machine)
                    self.assertEqual(len(made), faces)
                    for k, face in enumerate(made):
                        degrees = 1.5 + 360.0 * k / faces
                        self.assertEqual(face.name, f"face at {axis.word}{degrees:g}")
                        there = tf_m_body(machine, face, (IndexAngle(word=axis.word, degrees=degrees),))
                        np.testing.assert_allclose(there.turn, np.eye(3), atol=1e-9)
                        middle = sum(along) / 2.0
                        expected = (-350.0, middle, -370.0) if about == "y" else (middle, -120.0, -370.0)
                        np.testing.assert_allclose(there.shift, expected, atol=1e-6)
                        self.assertAlmostEqual(distance_of(machine, face), 150.0, places=6)
                    (column,) = standing_bodies(machine)
                    low, high = np.array(column.m_solid.bounding_box()).reshape(2, 3)
                    k = "xyz".index(about)
                    self.assertAlmostEqual(low[k], along[0], places=4)
                    self.assertAlmostEqual(high[k], along[1], places=4)
                    self.assertAlmostEqual(high[2], -370.0, places=4)  # the first face looks to the spindle

    def test_what_makes_none(self):
        right = rotary("B", "y", (-350, 0, -520))
        unknown = right.model_copy(update={"sense": None})
        upright = rotary("C", "z", (-350, -200, 0))
        for axis, faces, distance, along, words in (
            (unknown, 4, 150.0, (0, 100), "which way 'axis B' turns is not known"),
            (upright, 4, 150.0, (0, 100), "along the spindle"),
            (right, 2, 150.0, (0, 100), "3 to 24"),
            (right, 4, 0.0, (0, 100), "stand off the axis"),
            (right, 4, 150.0, (100, 100), "beyond its foot"),
        ):
            with self.assertRaisesRegex(InvalidValueError, words):
                with_tombstone(with_axes(axis), 0, axis.id, faces, distance, along)

    def test_two_of_them_share_no_name_and_no_id(self):
        axis = rotary("B", "y", (-350, 0, -520))
        once = with_tombstone(with_axes(axis), 0, axis.id, 4, 150.0, (0, 100))
        renamed = set_value(once, ("machines", 0, "carriers", 1, "name"), "the first")
        twice = with_tombstone(renamed, 0, axis.id, 4, 200.0, (200, 300))
        names = [each.name for each in mounts(twice.machine)]
        self.assertEqual((len(names), len(set(names))), (8, 8))


class FaceTest(unittest.TestCase):
    def test_a_measured_distance_takes_along_what_stands_there(self):
        """Each face of the demo's tombstone, 0.013 farther out: its station stands 0.013 nearer to the spindle."""
        job = shipped_plan("hinge-leaves").job
        machine = job.machine
        for face in mounts(machine):
            (angle,) = (each for each in (0, 90, 180, 270) if face.name.endswith(f"B{each}"))
            there = (IndexAngle(word="B", degrees=angle),)
            self.assertAlmostEqual(distance_of(machine, face), 150.0, places=9)
            moved = with_distance(job, 0, face.id, 150.013).machine
            face_now = next(each for each in mounts(moved) if each.id == face.id)
            gone = tf_m_body(moved, face_now, there).shift - tf_m_body(machine, face, there).shift
            np.testing.assert_allclose(gone, (0, 0, 0.013), atol=2e-6)

    def test_a_tilt_is_about_the_faces_own_directions(self):
        """Presented to the spindle, a degree about its own X is one about the machine's."""
        job = shipped_plan("hinge-leaves").job
        for k, face in enumerate(job.machine.carriers[1:], start=1):
            (angle,) = (each for each in (0, 90, 180, 270) if face.name.endswith(f"B{each}"))
            for field, turn in (("tilt_x_deg", "x"), ("tilt_y_deg", "y")):
                tilted = set_value(job, ("machines", 0, "carriers", k, field), 1.0).machine
                there = tf_m_body(tilted, tilted.carriers[k], (IndexAngle(word="B", degrees=angle),))
                expected = Rotation.from_euler(turn, 1.0, degrees=True).as_matrix()
                np.testing.assert_allclose(there.turn, expected, atol=1e-9)
                self.assertAlmostEqual(distance_of(tilted, tilted.carriers[k]), 150.0, places=6)

    def test_both_tilts_one_after_the_other(self):
        job = shipped_plan("hinge-leaves").job
        path = ("machines", 0, "carriers", 1)
        job = set_value(set_value(job, (*path, "tilt_x_deg"), 3.0), (*path, "tilt_y_deg"), 5.0)
        there = tf_m_body(job.machine, job.machine.carriers[1])
        # About its own X first: extrinsic turns one after the other.
        expected = Rotation.from_euler("xy", (3.0, 5.0), degrees=True).as_matrix()
        np.testing.assert_allclose(there.turn, expected, atol=1e-12)

    def test_a_face_that_looks_along_its_axis_has_no_distance(self):
        job = with_pallet(with_axes(rotary("C", "z", (-300, -200, 0))), 0, C)
        (pallet,) = mounts(job.machine)
        self.assertIsNone(distance_of(job.machine, pallet))
        with self.assertRaisesRegex(InvalidValueError, "no rotary axis turns 'pallet'"):
            with_distance(job, 0, pallet.id, 100.0)
        on_table = with_pallet(demo(), 0)
        self.assertIsNone(distance_of(on_table.machine, mounts(on_table.machine)[-1]))

    def test_the_register_knows_of_a_tilt_and_of_no_body(self):
        job = shipped_plan("hinge-leaves").job
        as_it_was = meaning_of(job, job.setups[0])
        path = ("machines", 0, "carriers", 1)
        tilted = set_value(job, (*path, "tilt_x_deg"), 0.01)
        self.assertNotEqual(meaning_of(tilted, tilted.setups[0]), as_it_was)
        other = with_body(set_value(job, (*path, "measured_on"), "2026-03-02"), 0, job.machine.carriers[1].id,
                          new_body(job.machine.carriers[1], "box"))  # fmt: skip
        other = with_body(other, 0, job.machine.carriers[0].id, new_body(job.machine.carriers[0], "round"))
        self.assertEqual(meaning_of(other, other.setups[0]), as_it_was)


class TrunnionTest(unittest.TestCase):
    def test_a_turntable_in_its_cradle(self):
        """Nothing of the cradle is in the turntable's circle, and both arms stand beyond it, along the tilting axis."""
        tilting = rotary("A", "x", (-50, -210.5, -388.25))
        table = rotary("C", "z", (-402.12, -210.74, -434.0), on=A)
        job = with_trunnion_table(with_axes(tilting, table), 0, C)
        standing = tuple(standing_bodies(job.machine))
        bodies = {each.name: np.array(each.m_solid.bounding_box()).reshape(2, 3) for each in standing}
        self.assertEqual({each.on for each in standing}, {A, C})
        low, high = bodies["top of axis C"]
        self.assertAlmostEqual(high[2], -434.0, places=4)
        np.testing.assert_allclose((low + high)[:2] / 2.0, (-402.12, -210.74), atol=1e-3)
        self.assertLess(bodies["first arm of axis A"][1][0], low[0] - 10.0)
        self.assertGreater(bodies["second arm of axis A"][0][0], high[0] + 10.0)
        self.assertLess(bodies["bed of axis A"][1][2], low[2] - 10.0)
        for arm in ("first arm of axis A", "second arm of axis A"):
            self.assertTrue(bodies[arm][0][2] < -388.25 < bodies[arm][1][2] and bodies[arm][0][1] < -210.5)

    def test_what_makes_none(self):
        alone = with_axes(rotary("C", "z", (0, 0, 0)))
        beside = with_axes(rotary("A", "x", (0, 0, 0)), rotary("C", "x", (0, 0, 0), on=A))
        for job in (alone, beside):
            with self.assertRaisesRegex(InvalidValueError, "stands on an axis that tilts it"):
                with_trunnion_table(job, 0, C)


class ChangeTest(unittest.TestCase):
    def test_bodies_come_and_go_by_name(self):
        job = with_axes(rotary("A", "x", (0, 0, 0)))
        for kind in ("box", "round", "column", "box"):
            job = with_body(job, 0, A, new_body(job.machine.carriers[0], kind))
        self.assertEqual([each.name for each in job.machine.carriers[0].bodies], ["box", "round", "column", "box 2"])
        with self.assertRaisesRegex(InvalidValueError, "there is a 'round' there already"):
            with_body(job, 0, A, job.machine.carriers[0].bodies[1])
        job = without_body(job, 0, A, "round")
        self.assertEqual([each.name for each in job.machine.carriers[0].bodies], ["box", "column", "box 2"])

    def test_what_carries_something_stays(self):
        job = with_pallet(demo(), 0)
        (pallet,) = mounts(job.machine)
        held = stand_on(job, 0, job.machine.stations[0].id, pallet.id)
        with self.assertRaisesRegex(InvalidValueError, f"'{job.machine.stations[0].name}' stands on it"):
            without_mount(held, 0, pallet.id)
        self.assertEqual(without_mount(job, 0, pallet.id), demo())

    def test_an_axis_whose_word_is_another_now(self):
        """Its id is that of its first word; one more axis gets that word, and an id of its own."""
        job = with_rotary(demo(), 0)
        job = set_value(job, ("machines", 0, "carriers", 0), job.machine.carriers[0].model_copy(
            update={"word": "B", "about": "y", "name": "tilting"}))  # fmt: skip
        job = with_rotary(job, 0)
        self.assertEqual([each.word for each in job.machine.carriers], ["B", "A"])
        self.assertEqual(len({each.id for each in job.machine.carriers}), 2)


if __name__ == "__main__":
    unittest.main()
