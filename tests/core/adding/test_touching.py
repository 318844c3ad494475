"""What is offered to be touched at a feature works where it is said to, and what is refused does not."""

from __future__ import annotations

import unittest

from ledgecliff.core.adding.touching import touchable
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.cycles import add_cycle, cycles_at
from ledgecliff.core.errors import CancelledError
from ledgecliff.core.model.operations import Face, Hole
from ledgecliff.core.plan import make_plan
from ledgecliff.core.quantities import spell
from tests.helpers import changed, demo, demo_plan, models
from tests.jobs import block_job, feature, plan_of, setup


def problems(plan, index, cycle):
    """The codes against a cycle once it stands in the job."""
    planned = make_plan(add_cycle(plan.job, index, cycle), plan.models).setups[index].probing
    return {problem.code for problem in planned.steps[-1].problems}


class ClaimTest(unittest.TestCase):
    """Each claim about the demo is held against the whole job planned again."""

    def test_what_is_offered_has_no_problem_once_it_is_added(self):
        plan, count = demo_plan(), 0
        for index, name in ((0, "main bore"), (1, "main bore"), (1, "bolt hole SW"), (1, "counterbore")):
            for offer in touchable(plan, index, name):
                with self.subTest(setup=index, offer=offer.title):
                    self.assertIsNotNone(offer.what)
                    self.assertEqual(problems(plan, index, offer.what), set())
                    count += 1
        self.assertEqual(count, 8)

    def test_it_runs_no_later_than_it_must(self):
        plan = demo_plan()
        operations = [operation.name for operation in plan.job.setups[0].operations]
        offer = touchable(plan, 0, "main bore")[0]
        self.assertEqual(offer.what.after, "pocket and bolt holes")
        for after in (None, *operations[: operations.index(offer.what.after)]):
            sooner = offer.what.model_copy(update={"after": after})
            self.assertEqual(problems(plan, 0, sooner), {"TOUCH_BURIED"})
        self.assertIn("covered by stock until 'pocket and bolt holes' is done", offer.says)

    def test_what_is_refused_has_a_problem_at_every_time(self):
        """A bore as narrow as the ball has no room for it."""
        narrow = feature("pilot", "hole", (30, 20, 20), diameter=4.0, depth=10.0)
        cut = Hole(name="drill", tool=2, on="pilot", features=("pilot",))
        plan = plan_of(block_job(setup(Face(name="face", tool=1), cut), features=(narrow,)))
        offers = touchable(plan, 0, "pilot")
        self.assertEqual([offer.what for offer in offers], [None, None])
        for cycle in cycles_at(plan.setups[0].setup, narrow):
            for after in (None, "face", "drill"):
                self.assertTrue(problems(plan, 0, cycle.model_copy(update={"after": after})))
        self.assertRegex(offers[0].says, "^Touch .* .+")

    def test_a_shallow_wall_is_touched_less_deep(self):
        """The counterbore is 6 deep: at the usual 8 the ball would meet its floor."""
        offer = touchable(demo_plan(), 1, "counterbore")[0]
        self.assertLess(offer.what.depth, 6.0 - demo().machine.probe.ball_radius)
        usual = offer.what.model_copy(update={"depth": None})
        self.assertEqual(problems(demo_plan(), 1, usual), {"TOUCH_TOO_DEEP"})
        self.assertIn(" deep", offer.says)


class SetsTest(unittest.TestCase):
    def test_only_what_the_zero_is_taken_from_sets_it(self):
        by_name = {name: touchable(demo_plan(), 1, name)[0] for name in ("main bore", "bolt hole SW")}
        self.assertEqual(by_name["main bore"].what.action, "set")
        self.assertIn("sets G55; step 1 does so already", by_name["main bore"].says)
        self.assertEqual(by_name["bolt hole SW"].what.action, "measure")
        self.assertNotIn("G55", by_name["bolt hole SW"].says)

    def test_a_zero_is_not_set_anew_once_something_is_cut(self):
        offer = touchable(demo_plan(), 0, "main bore")[0]
        plan = make_plan(changed((("setups", 0, "datum", "x"), demo().setups[1].datum.x)), models())
        again = touchable(plan, 0, "main bore")[0]
        self.assertEqual((offer.what.action, again.what.action), ("measure", "measure"))


class ReasonTest(unittest.TestCase):
    def test_a_setup_that_has_it_up_is_named(self):
        (offer,) = touchable(demo_plan(), 0, "bolt hole SW")
        self.assertEqual((offer.what, offer.says), (None, "It opens to −Z, which is not up in Op 10; it is in Op 20."))

    def test_where_none_has_it_up_one_is_asked_for(self):
        (offer,) = touchable(demo_plan(), 0, "port")
        self.assertIn("nor in any other setup; add one", offer.says)

    def test_a_size_that_is_not_told_is_asked_for(self):
        (offer,) = touchable(demo_plan(), 0, "pocket")
        self.assertEqual(offer.says, "Its width is not told; type it under Part.")
        at = [each.name for each in demo().part.features].index("pocket")
        wide = set_value(demo(), ("part", "features", at, "width"), 22.0)
        self.assertTrue(all(each.title != "touch pocket" for each in touchable(make_plan(wide, models()), 0, "pocket")))

    def test_a_kind_without_a_cycle(self):
        (offer,) = touchable(demo_plan(), 1, "bore edge break")
        self.assertIn("edge break", offer.says)

    def test_a_tilted_feature_is_said_to_open_askew(self):
        skew = feature("spout", "hole", (30, 20, 20), diameter=10.0, depth=10.0).model_copy(
            update={"skew": demo().part.features[0].at.model_copy(update={"x": 1.0, "y": 0.0, "z": 1.0})}
        )
        (offer,) = touchable(plan_of(block_job(features=(skew,))), 0, "spout")
        self.assertIn("opens askew", offer.says)

    def test_nothing_of_that_name(self):
        self.assertEqual(touchable(demo_plan(), 0, "left vise"), ())

    def test_it_ends_when_it_is_cancelled(self):
        self.assertRaises(CancelledError, touchable, demo_plan(), 1, "main bore", lambda: True)

    def test_lengths_are_spelled_in_either_unit(self):
        says = touchable(demo_plan(), 1, "counterbore")[0].says
        deep = touchable(demo_plan(), 1, "counterbore")[0].what.depth
        self.assertIn(f"{deep:.3f} mm deep", spell(says, "mm"))
        self.assertIn(f"{deep / 25.4:.4f} in deep", spell(says, "in"))
