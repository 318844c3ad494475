"""The checklist follows what a setup really has: each line where it belongs, and not where it does not."""

from __future__ import annotations

import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.checklist.checks import Asked, checks_of, checks_of_turn, tools_called
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.released import released_files
from ledgecliff.core.turns.turn_check import turn_check
from ledgecliff.core.turns.turn_plan import turns_of
from tests.helpers import demo_plan, plan_with, shipped_plan
from tests.turn_jobs import ring_plan


def words(plan, index, part=None):
    return [check.words for check in checks_of(plan, index) if part in (None, check.part)]


def has(plan, index, text):
    return any(text in each for each in words(plan, index))


class ChecklistTest(unittest.TestCase):
    def test_in_the_order_of_the_work(self):
        for index, first in ((0, "hold it"), (1, "turn it over")):
            parts = list(dict.fromkeys(check.part for check in checks_of(demo_plan(), index)))
            order = ["turn it over", "beside the machine", "hold it", "tools", "zero", "first run", "cut", "look"]
            self.assertEqual(parts[0], first)
            self.assertEqual(parts, [each for each in order if each in parts])

    def test_turned_over_only_where_it_is(self):
        plan = demo_plan()
        self.assertEqual(words(plan, 0, "turn it over"), [])
        told = " ".join(words(plan, 1, "turn it over"))
        for each in ("mark the end that stays", "Blow out", "tap it down", "must not rock", "Turn check"):
            self.assertIn(each, told)
        turned = shipped_plan("gland-spindle")
        by_axis = next(turn for turn in turns_of(turned) if turn.stays)
        (only,) = checks_of_turn(turned, by_axis)
        self.assertIn("It stays clamped", only.words)
        self.assertIn("finger on hold", only.caution)

    def test_by_what_registers_it(self):
        pins = " ".join(words(ring_plan("on-pins"), 1, "turn it over"))
        self.assertIn("pin bores", pins)
        self.assertIn("What registers it is made by", pins)
        self.assertIn("slot", " ".join(words(ring_plan("in-a-frame"), 1, "turn it over")))
        self.assertNotIn("pin bores", " ".join(words(demo_plan(), 1, "turn it over")))

    def test_what_is_to_be_read_is_what_the_turn_check_expects(self):
        plan = demo_plan()
        (turn,) = turns_of(plan)
        asked = [check.asked for check in checks_of(plan, 1) if check.asked is not None]
        touches = turn_check(turn).touches
        self.assertEqual([(each.expected, each.within) for each in asked], [(t.z, t.threshold) for t in touches])
        self.assertTrue(Asked("Z", 1.0, 0.5).is_right(1.5))
        self.assertFalse(Asked("Z", 1.0, 0.5).is_right(0.49))

    def test_a_chuck_has_a_key_a_board_screws_and_a_vise_parallels(self):
        for name, text in (("gland-spindle", "key out of the chuck"), ("dial-ring-on-pins", "Screws stand outside"),
                           ("float-housing", "no parallel can be pushed")):  # fmt: skip
            plan = shipped_plan(name)
            for other in ("key out of the chuck", "Screws stand outside", "no parallel can be pushed"):
                with self.subTest(name, other=other):
                    self.assertEqual(has(plan, 0, other), other == text)

    def test_an_axis_of_unknown_sense_is_shouted(self):
        plan = shipped_plan("gland-spindle")
        self.assertFalse(has(plan, 0, "NOT known"))
        self.assertTrue(has(plan, 0, "look once more at the first index"))
        number = next(k for k, each in enumerate(plan.job.machines[0].carriers) if each.kind == "rotary")
        # Nothing is turned yet, or the model would refuse it.
        once = set_value(plan.job, ("setups",), plan.job.setups[:1])
        blind = make_plan(set_value(once, ("machines", 0, "carriers", number, "sense"), None), plan.models)
        self.assertTrue(has(blind, 0, "NOT known"))
        self.assertFalse(any("rotary" in each or "indexer" in each for each in words(demo_plan(), 0)))

    def test_a_tool_that_is_not_set_is_shouted(self):
        plan = demo_plan()
        self.assertFalse(has(plan, 0, "NOT in the tool table"))
        number = next(
            k for k, each in enumerate(plan.job.machine.cutters) if each.tool == tools_called(plan.job.setups[0])[0]
        )
        told = plan_with((("machines", 0, "cutters", number, "is_set"), False))
        self.assertTrue(has(told, 0, "NOT in the tool table"))

    def test_the_probe_only_where_something_is_probed(self):
        plan = demo_plan()
        self.assertTrue(has(plan, 0, "ball clean"))
        carried = shipped_plan("lamp-lid")
        self.assertFalse(has(carried, 1, "ball clean"))
        self.assertTrue(has(carried, 1, "it probes nothing"), "but its program is run: it takes an old turn out")

    def test_every_program_that_leaves_is_named_once(self):
        """Of all demo jobs: none is forgotten on the checklists."""
        for name in ("float-housing", "dial-ring-on-pins", "dial-ring-in-a-frame", "lamp-lid", "hinge-leaves",
                     "sluice-valve-block"):  # fmt: skip
            plan = shipped_plan(name)
            told = " ".join(text for index in range(len(plan.setups)) for text in words(plan, index))
            for file in released_files(plan):
                with self.subTest(name, file=file):
                    self.assertEqual(told.count(file), 1)

    def test_cautions_stand_where_a_hand_may_be_hurt(self):
        for check in checks_of(demo_plan(), 1):
            if "Probe with" in check.words or "ball clean" in check.words:
                self.assertIn("locked out of rotation", check.caution)
            if "Hover check" in check.words:
                self.assertIn("reduced feed, finger on hold", check.caution)


if __name__ == "__main__":
    unittest.main()
