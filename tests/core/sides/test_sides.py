"""From where features can be cut, the fewest sides, and the order with its arguments."""

from __future__ import annotations

import itertools
import unittest

import numpy as np
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common
from OCP.BRepPrimAPI import BRepPrimAPI_MakeSphere
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

from ledgecliff.core.blanks import blank, box
from ledgecliff.core.cutting.cuts import Cut
from ledgecliff.core.in_process.stock import cut
from ledgecliff.core.model.base import Size
from ledgecliff.core.model.operations import Seen
from ledgecliff.core.model.orientation import DIRECTIONS, direction_vector
from ledgecliff.core.model.stock import Allowance, BlockStock
from ledgecliff.core.sides.from_where import side_rows
from ledgecliff.core.sides.left import covered_faces, left_by_sides, side_up
from ledgecliff.core.sides.order import Argument, Order, hollow_share, placed_for, propose, proposing
from ledgecliff.core.sides.reach import coverage, is_in_sight, reach_of, sides_of_faces
from ledgecliff.core.solids.in_process_stock import InProcessStock
from tests.corpus import corpus_part
from tests.draws import ALL, draws
from tests.helpers import demo_plan
from tests.jobs import bar_job, block_job, feature, plan_of
from tests.models import box as box_shape
from tests.models import geometry_from, less

SHELL = (feature("inside", "pocket", (30, 20, 3), length=52, width=32, depth=17, radius=4, lengthwise="+X"),)


def around(job_part=(60, 40, 20), over=6.0, **more):
    """A block job with stock standing over the part all round."""
    stock = tuple(size + over for size in job_part)
    return plan_of(block_job(part=job_part, stock=stock, allowance=Allowance(plus_z=1.0), **more))


def block_over(geometry, over):
    """A block that stands out over the part by half of ``over`` on each side."""
    size = Size(**dict(zip("xyz", (geometry.high - geometry.low + over).tolist(), strict=True)))
    return blank(BlockStock(material="brass", nominal=size, measured=size), geometry)


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
        """Another way: every set cut side after side out of the blank itself, judged by what is left in the end."""
        names = ("wedge block", "u bracket", "block pocketed on 3", "square bar", "step block")
        for name in names[: draws(3, 5)]:
            geometry = corpus_part(name)
            size = Size(**dict(zip("xyz", geometry.high - geometry.low + 6.0, strict=True)))
            stock = blank(BlockStock(material="brass", nominal=size, measured=size), geometry)

            def left_over(sides, stock=stock, geometry=geometry):
                after = stock
                for side in sides:
                    one = Cut(side_up(side, geometry), Seen(name="-", tool=1), ())
                    after = cut(after, geometry.coarse, geometry, (one,))
                return float((after.solid - geometry.solid).volume())

            every = [s for n in range(1, 5) for s in itertools.combinations(DIRECTIONS, n)]
            enough = [s for s in every if left_over(s) < 5.0]
            least = min(map(len, enough))
            found = coverage((), geometry, stock).fewest
            self.assertEqual({frozenset(s) for s in found}, {frozenset(s) for s in enough if len(s) == least}, name)

    def test_pockets_on_so_many_sides_need_so_many(self):
        """Known beforehand: top and underside for the faces, and one more for each pocket on another side."""
        for pockets in range(1, 7):
            geometry = corpus_part(f"block pocketed on {pockets}")
            size = Size(x=86, y=66, z=56)
            stock = blank(BlockStock(material="brass", nominal=size, measured=size), geometry)
            (sides,) = coverage((), geometry, stock).fewest if pockets > 1 else (("+Z", "-Z"),)
            self.assertEqual(set(sides), set(("+Z", "-Z", "+X", "-X", "-Y", "+Y")[: max(pockets, 2)]))

    def test_a_lever_needs_two(self):
        """Its bosses' rounds are split above and below the arm; facets of both differ by a film, which is no stock."""
        geometry = corpus_part("lever")
        size = Size(x=120, y=45, z=26)
        stock = blank(BlockStock(material="brass", nominal=size, measured=size), geometry)
        self.assertIn(("+Z", "-Z"), coverage((), geometry, stock).fewest)

    def test_reach_does_not_depend_on_how_large_a_block_is(self):
        """Whatever stands over the part, what it covers is reached from the sides that a large block says, worked out
        within that block itself."""
        for name in ("lever", "chamfered plate", "both sided shell", "disc")[: draws(3, 4)]:
            geometry = corpus_part(name)
            blanks = [block_over(geometry, over) for over in (0.0, 0.2, 1.0, 7.0)]
            left, large = left_by_sides(geometry, blanks[-1]), {}
            covered = covered_faces(blanks[-1].solid, geometry)
            for side in DIRECTIONS:
                after = covered_faces(left.left(blanks[-1], frozenset((side,))).solid, geometry)
                seen = {face for face in covered if is_in_sight(face, direction_vector(side), geometry)}
                large[side] = covered - after | seen
            for over, stock in zip((0.0, 0.2, 1.0, 7.0), blanks, strict=True):
                for face, sides in sides_of_faces(geometry, stock).items():
                    self.assertEqual(
                        set(sides), {side for side in DIRECTIONS if face in large[side]}, (name, over, face)
                    )

    def test_of_a_casting_counts_what_it_has_on_a_face(self):
        """A floor that runs on under a ledge: a block stands in that corner, and from above it stays there; a casting
        that is hollow there has stock on the open half alone."""
        body = less(box_shape((0, 0, 0), (60, 40, 20)), box_shape((20, -1, 5), (61, 41, 10)))
        geometry = geometry_from(less(body, box_shape((40, -1, 9), (61, 41, 21))), "ledge")
        floor = next(k for k, face in enumerate(geometry.faces) if face.normal == (0, 0, 1) and face.offset == 5)
        raw = geometry.solid + box((40, 0, 5), (60, 40, 20))
        casting = InProcessStock(raw.as_original(), raw.as_original().original_id())
        self.assertNotIn("+Z", sides_of_faces(geometry, block_over(geometry, 2.0))[floor])
        self.assertIn("+Z", sides_of_faces(geometry, casting)[floor])

    def test_half_a_round_from_each_of_two_sides(self):
        """A round bar lying level is all there after both halves; no one side alone makes its round."""
        plan = plan_of(bar_job())
        size = Size(x=90, y=40, z=40)
        covered = coverage(
            (), plan.geometry, blank(BlockStock(material="b", nominal=size, measured=size), plan.geometry)
        )
        outer = next(reach for reach in covered.features if reach.kind in ("outer round", "boss"))
        self.assertEqual(outer.sides, ("+X", "-X"))
        self.assertTrue(all(len(sides) == 2 for sides in covered.fewest))


class FromWhereTest(unittest.TestCase):
    """Features against the six directions (in their order +X −X +Y −Y +Z −Z), as the demo's drawing has them."""

    def test_marks_of_the_demo_by_hand(self):
        covered = demo_plan().coverage
        rows = {row.name: row for row in side_rows(covered, {"+Z", "-Z"})}
        for name, marks in {
            "port": ("○", "", "", "", "", ""),
            "pocket": ("", "", "", "", "✓", ""),
            "counterbore": ("", "", "", "", "", "✓"),
            "bolt hole SW": ("", "", "", "", "✓", "✓"),
            "main bore": ("", "", "", "", "½", "½"),
            "face -X 1": ("", "○", "○", "○", "✓", "✓"),
        }.items():
            with self.subTest(name):
                self.assertEqual(rows[name].marks, marks)
                self.assertEqual(rows[name].is_made, name != "port")
        self.assertEqual(rows["main bore"].words, "main bore: in part +Z up, planned; in part −Z up, planned")

    def test_what_is_not_made_comes_first(self):
        rows = side_rows(demo_plan().coverage, {"+Z"})
        missing = [row.name for row in rows if not row.is_made]
        self.assertEqual(missing, [row.name for row in rows[: len(missing)]])
        self.assertLessEqual({"port", "main bore", "counterbore"}, set(missing))
        self.assertFalse({"pocket", "bolt hole SW"} & set(missing))

    def test_pieces_and_the_whole_agree(self):
        """All of a feature is cut from where every face of it is; six directions make what each face has one for."""
        for plan in (demo_plan(), around()):
            for reach in plan.coverage.features:
                each = [set(piece) for piece in reach.pieces]
                self.assertEqual(set(reach.sides), set.intersection(*each), reach.name)
                self.assertEqual(set(reach.partly) | set(reach.sides), set.union(*each))
                self.assertEqual(reach.is_made_by(DIRECTIONS), all(each))
                self.assertEqual(reach.is_made_by(()), False)


def lens_part():
    """60 across and 20 high, round on both sides: R = (30² + 10²) / (2 · 10) = 50."""
    axes = [gp_Ax2(gp_Pnt(0, 0, z), gp_Dir(0, 0, 1)) for z in (-40.0, 40.0)]
    balls = [BRepPrimAPI_MakeSphere(each, 50.0).Shape() for each in axes]
    return geometry_from(BRepAlgoAPI_Common(*balls).Shape(), "lens")


class WorstReasonTest(unittest.TestCase):
    def test_it_is_the_heaviest_against_and_none_where_all_speak_for(self):
        reasons = [Argument("+Z", weight, f"reason {weight}") for weight in (1.0, -0.5, -2.0, 3.0)]
        self.assertIs(Order(("+Z",), tuple(reasons)).worst, reasons[2])
        self.assertIsNone(Order(("+Z",), (reasons[0], reasons[3])).worst)


class OrderTest(unittest.TestCase):
    def test_the_housing_as_it_is_worked(self):
        """Top first on a hat, underside next on the finished top, the port last between finished faces."""
        best = demo_plan().proposal.orders[0]
        self.assertEqual(best.sides, ("+Z", "-Z", "+X"))
        words = " ".join(argument.words for argument in best.arguments)
        self.assertIn("hat of ⟦4.5⟧", words)
        self.assertEqual(len(demo_plan().proposal.orders), 6, "every order of three sides is an alternative")

    def test_scores_fall_and_are_what_the_arguments_weigh_for_each_setup(self):
        scores = [order.score for order in demo_plan().proposal.orders]
        self.assertEqual(scores, sorted(scores, reverse=True))
        for order in demo_plan().proposal.orders:
            self.assertAlmostEqual(order.score, sum(argument.weight for argument in order.arguments) / 3)

    def test_more_setups_do_not_weigh_more(self):
        """The same step said three times over, as three setups, weighs what it weighs once."""
        argument = Argument("+Z", 1.3, "gripped")
        scores = [Order(("+Z",) * n, (argument,) * n).score for n in (1, 2, 3)]
        np.testing.assert_allclose(scores, 1.3)
        self.assertLess(Order(("+Z", "-Z"), (argument, argument), extra=1).score, scores[0])

    def test_no_proposed_setup_takes_nothing(self):
        names = ("lever", "bearing housing", "plain plate", "block pocketed on 4")
        for name in names[: draws(1, 4)]:
            geometry = corpus_part(name)
            size = Size(**dict(zip("xyz", geometry.high - geometry.low + 5.0, strict=True)))
            stock = blank(BlockStock(material="brass", nominal=size, measured=size), geometry)
            for order in propose((), geometry, stock).orders[: draws(1, 6)]:
                placed = placed_for(order.sides[0], geometry, stock)
                volumes = [left_by_sides(geometry, stock).left(placed, frozenset(order.sides[:k])).volume
                           for k in range(len(order.sides) + 1)]  # fmt: skip
                self.assertTrue(all(a > b + 0.1 for a, b in itertools.pairwise(volumes)), (name, order.sides))

    def test_the_search_can_be_left_with_the_best_so_far(self):
        """Each proposal on the way is whole, counts what was tried, and is no better than the next."""
        plan = plan_of(block_job(part=(60, 40, 20), stock=(66, 46, 26), features=SHELL))
        seen = list(proposing(plan.job.part.features, plan.geometry, plan.blank))
        best = [each.orders[0].score for each in seen if each.orders]
        self.assertEqual(best, sorted(best))
        self.assertEqual([each.tried for each in seen], sorted(each.tried for each in seen))
        self.assertEqual(seen[-1].tried, seen[-1].of)
        self.assertEqual(seen[-1].orders, propose(plan.job.part.features, plan.geometry, plan.blank).orders)

    def test_what_is_left_out_is_said(self):
        """Of six sides only orders that begin with the three best are gone through: 3 times 120."""
        geometry = corpus_part("block pocketed on 6")
        size = Size(x=86, y=66, z=56)
        stock = blank(BlockStock(material="brass", nominal=size, measured=size), geometry)
        proposal = propose((), geometry, stock)
        self.assertEqual(proposal.of, 360)
        self.assertRegex(proposal.left_out, r"orders of 6 sides that begin with .*, .*, .* were not gone through")
        self.assertEqual(demo_plan().proposal.left_out, "")

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

    @unittest.skipUnless(ALL, "tries half a minute of orders; LEDGECLIFF_ALL_DRAWS=1 does it")
    def test_one_side_more_where_the_fewest_cannot_be_held(self):
        """A lens has no flat to grip or lie on: from two sides more speaks against than for, and three stand beside."""
        lens = lens_part()
        size = Size(x=66, y=66, z=26)
        proposal = propose((), lens, blank(BlockStock(material="brass", nominal=size, measured=size), lens))
        fewest = [order for order in proposal.orders if not order.extra]
        more = [order for order in proposal.orders if order.extra]
        self.assertEqual({len(order.sides) for order in fewest}, {2})
        self.assertTrue(all(order.score < 0 for order in fewest))
        self.assertEqual({len(order.sides) for order in more}, {3})
        for order in more:
            self.assertIn("one setup more than the fewest", order.arguments[-1].words)
        self.assertFalse(any(order.extra for order in demo_plan().proposal.orders), "it can be held as it is")

    def test_prepared_faces_are_lain_on_and_gripped_first(self):
        """Cut from above and from the right: whichever comes second lies on a raw face, unless that came prepared."""
        faces = (
            feature("upper", "pocket", (30, 20, 15), length=20, width=15, depth=5, radius=3, lengthwise="+X"),
            feature("side hole", "hole", (60, 20, 10), "+X", diameter=6, depth=6),
        )

        def best(*prepared):
            job = block_job(features=faces)
            job = job.model_copy(update={"stock": job.stock.model_copy(update={"prepared": prepared})})
            return plan_of(job).proposal.orders[0]

        self.assertEqual(best("-X").sides, ("+Z", "+X"))
        self.assertEqual(best("-Z").sides, ("+X", "+Z"))
        said = [argument.words for argument in best("-Z", "+Y", "-Y").arguments]
        self.assertTrue(any("gripped on flat, parallel prepared faces across part Y" in words for words in said))
        self.assertTrue(any("of prepared face" in words for words in said))
        alone = [argument.words for argument in best("+Y").arguments]
        self.assertFalse(any("prepared" in words for words in alone), "one face of two is no pair to grip")

    def test_nothing_to_cut_gives_no_order(self):
        self.assertEqual(plan_of(block_job()).proposal.orders, ())
