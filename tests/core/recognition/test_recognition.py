"""Recognised features of parts whose dimensions are known by construction."""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.recognition.recognise import recognise
from ledgecliff.core.solids.fitting import fitted_faces
from ledgecliff.core.solids.geometry import PartGeometry
from tests.helpers import geometry
from tests.models import box, cylinder, filleted, geometry_from, less, moved, trial_plate, trial_plate_shape, turned


def of_kind(part, kind):
    return [found for found in recognise(part) if found.kind == kind]


def from_triangles(part: PartGeometry) -> PartGeometry:
    """The same part as a triangle model would bring it: without stated faces."""
    faces, face_of = fitted_faces(part.coarse)
    return PartGeometry(f"{part.key} as triangles", part.coarse, lambda: part.fine, faces, face_of)


class TrialPlateTest(unittest.TestCase):
    """120 x 80 x 20, its features as ``tests.models`` makes them."""

    part = trial_plate()

    def test_holes(self):
        blind, through = of_kind(self.part, "hole")
        self.assertEqual((blind.diameter, blind.through, blind.direction), (8, False, (0, 0, 1)))
        self.assertAlmostEqual(blind.depth, 12, msg="the drill's point does not count")
        np.testing.assert_allclose(blind.at, (15, 15, 20))
        self.assertEqual((through.diameter, through.through), (6, True))
        self.assertEqual(set(through.sees), {"+Z", "-Z"})
        self.assertEqual(blind.sees, ("+Z",))

    def test_countersink_and_boss(self):
        (sink,) = of_kind(self.part, "countersink")
        self.assertAlmostEqual(sink.diameter, 12)
        self.assertAlmostEqual(sink.depth, 3)
        (boss,) = of_kind(self.part, "boss")
        np.testing.assert_allclose((boss.diameter, boss.depth, *boss.at), (10, 5, 28, 40, 25), atol=1e-9)

    def test_pocket_with_floor_and_corner_radius(self):
        pocket = next(found for found in of_kind(self.part, "pocket") if not found.through)
        np.testing.assert_allclose((pocket.length, pocket.width, pocket.depth), (40, 25, 10), atol=0.01)
        np.testing.assert_allclose(pocket.at, (72.5, 40, 10), atol=0.01)
        self.assertAlmostEqual(pocket.radius, 4)
        self.assertEqual(pocket.sees, ("+Z",))

    def test_window_right_through(self):
        """Its walls lie in the planes of the pocket's, and are still its own."""
        window = next(found for found in of_kind(self.part, "pocket") if found.through)
        np.testing.assert_allclose((window.length, window.width, window.depth), (40, 15, 20), atol=0.01)
        self.assertEqual(window.sees, ("+Z", "-Z"))

    def test_slot_open_at_both_ends(self):
        (slot,) = of_kind(self.part, "slot")
        np.testing.assert_allclose((slot.width, slot.depth, slot.length), (10, 8, 80), atol=1e-9)
        np.testing.assert_allclose(slot.at, (45, 40, 20), atol=1e-9)
        self.assertEqual(set(slot.sees), {"+Z", "+Y", "-Y"})

    def test_chamfer(self):
        (chamfer,) = of_kind(self.part, "chamfer")
        self.assertAlmostEqual(chamfer.width, 2 * math.sqrt(2))
        np.testing.assert_allclose(chamfer.direction, (math.sqrt(0.5), 0, math.sqrt(0.5)), atol=1e-9)

    def test_overall_widths(self):
        widths = [round(found.width, 6) for found in of_kind(self.part, "web")]
        self.assertIn(80, widths)
        self.assertIn(120, widths)

    def test_names_are_unique_and_say_the_kind(self):
        names = [found.name for found in recognise(self.part)]
        self.assertEqual(len(names), len(set(names)))
        for found in recognise(self.part):
            self.assertTrue(found.name.startswith(found.kind), found.name)

    def test_every_plane_belongs_to_some_face(self):
        faces = {k for found in recognise(self.part) for k in found.faces}
        self.assertEqual(faces & set(range(len(self.part.faces))), faces)
        self.assertGreater(len(faces), 0.8 * len(self.part.faces))


class FloatHousingTest(unittest.TestCase):
    """The worked example of docs/methods."""

    def test_bore_with_counterbore_and_broken_edges(self):
        bore = of_kind(geometry(), "hole")[0]
        self.assertAlmostEqual(bore.diameter, 22)
        self.assertTrue(bore.through)
        np.testing.assert_allclose(bore.at, (30, 32, 28), atol=1e-9)
        (counterbore,) = of_kind(geometry(), "counterbore")
        np.testing.assert_allclose((counterbore.diameter, counterbore.depth), (30, 5), atol=1e-9)
        self.assertEqual(counterbore.sees, ("-Z",))
        breaks = of_kind(geometry(), "edge break")
        self.assertEqual(sorted(round(found.diameter, 6) for found in breaks), [24, 32])

    def test_port_is_seen_from_its_own_side_only(self):
        port = next(found for found in of_kind(geometry(), "hole") if found.diameter == 10)
        self.assertEqual(port.sees, ("+X",))
        np.testing.assert_allclose(port.at, (96, 32, 12), atol=1e-9)


class SkewedTest(unittest.TestCase):
    """Nothing may depend on how the part lies in its file."""

    def test_sizes_survive_any_rotation(self):
        about, angle = (1, 2, 3), 0.7
        skewed = geometry_from(moved(turned(trial_plate_shape(), about, angle), (300, -40, 25)), "skewed plate")
        for kind, sizes in (
            ("hole", ("diameter", "depth")),
            ("countersink", ("diameter", "depth")),
            ("boss", ("diameter", "depth")),
            ("pocket", ("length", "width", "depth")),
            ("slot", ("width", "depth")),
            ("chamfer", ("width", "length")),
        ):
            with self.subTest(kind):
                here = sorted([round(getattr(f, size), 2) for size in sizes] for f in of_kind(trial_plate(), kind))
                there = sorted([round(getattr(f, size), 2) for size in sizes] for f in of_kind(skewed, kind))
                np.testing.assert_allclose(here, there, atol=0.02)
        hole = next(found for found in of_kind(skewed, "hole") if not found.through)
        self.assertFalse(hole.is_square())
        self.assertTrue(hole.own_way, "it can be cut along its own axis")
        self.assertEqual(hole.sees, ())

    def test_a_skewed_hole_in_a_square_block(self):
        tilted = turned(cylinder((0, 0, -40), 6, 80), (0, 1, 0), math.radians(30))
        part = geometry_from(less(box((-40, -20, -15), (40, 20, 15)), tilted), "tilted hole")
        (hole,) = of_kind(part, "hole")
        self.assertAlmostEqual(hole.diameter, 6)
        np.testing.assert_allclose(np.abs(hole.direction), (0.5, 0, math.sqrt(0.75)), atol=1e-6)


class TriangleModelTest(unittest.TestCase):
    """Fitted faces must lead to the features that stated ones lead to."""

    def test_same_features_as_from_stated_faces(self):
        for part in (trial_plate(), geometry()):
            fitted = from_triangles(part)
            for kind in ("hole", "counterbore", "boss", "slot", "countersink", "edge break"):
                with self.subTest(part=part.key[:12], kind=kind):
                    stated = sorted((f.diameter or f.width, f.depth) for f in of_kind(part, kind))
                    found = sorted((f.diameter or f.width, f.depth) for f in of_kind(fitted, kind))
                    np.testing.assert_allclose(found, stated, atol=0.05)

    def test_the_residual_tells_how_well_a_face_fits(self):
        """Corners of the triangles lie on the true cylinder, so a hole fits to far below its deflection."""
        for hole in of_kind(from_triangles(trial_plate()), "hole"):
            self.assertLess(hole.residual, 0.002)

    def test_an_oval_bore_shows_in_its_residual(self):
        """Half axes 8.0024 and 8: the best circle between them is off by 0.0012 at both."""
        part = geometry_from(less(box((0, 0, 0), (40, 40, 20)), cylinder((20, 20, -1), 16, 22)), "bored block")
        oval = part.coarse.vertices.copy()
        on_bore = np.abs(np.hypot(oval[:, 0] - 20, oval[:, 1] - 20) - 8) < 1e-6
        oval[on_bore, 0] = 20 + (oval[on_bore, 0] - 20) * 1.0003
        mesh = type(part.coarse)(oval, part.coarse.triangles)
        faces, face_of = fitted_faces(mesh)
        (hole,) = of_kind(PartGeometry("oval", mesh, lambda: mesh, faces, face_of), "hole")
        self.assertAlmostEqual(hole.residual, 0.0012, delta=0.0002)
        self.assertAlmostEqual(hole.diameter, 16.0024, delta=0.0005)


class RoundedPartTest(unittest.TestCase):
    def test_outer_round_of_a_bar(self):
        part = geometry_from(cylinder((0, 0, 0), 50, 30), "disc")
        (outer,) = of_kind(part, "outer round")
        np.testing.assert_allclose((outer.diameter, outer.depth), (50, 30))

    def test_rounded_upright_edges_are_outer_rounds(self):
        from tests.models import upright

        part = geometry_from(filleted(box((0, 0, 0), (60, 40, 20)), 5.0, upright), "rounded block")
        rounds = of_kind(part, "outer round")
        self.assertEqual([found.radius for found in rounds], [5.0] * 4)
