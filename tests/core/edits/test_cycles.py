"""Editing probing cycles: proposals taken over, offers for what is picked, names that follow."""

from __future__ import annotations

import unittest
from typing import get_args

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.cycles import (
    add_cycle,
    cycles_of,
    move_cycle,
    offers,
    propose_again,
    remove_cycle,
    set_cycle,
    take_over,
    values_of,
)
from ledgecliff.core.edits.parts import rename_feature, users_of
from ledgecliff.core.edits.setups import remove_operation, rename_operation
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.cycles import CycleKind
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.released import probing_text
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from tests.core.reading_back.test_cycles import CYCLES, job_with
from tests.helpers import demo, demo_plan, models
from tests.jobs import plan_of

#: A value for each field that is not its usual one.
OTHER = {
    "reads": 7.0, "moved": 6.0, "spacing": 31.0, "depth": 6.5, "angles_deg": (90, 210, 330), "tilt": 0.3,
    "below": 0.33, "rise": 0.3, "above": 0.66,
}  # fmt: skip


class ValuesTest(unittest.TestCase):
    """The fields shown of a kind of cycle are those that matter to it, no more and no less."""

    def outcome(self, cycle):
        plan = plan_of(job_with(cycle))
        return probing_text(plan, 1), sorted(f.code for f in findings_of(plan))

    def test_each_kind(self):
        seen, useless = set(), set()
        for name, cycle in CYCLES.items():
            before, values = self.outcome(cycle), values_of(cycle)
            seen.add(cycle.kind)
            for field, value in OTHER.items():
                try:
                    after = self.outcome(cycle.model_validate(cycle.model_dump() | {field: value}))
                except ValueError:
                    self.assertNotIn(field, values, f"{name}: {field} is refused, so it is no value of it")
                    continue
                if field not in values:
                    self.assertTrue(after == before, f"{name}: {field} matters and is not shown")
                elif after == before:
                    useless.add((name, field))
        self.assertEqual(useless, set(), "shown without mattering")
        self.assertEqual(seen, set(get_args(CycleKind)) - {"bar", "rotary axis"})


class ListTest(unittest.TestCase):
    def names(self, job, setup=0):
        return [cycle.name for cycle in cycles_of(job.setups[setup], job.part.features)]

    def test_taking_over_changes_nothing_that_is_run(self):
        for setup in (0, 1):
            job = take_over(demo(), setup)
            self.assertEqual(probing_text(make_plan(job, models()), setup), probing_text(demo_plan(), setup))

    def test_add_move_remove_and_back(self):
        top = CYCLES["presence"]
        job = add_cycle(add_cycle(demo(), 0, top), 0, top)
        self.assertEqual(self.names(job)[-2:], ["there", "there 2"])
        self.assertEqual(self.names(move_cycle(job, 0, 3, -9))[0], "there")
        self.assertEqual(len(cycles_of(remove_cycle(job, 0, 0).setups[0], job.part.features)), 4)
        with self.assertRaisesRegex(InvalidValueError, "no step 9"):
            remove_cycle(job, 0, 8)
        again = propose_again(remove_cycle(job, 0, 0), 0)
        self.assertEqual(self.names(again), [*self.names(demo()), "there", "there 2"], "what measures stays")
        self.assertIsNone(propose_again(take_over(demo(), 0), 0).setups[0].probing.cycles)

    def test_one_value_of_a_proposed_step_makes_the_list_ones_own(self):
        job = set_cycle(demo(), 0, 1, "touches", 3)
        self.assertEqual([cycle.touches for cycle in cycles_of(job.setups[0], job.part.features)], [1, 3, 1])


class OfferTest(unittest.TestCase):
    def test_what_is_touched_groups_them(self):
        groups = dict(offers(demo_plan().setups[0]))
        self.assertEqual(list(groups)[:3], ["the stock", "the finished part", "what holds it"])
        self.assertEqual({cycle.feature for cycle in groups["main bore"]}, {"main bore"})
        self.assertEqual({cycle.on for cycle in groups["what holds it"]}, {"fixed jaw", "jaw end", "parallels"})
        names = [cycle.name for _, cycles in offers(demo_plan().setups[0]) for cycle in cycles]
        self.assertEqual(len(names), len(set(names)), "each once")

    def test_every_offer_is_a_cycle_that_can_be_added_and_planned(self):
        """Whatever is offered gives a step, with or without problems, never a fault."""
        base = job_with()
        for cycle in (cycle for _, cycles in offers(plan_of(base).setups[1]) for cycle in cycles):
            with self.subTest(cycle.name):
                step = plan_of(add_cycle(base, 1, cycle)).setups[1].probing.steps[-1]
                self.assertEqual(step.cycle.name.removesuffix(" 2"), cycle.name)
                self.assertTrue(step.touches)
                self.assertTrue(step.finds)

    def test_features_that_open_sideways_are_not_offered(self):
        offered = dict(offers(demo_plan().setups[0]))
        self.assertIn("main bore", offered)
        self.assertNotIn("port", offered)


class NamesFollowTest(unittest.TestCase):
    def setUp(self):
        self.job = read_job(demo_job("winch-cheek"))

    def test_a_features_new_name(self):
        index = next(k for k, feature in enumerate(self.job.part.features) if feature.name == "hole 1")
        renamed = rename_feature(self.job, index, "first hole")
        self.assertIn("first hole", {cycle.feature for cycle in renamed.setups[0].probing.cycles})
        self.assertIn("Op 10, probing step 'measure hole 1'", users_of(self.job, "hole 1"))

    def test_an_operations_new_name(self):
        index = [operation.name for operation in self.job.setups[0].operations].index("drill hole 12")
        renamed = rename_operation(self.job, 0, index, "the last hole")
        self.assertIn("the last hole", {cycle.after for cycle in renamed.setups[0].probing.cycles})
        with self.assertRaisesRegex(InvalidValueError, "runs after it"):
            remove_operation(self.job, 0, index)

    def test_two_cycles_of_one_name_are_refused(self):
        with self.assertRaisesRegex(InvalidValueError, "share the name"):
            set_value(self.job, ("setups", 0, "probing", "cycles", 1, "name"), "stock, both sides in X")
