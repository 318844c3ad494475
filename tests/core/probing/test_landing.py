"""Where the ball may land: areas against another library, rounds against brute force, and whole jobs by lot against the
simulated machine with everything as far off as the plan allows."""

from __future__ import annotations

import math
import unittest

import manifold3d
import numpy as np
import shapely

from ledgecliff.core.blanks import box
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.measuring.records import ball_centre
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.cycles import CORNERS, SIDES, ProbeCycle
from ledgecliff.core.model.operations import Pocket
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.probing.round_window import round_window
from ledgecliff.core.probing.touches import Feeds, Touch
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.rehearsal.true_world import StatedProbe, TrueClamping, TrueWorld
from ledgecliff.core.solids.areas import nearest_in, roomiest, shrunk, stretches, top_area, wall_area
from tests.draws import draws
from tests.helpers import demo, plan_with
from tests.jobs import IN_VISE, block_job, feature, plan_of, setup
from tests.rehearsals import rehearsed

_LOTS = draws(16, 400)


def rectangle(low, high):
    return manifold3d.CrossSection([[low, (high[0], low[1]), high, (low[0], high[1])]])


class AreasTest(unittest.TestCase):
    def area_by_lot(self, rng):
        """The same area twice: as a section, and as a polygon of the other library."""
        section, polygon = rectangle((0, 0), (60, 40)), shapely.box(0, 0, 60, 40)
        for _ in range(int(rng.integers(0, 4))):
            low = rng.uniform(-5, 50, 2)
            high = low + rng.uniform(3, 25, 2)
            section -= rectangle(tuple(low), tuple(high))
            polygon -= shapely.box(*low, *high)
        return section, polygon

    def test_made_smaller_it_is_where_a_grown_disc_stays_within(self):
        """By the other library: a place is in it just when the disc, swept over the box, lies in the area."""
        for seed in range(12):
            rng = np.random.default_rng(seed)
            section, polygon = self.area_by_lot(rng)
            radius, aside = rng.uniform(0.5, 3.0), tuple(rng.uniform(0.0, 2.0, 2))
            smaller = shrunk(section, radius, aside)
            for _ in range(40):
                place = tuple(rng.uniform(0, 60, 2))
                swept = shapely.box(*np.subtract(place, aside), *np.add(place, aside)).buffer(radius, quad_segs=64)
                room = swept.difference(polygon).area
                inside = nearest_in(smaller, place) == place
                if room > 0.05:
                    self.assertFalse(inside, (seed, place))
                elif not swept.buffer(0.02).difference(polygon).area:
                    self.assertTrue(inside, (seed, place))

    def test_the_nearest_place_and_the_roomiest(self):
        for seed in range(20):
            rng = np.random.default_rng(seed)
            section, polygon = self.area_by_lot(rng)
            wanted = tuple(rng.uniform(-20, 80, 2))
            place = nearest_in(section, wanted)
            self.assertAlmostEqual(math.dist(place, wanted), polygon.distance(shapely.Point(wanted)), places=6)
            centre, room = roomiest(section)
            widest = shapely.maximum_inscribed_circle(polygon, tolerance=0.01).length
            self.assertAlmostEqual(room, widest, delta=0.03)
            self.assertAlmostEqual(polygon.boundary.distance(shapely.Point(centre)), room, delta=0.03)
        self.assertIsNone(nearest_in(rectangle((0, 0), (4, 4)).offset(-2.1), (2, 2)))

    def test_sides_and_tops_of_a_block_with_a_slot_and_a_hat(self):
        """By hand: a slot from y 12 to 18 in the left side, 5 deep from the top; a hat over the front 4 wide."""
        solid = box((0, 0, 0), (40, 30, 20)) - box((-1, 12, 15), (6, 18, 21)) + box((0, -3, 16), (40, 4, 20))
        left = wall_area(solid, 0, 1, 0.0, 0.02)
        self.assertEqual([tuple(round(v, 6) for v in s) for s in stretches(left, 16.0, 19.0)], [(-3, 12), (18, 30)])
        self.assertEqual([tuple(round(v, 6) for v in s) for s in stretches(left, 2.0, 14.0)], [(0, 30)])
        self.assertEqual(stretches(left, 2.0, 21.0), [])
        front = wall_area(solid, 1, 1, 0.0, 0.02)
        self.assertAlmostEqual(front.bounds()[3], 16.0)
        self.assertAlmostEqual(wall_area(solid, 1, 1, -3.0, 0.02).area(), 40 * 4)
        self.assertAlmostEqual(wall_area(solid, 1, -1, 30.0, 0.02).area(), 40 * 20)
        self.assertAlmostEqual(wall_area(solid, 0, -1, 40.0, 0.02).area(), 30 * 20 + 3 * 4)
        self.assertAlmostEqual(top_area(solid, 20.0, 0.02).area(), 40 * 33 - 6 * 6)
        self.assertAlmostEqual(top_area(solid, 15.0, 0.02).area(), 6 * 6, places=6)


class RoundWindowTest(unittest.TestCase):
    def touch(self, inside, angle_deg, radius, stand_off):
        """Onto a round about the origin, from within or without, at an angle."""
        side = 1.0 if inside else -1.0
        way = math.radians(angle_deg)
        contact = (side * radius * math.cos(way), side * radius * math.sin(way), -5.0)
        feeds = Feeds(300.0, 60.0, 1.0)
        return Touch(1, "round", "x", 1, contact, stand_off, 3.0, 2.0, None, 5.0, feeds, angle_deg)

    def test_against_every_place_it_may_be(self):
        """Brute force over a fine grid of places: never more early or late than told, and told no more than needed."""
        places = np.linspace(-1.0, 1.0, draws(21, 41))
        for inside, angle, radius, stand_off, aside in (
            (True, 0.0, 11.0, 3.0, (1.0, 1.0)), (True, 35.0, 8.0, 4.0, (1.5, 0.5)), (True, 90.0, 6.0, 3.5, (0.3, 0.9)),
            (False, 180.0, 5.0, 3.0, (1.0, 2.0)), (False, -60.0, 3.0, 4.0, (1.5, 1.0)),
        ):  # fmt: skip
            with self.subTest(inside=inside, angle=angle):
                touch = self.touch(inside, angle, radius, stand_off)
                limit = radius - 2.0 if inside else radius + 2.0
                travels = []
                for x in places * aside[0]:
                    for y in places * aside[1]:
                        at = np.array(touch.start[:2]) - (x, y)
                        steps = at + np.outer(np.linspace(0.0, 12.0, 24001), touch.way[:2])
                        away = np.hypot(*steps.T)
                        met = np.flatnonzero(away >= limit if inside else away <= limit)
                        travels.append(met[0] * 12.0 / 24000 if len(met) else math.inf)
                window = round_window(touch, (0.0, 0.0), radius, inside, aside, 0.0)
                early, late = stand_off - min(travels), max(travels) - stand_off
                self.assertGreaterEqual(window.early, early - 1e-3)
                self.assertLessEqual(window.early, early + 0.35)
                self.assertGreaterEqual(window.late, late - 1e-3)
                self.assertLessEqual(window.late, late + 0.35)

    def test_a_boss_that_may_be_missed(self):
        """A boss of 3 and a ball of 2: 5 aside the ball goes past."""
        touch = self.touch(False, 0.0, 3.0, 4.0)
        self.assertTrue(math.isinf(round_window(touch, (0.0, 0.0), 3.0, False, (0.0, 5.0), 0.0).late))
        self.assertTrue(math.isfinite(round_window(touch, (0.0, 0.0), 3.0, False, (0.0, 4.9), 0.0).late))

    def test_the_ball_at_a_bores_edge_already(self):
        """Ø12 and a ball of 4 leave 4; 0.5 beside the middle, with the bore 3 off both ways, it is 0.61 too far out."""
        touch = self.touch(True, 180.0, 6.0, 3.5)
        window = round_window(touch, (0.0, 0.0), 6.0, True, (3.0, 3.0), 0.0)
        self.assertAlmostEqual(window.early - 3.5, math.hypot(3.5, 3.0) - 4.0)


def job_by_lot(seed):
    """A block with slots and windows by lot, cut in a first setup, probed in a second by cycles by lot."""
    rng = np.random.default_rng(seed)
    size = tuple(float(round(value, 1)) for value in rng.uniform((14, 14, 26), (150, 90, 45)))
    features, operations = [], []
    for k in range(int(rng.integers(0, 4))):
        depth = round(float(rng.uniform(1, size[2])), 2) if rng.random() < 0.6 else size[2]
        x, y = rng.uniform(-2, 2 + np.array(size[:2])).round(2).tolist()
        length, width = rng.uniform((8, 6.5), (60, 30)).round(1).tolist()
        features.append(
            feature(f"p{k}", "pocket", (x, y, round(size[2] - depth, 2)), depth=depth, length=length, width=width,
                    radius=3.0, through=depth >= size[2], lengthwise=str(rng.choice(["+X", "+Y"])))
        )  # fmt: skip
        operations.append(Pocket(name=f"p{k}", tool=3, on=f"p{k}", features=(f"p{k}",)))
    cycles = tuple(_cycle_by_lot(rng, f"c{k}", max(size[:2])) for k in range(int(rng.integers(1, 3))))
    hold = IN_VISE.model_copy(update={"parallels_height": 36.0})
    made = setup(*operations, hold=hold)
    probing = made.probing.model_copy(
        update={
            "guess": float(rng.choice([0.3, 0.6, 1.0, 2.0, 3.0])), "stand_off": float(rng.choice([3.0, 5.0])),
            "overtravel": 5.0, "depth": float(rng.choice([4.0, 6.0, 8.0])), "cycles": cycles,
        }
    )  # fmt: skip
    sides = ["stock centre", "stock minus side", "stock plus side"]
    x, y = (AxisDatum(source=str(rng.choice(sides))) for _ in range(2))
    datum = Datum(x=x, y=y, z=AxisDatum(source="stock top"))
    after = setup(name="Op 20", hold=hold, offset="G55", probing=probing, datum=datum)
    units = str(rng.choice(["mm", "in"]))
    return block_job(made, after, part=size, stock=size, features=tuple(features), program_units=units), rng


def _cycle_by_lot(rng, name, length):
    kind = rng.choice(["surface", "outside width", "corner", "corner of four", "edge angle", "top", "rectangle"])
    moved = float(round(rng.uniform(-0.6, 0.6) * length, 1)) if rng.random() < 0.3 else None
    side = str(rng.choice(SIDES[:4]))
    match kind:
        case "surface" | "edge angle":
            return ProbeCycle(name=name, kind=kind, on="stock", side=side, moved=moved)
        case "outside width":
            axis = str(rng.choice(["x", "y"]))
            return ProbeCycle(name=name, kind="outside width", on="stock", axis=axis, moved=moved)
        case "top":
            return ProbeCycle(name=name, kind="surface", on="stock", side="top")
        case "rectangle":
            return ProbeCycle(name=name, kind="rectangle", on="stock")
    corner = str(rng.choice(CORNERS))
    return ProbeCycle(name=name, kind="corner", on="stock", corner=corner, skew=kind == "corner of four")


class EveryTouchLandsTest(unittest.TestCase):
    def furthest(self, job, plan, rng):
        """The world as far off as the plan allows, its stock turned as far as it may be, and that turn (degrees)."""
        guess = 0.995 * job.setups[1].probing.guess
        x, y, z = (float(rng.choice([-1, 1])) * guess for _ in range(3))
        skewed = any(step.sets_skew for step in plan.setups[1].probing.steps)
        turn = float(rng.choice([-1, 1])) * (0.49 if skewed else 0.045)
        place = TrueClamping(name="Op 20", part_off=Point(x=x, y=y, z=z), skew_deg=turn)
        return TrueWorld(setups=(place,), probe=StatedProbe(repeatability=0.0)), np.array([x, y, z]), turn

    def test_where_nothing_is_found_wanting_the_machine_finds_what_is_there(self):
        """Every slow touch comes onto the surface it is meant for, wherever that surface really is."""
        ran = refused = 0
        for seed in range(_LOTS):
            job, rng = job_by_lot(seed)
            try:
                plan = plan_of(job)
            except LedgecliffError:
                continue  # pockets by lot may leave nothing to hold
            probed = plan.setups[1]
            if probed.probing.problems:
                refused += 1
                continue
            ran += 1
            world, off, turn_deg = self.furthest(job, plan, rng)
            result = rehearsed(plan, 1, world=world).setups[1]
            self.assertEqual(result.alarms, (), seed)
            c, s = math.cos(math.radians(turn_deg)), math.sin(math.radians(turn_deg))
            turn = np.array([[c, -s, 0.0], [s, c, 0.0], [0.0, 0.0, 1.0]])
            middle = (probed.holding.u_stock[0] + probed.holding.u_stock[1]) / 2.0
            slow = [record for record in result.touches if record.slow]
            for touch, record in zip(probed.probing.touches, slow, strict=True):
                into = turn @ np.array(touch.way)
                contact = np.array(ball_centre(record.m_reading, job.machine.probe))
                contact = contact + into * job.machine.probe.effective_radius
                u_planned = np.array(touch.w_contact) + probed.wcs.u_origin
                really = turn @ (u_planned - middle) + middle + probed.located.tf_m_u.shift + off
                self.assertAlmostEqual(float((contact - really) @ into), 0.0, delta=0.006, msg=(seed, touch.surface))
        self.assertGreater(min(ran, refused), _LOTS // 8)


class NarrowParallelTest(unittest.TestCase):
    """A parallel 3.2 wide against the fixed jaw, which is higher, and a ball of 3.0: along it there is room."""

    def plan(self, *first):
        bore = AxisDatum(source="feature", feature="main bore")
        x = ProbeCycle(name="X", kind="bore", on="feature", feature="main bore", axis="x")
        z = ProbeCycle(name="Z", kind="surface", on="parallels")
        ball = demo().machine.probe.model_copy(
            update={"ball_diameter": 3.0, "effective_radius": 1.498, "stem_diameter": 1.5}
        )
        return plan_with(
            (("machines", 0, "probe"), ball),
            (("setups", 1, "hold", "parallels_thickness"), 3.2),
            (("setups", 1, "datum", "x"), bore),
            (("setups", 1, "datum", "y"), AxisDatum(source="fixed jaw")),
            (("setups", 1, "probing", "cycles"), (*first, z, x)),
        )

    def codes(self, plan):
        step = next(each for each in plan.setups[1].probing.steps if each.cycle.name == "Z")
        return {problem.code for problem in step.problems}

    def test_what_is_known_across_counts_across_and_what_is_guessed_along_it_does_not(self):
        jaw = ProbeCycle(name="Y", kind="surface", on="fixed jaw")
        plan = self.plan(jaw)
        known = plan.setups[1].probing.steps[0].knowledge_after
        self.assertEqual(([each.state for each in known[:2]], known[0].uncertainty), (["guessed", "set"], 3.0))
        self.assertEqual(self.codes(plan), set())
        self.assertEqual(self.codes(self.plan()), {"TOUCH_NO_LANDING"}, "with Y by eye it may come down on the jaw")

    def test_the_machine_finds_it_in_many_worlds(self):
        plan = written_plan(self.plan(ProbeCycle(name="Y", kind="surface", on="fixed jaw")))
        for seed in range(1, 9):
            found = rehearse(plan, drawn_world(plan, seed)).setups[1]
            self.assertEqual(found.alarms, (), seed)
            self.assertLess(abs(float(found.difference[2])), 0.01, seed)
