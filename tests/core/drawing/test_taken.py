"""What an operation takes away, tinted: where it lies in both views and how large it is there."""

from __future__ import annotations

import unittest

import numpy as np
from scipy.spatial import ConvexHull

from ledgecliff.core.drawing.items import Fill
from ledgecliff.core.drawing.stage import setup_views
from ledgecliff.core.drawing.taken import taken
from ledgecliff.core.model.stations import AxisTurn
from tests.core.turns.test_both_sides import lid_with
from tests.helpers import demo_plan, plan_with
from tests.turn_jobs import ring_plan


def area(fill):
    return sum(
        abs(0.5 * float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))) * sign
        for x, y, sign in ((*np.array(ring).T, _turn(ring)) for ring in fill.rings)
    )


def _turn(ring):
    x, y = np.array(ring).T
    return 1 if float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1))) > 0.0 else -1


def corners(fill):
    points = np.concatenate([np.array(ring) for ring in fill.rings])
    return points.min(axis=0), points.max(axis=0)


class TakenTest(unittest.TestCase):
    def test_facing_and_outline_of_the_demo_by_hand(self):
        """Stock 100 x 68, 1.5 to be faced; part 96 x 64 x 28; the zero in the stock's middle on the part's top."""
        setup = demo_plan().setups[0]
        for operation, (plan, front), low, high in (
            (0, (100 * 68, 100 * 1.5), (-50, 0), (50, 1.5)),
            (1, (100 * 68 - 96 * 64, 100 * 28), (-50, -28), (50, 0)),
        ):
            above, before = taken(setup, operation)
            self.assertAlmostEqual(area(above), plan, places=3)
            self.assertAlmostEqual(area(before), front, places=3)
            np.testing.assert_allclose(corners(above), ((-50, -34), (50, 34)), atol=1e-6)
            np.testing.assert_allclose(corners(before), (low, high), atol=1e-6)

    def test_it_lies_where_the_tilted_stock_lies(self):
        """A slab faced off a turned block is convex: its shadow is the hull of its corners."""
        for axis, degrees in (("x", 20.0), ("y", -35.0)):
            plan = plan_with(
                (("setups", 0, "orientation", "tilted"), (AxisTurn(about=axis, degrees=degrees),)),
                (("setups", 0, "operations", 0, "down_to"), None),
            )
            setup = plan.setups[0]
            removed = setup.cutting.removed(0)
            points = np.asarray(removed.to_mesh64().vert_properties)[:, :3] @ setup.setup.orientation.matrix().T
            points = points - setup.wcs.u_origin
            self.assertGreater(removed.volume(), 0.0)
            self.assertLess(removed.hull().volume() / removed.volume(), 1.0 + 1e-9)
            for fill, columns in zip(taken(setup, 0), ((0, 1), (0, 2)), strict=True):
                hull = ConvexHull(points[:, columns])
                self.assertAlmostEqual(area(fill), hull.volume, places=3)
                np.testing.assert_allclose(corners(fill), (hull.min_bound, hull.max_bound), atol=1e-6)

    def test_only_through_the_cut_lens_and_over_faces_but_under_lines(self):
        setup = demo_plan().setups[0]
        for lens in ("cut", "hold", "datum"):
            for drawing in setup_views(setup, lens, 2):
                fills = [k for k, item in enumerate(drawing.items) if isinstance(item, Fill)]
                here = [k for k in fills if drawing.items[k].surface == "taken"]
                self.assertEqual(here, fills[-1:] if lens == "cut" else [])
                self.assertEqual(fills, list(range(len(fills))))

    def test_a_film_on_a_wall_that_was_cut_before_is_not_shown(self):
        """Op 10 bores to the part's underside, then through the hat of 4.5 under it: Ø22, from −28 to −32.5."""
        setup = demo_plan().setups[0]
        low, high = np.array(setup.cutting.removed(3).bounding_box()).reshape(2, 3)[:, 2]
        self.assertGreater(high - low, 20.0, "there is one")
        above, before = taken(setup, 3)
        np.testing.assert_allclose(corners(before), ((-29, -32.5), (-7, -28)), atol=0.05)
        self.assertAlmostEqual(area(before), 22 * 4.5, delta=0.5)
        self.assertAlmostEqual(area(above), np.pi * 11**2, delta=2.0)

    def test_every_operation_of_the_examples_shows_what_it_takes(self):
        """Where much is removed its shadow, times how deep it goes, is at least that much."""
        for plan in (demo_plan(), lid_with(), ring_plan("on-pins")):
            for setup in plan.setups:
                for number in range(len(setup.setup.operations)):
                    removed = setup.cutting.removed(number)
                    if removed.volume() < 1.0:
                        continue
                    for fill, k in zip(taken(setup, number), (2, 1), strict=True):
                        points = np.asarray(removed.to_mesh64().vert_properties)[:, :3]
                        along = points @ setup.setup.orientation.matrix()[k]
                        self.assertGreater(area(fill) * np.ptp(along), 0.99 * removed.volume())
