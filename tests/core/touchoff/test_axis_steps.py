"""What is known of each rotary axis, step by step: done only as long as it holds."""

from __future__ import annotations

import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.rotary import happened_to, with_rotary, with_sense
from ledgecliff.core.touchoff.axis_steps import axis_steps
from tests.core.test_places import A, C, rotary, with_places
from tests.helpers import demo, shipped_plan


class StepsTest(unittest.TestCase):
    def steps(self, job):
        return {(step.axis, step.key): step for step in axis_steps(job.machine)}

    def test_demos_have_all_of_it(self):
        for name in ("sluice-valve-block", "gland-spindle", "hinge-leaves"):
            steps = axis_steps(shipped_plan(name).job.machine)
            self.assertEqual([step.title for step in steps if not step.is_done], [], name)

    def test_a_new_axis_has_nothing_but_no_shift(self):
        job = with_rotary(demo(), 0)
        axis = job.machine.carriers[0].id
        self.assertEqual([key for (_, key), step in self.steps(job).items() if step.is_done], ["shift"])
        job = with_sense(job, 0, axis, "left-handed", "2026-05-04")
        self.assertIn("left-handed, seen on 2026-05-04", self.steps(job)[axis, "sense"].said)
        self.assertTrue(self.steps(job)[axis, "sense"].is_done)
        job = with_sense(job, 0, axis, None, "2026-05-05")
        self.assertEqual((job.machine.carriers[0].sense, job.machine.carriers[0].sense_seen_on), (None, None))

    def test_each_falls_back_by_what_takes_it_away(self):
        job = shipped_plan("sluice-valve-block").job
        cradle, table = (each.id for each in job.machine.carriers[:2])
        path = ("machines", 0, "carriers", 0)
        for change, key in (
            (lambda of: set_value(of, (*path, "sense_seen_on"), None), "sense"),
            (lambda of: set_value(of, (*path, "flat_swept_on"), None), "level"),
            (lambda of: set_value(of, (*path, "origin"), "assumed"), "centre"),
            (lambda of: set_value(of, (*path, "uncertainty"), None), "centre"),
            (lambda of: set_value(of, (*path, "found_on"), None), "centre"),
            (lambda of: set_value(of, (*path, "repeat_deg"), None), "repeat"),
            (lambda of: set_value(of, (*path, "shift_in_place"), 3.0), "shift"),
        ):
            left = [key for key, step in self.steps(change(job)).items() if not step.is_done]
            self.assertEqual(left, [(cradle, key)])
        for day, left in (("2026-03-01", []), ("2026-03-02", ["level", "centre"]), ("2026-04-01", ["level", "centre"])):
            crashed = happened_to(job, 0, cradle, "crash", day)
            found = [key for (axis, key), step in self.steps(crashed).items() if not step.is_done and axis == cradle]
            self.assertEqual(found, left, day)
        self.assertTrue(all(step.is_done for (axis, _), step in self.steps(crashed).items() if axis == table))

    def test_the_lower_axis_comes_first_however_they_are_listed(self):
        machine, _ = with_places(rotary("C", "z", (0, 0, 0), on=A), rotary("A", "x", (0, 0, 0)))
        self.assertEqual(list(dict.fromkeys(step.axis for step in axis_steps(machine))), [A, C])


if __name__ == "__main__":
    unittest.main()
