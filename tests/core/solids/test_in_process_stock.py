"""Where a stock really ends that its facets only come near to."""

from __future__ import annotations

import unittest

import manifold3d
import numpy as np

from ledgecliff.core.frames import rotation
from ledgecliff.core.solids.in_process_stock import InProcessStock, TrueEnds

FLATS = 32
# So that flats and not corners look along X and Y: the facets end inside of the round.
DISC = manifold3d.Manifold.cylinder(12.0, 10.0, 10.0, FLATS).rotate((0.0, 0.0, 180.0 / FLATS))
INSIDE = 10.0 * float(np.cos(np.pi / FLATS))
TRUE = TrueEnds(
    np.array([[-INSIDE, -INSIDE, 0.0], [INSIDE, INSIDE, 12.0]]), np.array([[-10.0, -10.0, 0.0], [10.0, 10.0, 12.0]])
)


def disc() -> InProcessStock:
    return InProcessStock(DISC, 0, ends=(TRUE,))


class TrueEndsTest(unittest.TestCase):
    def test_by_quarters_a_round_ends_where_it_does(self):
        for turn, round_axes in ((np.eye(3), (0, 1)), (rotation("x", 90), (0, 2)), (rotation("y", -90), (1, 2))):
            places = np.array(DISC.bounding_box()).reshape(2, 3) @ turn.T
            ends = disc().truly(np.sort(places, axis=0), turn)
            np.testing.assert_allclose((ends[1] - ends[0])[list(round_axes)], 20.0, atol=1e-9)
            self.assertAlmostEqual(float(np.ptp(ends, axis=0)[3 - sum(round_axes)]), 12.0)

    def test_along_what_is_no_direction_of_the_part_nothing_is_moved(self):
        """Turned about Z two corners say where nothing ends: a place there by chance stays; along Z they still say."""
        turn = rotation("z", 45)
        by_chance = np.sort(TRUE.facets @ turn.T, axis=0)
        taller = TrueEnds(TRUE.facets, TRUE.true + np.array([[0, 0, -0.01], [0, 0, 0.02]]))
        ends = InProcessStock(DISC, 0, ends=(taller,)).truly(by_chance, turn)
        np.testing.assert_array_equal(ends[:, :2], by_chance[:, :2])
        np.testing.assert_allclose(ends[:, 2], (-0.01, 12.02), atol=1e-12)
