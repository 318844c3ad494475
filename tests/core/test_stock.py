"""In-process stock of the float housing, against hand-worked volumes and sizes."""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.errors import PlanError
from ledgecliff.core.frames import Orientation, all_orientations
from ledgecliff.core.model.setup import Bore, Face, Outline, Seen
from ledgecliff.core.stock import blank, blank_corners, cut, stock_after
from tests.core.test_solids import part_volume
from tests.helpers import changed, demo, demo_plan, geometry, plan_with

PORT = math.pi * 25 * 24


class BlankTest(unittest.TestCase):
    def test_handbook_placing(self):
        """Centred in X and Y, 1.5 above the top: the underside of the stock at P z -4.5."""
        low, high = blank_corners(demo().stock, geometry(), Orientation())
        np.testing.assert_allclose(low, (-2, -2, -4.5))
        np.testing.assert_allclose(high, (98, 66, 29.5))

    def test_the_facing_is_on_the_side_that_comes_up_first(self):
        for orientation in all_orientations():
            low, high = blank_corners(demo().stock, geometry(), orientation)
            axis = "XYZ".index(orientation.up[1])
            above = high[axis] - geometry().high[axis] if orientation.up[0] == "+" else -low[axis]
            self.assertAlmostEqual(above, 1.5)

    def test_a_whole_blank_is_raw_all_over(self):
        stock = blank(demo().stock, geometry(), Orientation())
        self.assertTrue(stock.raw.all())
        self.assertAlmostEqual(stock.volume, 100 * 68 * 34)


class OperationTest(unittest.TestCase):
    """One operation at a time on the demo's blank; volumes by hand."""

    def cut_by(self, *operations):
        start = blank(demo().stock, geometry(), Orientation())
        part = geometry()
        return cut(start, part.fine, part.fine_solid, Orientation(), operations, demo().part.features)

    def test_facing_takes_all_above_the_finished_top(self):
        self.assertAlmostEqual(self.cut_by(Face(name="f", tool=1)).volume, 100 * 68 * 32.5, places=4)
        self.assertAlmostEqual(self.cut_by(Face(name="f", tool=1, leave=0.5)).volume, 100 * 68 * 33, places=4)

    def test_outline_leaves_the_hat(self):
        left = self.cut_by(Face(name="f", tool=1), Outline(name="o", tool=1))
        self.assertAlmostEqual(left.volume, 96 * 64 * 28 + 100 * 68 * 4.5, places=3)
        deeper = self.cut_by(Face(name="f", tool=1), Outline(name="o", tool=1, below=1.0))
        self.assertAlmostEqual(left.volume - deeper.volume, 100 * 68 - 96 * 64, places=3)

    def test_bore_goes_right_through_the_hat(self):
        whole = self.cut_by()
        bored = self.cut_by(Bore(name="b", tool=1, on="main bore"))
        self.assertAlmostEqual((whole.volume - bored.volume) / (math.pi * 121 * 34), 1.0, delta=3e-4)

    def test_a_level_bore_cannot_be_cut(self):
        self.assertAlmostEqual(self.cut_by(Bore(name="b", tool=1, on="port")).volume, self.cut_by().volume)

    def test_order_of_face_and_seen_does_not_matter(self):
        face, seen = Face(name="f", tool=1), Seen(name="s", tool=1)
        self.assertAlmostEqual(self.cut_by(face, seen).volume, self.cut_by(seen, face).volume, places=3)

    def test_what_is_cut_is_no_longer_raw(self):
        stock = self.cut_by(Face(name="f", tool=1))
        tops = np.isclose(stock.mesh.vertices[stock.mesh.triangles][:, :, 2], 28).all(axis=1)
        self.assertTrue(tops.any())
        self.assertFalse(stock.raw[tops].any())
        self.assertTrue(stock.raw[~tops].all())


class RouteTest(unittest.TestCase):
    def test_after_op_10(self):
        """Part and hat; bolt holes end at the part's underside, the bore goes on through the hat."""
        left = demo_plan().setups[0].after
        np.testing.assert_allclose(left.corners[0], (-2, -2, -4.5), atol=1e-9)
        np.testing.assert_allclose(left.corners[1], (98, 66, 28), atol=1e-9)
        undercut = math.pi * (15**2 - 11**2) * 4 + math.pi / 3 * (15**2 + 15 * 16 + 16**2) - math.pi * 121
        hat = 100 * 68 * 4.5 - math.pi * 121 * 4.5
        self.assertAlmostEqual(left.volume / (part_volume() + PORT + undercut + hat), 1.0, delta=1.5e-3)

    def test_op_20_leaves_the_part_but_for_the_port(self):
        left = demo_plan().finished
        self.assertAlmostEqual(left.volume - float(geometry().solid.volume()), PORT, delta=25)
        # Facets of two tessellations leave crumbs; only what is worth cutting counts.
        outside = [piece for piece in (left.solid - geometry().solid).decompose() if piece.volume() > 1.0]
        self.assertEqual(len(outside), 1)
        self.assertAlmostEqual(float((geometry().solid - left.solid).volume()), 0.0, delta=0.5)
        np.testing.assert_allclose(outside[0].bounding_box(), (72, 27, 7, 96, 37, 17), atol=0.3)

    def test_kept_once_and_cut_step_by_step_agree(self):
        """Another way: cut the blank itself, setup after setup, instead of intersecting what is kept."""
        for size, facing in (((100, 68, 34), 1.5), ((137.3, 64.0, 51.0), 0.0), ((96.0, 90.0, 29.5), 1.5)):
            edits = [(("stock", "measured", axis), value) for axis, value in zip("xyz", size, strict=True)]
            plan = plan_with(*edits, (("stock", "facing"), facing))
            stock = blank(plan.job.stock, geometry(), Orientation())
            for setup in plan.setups:
                part, features = geometry(), plan.job.part.features
                stock = cut(stock, part.coarse, part.solid, setup.setup.orientation, setup.setup.operations, features)
                self.assertAlmostEqual(stock.volume / setup.after.volume, 1.0, places=6)
                np.testing.assert_allclose(stock.corners, setup.after.corners, atol=1e-6)
                self.assertEqual(bool(stock.raw.any()), bool(setup.after.raw.any()))

    def test_the_same_inputs_give_the_cached_result(self):
        cuts = ((Orientation(), demo().setups[0].operations),)
        features = demo().part.features
        again = stock_after(demo().stock, geometry(), features, cuts)
        self.assertIs(again, stock_after(changed().stock, geometry(), features, cuts))

    def test_a_thicker_blank_leaves_a_higher_hat(self):
        plan = plan_with((("stock", "measured", "z"), 36.0))
        self.assertAlmostEqual(plan.setups[0].after.corners[0][2], -6.5)

    def test_a_setup_that_leaves_nothing_is_refused(self):
        with self.assertRaisesRegex(PlanError, "Op 10 cuts the whole stock away"):
            plan_with((("stock", "facing"), 40.0))
