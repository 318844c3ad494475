"""In-process stock of the float housing, against hand-worked volumes and sizes."""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.blanks import blank, blank_corners
from ledgecliff.core.errors import PlanError
from ledgecliff.core.in_process.stock import cut, cuts_of
from ledgecliff.core.model.operations import Bore, Face, Outline, Seen
from ledgecliff.core.model.stock import Allowance
from tests.core.solids.test_solids import part_volume
from tests.helpers import demo, demo_plan, geometry, plan_with

PORT = math.pi * 25 * 24


class BlankTest(unittest.TestCase):
    def test_worked_placing(self):
        """Centred in X and Y, 1.5 above the top: the underside of the stock at P z -4.5."""
        low, high = blank_corners(demo().stock, geometry())
        np.testing.assert_allclose(low, (-2, -2, -4.5))
        np.testing.assert_allclose(high, (98, 66, 29.5))

    def test_an_allowance_is_on_its_own_side_and_the_rest_on_the_other(self):
        for k, axis in enumerate("xyz"):
            for sign, high in (("minus", False), ("plus", True)):
                allowance = Allowance(**{f"{sign}_{axis}": 0.7})
                low, up = blank_corners(demo().stock.model_copy(update={"allowance": allowance}), geometry())
                over = (100, 68, 34)[k] - (96, 64, 28)[k]
                self.assertAlmostEqual(up[k] - geometry().high[k], 0.7 if high else over - 0.7)
                self.assertAlmostEqual(geometry().low[k] - low[k], over - 0.7 if high else 0.7)

    def test_a_whole_blank_is_raw_all_over(self):
        stock = blank(demo().stock, geometry())
        self.assertTrue(stock.raw.all())
        self.assertAlmostEqual(stock.volume, 100 * 68 * 34)


class OperationTest(unittest.TestCase):
    """One operation at a time on the demo's blank; volumes by hand."""

    def cut_by(self, *operations):
        start = blank(demo().stock, geometry())
        setup = demo().setups[0].model_copy(update={"operations": operations})
        (cuts,) = cuts_of((setup,), demo().part.features)
        return cut(start, geometry().fine, geometry(), cuts)

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
            plan = plan_with(*edits, (("stock", "allowance", "plus_z"), facing))
            stock = blank(plan.job.stock, geometry())
            for setup, cuts in zip(plan.setups, cuts_of(plan.job.setups, plan.job.part.features), strict=True):
                stock = cut(stock, geometry().coarse, geometry(), cuts)
                self.assertAlmostEqual(stock.volume / setup.after.volume, 1.0, places=6)
                np.testing.assert_allclose(stock.corners, setup.after.corners, atol=1e-6)
                self.assertEqual(bool(stock.raw.any()), bool(setup.after.raw.any()))

    def test_only_what_an_edit_changes_is_worked_out_anew(self):
        """Equal stock is the very same object; an edit of Op 20 leaves Op 10 and all before it alone."""
        base = plan_with()  # made now: what other tests left may have gone from the cache
        again = plan_with((("title",), "Another title"))
        self.assertIs(again.setups[1].after, base.setups[1].after)
        deeper = plan_with((("setups", 1, "operations", 1, "below"), -3.0))
        self.assertIs(deeper.setups[0], base.setups[0])
        self.assertIs(deeper.setups[1].cutting.after(0), base.setups[1].cutting.after(0))
        self.assertIsNot(deeper.setups[1].after, base.setups[1].after)
        renamed = plan_with(
            (("setups", 0, "operations", 2, "features"), ()), (("part", "features", 1, "name"), "first bolt hole")
        )
        self.assertIs(renamed.setups[0].cutting.after(1), base.setups[0].cutting.after(1))

    def test_stock_after_every_operation(self):
        """Op 10: faced, outlined, pocket and holes, bore; each takes something, none gives back."""
        cutting = demo_plan().setups[0].cutting
        volumes = [cutting.before(k).volume for k in range(5)]
        self.assertAlmostEqual(volumes[0], 100 * 68 * 34)
        self.assertAlmostEqual(volumes[1], 100 * 68 * 32.5)
        self.assertAlmostEqual(volumes[2], 96 * 64 * 28 + 100 * 68 * 4.5, delta=1)
        self.assertEqual(volumes, sorted(volumes, reverse=True))
        self.assertIs(cutting.before(0), demo_plan().blank)

    def test_what_an_operation_takes_ends_where_it_cuts(self):
        """Pocket and bolt holes reach from one bolt hole's edge to another's; no skin of the outline counts."""
        taken = np.array(demo_plan().setups[0].cutting.removed(2).bounding_box()).reshape(2, 3)
        np.testing.assert_allclose(taken, [(12 - 2.75, 12 - 2.75, 0), (80 + 2.75, 52 + 2.75, 28)], atol=0.03)

    def test_a_thicker_blank_leaves_a_higher_hat(self):
        plan = plan_with((("stock", "measured", "z"), 36.0))
        self.assertAlmostEqual(plan.setups[0].after.corners[0][2], -6.5)

    def test_a_setup_that_leaves_nothing_is_refused(self):
        with self.assertRaisesRegex(PlanError, "Op 10 cuts the whole stock away"):
            plan_with((("stock", "allowance", "plus_z"), 40.0))
