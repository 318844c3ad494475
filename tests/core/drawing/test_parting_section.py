"""Where the parting plane goes through bodies: lines on their surface, held against areas worked out by hand."""

from __future__ import annotations

import unittest

import manifold3d
import numpy as np

from ledgecliff.core.blanks import box
from ledgecliff.core.drawing.bodies import sectioned, stock_solid
from ledgecliff.core.drawing.parting_section import section_lines, with_parting
from ledgecliff.core.drawing.pictures import scene_picture
from ledgecliff.core.drawing.scene_bodies import scene_solids
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.parting import PartingPlane
from ledgecliff.core.route import scenes_of
from ledgecliff.core.solids.meshes import mesh_of
from tests.jobs import block_job, plan_of, setup


def area(lines):
    """Of loops in a level plane, by the lines in any order: those that run through a body close by themselves."""
    x, y = lines[:, :, 0], lines[:, :, 1]
    total = 0.0
    left = [tuple(np.round(each, 6).reshape(-1)) for each in np.stack([x, y], axis=2)]
    while left:
        loop = [left.pop()]
        while True:
            end = loop[-1][2:]
            k = next((k for k, each in enumerate(left) if each[:2] == end or each[2:] == end), None)
            if k is None:
                break
            found = left.pop(k)
            loop.append(found if found[:2] == end else (*found[2:], *found[:2]))
        total += abs(sum(a * d - b * c for a, b, c, d in loop) / 2.0)
    return total


class SectionTest(unittest.TestCase):
    def test_through_a_block_and_a_ball(self):
        lines = section_lines(mesh_of(box((0, 0, 0), (60, 40, 20))), np.array([0.0, 0.0, 1.0]), 12.0)
        np.testing.assert_allclose(lines[:, :, 2], 12.0, atol=1e-9)
        self.assertAlmostEqual(area(lines), 2400.0, 4)
        ball = mesh_of(manifold3d.Manifold.sphere(10.0, 200))
        lines = section_lines(ball, np.array([0.0, 0.0, 1.0]), 6.0)
        self.assertAlmostEqual(area(lines), np.pi * 64.0, delta=0.5)

    def test_past_it_and_in_its_face(self):
        block = mesh_of(box((0, 0, 0), (60, 40, 20)))
        self.assertEqual(len(section_lines(block, np.array([0.0, 0.0, 1.0]), 21.0)), 0)
        # In a face it goes round that, once.
        for level in (0.0, 20.0):
            lines = section_lines(block, np.array([0.0, 0.0, 1.0]), level)
            self.assertIn(round(area(lines), 3), (0.0, 2400.0))

    def test_as_the_part_lies(self):
        """A plane at part Z 12 lies at machine Z -12 once the part is turned over, and upright on its side."""
        stock = plan_of(block_job()).setups[0].before
        plane = PartingPlane(along="z", at=12.0)
        for up, k, place in (("+Z", 2, 12.0), ("-Z", 2, -12.0)):
            lies = Orientation(up=up, right="+X")
            lines = with_parting(stock_solid(stock, lies), plane, lies).parting
            np.testing.assert_allclose(lines[:, :, k], place, atol=1e-9)
        lies = Orientation(up="+Y", right="+X")
        lines = with_parting(stock_solid(stock, lies), plane, lies).parting
        np.testing.assert_allclose((lines @ lies.matrix())[:, :, 2], 12.0, atol=1e-9)


class ViewsTest(unittest.TestCase):
    @staticmethod
    def _plan(parting):
        second = setup(name="Op 20", up="-Z", offset="G55")
        return plan_of(block_job(setup(), second).model_copy(update={"parting": parting}))

    def test_every_picture_and_body_has_it(self):
        plan, bare = self._plan(PartingPlane(along="z", at=12.0)), self._plan(None)
        for scene in scenes_of(plan):
            with self.subTest(scene=scene.kind):
                self.assertGreater(len(scene_picture(plan, scene, 148, 84).parting), 2)
                self.assertEqual(len(scene_picture(bare, scene, 148, 84).parting), 0)
                self.assertGreater(len(scene_solids(plan, scene, "hold", 0)[0].parting), 4)

    def test_it_moves_with_the_part(self):
        """In the picture of the second side it lies lower: 8 of 20 up instead of 12."""
        plan = self._plan(PartingPlane(along="z", at=12.0))
        heights = []
        for scene in scenes_of(plan):
            if scene.kind == "setup":
                heights.append(float(scene_solids(plan, scene, "hold", 0)[0].parting[0, 0, 2]))
        self.assertEqual([round(each, 6) for each in heights], [12.0, -12.0])

    def test_cut_open_what_is_left_keeps_it(self):
        plan = self._plan(PartingPlane(along="z", at=12.0))
        solids = scene_solids(plan, scenes_of(plan)[0], "stock", 0)
        half = sectioned(solids, 0, 30.0)[0]
        self.assertGreater(len(half.parting), 0)
        self.assertGreaterEqual(float(half.parting[:, :, 0].min()), 30.0)


if __name__ == "__main__":
    unittest.main()
