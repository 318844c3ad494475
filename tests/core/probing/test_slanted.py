"""The consistency touch where no side of the stock lies level: at indexes between squares."""

from __future__ import annotations

import random
import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from ledgecliff.core.changing import set_value
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.holding import Clamp, PlateHold
from ledgecliff.core.rehearsal.drawn_world import drawn_world
from ledgecliff.core.rehearsal.rehearse import rehearse, written_plan
from ledgecliff.core.rehearsal.true_world import AxisError, StatedProbe, TrueWorld
from tests.core.findings.test_index_findings import SWEPT
from tests.core.rehearsal.test_indexed import along_job
from tests.core.test_rotary_schools import TABLE
from tests.draws import draws
from tests.jobs import plan_of

KNOWN = TABLE.model_copy(update={"uncertainty": 0.005, "origin": "table bore"})
EXACT = TrueWorld(probe=StatedProbe(repeatability=0.0))


def leaning(a, c):
    job = along_job(SWEPT, KNOWN, indexes=((0, 0), (a, c)))
    return set_value(job, ("machines", 0, "travel_max", "z"), 200.0)


def consistency(plan):
    return next(step for step in plan.setups[1].probing.steps if step.kind == "consistency")


class SlantedTest(unittest.TestCase):
    def test_it_meets_where_it_is_planned_at_any_index(self):
        """Run on the exact machine the reading is what is expected; and that is by hand where the ball's middle, a
        radius out of the block's top along its normal, stands over the place that is touched."""
        lot = random.Random(12)
        for _ in range(draws(5, 80)):
            a, c = lot.choice((-1, 1)) * lot.uniform(8, 50), lot.uniform(-170, 170)
            plan = plan_of(leaning(a, c))
            step = consistency(plan)
            self.assertEqual(step.problems, (), (a, c))
            setup = rehearse(written_plan(plan), EXACT).setups[1]
            self.assertEqual(setup.alarms, (), (a, c))
            (touch,) = step.touches
            (reading,) = setup.results.values()
            self.assertAlmostEqual(reading, touch.w_contact[2], delta=2e-4, msg=str((a, c)))
            # The zero is the middle of the top of 90 x 70 x 60: one of the flats is a radius from the ball's middle.
            turned = Rotation.from_euler("zx", (c, a), degrees=True)
            flats = (((0, 0, 1), 0.0), ((1, 0, 0), 45.0), ((-1, 0, 0), 45.0), ((0, 1, 0), 35.0), ((0, -1, 0), 35.0))
            apart = [float(turned.apply(normal) @ touch.at_contact) - far for normal, far in flats]
            self.assertLess(min(abs(each - touch.ball_radius) for each in apart), 1e-6)

    def test_drawn_worlds_pass_and_wrong_axes_stop(self):
        for a, c in ((30.0, 0.0), (-35.0, 10.0), (20.0, 130.0)):
            written = written_plan(plan_of(leaning(a, c)))
            for seed in range(1, draws(3, 20)):
                self.assertEqual(rehearse(written, drawn_world(written, seed)).setups[1].alarms, (), (a, c, seed))
            for error in ({"sense": "the other way"}, {"off": Point(x=0, y=0.9, z=0)}):
                wrong = EXACT.model_copy(update={"axes": (AxisError(axis=SWEPT.name, **error),)})
                self.assertTrue(rehearse(written, wrong).setups[1].alarms, (a, c, error))

    def test_what_lies_aside_counts_by_the_slope(self):
        """Twice as unsurely known centres: the window grows by as much, and by the slope for what lies aside in Y."""
        windows = []
        for known in (0.01, 0.02):
            job = set_value(leaning(30.0, 0.0), ("machines", 0, "carriers", 0, "uncertainty"), known)
            windows.append(consistency(plan_of(job)).window[0])
        step = consistency(plan_of(leaning(30.0, 0.0)))
        self.assertAlmostEqual(step.slope[1], np.tan(np.radians(30.0)), places=6)
        self.assertEqual(round(step.slope[0], 6), 0.0)
        # By hand, of the cradle's centre: (1 - R) e at 30 degrees is 0.134 and 0.5 of it, both ways about.
        grown = 0.01 * (0.5 + (1 - np.cos(np.radians(30.0))))
        self.assertAlmostEqual(windows[1] - windows[0], grown * (1.0 + step.slope[1]), places=6)

    def test_no_flat_to_come_down_on(self):
        job = leaning(30.0, 0.0)
        cycle = {"name": "consistency touch", "kind": "consistency", "on": "stock", "action": "measure"}
        for at_x, told in ((0.0, False), (44.5, False), (45.2, True), (300.0, True)):
            own = set_value(job, ("setups", 1, "probing", "cycles"), (cycle | {"at_x": at_x},))
            found = [each.code for each in findings_of(plan_of(own)) if each.code == "TOUCH_NO_LANDING"]
            self.assertEqual(bool(found), told, at_x)

        # Seen from above the top is 70 cos 30 wide in Y, and the ball's middle 2 sin 30 beside where it meets it.
        edge = 35.0 * np.cos(np.radians(30.0))
        for at_y, told in ((-edge - 0.9, False), (-edge - 1.1, True), (edge - 1.1, False), (edge - 0.9, True)):
            own = set_value(job, ("setups", 1, "probing", "cycles"), (cycle | {"at_y": float(at_y)},))
            found = [each.code for each in findings_of(plan_of(own)) if each.code == "TOUCH_NO_LANDING"]
            self.assertEqual(bool(found), told, at_y)

        # At a = 30, seen from above: a clamp's nose from the right lies on the middle of the top, or short of it.
        for nose, told in ((45.0, True), (75.0, False)):
            held = PlateHold(clamps=(Clamp(x=nose, y=35.0, side="right"),))
            for k in (0, 1):
                job = set_value(job, ("setups", k, "hold"), held)
            found = [each.code for each in findings_of(plan_of(job)) if each.code == "TOUCH_NO_LANDING"]
            self.assertEqual(bool(found), told, nose)


if __name__ == "__main__":
    unittest.main()
