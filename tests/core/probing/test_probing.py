"""Walls, needs and steps: what the ball will meet, and whether it can."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core import changing
from ledgecliff.core.edits import lying
from ledgecliff.core.in_process.stock import box
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.plan import make_plan
from ledgecliff.core.probing.walls import free_wall, material
from tests.helpers import demo, demo_plan, models, plan_with
from tests.turn_jobs import ring

#: A touch of the hat's side so far along that the stock has ended there.
MOVED_OFF = ProbeCycle(name="off the end", kind="surface", on="stock", side="left", moved=60.0)


class MaterialTest(unittest.TestCase):
    def test_spans_from_the_top(self):
        solid = box((0, 0, 0), (10, 10, 10)) - box((-1, -1, 4), (11, 11, 6))
        self.assertEqual([(s.low, s.high) for s in material(solid, 5, 5)], [(6, 10), (0, 4)])
        self.assertEqual(material(solid, 50, 5), ())


class FreeWallTest(unittest.TestCase):
    def setUp(self):
        self.hatted = box((0, 0, 0), (40, 40, 20)) + box((-2, -2, 20), (42, 42, 25))

    def test_a_plain_side(self):
        wall = free_wall(box((0, 0, 0), (40, 40, 20)), (0, 20), 0, 1, least=4)
        self.assertEqual((wall.low, wall.high, wall.overhung), (0, 20, False))

    def test_under_a_hat_the_wall_ends_at_the_hat(self):
        wall = free_wall(self.hatted, (0, 20), 0, 1, least=4)
        self.assertEqual((wall.low, wall.high, wall.overhung), (0, 20, True))
        hat = free_wall(self.hatted, (-2, 20), 0, 1, least=4)
        self.assertEqual((hat.low, hat.high, hat.overhung), (20, 25, False))

    def test_all_four_sides_alike(self):
        for at, axis, direction in (((40, 20), 0, -1), ((20, 0), 1, 1), ((20, 40), 1, -1)):
            wall = free_wall(self.hatted, at, axis, direction, least=4)
            self.assertEqual((wall.low, wall.high, wall.overhung), (0, 20, True))

    def test_no_wall_inside_material_or_in_air_or_too_low(self):
        block = box((0, 0, 0), (40, 40, 20))
        self.assertIsNone(free_wall(block, (20, 20), 0, 1, least=4))
        self.assertIsNone(free_wall(block, (-9, 20), 0, 1, least=4))
        self.assertIsNone(free_wall(block, (0, 20), 0, 1, least=21))

    def test_inside_a_bore_the_wall_is_beyond(self):
        ring = box((0, 0, 0), (40, 40, 20)) - box((10, 10, -1), (30, 30, 21))
        self.assertIsNotNone(free_wall(ring, (30, 20), 0, 1, least=4))
        self.assertIsNone(free_wall(ring, (30, 20), 0, -1, least=4))

    def test_a_step_below_ends_the_wall(self):
        stepped = box((0, 0, 0), (40, 40, 20)) + box((-8, 0, 0), (0, 40, 6))
        wall = free_wall(stepped, (0, 20), 0, 1, least=4)
        self.assertEqual((wall.low, wall.high, wall.overhung), (6, 20, False))


class DemoStepsTest(unittest.TestCase):
    def test_op_10_web_web_top(self):
        """Touches at half the measured sizes, 8 below the stock top, each beyond its stand-off."""
        steps = demo_plan().setups[0].probing.steps
        self.assertEqual([step.kind for step in steps], ["outside width", "outside width", "surface"])
        contacts = [touch.w_contact for touch in demo_plan().setups[0].probing.touches]
        np.testing.assert_allclose(
            contacts, [(-50, 0, -6.5), (50, 0, -6.5), (0, -34, -6.5), (0, 34, -6.5), (0, 0, 1.5)], atol=1e-9
        )
        self.assertEqual([touch.direction for touch in demo_plan().setups[0].probing.touches], [1, -1, 1, -1, -1])

    def test_a_touch_starts_before_and_ends_after_its_surface(self):
        """Ball radius 2, stand-off 5, overtravel 5: centre from -57 over -52 to -47 at a face at -50."""
        touch = demo_plan().setups[0].probing.touches[0]
        self.assertAlmostEqual(touch.start[0], -57)
        self.assertAlmostEqual(touch.at_contact[0], -52)
        self.assertAlmostEqual(touch.end[0], -47)
        self.assertEqual(touch.moving(), "+X")

    def test_raw_top_is_touched_though_zero_is_the_finished_top(self):
        """Z zero 1.5 below the raw top: the touched top must read +1.5 (set with a shift)."""
        step = demo_plan().setups[0].probing.steps[-1]
        self.assertAlmostEqual(step.sets[0].should_read, 1.5)

    def test_op_20_bore_then_parallels(self):
        plan = demo_plan().setups[1].probing
        self.assertEqual([step.kind for step in plan.steps], ["bore", "surface"])
        contacts = [touch.w_contact for touch in plan.touches]
        np.testing.assert_allclose(
            contacts[:4], [(-11, 0, 24.5), (11, 0, 24.5), (0, -11, 24.5), (0, 11, 24.5)], atol=1e-9
        )
        self.assertEqual(contacts[4][2], 0.0)
        self.assertEqual([s.axis for s in plan.steps[0].sets], ["x", "y"])

    def test_parallels_are_touched_where_they_stand_out(self):
        setup = demo_plan().setups[1]
        x, y, _ = setup.probing.touches[-1].w_contact
        self.assertGreater(x - 2.0, float(setup.holding.u_stock[1][0] - setup.wcs.u_origin[0]))
        parallel = next(block for block in setup.holding.blocks if block.name == "back parallel")
        origin = setup.wcs.u_origin
        self.assertTrue(parallel.low[0] < x + origin[0] < parallel.high[0])
        self.assertTrue(parallel.low[1] < y + origin[1] < parallel.high[1])

    def test_what_is_known_grows_with_the_steps(self):
        steps = demo_plan().setups[0].probing.steps
        states = [[known.state for known in step.knowledge_after] for step in steps]
        self.assertEqual([known[:3] for known in states], [
            ["set", "guessed", "guessed"], ["set", "set", "guessed"], ["set", "set", "set"],
        ])  # fmt: skip
        self.assertEqual({known[3] for known in states}, {"guessed"}, "nobody has asked for the skew")

    def test_clearance_is_over_stock_and_jaws(self):
        self.assertAlmostEqual(demo_plan().setups[0].probing.w_clearance, 1.5 + 15)
        tall = plan_with((("machines", 0, "fixtures", 0, "jaw_height"), 90.0))
        setup = tall.setups[0]
        self.assertAlmostEqual(setup.probing.w_clearance, setup.holding.jaw_top - setup.wcs.u_origin[2] + 15)

    def test_fixed_jaw_is_touched_beside_the_part(self):
        plan = make_plan(lying.set_datum(demo(), 1, "y", "fixed jaw"), models())
        step = next(step for step in plan.setups[1].probing.steps if step.title == "Y from fixed jaw")
        touch = step.touches[0]
        self.assertEqual((touch.axis, touch.direction), ("y", 1))
        self.assertAlmostEqual(touch.w_contact[2], 18.0 - 8.0)
        self.assertGreater(abs(touch.w_contact[0] + 30 - 48), 50)

    def test_a_bore_for_one_axis_only_sets_that_axis(self):
        plan = make_plan(lying.set_datum(demo(), 1, "y", "fixed jaw"), models())
        step = plan.setups[1].probing.steps[0]
        self.assertEqual((step.kind, [s.axis for s in step.sets]), ("bore", ["x"]))


class NeedsTest(unittest.TestCase):
    """Each need of docs/methods/one-touch.md at its limit: just met, just missed."""

    def problems(self, *edits_, setup=0):
        return {problem.code for problem in plan_with(*edits_).setups[setup].probing.problems}

    def test_search_window(self):
        """Guess ±3 and half of ±0.8 saw cut: 3.4 must fit before and after the surface."""
        for name in ("stand_off", "overtravel"):
            path = ("setups", 0, "probing", name)
            self.assertNotIn("TOUCH_OUTSIDE_WINDOW", self.problems((path, 3.4)))
            self.assertIn("TOUCH_OUTSIDE_WINDOW", self.problems((path, 3.39)))

    def test_in_a_bore_the_room_limits_the_stand_off(self):
        """Ø22 less ball Ø4 leaves 9 to the centre, and the ball starts 0.5 beside it.  With the bore g off along X and
        Y, it is within it while (g + 0.5)² + g² < 81: up to 6.109."""
        path = ("setups", 1, "probing")
        wide = {"stand_off": 20, "overtravel": 20, "depth": 15, "clearance": 20}
        for guess, fires in ((6.1, False), (6.12, True)):
            routine = demo().setups[1].probing.model_copy(update={**wide, "guess": guess})
            plan = make_plan(changing.set_value(demo(), path, routine), models())
            codes = [p.code for p in plan.setups[1].probing.steps[0].problems]
            self.assertEqual("TOUCH_OUTSIDE_WINDOW" in codes, fires)

    def test_depth(self):
        """Ball radius 2 and Z set to ±0.002: at least 2.002 deep; 30 of wall over the jaws, in which the stock lies to
        ±0.01, leaves 27.988."""
        path = ("setups", 0, "probing", "depth")
        self.assertEqual(self.problems((path, 2.01)), set())
        self.assertEqual(self.problems((path, 2.0)), {"TOUCH_TOO_SHALLOW"})
        self.assertEqual(self.problems((path, 27.98)), set())
        self.assertEqual(self.problems((path, 27.989)), {"TOUCH_TOO_DEEP"})
        # As deep as the stylus is long its body comes to the stock's top as well.
        self.assertEqual(self.problems((path, 28.0)), {"TOUCH_TOO_DEEP", "TOUCH_WAY_BLOCKED"})

    def test_z_goes_first_where_the_walls_need_it(self):
        """With Z guessed to ±3 the ball's side needs 5.0: that keeps the plain order, less asks for Z first."""
        for depth, first in ((5.0, "stock, both sides in X"), (4.99, "Z from")):
            steps = plan_with((("setups", 0, "probing", "depth"), depth)).setups[0].probing.steps
            self.assertIn(first, steps[0].title)
            self.assertEqual({setting.axis for step in steps for setting in step.sets}, {"x", "y", "z"})

    def test_reach(self):
        """In Op 20, 8 deep plus the ball's radius needs 10.0 of stylus."""
        self.assertNotIn("TOUCH_TOO_DEEP", self.problems((("machines", 0, "probe", "reach"), 10.0), setup=1))
        self.assertIn("TOUCH_TOO_DEEP", self.problems((("machines", 0, "probe", "reach"), 9.9), setup=1))

    def test_part_edge_that_is_not_cut_yet(self):
        """Under 2 of stock the finished side waits for the outline: the stock is probed first, the side after it."""
        job = lying.set_datum(demo(), 0, "x", "part minus side")
        plan = make_plan(job, models()).setups[0].probing
        self.assertEqual(plan.problems, ())
        self.assertEqual(plan.stages(), (None, "outline down to the hat"))
        first, again = (step for step in plan.steps if any(s.axis == "x" for s in step.sets))
        self.assertEqual((first.cycle.on, again.cycle.on), ("stock", "part"))
        # The stock's side lies 2 outside the finished one, and must read so.
        self.assertAlmostEqual(first.sets[0].should_read, -2.0)
        self.assertAlmostEqual(again.sets[0].should_read, 0.0)
        only_faced = changing.set_value(job, ("setups", 0, "operations"), job.setups[0].operations[:1])
        problem = make_plan(only_faced, models()).setups[0].probing.problems[0]
        self.assertEqual((problem.code, problem.value), ("TOUCH_BURIED", 2.0))

    def test_no_wall_where_nothing_is(self):
        """The bore of Op 20, probed in Op 10 before it is there, is buried; past the stock's end is no wall."""
        job = changing.set_value(demo(), ("setups", 0, "operations"), demo().setups[0].operations[:2])
        self.assertIn("TOUCH_BURIED", {p.code for p in make_plan(job, models()).setups[1].probing.problems})
        cut_away = lying.set_datum(demo(), 1, "x", "stock minus side")
        wide = cut_away.setups[1].probing.model_copy(update={"depth": 8.0, "cycles": (MOVED_OFF,)})
        plan = make_plan(changing.set_value(cut_away, ("setups", 1, "probing"), wide), models())
        self.assertIn("TOUCH_NO_WALL", {p.code for p in plan.setups[1].probing.problems})

    def test_stem_under_the_hat(self):
        """The hat stands out 2.0 over the finished wall; ball 4 on a stem 2 clears only 1.0."""
        left = ProbeCycle(name="left", kind="surface", on="part", side="left")
        job = changing.set_value(demo(), ("setups", 1, "probing", "cycles"), (left,))
        self.assertIn("TOUCH_STEM_FOULS", {p.code for p in make_plan(job, models()).setups[1].probing.problems})
        slim = changing.set_value(
            job, ("machines", 0, "probe"),
            job.machine.probe.model_copy(update={"ball_diameter": 7.0, "effective_radius": 3.48, "stem_diameter": 2.0}),
        )  # fmt: skip
        self.assertNotIn("TOUCH_STEM_FOULS", {p.code for p in make_plan(slim, models()).setups[1].probing.problems})

    def test_landing_on_a_parallel(self):
        """Half of 14 less the ball's 2 leaves 5.0 for a Y that is set; half of 4.2 leaves nothing to spare."""
        path = ("setups", 1, "hold", "parallels_thickness")
        self.assertNotIn("TOUCH_NO_LANDING", self.problems((path, 4.2), setup=1))
        self.assertIn("TOUCH_NO_LANDING", self.problems((path, 4.0), setup=1))
        short = (("setups", 1, "hold", "parallels_length"), 102.0)
        self.assertIn("TOUCH_NO_LANDING", self.problems(short, setup=1))

    def test_landing_clear_of_what_stands_on_the_board(self):
        """Round the frame's inner piece stands its border, 180 and 165 from the middle: Z is touched outside it."""
        for size, fires in (((560.0, 390.0), False), ((400.0, 340.0), False), ((362.0, 332.0), True)):
            job = ring("in-a-frame")
            for name, mm in zip(("length", "width"), size, strict=True):
                job = changing.set_value(job, ("machines", 0, "fixtures", 2, name), mm)
            plan = make_plan(job, models()).setups[1]
            said = [p.message for p in plan.probing.problems if p.code == "TOUCH_NO_LANDING"]
            self.assertEqual(bool([words for words in said if "but border stands" in words]), fires, said)
            x, y, _ = plan.probing.steps[-1].touches[0].w_contact + plan.wcs.u_origin
            self.assertEqual(abs(x) > 180.0 + 2.0 or abs(y) > 165.0 + 2.0, not fires)

    def test_the_probes_body_beside_the_stock(self):
        """Op 20 stands 32.5 over the parallels, more than the stylus' 30: its body needs 6.2 beside the hat."""
        path = ("setups", 1, "hold", "parallels_length")
        for length, fires in ((125.0, False), (118.0, True)):
            codes = self.problems((path, length), setup=1)
            self.assertEqual("TOUCH_TOO_DEEP" in codes, fires, length)
        self.assertNotIn(
            "TOUCH_TOO_DEEP", self.problems((path, 118.0), (("machines", 0, "probe", "reach"), 33.0), setup=1)
        )
        # As long as the stock is high is not enough: its body would come down on the top of a stock a little higher.
        self.assertIn(
            "TOUCH_TOO_DEEP", self.problems((path, 118.0), (("machines", 0, "probe", "reach"), 32.6), setup=1)
        )
