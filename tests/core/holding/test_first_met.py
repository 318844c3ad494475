"""How far faces go until they meet a body, held against bodies that are really moved there: a hair less and nothing is
shared, a hair more and something is."""

from __future__ import annotations

import unittest

import manifold3d
import numpy as np

from ledgecliff.core.blanks import box
from ledgecliff.core.holding.first_met import way_until_met
from ledgecliff.core.holding.own_fixtures import triangles_of
from tests.draws import draws

HAIR = 1e-4


def shared(mover, body, axis, way):
    there = np.zeros(3)
    there[axis] = way
    return (mover.translate(tuple(there)) ^ body).volume()


class FirstMetTest(unittest.TestCase):
    def test_known_ways(self):
        """A bar of 10 before a step: 20 off the lower, 5 off the upper half of what it is before."""
        wall = box((30, -50, -50), (40, 50, 0)) + box((15, -50, 0), (40, 50, 50))
        for low, high, way in ((-9, -1, 20.0), (1, 9, 5.0), (-5, 5, 5.0)):
            with self.subTest(low=low):
                faces = triangles_of(box((0, 0, low), (10, 4, high)))
                self.assertAlmostEqual(way_until_met(faces, wall, 0, 1), way, 9)

    def test_what_is_beside_is_not_met(self):
        """Edges that would only slide along each other are not met, nor what ends just where they begin."""
        faces = triangles_of(box((0, 0, 0), (10, 10, 10)))
        for beside in (box((20, 10, 0), (30, 20, 10)), box((20, 0, 10), (30, 10, 20)), box((20, -9, -9), (30, 0, 20))):
            self.assertIsNone(way_until_met(faces, beside, 0, 1))

    def test_behind(self):
        """In a body already, it must go back to be clear of all of it; where only what is before counts, it may not."""
        faces, block = triangles_of(box((0, 0, 0), (10, 10, 10))), box((4, -20, -20), (25, 20, 20))
        self.assertAlmostEqual(way_until_met(faces, block, 0, 1), -6.0, 9)
        self.assertAlmostEqual(way_until_met(faces, block, 0, 1, before_only=True), 0.0, 9)
        behind = box((-30, -20, -20), (-25, 20, 20))
        self.assertIsNone(way_until_met(faces, behind, 0, 1, before_only=True))

    def test_round_against_round(self):
        """Two upright rounds of 10 and 20 whose middles are 9 apart across the way meet sqrt(15² - 9²) apart."""
        first = manifold3d.Manifold.cylinder(10, 5, circular_segments=720)
        second = manifold3d.Manifold.cylinder(10, 10, circular_segments=720).translate((40, 9, 2))
        way = way_until_met(triangles_of(first), second, 0, 1)
        self.assertAlmostEqual(way, 40 - 12, delta=0.002)

    def test_any_bodies(self):
        """Turned and cut blocks, along each of the six ways."""
        chance = np.random.default_rng(17)
        met = 0
        for number in range(draws(12, 60)):
            mover, body = (self._body(chance) for _ in range(2))
            axis, sign = number % 3, 1 if number % 2 else -1
            apart = np.zeros(3)
            apart[axis] = sign * 200.0
            body = body.translate(tuple(apart + chance.uniform(-8.0, 8.0, 3)))
            way = way_until_met(triangles_of(mover), body, axis, sign)
            if way is None:
                self.assertEqual(shared(mover, body, axis, sign * 200.0), 0.0)
                continue
            met += 1
            with self.subTest(number=number):
                self.assertLess(shared(mover, body, axis, sign * (way - HAIR)), 1e-9)
                self.assertGreater(shared(mover, body, axis, sign * (way + 0.05)), 0.0)
        self.assertGreater(met, 5)

    @staticmethod
    def _body(chance):
        whole = manifold3d.Manifold.cube(tuple(chance.uniform(5.0, 30.0, 3)), True)
        whole -= manifold3d.Manifold.sphere(float(chance.uniform(2.0, 8.0)), 24).translate((3, 2, 4))
        return whole.rotate(tuple(chance.uniform(0.0, 360.0, 3)))


if __name__ == "__main__":
    unittest.main()
