"""What the probe lens draws: touches, the route, marks to pick; and its tape."""

from __future__ import annotations

import unittest

from ledgecliff.core.drawing.items import Ball, Spot, Stroke
from ledgecliff.core.drawing.stage import setup_views
from ledgecliff.core.plan import make_plan
from ledgecliff.core.rehearsal.true_world import StatedProbe, TrueWorld
from ledgecliff.core.solids.geometry import Models
from ledgecliff.core.tape.probing import probing_tape, rehearsed_tape
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from tests.core.reading_back.test_cycles import CYCLES, job_with
from tests.helpers import demo, demo_plan
from tests.jobs import plan_of
from tests.rehearsals import rehearsed


def items(setup, kind, number=0, view=0):
    return [item for item in setup_views(setup, "probe", number)[view].items if isinstance(item, kind)]


class ProbeDrawingTest(unittest.TestCase):
    def test_every_touch_of_a_short_plan_is_there(self):
        numbers = {ball.number for ball in items(demo_plan().setups[0], Ball)}
        self.assertEqual(numbers, {1, 2, 3, 4, 5})

    def test_of_a_long_plan_the_chosen_step_alone(self):
        setup = make_plan(read_job(demo_job("winch-cheek")), Models()).setups[0]
        self.assertEqual([ball.number for ball in items(setup, Ball, 0)], [1, 2])
        self.assertEqual([ball.number for ball in items(setup, Ball, 5)], [14, 15, 16, 17])

    def test_marks_stand_on_what_can_be_probed_from_above(self):
        found = {spot.source: spot.at for spot in items(demo_plan().setups[0], Spot)}
        self.assertEqual(found["main bore"], (-18.0, 0.0))
        self.assertNotIn("port", found)
        self.assertNotIn("counterbore", found, "it opens downward here")
        self.assertIn("counterbore", {spot.source for spot in items(demo_plan().setups[1], Spot)})

    def test_the_route_goes_over_the_top_or_straight_across(self):
        """An outside width goes up to the clearance plane between its sides; within a bore the ball stays down."""
        for name, at_the_top in (("web", 4), ("bore", 2)):
            setup = plan_of(job_with(CYCLES[name])).setups[1]
            step = setup.probing.steps[0]
            over = step.w_clearance + step.touches[0].ball_radius
            routes = [stroke.points for stroke in items(setup, Stroke, 0, 1) if stroke.line == "thin"]
            route = max(routes, key=len)
            ups = sum(abs(point[1] - over) < 1e-9 for point in route)
            self.assertEqual(ups, at_the_top, name)


class ProbeTapeTest(unittest.TestCase):
    def texts(self, tape):
        return [line.text for line in tape.lines]

    def test_a_long_list_is_told_step_by_step(self):
        setup = make_plan(read_job(demo_job("winch-cheek")), Models()).setups[0]
        tape = probing_tape(setup, setup.machine.probe, 4)
        self.assertIn("5  hole 1", self.texts(tape))
        self.assertNotIn("1  stock, both sides in X", self.texts(tape))

    def test_a_presence_window_shows_both(self):
        setup = plan_of(job_with(CYCLES["presence"])).setups[1]
        texts = self.texts(probing_tape(setup, setup.machine.probe))
        self.assertIn("window as typed, above", texts)
        self.assertIn("window proposed, above", texts)

    def test_what_is_not_one_axis_a_touch_is_told_by_its_results(self):
        """Paper and program agree on corners with skew, planes and chosen angles, as on the plain ones."""
        world = TrueWorld(probe=StatedProbe(repeatability=0.0))
        for name in ("corner of four", "plane", "bore at angles", "web"):
            job = job_with(CYCLES[name])
            plan = plan_of(job)
            result = rehearsed(plan, 1, world=world).setups[1]
            tape = rehearsed_tape(plan.setups[1], result, demo().machine.probe, 1)
            for quantity in plan.setups[1].probing.steps[0].finds:
                if name == "web" or quantity.is_angle:
                    continue
                line = next(line for line in tape.lines if line.text.strip() == quantity.words)
                # Read in the WCS as it was set from these touches, the place is where it should be.
                self.assertAlmostEqual(line.mm, quantity.expected, delta=0.01, msg=(name, quantity.words))
        self.assertIn("middle", [text.strip() for text in self.texts(tape)])
