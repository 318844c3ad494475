"""Finished sides under a hat: found on the hat's rim first, and on themselves once it is cut away."""

from __future__ import annotations

import unittest

from ledgecliff.core.model.setup import AxisDatum
from tests.draws import draws
from tests.helpers import demo, plan_with
from tests.rehearsals import rehearsed

#: The demo's hat stands out 2.0 on each side and is 4.5 high: 4.2 where the outline goes 0.3 below the part.
_CLEAR_AFTER = "face the hat off"


def datum(axis, source):
    return ("setups", 1, "datum", axis), AxisDatum(source=source)


def outline_below(mm):
    """The outline of Op 10 goes on below the part, so that no flange is left once the hat is faced off."""
    return ("setups", 0, "operations", 1, "below"), mm


class UnderAHatTest(unittest.TestCase):
    def test_the_pair_is_proposed_by_itself(self):
        for axis in "xy":
            for source in ("part centre", "part minus side", "part plus side"):
                steps = plan_with(datum(axis, source), outline_below(0.3)).setups[1].probing.steps
                first, again = (step for step in steps if step.cycle.on in ("stock", "part"))
                self.assertEqual([step.problems for step in steps], [()] * len(steps), (axis, source))
                self.assertEqual((first.cycle.on, first.cycle.after), ("stock", None))
                self.assertEqual((again.cycle.on, again.cycle.after), ("part", _CLEAR_AFTER))
                self.assertEqual(first.cycle.name, f"{again.cycle.name}, stock first")
                # The ball of 4.0 touches the rim above its lower edge, and below its upper one.
                self.assertTrue(2.0 < first.touches[0].depth < 4.2 - 2.0, first.touches[0].depth)

    def test_it_finds_the_finished_sides_in_any_world(self):
        plan = plan_with(datum("x", "part centre"), datum("y", "part plus side"), outline_below(0.3))
        for seed in range(1, 1 + draws(5, 20)):
            setup = rehearsed(plan, seed).setups[1]
            self.assertEqual((setup.alarms, setup.amiss), ((), ()))

    def test_a_rim_too_low_for_the_ball_is_left_to_the_eye(self):
        """The rim is 4.0 high and the ball 4.0: the sides are found once they are clear, and nothing before."""
        steps = plan_with(datum("x", "part minus side"), outline_below(0.5)).setups[1].probing.steps
        (found,) = (step for step in steps if step.cycle.on in ("stock", "part"))
        self.assertEqual((found.cycle.after, found.problems), ("face the hat off", ()))

    def test_not_where_it_is_never_clear_or_cut_again(self):
        """Where the outline ended right at the hat a film is left when that is faced off; what takes the film away
        goes round the sides once more, with the zero as the rim gave it: they are not what they were."""
        plans = [plan_with(datum("x", "part centre"))]
        operations = demo().setups[1].operations[1:]
        plans.append(
            plan_with(datum("x", "part centre"), outline_below(0.3), (("setups", 1, "operations"), operations))
        )
        for plan in plans:
            found = [step for step in plan.setups[1].probing.steps if step.cycle.on in ("stock", "part")]
            self.assertEqual([step.cycle.name for step in found], ["part, both sides in X"])
            self.assertEqual({problem.code for problem in found[0].problems}, {"TOUCH_STEM_FOULS"})


if __name__ == "__main__":
    unittest.main()
