"""First contact of ball and stem against closed forms."""

from __future__ import annotations

import math
import unittest

import manifold3d
import numpy as np

from ledgecliff.core.blanks import box
from ledgecliff.core.contact.first_contact import Body, ContactStopped, Feeler
from ledgecliff.core.solids.adjacency import areas_and_normals
from ledgecliff.core.solids.meshes import mesh_of
from tests.helpers import demo

PROBE = demo().machine.probe
NOSE = 90.0
RADIUS = PROBE.ball_radius


def travel(start, end, *solids):
    contact = Feeler.probe(PROBE, NOSE).first_contact(
        np.array(start, dtype=float), np.array(end, dtype=float), [Body(f"b{k}", s) for k, s in enumerate(solids)]
    )
    return None if contact is None else (round(contact.travel, 4), contact.part, contact.body)


class FirstContactTest(unittest.TestCase):
    def test_flat_face(self):
        block = box((0, -20, -20), (40, 20, 20))
        self.assertEqual(travel((-30, 0, 0), (10, 0, 0), block), (30 - RADIUS, "ball", "b0"))

    def test_edge_and_corner(self):
        """Ball past an upright edge: meets it where its circle does; a corner by the sphere."""
        block = box((0, 0, -20), (40, 20, 20))
        edge = 30 - math.sqrt(RADIUS**2 - 1.0)
        self.assertAlmostEqual(travel((-30, -1, 0), (10, -1, 0), block)[0], edge, places=3)
        corner = box((0, 0, 0), (40, 20, 20))
        expected = 30 - math.sqrt(RADIUS**2 - 1.0 - 1.0)
        ball = Feeler.probe(PROBE, NOSE)
        found = ball.first_contact(np.array([-30.0, -1.0, 21.0]), np.array([10.0, -1.0, 21.0]), [Body("c", corner)])
        self.assertAlmostEqual(found.travel, expected, places=3)

    def test_a_near_miss_is_a_miss(self):
        block = box((0, 0, -20), (40, 20, 20))
        self.assertIsNone(travel((-30, -RADIUS - 0.001, 0), (60, -RADIUS - 0.001, 0), block))

    def test_round_bore_from_inside(self):
        """In a bore of radius 11 the centre gets 11 less the ball's radius away, in any direction."""
        bore = box((-30, -30, -10), (30, 30, 10)) - manifold3d.Manifold.cylinder(40, 11, 11, 720, center=True)
        for angle in np.radians((0, 33, 90, 200)):
            end = (15 * math.cos(angle), 15 * math.sin(angle), 0)
            self.assertAlmostEqual(travel((0, 0, 0), end, bore)[0], 11 - RADIUS, delta=0.001)

    def test_slivers_left_by_booleans_are_not_touched(self):
        """A bore cut thrice, each time turned by a billionth of a degree, has dozens of triangles without any area."""
        tool = manifold3d.Manifold.cylinder(20, 8, circular_segments=160).translate((0, 0, -10))
        bore = box((-20, -20, -7), (20, 20, 7)) - tool - tool.rotate((0, 0, 1e-9)) - tool.rotate((0, 0, 2e-9))
        self.assertGreater(int(np.count_nonzero(areas_and_normals(mesh_of(bore))[0] < 1e-12)), 10)
        for angle in np.radians((10, 77, 190, 301)):
            end = (12 * math.cos(angle), 12 * math.sin(angle), 0)
            self.assertAlmostEqual(travel((0, 0, 0), end, bore)[0], 8 - RADIUS, delta=0.003)

    def test_the_nearer_of_two_bodies_counts(self):
        near, far = box((5, -5, -5), (6, 5, 5)), box((3, -5, 8), (6, 5, 9))
        self.assertEqual(travel((-10, 0, 0), (20, 0, 0), near, far)[1:], ("stem", "b1"))

    def test_downward_the_ball_meets_the_top(self):
        self.assertEqual(travel((0, 0, 50), (0, 0, -50), box((-5, -5, -20), (5, 5, 10)))[:2], (40 - RADIUS, "ball"))

    def test_deep_beside_a_wall_the_body_follows(self):
        """Below its reach the thicker body meets a ledge that ball and stem pass."""
        ledge = box((3, -20, -10), (30, 20, 0))
        down = travel((0, 0, 40), (0, 0, -60), ledge)
        self.assertEqual(down[1], "body")
        self.assertAlmostEqual(down[0], 40 + PROBE.reach - RADIUS, places=3)

    def test_beside_something_tall_the_spindle_follows(self):
        """A clamp clear of the probe's body, but as high as the gauge line less the ball's radius lets the nose go."""
        clamp = box((20, -5, -200), (30, 5, 0))
        part = travel((0, 0, 50), (0, 0, -400), clamp)
        self.assertEqual(part[1], "nose")
        self.assertAlmostEqual(part[0], 50 + PROBE.length - PROBE.ball_radius, places=3)
        self.assertIsNone(travel((0, 0, 50), (0, 0, -400), box((46, -5, -200), (60, 5, 0))))


class BoundedWorkTest(unittest.TestCase):
    """A ball that slides along a wall a hair away: steps of that hair would take minutes."""

    ASKEW = 30.0

    def setUp(self):
        # Askew, so that no box about it says that it is missed.
        self.block = Body("block", box((0, -200, -40), (40, 200, 2)).rotate((0, 0, self.ASKEW)))
        self.feeler = Feeler.probe(PROBE, NOSE)
        self.asked = 0

    def slide(self, hair, length, bodies=(), **more):
        ball = self.feeler._shapes[0]
        real = ball.gap

        def counted(*args):
            self.asked += 1
            return real(*args)

        ball.gap = counted
        c, s = math.cos(math.radians(self.ASKEW)), math.sin(math.radians(self.ASKEW))
        x = -PROBE.ball_radius - hair
        start, end = ((c * x - s * y, s * x + c * y, 0.0) for y in (-150.0, -150.0 + length))
        return self.feeler.first_contact(start, end, [self.block, *bodies], **more)

    def test_it_ends_after_so_many_steps(self):
        self.assertIsNone(self.slide(2e-5, 30.0))
        self.assertLess(self.asked, 6000)

    def test_what_stands_in_the_way_is_found_where_it_is(self):
        """A rib of 0.3 that stands out by 0.05, 17 on: by hand, contact where the ball's circle meets its corner."""
        rib = Body("rib", box((-0.05, -133, -40), (0, -132.7, 2)).rotate((0, 0, self.ASKEW)))
        found = self.slide(2e-5, 30.0, [rib])
        radius = PROBE.ball_radius
        before = math.sqrt(radius**2 - (radius + 2e-5 - 0.05) ** 2)
        self.assertEqual(found.body, "rib")
        self.assertAlmostEqual(found.travel, 17.0 - before, places=3)

    def test_it_can_be_told_to_stop_within_the_move(self):
        with self.assertRaises(ContactStopped):
            self.slide(2e-5, 30.0, should_stop=lambda: self.asked > 100)
        self.assertLess(self.asked, 300)


class LastContactTest(unittest.TestCase):
    def test_contact_is_lost_where_it_was_made(self):
        block = Body("block", box((0, -20, -20), (40, 20, 20)))
        feeler = Feeler.probe(PROBE, NOSE)
        travel_ = feeler.last_contact(np.array([-RADIUS + 0.3, 0, 0]), np.array([-10.0, 0, 0]), [block])
        self.assertAlmostEqual(travel_, 0.3, places=4)

    def test_still_touching_at_the_end(self):
        block = Body("block", box((0, -20, -20), (40, 20, 20)))
        feeler = Feeler.probe(PROBE, NOSE)
        self.assertIsNone(feeler.last_contact(np.array([0.0, 0, 0]), np.array([-1.0, 0, 0]), [block]))


class KnownDistanceTest(unittest.TestCase):
    def test_a_bound_is_never_more_than_the_distance(self):
        """Whatever was asked before at places nearby, what rules a pair out must be true."""
        rng = np.random.default_rng(12)
        solid = manifold3d.Manifold.sphere(20.0, 48) + box((-5, -5, -40), (5, 5, 0))
        for shape in Feeler.probe(PROBE, NOSE)._shapes:
            body = Body("pillar", solid)
            for _ in range(150):
                at = tuple(rng.uniform(-45, 45, 3))
                bound, gap = shape.gap_at_least(at, body), shape.gap(at, body)
                self.assertLessEqual(bound, max(gap, 0.0) + 1e-6)

    def test_a_grown_feeler_meets_sooner_by_what_it_is_grown(self):
        block = [Body("block", box((0, -20, -20), (40, 20, 20)))]
        start, end = (-30.0, 0.0, 0.0), (-1.0, 0.0, 0.0)
        plain = Feeler.probe(PROBE, NOSE).first_contact(start, end, block)
        grown = Feeler.probe_anywhere(PROBE, NOSE, (1.5, 0.2), 2.0).first_contact(start, end, block)
        # Both stand beside the block with their thicker body or their ball, whichever is wider.
        # The grown round is a prism about it, at most 0.5 % larger.
        self.assertTrue(1.5 <= plain.travel - grown.travel <= 1.5 + 0.005 * RADIUS)
        down = Feeler.probe_anywhere(PROBE, NOSE, (0.0, 0.0), 2.0).first_contact(
            (20.0, 0.0, 60.0), (20.0, 0.0, 0.0), block
        )
        flat = Feeler.probe(PROBE, NOSE).first_contact((20.0, 0.0, 60.0), (20.0, 0.0, 0.0), block)
        self.assertAlmostEqual(flat.travel - down.travel, 2.0, places=3)
