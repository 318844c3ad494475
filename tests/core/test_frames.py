"""Orientations and turns, against worked numbers and against scipy's rotations."""

from __future__ import annotations

import doctest
import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from ledgecliff.core import frames
from ledgecliff.core.frames import Placement, Turn, about_x, rotation, rotation_about
from ledgecliff.core.model.orientation import (
    Orientation,
    all_orientations,
    direction_name,
    direction_vector,
    orientation_from_matrix,
)
from ledgecliff.core.model.stations import AxisTurn


class OrientationTest(unittest.TestCase):
    def test_there_are_24_different_proper_ones(self):
        matrices = [orientation.matrix() for orientation in all_orientations()]
        self.assertEqual(len({tuple(matrix.ravel()) for matrix in matrices}), 24)
        for matrix in matrices:
            np.testing.assert_array_equal(matrix @ matrix.T, np.eye(3))
            self.assertEqual(np.linalg.det(matrix), 1.0)

    def test_shop_words_and_matrix_are_two_ways_to_say_one_thing(self):
        for orientation in all_orientations():
            self.assertEqual(orientation_from_matrix(orientation.matrix()), orientation)
            self.assertEqual(direction_name(direction_vector(orientation.away())), orientation.away())

    def test_worked_op_30(self):
        """Part +X up, +Y to the right, +Z away: rows (0,1,0), (0,0,1), (1,0,0)."""
        op_30 = Orientation(up="+X", right="+Y")
        np.testing.assert_array_equal(op_30.matrix(), [[0, 1, 0], [0, 0, 1], [1, 0, 0]])
        self.assertEqual(op_30.away(), "+Z")
        self.assertEqual(op_30.in_shop_words(), "part +X up, +Y to the right")
        self.assertEqual(Orientation(up="-Z").in_shop_words(), "part −Z up, +X to the right")

    def test_stood_square_again_it_is_said_as_it_lies(self):
        """By hand: turned up about X, +Y is up; a face described a quarter round and brought back lies as it did."""
        for turns, words in (
            ((("x", 90.0),), "part +Y up, +X to the right"),
            ((("y", -90.0), ("y", 90.0)), "part +Z up, +X to the right"),
            ((("z", 90.0),), "part +Z up, −Y to the right"),
            ((("x", 30.0),), "part +Z up, +X to the right, turned 30° about X"),
            ((("y", -90.0), ("x", 0.02), ("y", 90.0)), "part +Z up, +X to the right, leaning 0.0200°"),
        ):
            tilted = tuple(AxisTurn(about=axis, degrees=degrees) for axis, degrees in turns)
            self.assertEqual(Orientation(tilted=tilted).in_shop_words(), words)

    def test_up_and_right_along_one_line_are_refused(self):
        with self.assertRaisesRegex(ValueError, "lie along one line"):
            Orientation(up="+Z", right="-Z")


class RotationTest(unittest.TestCase):
    def test_against_scipy(self):
        for axis in ("x", "y", "z"):
            for angle in (0, 90, 180, 270, -90, 33.3, 450):
                expected = Rotation.from_euler(axis, angle, degrees=True).as_matrix()
                np.testing.assert_allclose(rotation(axis, angle), expected, atol=1e-12)

    def test_quarter_turns_are_exact(self):
        self.assertTrue(set(rotation("y", 270).ravel()) <= {-1.0, 0.0, 1.0})

    def test_about_any_line_against_scipy(self):
        rng = np.random.default_rng(4)
        for _ in range(20):
            axis = rng.normal(size=3)
            axis /= np.linalg.norm(axis)
            angle = rng.uniform(-4.0, 4.0)
            np.testing.assert_allclose(
                rotation_about(axis, angle), Rotation.from_rotvec(angle * axis).as_matrix(), atol=1e-12
            )


class PlacementTest(unittest.TestCase):
    def test_it_turns_and_then_shifts(self):
        """A quarter turn about Z takes (3, 0, 5) to (0, 3, 5); then 10, 20, 30 further."""
        placed = Placement(rotation("z", 90.0), np.array([10.0, 20.0, 30.0]))
        np.testing.assert_allclose(placed(np.array([3.0, 0.0, 5.0])), (10, 23, 35))

    def test_composition_and_inverse(self):
        rng = np.random.default_rng(0)
        a = Placement(rotation("z", 33.0), rng.normal(size=3))
        b = Placement(rotation("x", -71.0), rng.normal(size=3))
        point = rng.normal(size=3)
        np.testing.assert_allclose(a.after(b)(point), a(b(point)))
        np.testing.assert_allclose(a.inverse()(a(point)), point)

    def test_about_a_line_along_x(self):
        """What lies on the line stays; 10 above it comes 10 to the front of it."""
        quarter = about_x(-200.0, -300.0, 90.0)
        np.testing.assert_allclose(quarter(np.array([7.0, -200.0, -300.0])), (7, -200, -300), atol=1e-12)
        np.testing.assert_allclose(quarter(np.array([7.0, -200.0, -290.0])), (7, -210, -300), atol=1e-12)


class TurnTest(unittest.TestCase):
    def test_worked_turns(self):
        op_10, op_20 = Orientation(), Orientation(up="-Z", right="+X")
        op_30 = Orientation(up="+X", right="+Y")
        self.assertEqual(Turn(op_10, op_20).in_shop_words(), "about X, front to back")
        turn = Turn(op_20, op_30)
        self.assertAlmostEqual(turn.angle_deg(), 120.0)
        np.testing.assert_allclose(turn.axis(), np.array([1, -1, 1]) / np.sqrt(3), atol=1e-12)
        self.assertEqual(turn.in_shop_words(), "120° about the axis (1, −1, 1)")

    def test_words_for_quarter_and_half_turns(self):
        start = Orientation()
        for (axis, angle), words in {
            ("x", 180): "about X, front to back",
            ("y", 180): "about Y, end for end",
            ("z", 180): "spin 180° about Z",
            ("z", 90): "spin 90° about Z",
            ("z", -90): "spin −90° about Z",
            ("x", 90): "tip towards you, 90° about X",
            ("y", 90): "tip to the right, 90° about Y",
            ("x", 0): "not turned",
        }.items():
            after = orientation_from_matrix(rotation(axis, angle) @ start.matrix())
            self.assertEqual(Turn(start, after).in_shop_words(), words)

    def test_tipping_towards_you_brings_the_top_to_the_front(self):
        """A point on top of the part (+Z) comes to the operator (-Y)."""
        np.testing.assert_allclose(rotation("x", 90) @ (0, 0, 1), (0, -1, 0))

    def test_axis_and_angle_rebuild_every_turn(self):
        """Independent derivation: Rodrigues by scipy from axis and angle gives the matrix back."""
        for before in all_orientations()[::5]:
            for after in all_orientations():
                turn = Turn(before, after)
                rebuilt = Rotation.from_rotvec(turn.axis() * np.radians(turn.angle_deg())).as_matrix()
                np.testing.assert_allclose(rebuilt, turn.matrix, atol=1e-9)

    def test_a_turn_there_and_back_is_none(self):
        for orientation in all_orientations():
            self.assertEqual(Turn(orientation, orientation).in_shop_words(), "not turned")


class DocstringTest(unittest.TestCase):
    def test_the_example_in_the_module_holds(self):
        self.assertEqual(doctest.testmod(frames).failed, 0)
