"""From where features can be cut, the fewest sides, and the order with its arguments."""

from __future__ import annotations

import itertools
import unittest

from ledgecliff.core.edits import set_value
from ledgecliff.core.frames import DIRECTIONS
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.plan import make_plan
from ledgecliff.core.sides.order import hollow_share
from ledgecliff.core.sides.reach import Reach, fewest_sides, reach_of
from ledgecliff.core.sides.setups import setups_for
from tests.helpers import codes, demo, demo_plan, models
from tests.jobs import block_job, feature, plan_of

SHELL = (feature("inside", "pocket", (30, 20, 3), length=52, width=32, depth=17, radius=4, lengthwise="+X"),)


def around(job_part=(60, 40, 20), over=6.0, **more):
    """A block job with stock standing over the part all round."""
    stock = tuple(size + over for size in job_part)
    return plan_of(block_job(part=job_part, stock=stock, allowance=Allowance(plus_z=1.0), **more))


class ReachTest(unittest.TestCase):
    def test_the_housing_needs_three_sides(self):
        """Pocket from above, counterbore from below, port from the right; bolt holes from either side."""
        self.assertEqual(demo_plan().coverage.fewest, (("+X", "+Z", "-Z"),))
        sides = {reach.name: reach.sides for reach in demo_plan().coverage.features}
        self.assertEqual(sides["pocket"], ("+Z",))
        self.assertEqual(sides["counterbore"], ("-Z",))
        self.assertEqual(sides["port"], ("+X",))
        self.assertEqual(set(sides["bolt hole NE"]), {"+Z", "-Z"})

    def test_what_the_blank_already_has_needs_no_side(self):
        self.assertEqual(plan_of(block_job()).coverage.features, ())
        high = plan_of(block_job(stock=(60, 40, 22), allowance=Allowance(plus_z=2.0)))
        self.assertEqual([reach.name for reach in high.coverage.features], ["face +Z"])

    def test_a_tilted_hole_asks_for_a_tilted_setup(self):
        tilted = feature("oil hole", "hole", (30, 20, 20), diameter=5, through=True, skew={"x": 1, "y": 0, "z": 1})
        covered = plan_of(block_job(features=(tilted,))).coverage
        (reach,) = covered.tilted()
        self.assertEqual(reach.name, "oil hole")
        self.assertAlmostEqual(abs(reach.skew[0]), 0.5**0.5, places=3)

    def test_a_named_place_without_a_face_is_reached_by_its_own_direction(self):
        mark = feature("scribed mark", "face", (10, 10, 7.5), "-Y")
        self.assertEqual(reach_of(mark, plan_of(block_job()).geometry), ("-Y",))

    def test_fewest_sides_against_trying_every_set(self):
        """Another way: every one of the 63 sets of sides, asked one by one."""
        cases = [(("+X",), ("+X", "-X")), (("+Z", "-Z"), ("-Z", "+Y"), ("+Y",)), (("+X",), ("-X",), ("+Y", "-Y")), ()]
        for wanted in cases:
            reaches = tuple(Reach(str(k), "face", sides) for k, sides in enumerate(wanted))
            sets = [set(s) for n in range(1, 7) for s in itertools.combinations(DIRECTIONS, n)]
            covering = [s for s in sets if all(s & set(sides) for sides in wanted)] if wanted else []
            least = min(map(len, covering), default=0)
            expected = {frozenset(s) for s in covering if len(s) == least}
            self.assertEqual({frozenset(s) for s in fewest_sides(reaches)}, expected)


class OrderTest(unittest.TestCase):
    def test_the_housing_as_the_handbook_has_it(self):
        """Top first on a hat, underside next on the finished top, the port last between finished faces."""
        best = demo_plan().proposal.orders[0]
        self.assertEqual(best.sides, ("+Z", "-Z", "+X"))
        words = " ".join(argument.words for argument in best.arguments)
        self.assertIn("hat of ⟦4.5⟧", words)
        self.assertEqual(len(demo_plan().proposal.orders), 6, "every order of three sides is an alternative")

    def test_scores_fall_and_are_what_the_arguments_weigh(self):
        scores = [order.score for order in demo_plan().proposal.orders]
        self.assertEqual(scores, sorted(scores, reverse=True))
        for order in demo_plan().proposal.orders:
            self.assertAlmostEqual(order.score, sum(argument.weight for argument in order.arguments))

    def test_a_shell_is_hollowed_while_its_outside_is_a_block(self):
        plan = around(features=SHELL)
        self.assertAlmostEqual(hollow_share("+Z", plan.geometry), 52 * 32 * 17 / (60 * 40 * 20), delta=0.02)
        best = plan.proposal.orders[0]
        self.assertEqual(best.sides[0], "+Z")
        self.assertTrue(any("inside is cut first" in argument.words for argument in best.arguments))
        other = next(order for order in plan.proposal.orders if order.sides[0] == "-Z")
        self.assertTrue(any("after the outside" in argument.words for argument in other.arguments))

    def test_thin_sections_belong_last(self):
        """A web of 2 between two pockets is thin as soon as both are cut; nothing is thin before."""
        faces = (
            feature("upper", "pocket", (30, 20, 11), length=40, width=25, depth=9, radius=3, lengthwise="+X"),
            feature("lower", "pocket", (30, 20, 9), "-Z", length=40, width=25, depth=9, radius=3, lengthwise="+X"),
            feature("side hole", "hole", (60, 5, 10), "+X", diameter=4, depth=6),
        )
        for order in around(features=faces).proposal.orders:
            early = {"+Z", "-Z"} <= set(order.sides[:2])
            said = any("thin sections belong last" in a.words and "⟦2.0" in a.words for a in order.arguments)
            self.assertEqual(said, early, order.in_words())

    def test_one_side_more_where_the_fewest_cannot_be_held(self):
        """A side hole cut second, out of a hat still all round: nothing to grip.  Turned over first, it is held."""
        plan = around(features=(feature("side hole", "hole", (0, 20, 10), "-X", diameter=4, depth=6),))
        few, best = plan.coverage.fewest[0], plan.proposal.orders[0]
        self.assertEqual(len(best.sides), len(few) + 1)
        self.assertTrue(any("one setup more than the fewest" in argument.words for argument in best.arguments))
        fewest = [order for order in plan.proposal.orders if len(order.sides) == len(few)]
        self.assertTrue(fewest, "the fewest stay among the alternatives")
        self.assertTrue(all(order.score < 0 for order in fewest))
        self.assertFalse(any(len(order.sides) > 3 for order in demo_plan().proposal.orders), "it can be held as it is")

    def test_nothing_to_cut_gives_no_order(self):
        self.assertEqual(plan_of(block_job()).proposal.orders, ())


class SetupsTest(unittest.TestCase):
    def test_a_plan_from_the_best_order_stands(self):
        """Three setups in vises, nothing left uncut, no finding."""
        plan = demo_plan()
        setups = setups_for(
            plan.proposal.orders[0], plan.job.part.features, plan.geometry, plan.blank, plan.job.machine
        )
        self.assertEqual([setup.orientation.up for setup in setups], ["+Z", "-Z", "+X"])
        made = make_plan(set_value(demo(), ("setups",), setups), models())
        self.assertEqual(codes(made), set())
        self.assertAlmostEqual(made.finished.volume, plan.geometry.solid.volume(), delta=60)
        self.assertEqual(setups[1].datum.x.feature, "main bore")
        self.assertEqual([setup.offset for setup in setups], ["G54", "G55", "G56"])

    def test_every_feature_is_made_once(self):
        plan = demo_plan()
        setups = setups_for(
            plan.proposal.orders[0], plan.job.part.features, plan.geometry, plan.blank, plan.job.machine
        )
        made = [name for setup in setups for operation in setup.operations for name in operation.features]
        self.assertEqual(sorted(made), sorted(feature.name for feature in plan.job.part.features))
