"""How the part lies, said by three places or a face: the places then lie so, whatever the part's own axes do."""

from __future__ import annotations

import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from ledgecliff.core.edits.lying import lay_by_places, lay_face_up, orientation_of, with_zero_at
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.orientation import all_orientations
from tests.draws import draws
from tests.jobs import block_job, feature, plan_of

FEATURES = (
    feature("here", "hole", (10, 5, 20), diameter=6),
    feature("there", "hole", (40, 25, 20), diameter=6),
    feature("low", "hole", (12, 30, 7), "-Y", diameter=6),
    feature("slope", "face", (55, 20, 15), "+X", skew=Point(x=1, y=0.5, z=0.7)),
)


def job():
    return block_job(features=FEATURES)


def matrix(of):
    return of.setups[0].orientation.matrix()


def text(*places):
    return "; ".join(", ".join(f"{value:.12g}" for value in place) for place in places)


class PlacesTest(unittest.TestCase):
    def lies(self, turned, first, to_right, to_back):
        right, back = turned @ (np.array(to_right) - first), turned @ (np.array(to_back) - first)
        np.testing.assert_allclose(right[1:], 0.0, atol=1e-6)
        self.assertGreater(right[0], 0.0)
        self.assertAlmostEqual(back[2], 0.0, places=6)
        self.assertGreater(back[1], 0.0)
        self.assertAlmostEqual(float(np.linalg.det(turned)), 1.0)

    def test_any_three(self):
        chance = np.random.default_rng(17)
        for _ in range(draws(20, 400)):
            places = chance.uniform(-80, 80, (3, 3))
            self.lies(matrix(lay_by_places(job(), 0, text(*places))), *places)

    def test_by_names_and_in_inches(self):
        at = [np.array(each.at.as_tuple()) for each in FEATURES]
        self.lies(matrix(lay_by_places(job(), 0, "here; there; low")), *at[:3])
        self.lies(matrix(lay_by_places(job(), 0, "here; 2, 0, 20 mm; low", "in")), at[0], (50.8, 0, 20), at[2])

    def test_square_ones_are_square(self):
        turned = lay_by_places(job(), 0, "0 0 0; 0 0 5; 0 7 3").setups[0].orientation
        self.assertEqual((turned.right, turned.up, turned.tilted), ("+Z", "-X", ()))

    def test_what_says_no_plane_is_refused_and_changes_nothing(self):
        for words, reason in (
            ("here; there", "takes three"), ("here; here; low", "at one place"), ("0 0 0; 1 1 1; 3 3 3", "on the line"),
            ("here; nowhere; low", "no feature's name"), ("here; 1 2; low", "three part coordinates"),
            ("here; 1 2 x; low", "x"), ("", "takes three"), ("here; 1e999 0 0; low", ""),
        ):  # fmt: skip
            with self.subTest(words), self.assertRaises(LedgecliffError) as caught:
                lay_by_places(job(), 0, words)
            self.assertIn(reason, str(caught.exception))


class ZeroTest(unittest.TestCase):
    def test_it_reads_nought_there(self):
        for orientation in (
            *all_orientations()[::5],
            orientation_of(Rotation.from_euler("xy", (20, 35), True).as_matrix()),
        ):
            of = job()
            of = of.model_copy(update={"setups": (of.setups[0].model_copy(update={"orientation": orientation}),)})
            for words, place in (("low", (12, 30, 7)), ("1.5, -2, 40", (1.5, -2, 40))):
                after = with_zero_at(of, 0, plan_of(of).setups[0].wcs, words)
                np.testing.assert_allclose(plan_of(after).setups[0].wcs.reads(place), 0.0, atol=1e-5)
                sources = [after.setups[0].datum.axis(axis).source for axis in "xyz"]
                self.assertEqual(sources, ["stock centre", "stock centre", "stock top"])


class FaceUpTest(unittest.TestCase):
    def test_what_it_looks_to_looks_up(self):
        for start in all_orientations():
            of = job()
            of = of.model_copy(update={"setups": (of.setups[0].model_copy(update={"orientation": start}),)})
            for each in FEATURES:
                turned = matrix(lay_face_up(of, 0, each.name))
                np.testing.assert_allclose(turned @ each.direction(), (0, 0, 1), atol=1e-9)
                self.assertAlmostEqual(float(np.linalg.det(turned)), 1.0)

    def test_as_little_else_is_turned_as_can_be(self):
        """A hole that opens upward already leaves all as it is; one that is not there is refused."""
        self.assertEqual(lay_face_up(job(), 0, "here"), job())
        self.assertGreater(float(matrix(lay_face_up(job(), 0, "low"))[0] @ (1, 0, 0)), 0.999)
        with self.assertRaises(LedgecliffError):
            lay_face_up(job(), 0, "nowhere")


class OrientationTest(unittest.TestCase):
    def test_any_rotation_comes_back(self):
        turns = Rotation.random(draws(50, 2000), random_state=3).as_matrix()
        for turn in (*turns, *(each.matrix() for each in all_orientations())):
            np.testing.assert_allclose(orientation_of(turn).matrix(), turn, atol=1e-9)
