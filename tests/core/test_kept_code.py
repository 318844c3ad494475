"""One work offset kept through all setups: found again on each side; what it holds of another side is none of it."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.setups import add_setup, copy_setup
from ledgecliff.core.errors import InvalidValueError, RegisterError
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.released import probing_text
from ledgecliff.core.programs.targets import with_codes
from ledgecliff.core.register.allocation import allocate, claims, use_of
from ledgecliff.core.register.checks import check_offsets, values_for
from ledgecliff.core.register.entries import Entry, Value, claimed, with_value
from ledgecliff.core.rehearsal.true_world import TrueClamping, TrueWorld
from tests.helpers import codes, demo, demo_plan, models
from tests.rehearsals import rehearsed

OWN, KEPT = demo(), with_codes(demo(), "one for all")
VALUE = Value(-520.0, -214.0, -409.5)
USES = [use_of(KEPT, setup) for setup in KEPT.setups]
EMPTY = [Entry(code) for code in ("G54", "G55", "G56")]


def codes_of(job):
    return [setup.offset for setup in job.setups]


def plan_of(job):
    return make_plan(job, models())


class ChoiceTest(unittest.TestCase):
    def test_there_and_back(self):
        self.assertEqual(codes_of(OWN), ["G54", "G55"])
        self.assertEqual((KEPT.codes, codes_of(KEPT)), ("one for all", ["G54", "G54"]))
        self.assertEqual(with_codes(KEPT, "one a setup"), OWN)
        self.assertEqual(with_codes(OWN, "one a setup"), OWN)
        only = set_value(KEPT, ("machines", 0, "offsets"), KEPT.machine.offsets[:1])
        with self.assertRaises(InvalidValueError):
            with_codes(set_value(only, ("machines", 0, "extended"), None), "one a setup")

    def test_further_setups_take_it_too(self):
        new = derived_id("another")
        self.assertEqual(codes_of(copy_setup(KEPT, 1, new)), ["G54"] * 3)
        self.assertEqual(codes_of(add_setup(KEPT, "+X", plan_of(KEPT), new)), ["G54"] * 3)
        self.assertEqual(codes_of(copy_setup(OWN, 1, new)), ["G54", "G55", "G56"])

    def test_whose_zero_it_holds(self):
        self.assertIsNone(KEPT.held_before(0))
        self.assertEqual(KEPT.held_before(1), KEPT.setups[0])
        self.assertIsNone(OWN.held_before(1))


class FindingsTest(unittest.TestCase):
    def test_found_again_nothing_speaks_against_it(self):
        self.assertEqual(codes(plan_of(KEPT)), codes(demo_plan()))
        shared = set_value(OWN, ("setups", 1, "offset"), "G54")
        self.assertIn("OFFSET_SHARED", codes(plan_of(shared)))

    def test_an_axis_that_is_not_found_again_is_an_error(self):
        steps = plan_of(KEPT).setups[1].probing.steps
        without_z = tuple(step.cycle for step in steps if all(each.axis != "z" for each in step.sets))
        job = set_value(KEPT, ("setups", 1, "probing", "cycles"), without_z)
        self.assertIn("CODE_NOT_FOUND_AGAIN", codes(plan_of(job), "Op 20"))
        self.assertNotIn("CODE_NOT_FOUND_AGAIN", codes(plan_of(with_codes(job, "one a setup"))))
        # Measured, or written into another code, it is not found either.
        elsewhere = tuple(
            step.cycle.model_copy(update={"into": "G59"} if step.sets[-1].axis == "z" else {}) for step in steps
        )
        job = set_value(KEPT, ("setups", 1, "probing", "cycles"), elsewhere)
        self.assertIn("CODE_NOT_FOUND_AGAIN", codes(plan_of(job), "Op 20"))

    def test_another_code_than_the_one_that_is_kept(self):
        job = set_value(KEPT, ("setups", 1, "offset"), "G55")
        self.assertIn("CODE_NOT_KEPT", codes(plan_of(job), "Op 20"))
        self.assertNotIn("CODE_NOT_KEPT", codes(demo_plan()))


class RegisterTest(unittest.TestCase):
    def told(self, entry, job=KEPT):
        return [(finding.code, finding.setup) for finding in check_offsets(job, [entry])]

    def test_each_side_takes_it_from_the_other(self):
        first = with_value(claimed(EMPTY[0], USES[0]), VALUE, "touches")
        self.assertEqual(self.told(first), [("OFFSET_OTHER_SIDE", "Op 20")])
        second = with_value(claimed(first, USES[1]), replace(VALUE, z=-405.0), "touches")
        self.assertEqual(second.found_for, USES[1])
        self.assertEqual(self.told(second), [("OFFSET_OTHER_SIDE", "Op 10")])
        self.assertEqual(claimed(second, USES[0]).state(), "stale")

    def test_of_another_job_or_without_the_choice_it_is_taken_as_ever(self):
        first = with_value(claimed(EMPTY[0], USES[0]), VALUE, "touches")
        apart = set_value(OWN, ("setups", 1, "offset"), "G54")
        with self.assertRaises(RegisterError):
            claimed(first, use_of(apart, apart.setups[1]))
        other = KEPT.model_copy(update={"id": derived_id("somebody else's")})
        with self.assertRaises(RegisterError):
            claimed(first, use_of(other, other.setups[1]))
        self.assertEqual({code for code, _ in self.told(first, other)}, {"OFFSET_TAKEN"})

    def test_neither_sides_value_counts_for_both(self):
        for use in USES:
            entry = with_value(claimed(EMPTY[0], use), VALUE, "touches")
            self.assertEqual(values_for(KEPT, [entry]), {})
        self.assertNotEqual(
            values_for(OWN, [with_value(claimed(EMPTY[0], use_of(OWN, OWN.setups[0])), VALUE, "tape")]), {}
        )

    def test_one_code_is_given_to_all_and_claimed_once(self):
        taken = [replace(EMPTY[0], resident="rotary chuck"), *EMPTY[1:]]
        given = allocate(KEPT, taken)
        self.assertEqual([each.code for each in given], ["G55", "G55"])
        (claim,) = claims(taken, given)
        self.assertEqual((claim.code, claim.use), ("G55", USES[0]))
        # Op 20 has it by now: it stays so.
        now = [taken[0], claimed(claim, USES[1]), taken[2]]
        self.assertEqual([each.code for each in allocate(KEPT, now)], ["G55", "G55"])
        self.assertEqual(claims(now, allocate(KEPT, now)), ())
        self.assertEqual([each.code for each in allocate(OWN, EMPTY)], ["G54", "G55"])


class TruthTest(unittest.TestCase):
    WORLDS = tuple(
        TrueWorld(
            stock_off=Point(x=0.0, y=off, z=off / 2.0),
            setups=(
                TrueClamping(name="Op 10", fixture_off=Point(x=off, y=-off / 2.0, z=0.0)),
                TrueClamping(name="Op 20", part_off=Point(x=-off, y=off / 3.0, z=0.0)),
            ),
        )
        for off in (0.0, 0.1, -0.15, 0.2, -0.25)
    )

    def test_each_side_is_found_as_in_a_code_of_its_own(self):
        """In five stated worlds: the same numbers as one code a setup, though each is written over the other's."""
        kept, own = plan_of(KEPT), demo_plan()
        for world in self.WORLDS:
            in_one, in_two = rehearsed(kept, world=world), rehearsed(own, world=world)
            self.assertEqual((in_one.alarms, in_two.alarms), ((), ()))
            for one, two in zip(in_one.setups, in_two.setups, strict=True):
                np.testing.assert_allclose(one.found, two.found, atol=1e-9)
                np.testing.assert_allclose(one.difference, 0.0, atol=0.02)
            self.assertGreater(float(np.abs(in_one.setups[0].found - in_one.setups[1].found).max()), 1.0)

    def test_the_programs_head_says_whose_zero_is_there(self):
        self.assertIn("G54 still holds the zero of Op 10", probing_text(plan_of(KEPT), 1))
        self.assertNotIn("still holds", probing_text(plan_of(KEPT), 0) + probing_text(demo_plan(), 1))
