"""The shipped model through the CAD kernel, and the shadow that cutters leave."""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.blanks import box
from ledgecliff.core.errors import ModelFileError
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.solids.meshes import Mesh
from ledgecliff.core.solids.shadow import outline_area, shadow
from ledgecliff.core.solids.welding import weld
from tests.helpers import geometry


def part_volume() -> float:
    """The float housing's volume (mm³) from its published dimensions alone."""
    bore = math.pi * 11**2 * (28 - 5 - 1) + math.pi * 15**2 * (5 - 1)
    top_break = math.pi / 3 * 1 * (11**2 + 11 * 12 + 12**2)
    under_break = math.pi / 3 * 1 * (15**2 + 15 * 16 + 16**2)
    pocket = (22 * 36 - (4 - math.pi) * 5**2) * 22
    holes = 4 * math.pi * 2.75**2 * 28
    # The port runs from the pocket's flat wall at x 72 to the side at x 96.
    port = math.pi * 5**2 * 24
    return 96 * 64 * 28 - bore - top_break - under_break - pocket - holes - port


class PartGeometryTest(unittest.TestCase):
    def test_size_and_place(self):
        np.testing.assert_allclose(geometry().low, (0, 0, 0), atol=1e-9)
        np.testing.assert_allclose(geometry().high, (96, 64, 28), atol=1e-9)

    def test_volume_is_the_published_parts(self):
        self.assertAlmostEqual(float(geometry().fine_solid.volume()) / part_volume(), 1.0, delta=2e-5)
        self.assertAlmostEqual(float(geometry().solid.volume()) / part_volume(), 1.0, delta=1.5e-3)

    def test_round_faces_are_recognised(self):
        found = {
            (round(2 * c.radius, 3), *(round(v, 3) for v, a in zip(c.point, c.axis, strict=True) if abs(a) < 0.5))
            for c in geometry().cylinders
            if c.inside and c.sweep_deg > 359
        }
        self.assertLessEqual(
            {(22, 30, 32), (30, 30, 32), (5.5, 12, 12), (5.5, 12, 52), (5.5, 80, 12), (5.5, 80, 52), (10, 32, 12)},
            found,
        )

    def test_flat_faces_point_outward(self):
        faces = {(plane.normal, round(plane.offset, 6)) for plane in geometry().planes}
        for expected in (((0, 0, 1), 28), ((0, 0, -1), 0), ((1, 0, 0), 96), ((0, 0, 1), 6), ((0, 0, -1), -5)):
            self.assertIn(expected, faces)


class MeshTest(unittest.TestCase):
    def test_an_open_mesh_is_no_solid(self):
        mesh = geometry().coarse
        with self.assertRaisesRegex(ModelFileError, "not a closed solid"):
            Mesh(mesh.vertices, mesh.triangles[:-3]).solid()

    def test_an_inside_out_mesh_is_no_solid(self):
        mesh = geometry().coarse
        with self.assertRaisesRegex(ModelFileError, "inside out"):
            Mesh(mesh.vertices, mesh.triangles[:, ::-1]).solid()

    def test_welding_joins_what_coincides(self):
        vertices = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1e-9, 0, 0], [1, 1, 0], [0, 1, 0]], dtype=float)
        mesh, kept = weld(vertices, np.array([[0, 1, 2], [3, 4, 5], [0, 3, 1]]))
        self.assertEqual(kept.tolist(), [True, True, False])
        self.assertEqual(len(mesh.vertices), 4)
        self.assertEqual(len(mesh.triangles), 2)


def mesh_of(solid) -> Mesh:
    mesh = solid.to_mesh64()
    return Mesh(np.asarray(mesh.vert_properties)[:, :3], np.asarray(mesh.tri_verts, dtype=np.int64))


class ShadowTest(unittest.TestCase):
    def test_a_block_casts_itself_down(self):
        self.assertAlmostEqual(shadow(mesh_of(box((0, 0, 0), (10, 20, 5))), -3.0).volume(), 10 * 20 * 8, places=6)

    def test_an_overhang_is_filled_below_and_a_pocket_is_not(self):
        table = box((0, 0, 8), (20, 20, 10)) + box((8, 8, 0), (12, 12, 9))
        self.assertAlmostEqual(shadow(mesh_of(table), 0.0).volume(), 20 * 20 * 10, places=6)
        pocket = box((0, 0, 0), (20, 20, 10)) - box((5, 5, 4), (15, 15, 11))
        self.assertAlmostEqual(shadow(mesh_of(pocket), 0.0).volume(), 4000 - 100 * 6, places=6)

    def test_from_above_the_counterbore_underneath_is_not_seen(self):
        """Op 10's shadow = part with its undercuts filled: only bore, holes, pocket and top break are open."""
        seen = math.pi * 11**2 * 27 + math.pi / 3 * (11**2 + 11 * 12 + 12**2)
        seen += 4 * math.pi * 2.75**2 * 28 + (22 * 36 - (4 - math.pi) * 25) * 22
        volume = shadow(geometry().fine, -1.0).volume() - (96 * 64 * 1 - math.pi * 11**2 - 4 * math.pi * 2.75**2)
        self.assertAlmostEqual(volume / (96 * 64 * 28 - seen), 1.0, delta=2e-5)

    def test_sampled_lines_agree(self):
        """Independent judge: along upright lines the shadow reaches up to the part's highest hit."""
        rng = np.random.default_rng(3)
        matrix = Orientation(up="+X", right="+Y").matrix()
        mesh = Mesh(geometry().coarse.vertices @ matrix.T, geometry().coarse.triangles)
        cast = shadow(mesh, -1.0)
        part = mesh.solid()
        for x, y in rng.uniform((0.5, 0.5), (63.5, 27.5), (60, 2)):
            hits = part.ray_cast((x, y, 200), (x, y, -200))
            shade = cast.ray_cast((x, y, 200), (x, y, -200))
            self.assertAlmostEqual(shade[0].position[2], hits[0].position[2], places=5)
            self.assertEqual(len(shade), 2)


class OutlineTest(unittest.TestCase):
    def test_holes_are_closed(self):
        plate = box((0, 0, 0), (30, 20, 5)) - box((5, 5, -1), (10, 10, 6))
        self.assertAlmostEqual(outline_area(plate).area(), 30 * 20, places=6)
