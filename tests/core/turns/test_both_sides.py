"""Parting plane, tabs, jig pockets and the turn check."""

from __future__ import annotations

import math
import unittest
from functools import cache
from unittest import mock

import manifold3d
import numpy as np

from ledgecliff.core.blanks import box
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.turns import with_jig_anew
from ledgecliff.core.holding.jigs import relief_places
from ledgecliff.core.model.holding import JigPocket, Screw
from ledgecliff.core.model.machine import Cutter
from ledgecliff.core.model.operations import Face, Hole, Seen
from ledgecliff.core.plan import make_plan
from ledgecliff.core.solids.geometry import Models
from ledgecliff.core.turns.jig_making import part_pocket
from ledgecliff.core.turns.parting import parting_of, ridge_at, tabs_of
from ledgecliff.core.turns.turn_check import _Checker as turn_checker
from ledgecliff.core.turns.turn_check import turn_check
from ledgecliff.core.turns.turn_plan import turns_of
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from ledgecliff.store.part_models import load_models
from tests.core.solids.test_solids import mesh_of
from tests.helpers import codes, demo_plan
from tests.jobs import ON_BOARD, block_job, feature, plan_of, setup
from tests.turn_jobs import FIRST, LAST, ring, ring_plan, ring_with


@cache
def lid():
    path = demo_job("lamp-lid")
    job = read_job(path)
    return job, load_models(job, path)


def lid_with(*edits):
    job, models = lid()
    for path, value in edits:
        job = set_value(job, path, value)
    return make_plan(job, models)


class PartingTest(unittest.TestCase):
    def test_both_outlines_pass_each_other(self):
        """15 thick: from above to 7 over the underside, from below to 7 under the top, 8: overlap 1."""
        parting = parting_of(turns_of(ring_plan("on-pins"))[0])
        self.assertAlmostEqual(parting.first, 7.0)
        self.assertAlmostEqual(parting.overlap, 1.0)
        self.assertIsNone(parting_of(turns_of(demo_plan())[0]), "the housing's outline is cut from one side")

    def test_floor_left(self):
        """Each 7.5 from its side they meet; less, and what they leave is a real floor in the stock too."""
        for below, silent in ((-7.5, True), (-8.0, False)):
            plan = ring_with("on-pins", ((*FIRST, "below"), below), ((*LAST, "below"), below))
            self.assertEqual("FLOOR_LEFT" not in codes(plan), silent)
        turn = turns_of(plan)[0]
        self.assertAlmostEqual(parting_of(turn).overlap, -1.0)
        stock = plan.setups[1].cutting.after(1).solid
        hits = stock.ray_cast((124.0, 0.0, 100.0), (124.0, 0.0, -100.0))
        self.assertAlmostEqual(abs(hits[0].position[2] - hits[1].position[2]), 1.0, places=3)

    def test_ridge_of_round_noses(self):
        """Against the profile worked out by sampling: what neither circle reaches at the wall, at its widest gap."""
        for radius, overlap in ((4.0, 0.0), (4.0, 1.0), (3.0, 4.0), (2.0, 4.0)):
            heights = np.linspace(0.0, overlap, 2001)

            def off(height, radius=radius):
                return radius - math.sqrt(max(radius**2 - max(radius - height, 0.0) ** 2, 0.0))

            thickest = max(min(off(h), off(overlap - h)) for h in heights)
            self.assertAlmostEqual(ridge_at(radius, overlap), thickest, places=4)

    def test_ridge_left(self):
        job = ring("on-pins")
        ball = Cutter(tool=3, name="8 mm ball end mill", diameter=8, length=112, shape="ball", reach=36)
        machine = job.machine.model_copy(
            update={"cutters": tuple(ball if cutter.tool == 3 else cutter for cutter in job.machine.cutters)}
        )
        self.assertIn("RIDGE_LEFT", codes(make_plan(job.model_copy(update={"machines": (machine,)}), Models())))
        self.assertNotIn("RIDGE_LEFT", codes(ring_plan("on-pins")))


class TabsTest(unittest.TestCase):
    def test_area_is_width_by_what_is_left(self):
        """3.5 up from 8, of which the first side took the part over 7: 2.5 thick, 8 wide, six of them."""
        (tabs,) = tabs_of(ring_plan("on-pins").setups[1])
        self.assertAlmostEqual(tabs.area, 6 * 8 * 2.5, places=3)

    def test_by_hand_they_stand_where_they_are_put(self):
        """Shares of the way round a circle are shares of a turn, from X+ on, against the clock."""
        plan = ring_with("on-pins", ((*LAST, "tabs_at"), (0.0, 0.25, 0.6)))
        (tabs,) = tabs_of(plan.setups[1])
        for tab, share in zip(tabs.tabs, (0.0, 0.25, 0.6), strict=True):
            angle = 2 * math.pi * share
            np.testing.assert_allclose((tab.x, tab.y), (120 * math.cos(angle), 120 * math.sin(angle)), atol=0.6)

    def test_tab_under_clamp(self):
        self.assertNotIn("TAB_UNDER_CLAMP", codes(ring_plan("on-pins")))
        screw = Screw(x=160 + 124, y=140, head_diameter=8)
        plan = ring_with("on-pins", ((*LAST, "tabs_at"), (0.0,)), (("setups", 1, "hold", "screws"), (screw,)))
        self.assertIn("TAB_UNDER_CLAMP", codes(plan, "Op 20"))

    def test_tab_on_feature(self):
        """A slot that runs out at the right end; a tab in the middle of that end, or at the back."""
        from ledgecliff.core.model.operations import Outline, Slot

        slot = feature("slot", "slot", (45, 20, 20), length=30, width=8, depth=6, lengthwise="+X")
        for share, fires in ((0.1, True), (0.4, False)):
            outline = Outline(name="o", tool=3, slot=8, tabs_at=(share,), tab_height=18)
            job = block_job(
                setup(Slot(name="s", tool=3, on="slot"), outline, hold=ON_BOARD), features=(slot,), stock=(90, 70, 20)
            )
            self.assertEqual("TAB_ON_FEATURE" in codes(plan_of(job)), fires)


class JigTest(unittest.TestCase):
    POCKET = ("machines", 0, "fixtures", 2, "second")

    def test_the_lid_stands_in_its_pockets(self):
        """Where it lies follows from the pockets alone, and it sinks by pocket less tape."""
        plan = lid_with()
        self.assertEqual(codes(plan), set())
        jig = plan.job.machine.fixtures[2]
        for setup_plan, pocket in zip(plan.setups, (jig.first, jig.second), strict=True):
            holding = setup_plan.holding
            box = holding.u_stock if pocket is jig.first else holding.u_part
            middle = (box[0] + box[1]) / 2.0 - setup_plan.wcs.u_origin
            np.testing.assert_allclose(middle[:2], (pocket.x, pocket.y), atol=1e-6)
            self.assertAlmostEqual(holding.seat - setup_plan.wcs.u_origin[2], -(pocket.depth - 0.2))
        np.testing.assert_allclose(plan.setups[0].located.m_offset, plan.setups[1].located.m_offset, atol=1e-9)

    def test_pocket_shallow(self):
        for depth, fires in ((3.2, False), (3.1, True)):
            self.assertEqual("JIG_POCKET_SHALLOW" in codes(lid_with(((*self.POCKET, "depth"), depth))), fires)

    def test_outline_not_deep_enough_to_enter(self):
        """The outline goes 20 deep; leave it 14 up, and 6 are left to go into a pocket of 8."""
        outline = ("setups", 0, "operations", 7, "below")
        self.assertEqual(lid()[0].setups[0].operations[7].removes, "outline")
        for below, fires in ((-11.5, False), (-14.0, True)):
            plan = lid_with((outline, below))
            self.assertEqual("JIG_OUTLINE_SHALLOW" in codes(plan), fires, below)

    def test_what_is_larger_than_its_pocket_does_not_go_in(self):
        narrow = tuple((x * 0.98, y) for x, y in lid()[0].machine.fixtures[2].second.outline)
        self.assertIn("JIG_DOES_NOT_GO_IN", codes(lid_with(((*self.POCKET, "outline"), narrow))))
        wide = tuple((x * 1.02, y) for x, y in lid()[0].machine.fixtures[2].second.outline)
        self.assertIn("JIG_POCKET_LOOSE", codes(lid_with(((*self.POCKET, "outline"), wide))))
        self.assertFalse({"JIG_DOES_NOT_GO_IN", "JIG_POCKET_LOOSE"} & codes(lid_with()))

    def test_blank_varies(self):
        self.assertNotIn("JIG_BLANK_VARIES", codes(lid_with()))
        self.assertIn("JIG_BLANK_VARIES", codes(lid_with((("stock", "varies", "x"), 1.0))))

    def test_the_jig_is_made_anew_for_another_clearance(self):
        plan = lid_with((("machines", 0, "fixtures", 2, "clearance"), 0.2))
        job = with_jig_anew(plan.job, 1, plan)
        before, after = (np.ptp(np.array(j.machine.fixtures[2].second.outline), axis=0) for j in (plan.job, job))
        np.testing.assert_allclose(after - before, 2 * (0.2 - 0.05), atol=2e-3)
        self.assertEqual(job.machine.stations, plan.job.machine.stations)
        self.assertEqual(codes(make_plan(job, lid()[1])), set())

    def test_a_through_pocket_is_refused(self):
        with self.assertRaisesRegex(ValueError, "goes through the jig"):
            lid_with(((*self.POCKET, "depth"), 25.0))

    def test_a_zero_hole_that_takes_all_of_the_jig_is_refused(self):
        jig = lid()[0].machine.fixtures[2]
        narrow, path = min(jig.length, jig.width), ("machines", 0, "fixtures", 2, "zero_diameter")
        with self.assertRaisesRegex(ValueError, "leaves nothing of a jig"):
            lid_with((path, narrow))
        self.assertFalse(lid_with((path, narrow - 1.0)).setups[1].holding.block("jig").solid().is_empty())


class TurnCheckTest(unittest.TestCase):
    def met(self, turn, matrix, x, y):
        """Height met in the WCS with the stock laid in by ``matrix``, by slicing it instead of by a ray."""
        solid = turn.after.before.solid.transform(np.column_stack([matrix, np.zeros(3)]))
        low, high = np.array(solid.bounding_box()).reshape(2, 3)
        seat = turn.after.holding.u_stock
        shift = (seat[0] + seat[1]) / 2.0 - (low + high) / 2.0
        shift[2] = seat[0][2] - low[2]
        at = np.array([x, y]) + turn.after.wcs.u_origin[:2] - shift[:2]
        tops = [
            z for z in np.arange(low[2] + 0.25, high[2] + 0.25, 0.5)
            if any(c.area() > 0 for c in [solid.slice(min(z, high[2] - 1e-6)) ^ _speck(at)])
        ]  # fmt: skip
        return (max(tops) + shift[2] - turn.after.wcs.u_origin[2]) if tops else -math.inf

    def test_touches_tell_what_they_say(self):
        turn = turns_of(ring_plan("on-pins"))[0]
        check = turn_check(turn)
        told = {name for touch in check.touches for name, _ in touch.tells}
        self.assertEqual(told, {"turned end for end", "not turned", "not turned and end for end"})
        spin = np.diag([-1.0, -1.0, 1.0])
        poses = {
            "turned end for end": spin @ turn.after.setup.orientation.matrix(),
            "not turned": turn.before.setup.orientation.matrix(),
            "not turned and end for end": spin @ turn.before.setup.orientation.matrix(),
        }
        for touch in check.touches:
            right = self.met(turn, turn.after.setup.orientation.matrix(), touch.x, touch.y)
            self.assertAlmostEqual(right, touch.z, delta=0.3)
            for name, height in touch.tells:
                wrong = self.met(turn, poses[name], touch.x, touch.y)
                self.assertGreater(abs(right - max(wrong, -100.0)), touch.threshold)
                if height is not None:
                    self.assertAlmostEqual(wrong, height, delta=0.6)

    def ball_meets(self, solid, x, y, top, radius):
        """How low a ball gets that comes down over a place, by bisecting where its way from above is free."""
        ball = manifold3d.Manifold.sphere(radius, 48)

        def free(z):
            ends = [ball.translate((x, y, height + radius)) for height in (z, top + 1.0)]
            return (manifold3d.Manifold.batch_hull(ends) ^ solid).volume() < 1e-6

        low, high = top - 200.0, top + 0.5
        if free(low):
            return -math.inf
        while high - low > 0.01:
            middle = (low + high) / 2.0
            low, high = (low, middle) if free(middle) else (middle, high)
        return high

    def test_the_ball_tells_what_is_claimed_wherever_it_comes_down(self):
        """Over each proposed place and up to half a millimetre beside it, a real ball meets the right stock where it is
        said, and a wrong one beyond the threshold: on blocks with holes and pockets by lot."""
        told = untold = 0
        for seed in range(6):
            rng = np.random.default_rng(seed)
            features, operations = [], []
            for k in range(int(rng.integers(1, 4))):
                x, y = rng.uniform((6, 6), (74, 44)).round(1).tolist()
                name, depth = f"h{k}", float(rng.choice([3.0, 8.0, 20.0]))
                features.append(feature(name, "hole", (x, y, 20), diameter=float(rng.choice([2.0, 5.0, 12.0])),
                                        depth=depth, through=depth >= 20.0))  # fmt: skip
                operations.append(Hole(name=name, tool=3, on=name))
            second = setup(name="Op 20", up="-Z", hold=ON_BOARD, offset="G55")
            plan = plan_of(
                block_job(setup(*operations, hold=ON_BOARD), second, part=(80, 50, 20), stock=(80, 50, 20),
                          features=tuple(features))
            )  # fmt: skip
            turn = turns_of(plan)[0]
            checker = turn_checker(turn)
            poses = {pose.name: pose.solid for pose in checker._wrong_ways()} | {"right": checker._right.solid}
            origin, radius = turn.after.wcs.u_origin, turn.after.machine.probe.ball_radius
            top = float(turn.after.holding.u_stock[1][2])
            untold += len(turn_check(turn).cannot_tell)
            self.assertEqual(len(turn_check(turn).cannot_tell), len(turn_check(turn).offers))
            for touch in turn_check(turn).touches:
                for dx, dy in ((0.0, 0.0), *rng.uniform(-0.5, 0.5, (3, 2))):
                    at = (touch.x + float(origin[0]) + dx, touch.y + float(origin[1]) + dy)
                    right = self.ball_meets(poses["right"], *at, top, radius) - float(origin[2])
                    self.assertAlmostEqual(right, touch.z, delta=0.02)
                    for name, _ in touch.tells:
                        told += 1
                        met = self.ball_meets(poses[name], *at, top, radius) - float(origin[2])
                        self.assertGreater(abs(right - max(met, -999.0)), touch.threshold, (seed, name))
        self.assertGreater(min(told, untold), 3)

    def test_a_hole_too_small_for_the_ball_tells_nothing(self):
        """A hole of 2 that a thin ray falls into and a ball of 4 rides over; one of 12 is told."""
        for diameter, tells in ((2.0, False), (12.0, True)):
            hole = feature("hole", "hole", (14, 12, 20), diameter=diameter, depth=8.0)
            job = block_job(
                setup(Hole(name="h", tool=3, on="hole"), hold=ON_BOARD),
                setup(name="Op 20", hold=ON_BOARD, offset="G55", right="-X"),
                features=(hole,),
            )
            check = turn_check(turns_of(plan_of(job))[0])
            self.assertEqual(bool(check.touches), tells)
            if not tells:
                self.assertEqual(len(check.offers), len(check.cannot_tell))
                self.assertIn("mark the end", check.offers[0])

    def test_what_cannot_be_told_is_said(self):
        """A plain block with a hole in its middle looks alike any way, which does no harm."""
        hole = feature("hole", "hole", (30, 20, 20), diameter=10, through=True)
        job = block_job(
            setup(Hole(name="h", tool=3, on="hole"), hold=ON_BOARD),
            setup(name="Op 20", up="-Z", hold=ON_BOARD, offset="G55"),
            features=(hole,),
        )
        check = turn_check(turns_of(plan_of(job))[0])
        self.assertEqual(check.touches, ())
        self.assertEqual(len(check.cannot_tell), 3)
        self.assertTrue(all("the same that way" in offer for offer in check.offers))

    def test_a_chip_shows_by_its_share_of_the_seat(self):
        """On a finished top of 60 x 40: two touches nearly at its corners see nearly all of a chip of 0.1."""
        job = block_job(
            setup(Face(name="f", tool=1), hold=ON_BOARD, up="-Z"),
            setup(Seen(name="s", tool=3), name="Op 20", hold=ON_BOARD, offset="G55"),
            stock=(60, 40, 22),
        )
        check = turn_check(turns_of(plan_of(job))[0])
        self.assertEqual(check.chip_touches, (), "its top is still raw")
        turned = block_job(
            setup(Face(name="f", tool=1), hold=ON_BOARD),
            setup(name="Op 20", hold=ON_BOARD, offset="G55", right="-X"),
            stock=(60, 40, 22),
        )
        check = turn_check(turns_of(plan_of(turned))[0])
        (x0, y0, _), (x1, y1, _) = check.chip_touches
        self.assertAlmostEqual(check.chip_shows, 0.1 * math.hypot(x1 - x0, y1 - y0) / math.hypot(60, 40))
        self.assertGreater(check.chip_shows, 0.08)


def _speck(at):
    return manifold3d.CrossSection.circle(0.05, 8).translate(tuple(at))


class PocketTest(unittest.TestCase):
    def test_the_second_pocket_takes_what_sinks_into_it(self):
        """A foot of 40 x 30 under a flange of 60 x 50: the pocket 4 deep is the foot's, the one 9 deep the flange's."""
        part = box((0, 0, 0), (60, 50, 14)) - (box((-1, -1, -1), (61, 51, 6)) - box((10, 10, -1), (50, 40, 6)))
        setup_plan = mock.Mock()
        setup_plan.geometry.solid = part
        setup_plan.setup.orientation.matrix.return_value = np.eye(3)
        setup_plan.holding.u_part = np.array([[0.0, 0.0, 0.0], [60.0, 50.0, 14.0]])
        for depth, size in ((4.0, (40.0, 30.0)), (9.0, (60.0, 50.0))):
            outline = np.array(part_pocket(setup_plan, 0.1, depth))
            np.testing.assert_allclose(np.ptp(outline, axis=0), np.array(size) + 0.2, atol=1e-3)
            self.assertEqual(len(outline), 4, "corners stay corners")

    def test_each_corner_has_one_relief_and_finds_room(self):
        """By hand: a radius in from the corner on its bisector; rounded corners that the cutter reaches have none, and
        those that it does not reach have one."""
        radius = 3.0
        square = [(-20.0, -15.0), (20.0, -15.0), (20.0, 15.0), (-20.0, 15.0)]
        places = relief_places(JigPocket(x=0, y=0, outline=tuple(square), depth=5), radius)
        wanted = sorted((x - math.copysign(radius * math.sqrt(0.5), x), y - math.copysign(radius * math.sqrt(0.5), y))
                        for x, y in square)  # fmt: skip
        np.testing.assert_allclose(places, wanted, atol=1e-3)
        for rounding, count in ((1.0, 4), (4.0, 0)):
            ring = rounded_rectangle(20.0, 15.0, rounding)
            self.assertEqual(len(relief_places(JigPocket(x=0, y=0, outline=ring, depth=5), radius)), count)


def rounded_rectangle(half_x, half_y, radius):
    ring = manifold3d.CrossSection.square((2 * (half_x - radius), 2 * (half_y - radius)), True)
    ring = ring.offset(radius, manifold3d.JoinType.Round, circular_segments=64).to_polygons()[0]
    return tuple((float(x), float(y)) for x, y in ring)


class MeshTest(unittest.TestCase):
    def test_the_jig_is_one_closed_solid_with_its_pockets_cut(self):
        from ledgecliff.core.holding.jigs import jig_solid, pocket_area

        jig = lid()[0].machine.fixtures[2]
        solid = jig_solid(jig)
        volume = jig.length * jig.width * jig.thickness
        volume -= sum(pocket_area(jig, p).area() * p.depth for p in (jig.first, jig.second))
        volume -= math.pi * (jig.zero_diameter / 2) ** 2 * jig.thickness
        self.assertAlmostEqual(solid.volume(), volume, delta=1e-3 * volume)
        self.assertGreater(len(mesh_of(solid).triangles), 100)
