"""The shadow of a part against its columns of material, which no boolean library had a part in."""

from __future__ import annotations

import unittest
from unittest import mock

import manifold3d
import numpy as np
from scipy.spatial.transform import Rotation

from ledgecliff.core.errors import InternalError
from ledgecliff.core.solids import shadow as shadow_module
from ledgecliff.core.solids.meshes import Mesh, mesh_of
from ledgecliff.core.solids.shadow import shadow
from tests.columns import crossings, places_over
from tests.draws import draws
from tests.hard_shapes import HARD, block, ledges_and_slope, terrain

#: Terrains drawn by lot; LEDGECLIFF_ALL_DRAWS=1 draws them all.
_LOTS = draws(36, 600)


class ShadowTest(unittest.TestCase):
    def assert_is_shadow(self, mesh, made, bottom, label):
        """Every column goes in at the bottom and comes out at the part's own top; its volume follows from that."""
        mine = mesh_of(made)
        places = places_over(mesh, count=250)
        for part, below in zip(crossings(mesh, places), crossings(mine, places), strict=True):
            expected = [bottom, part[-1]] if len(part) else []
            self.assertEqual(len(below), len(expected), label)
            np.testing.assert_allclose(below, expected, atol=1e-6, err_msg=label)

    def test_hard_shapes_in_any_turn(self):
        for k, (name, make) in enumerate(HARD.items()):
            plain = mesh_of(make())
            turns = {"as it is": np.eye(3), "on its side": Rotation.from_euler("y", 90, degrees=True).as_matrix(),
                     "upside down": np.diag((1.0, -1.0, -1.0)), "skewed": Rotation.random(random_state=k).as_matrix(),
                     "hardly skewed": Rotation.from_rotvec((3e-7, 2e-6, 0)).as_matrix()}  # fmt: skip
            for words, turn in list(turns.items())[-draws(3, 5) :]:
                mesh = Mesh(plain.vertices @ turn.T, plain.triangles)
                bottom = float(mesh.vertices[:, 2].min()) - 4.0
                self.assert_is_shadow(mesh, shadow(mesh, bottom), bottom, f"{name}, {words}")

    def test_terrains_by_lot_in_any_size(self):
        for lot in range(_LOTS):
            plain = mesh_of(terrain(lot))
            size = (1.0, 25.4, 0.01, 40.0)[lot % 4]
            turn = np.eye(3) if lot % 3 else Rotation.random(random_state=lot).as_matrix()
            mesh = Mesh(size * plain.vertices @ turn.T + (300.0, -70.0, 11.0), plain.triangles)
            bottom = float(mesh.vertices[:, 2].min()) - 4.0
            made = shadow(mesh, bottom)
            self.assertLess(float((mesh.solid() - made).volume()), 1e-9 * float(made.volume()), f"lot {lot}")
            if lot < 12:
                self.assert_is_shadow(mesh, made, bottom, f"lot {lot}")

    def test_volume_by_hand(self):
        """A table of 20 on a leg of 4: below the top, 20 x 20 x 10, is all shadow, from 4 below upward."""
        table = block((8, 8, 0), (12, 12, 8)) + block((0, 0, 8), (20, 20, 10))
        self.assertAlmostEqual(float(shadow(mesh_of(table), -4.0).volume()), 20 * 20 * 14, places=6)

    def test_tiny_triangles_are_no_reason_to_refuse(self):
        """A facet of 1e-14 mm², which no prism can stand under, leaves the shadow what it is."""
        corners = [(0, 0, 0), (30, 0, 0), (30, 20, 0), (0, 20, 0), (0, 0, 9), (30, 0, 9), (30, 20, 9), (0, 20, 9),
                   (15, 10, 9), (15 + 1e-7, 10, 9), (15, 10 + 1e-7, 9)]  # fmt: skip
        sides = [(0, 2, 1), (0, 3, 2), (0, 1, 5), (0, 5, 4), (1, 2, 6), (1, 6, 5), (2, 3, 7), (2, 7, 6), (3, 0, 4),
                 (3, 4, 7)]  # fmt: skip
        top = [(8, 9, 10), (4, 5, 8), (5, 9, 8), (5, 6, 9), (6, 10, 9), (6, 7, 10), (7, 8, 10), (7, 4, 8)]
        mesh = Mesh(np.array(corners, dtype=float), np.array([*sides, *top]))
        self.assertAlmostEqual(float(shadow(mesh, -2.0).volume()), 30 * 20 * 11, places=4)


class GuardTest(unittest.TestCase):
    """The guards are made to fire: a library that answers wrongly is caught, never believed."""

    MESH = mesh_of(ledges_and_slope())

    def test_a_prism_with_another_volume_is_not_used(self):
        """Without the test for walls that touch, the library's prisms are wrong; each is halved until it is right."""
        with mock.patch.object(shadow_module, "_is_simple", return_value=True):
            made = shadow(self.MESH, -4.0)
        self.assertAlmostEqual(float(made.volume()), float(shadow(self.MESH, -4.0).volume()), places=6)

    def test_a_union_that_lacks_the_part_is_not_used(self):
        with (
            mock.patch.object(manifold3d.Manifold, "batch_boolean", lambda solids, _op: solids[-1]),
            self.assertRaisesRegex(InternalError, "shadow of the part: it does not contain the part"),
        ):
            shadow(self.MESH, -4.0)

    def test_a_union_that_lacks_a_prism_is_not_used(self):
        """The part alone contains the part, but under its ledge nothing reaches down."""
        table = mesh_of(block((8, 8, 0), (12, 12, 8)) + block((0, 0, 8), (20, 20, 10)))
        with (
            mock.patch.object(manifold3d.Manifold, "batch_boolean", lambda solids, _op: solids[0]),
            self.assertRaises(InternalError),
        ):
            shadow(table, -4.0)
