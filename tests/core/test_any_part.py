"""Properties that hold for every part: parts drawn by lot, planned from their recognised features.

The lots are seeded, so a failure comes again; each part is a block with pockets, holes, slots and steps
from several sides.
"""

from __future__ import annotations

import itertools
import math
import random
import unittest
from functools import cache

import numpy as np

from ledgecliff.core.blanks import transformed
from ledgecliff.core.cutting.cuts import Cut
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.in_process.stock import cut
from ledgecliff.core.model.base import Size
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.model.operations import Seen
from ledgecliff.core.model.orientation import DIRECTIONS, direction_vector
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.new_job import first_plan, job_for_block, stock_round
from ledgecliff.core.plan import make_plan
from ledgecliff.core.recognition.recognise import recognise
from ledgecliff.core.sides.left import side_up
from ledgecliff.core.solids.geometry import Models
from ledgecliff.store.shop import shipped_shop
from tests.jobs import block_job, feature, plan_of

_LOTS = 6


def part_by_lot(lot):
    """Size and features of a part, and the volume its features take, which do not meet one another."""
    draw = random.Random(lot)
    x, y, z = (draw.choice((48, 60, 72)), draw.choice((36, 44)), draw.choice((18, 24)))
    features, taken = [], 0.0
    depth = draw.choice((5, 8))
    length, width = draw.choice((16, 20)), draw.choice((10, 12))
    features.append(
        feature("pocket", "pocket", (x / 2, y / 2, z - depth), length=length, width=width, depth=depth, radius=3,
                lengthwise="+X")
    )  # fmt: skip
    taken += (length * width - (4 - math.pi) * 9) * depth
    for k, (px, py) in enumerate(((7, 7), (x - 7, y - 7))):
        through = draw.random() < 0.6
        deep = z if through else 7
        way, at = ("-Z", 0) if not through and draw.random() < 0.5 else ("+Z", z)
        sizes = {"through": True} if through else {"depth": deep}
        features.append(feature(f"hole {k}", "hole", (px, py, at), way, diameter=5, **sizes))
        taken += math.pi * 2.5**2 * deep
    if draw.random() < 0.5:
        features.append(feature("side hole", "hole", (0, y / 2, z / 2), "-X", diameter=4, depth=6))
        taken += math.pi * 4 * 6
    return (x, y, z), tuple(features), taken


@cache
def planned(lot):
    """The part of a lot in stock that stands over it, planned in the best of the proposed orders."""
    size, features, _ = part_by_lot(lot)
    shop = shipped_shop()
    empty = job_for_block(Size(**dict(zip("xyz", size, strict=True))), f"part {lot}", shop, derived_id(str(lot)))
    part = empty.part.model_copy(update={"features": features})
    geometry = plan_of(empty.model_copy(update={"part": part})).geometry
    job = empty.model_copy(update={"part": part, "stock": stock_round(geometry, shop)})
    return make_plan(first_plan(job, Models(), shop).job, Models())


class AnyPartTest(unittest.TestCase):
    def for_each(self):
        return ((lot, planned(lot)) for lot in range(_LOTS))

    def test_the_solid_is_the_block_less_its_features(self):
        for lot, plan in self.for_each():
            size, _, taken = part_by_lot(lot)
            self.assertAlmostEqual(plan.geometry.fine_solid.volume(), math.prod(size) - taken, delta=0.01 * taken)

    def test_every_feature_is_recognised_where_it_was_entered(self):
        for lot, plan in self.for_each():
            found = [(each.kind, round(each.diameter or 0.0, 2)) for each in recognise(plan.geometry)]
            for each in part_by_lot(lot)[1]:
                self.assertIn((each.kind, round(each.diameter or 0.0, 2)), found)

    def test_the_proposed_order_makes_all_of_it(self):
        """From the proposed setups alone: all reached and held well, and the part is left in the end."""
        never = {"FEATURE_NOT_REACHED", "NOT_FINISHED", "GRIP_NOT_PARALLEL", "GRIP_TOO_SMALL", "GRIP_CUT_AWAY",
                 "SEAT_TOO_SMALL", "SEAT_TIPS", "PART_FREED", "CUT_INTO_HOLDING", "TOOL_TOO_SHORT"}  # fmt: skip
        for lot, plan in self.for_each():
            self.assertFalse({finding.code for finding in findings_of(plan)} & never, f"lot {lot}")
            self.assertAlmostEqual(plan.finished.volume / plan.geometry.solid.volume(), 1.0, delta=2e-3)

    def test_no_cut_goes_into_the_part_or_brings_stock_back(self):
        """At every state the part lies inside the stock, and the stock inside what was there before."""
        for _, plan in self.for_each():
            for setup in plan.setups:
                states = [setup.cutting.before(k) for k in range(len(setup.setup.operations) + 1)]
                for state in states:
                    self.assertLess((plan.geometry.coarse.solid() - state.solid).volume(), 1.0)
                for before, after in itertools.pairwise(states):
                    self.assertLess((after.solid - before.solid).volume(), 1e-3)

    def test_each_setup_gets_what_the_last_one_left(self):
        for _, plan in self.for_each():
            for before, after in itertools.pairwise(plan.setups):
                self.assertIs(after.before, before.after)

    def test_the_fewest_sides_are_fewest(self):
        """Another way: cut one after the other out of the blank, they leave the part, and no set of one less does."""
        for lot, plan in self.for_each():
            count = len(plan.coverage.fewest[0])
            for sides in (*plan.coverage.fewest, *itertools.combinations(DIRECTIONS, count - 1)):
                stock = plan.blank
                for side in sides:
                    one = Cut(side_up(side, plan.geometry), Seen(name="-", tool=1), ())
                    stock = cut(stock, plan.geometry.coarse, plan.geometry, (one,))
                is_part = stock.volume - plan.geometry.solid.volume() < 5.0
                self.assertEqual(is_part, sides in plan.coverage.fewest, f"lot {lot}: {sides}")

    def test_a_feature_is_seen_from_where_nothing_is_over_it(self):
        """Another way: a ray from inside each hole's mouth, outward, meets no part of it."""
        for _, plan in self.for_each():
            for found in recognise(plan.geometry):
                if found.kind != "hole":
                    continue
                solid = plan.geometry.solid
                for way in found.sees:
                    out = direction_vector(way)
                    start = np.array(found.at) - np.array(found.direction) * 0.5
                    self.assertFalse(len(solid.ray_cast(tuple(start), tuple(start + 500.0 * out))), found.name)


class TurnedPartTest(unittest.TestCase):
    """A part entered turned over has its sides turned over and nothing else."""

    #: A quarter turn about Z, and half a turn about X, of a block of 60 x 40 x 24.
    TURNS = (
        ("about Z", np.array([[0, -1, 0], [1, 0, 0], [0, 0, 1.0]]), (40, 60, 24), np.array([40.0, 0, 0])),
        ("about X", np.diag([1.0, -1.0, -1.0]), (60, 40, 24), np.array([0, 40.0, 24.0])),
    )
    FEATURES = (
        feature("hole", "hole", (12, 12, 24), diameter=6, depth=9),
        feature("pocket", "pocket", (40, 12, 16), length=20, width=10, depth=8, radius=2.5, lengthwise="+X"),
        feature("side hole", "hole", (60, 20, 12), "+X", diameter=5, depth=7),
    )

    def turned(self, matrix, shift):
        def way(name):
            vector = matrix @ direction_vector(name)
            return next(other for other in DIRECTIONS if float(direction_vector(other) @ vector) > 0.5)

        made = []
        for each in self.FEATURES:
            at = matrix @ np.array(each.at.as_tuple()) + shift
            lengthwise = way(each.lengthwise) if each.lengthwise else None
            place = {"x": at[0], "y": at[1], "z": at[2]}
            made.append(
                type(each).model_validate(
                    each.model_dump() | {"at": place, "opens_to": way(each.opens_to), "lengthwise": lengthwise}
                )
            )
        return tuple(made), way

    def test_reach_and_solid_turn_with_it(self):
        over = {"allowance": Allowance(plus_x=2, plus_y=2, plus_z=2)}
        plain = plan_of(block_job(part=(60, 40, 24), stock=(64, 44, 28), features=self.FEATURES, **over))
        for name, matrix, size, shift in self.TURNS:
            with self.subTest(turn=name):
                features, way = self.turned(matrix, shift)
                stock = tuple(side + 4 for side in size)
                plan = plan_of(block_job(part=size, stock=stock, features=features, **over))
                back = transformed(plan.geometry.solid.translate(tuple(-shift)), matrix.T)
                self.assertLess((back - plain.geometry.solid).volume(), 5.0)
                self.assertLess((plain.geometry.solid - back).volume(), 5.0)
                asked = {each.name: each.sides for each in plain.coverage.features}
                for each in plan.coverage.features:
                    if each.name in ("hole", "pocket", "side hole"):
                        self.assertEqual(set(each.sides), {way(side) for side in asked[each.name]}, each.name)
                best = {frozenset(way(side) for side in chosen) for chosen in plain.coverage.fewest}
                self.assertEqual({frozenset(chosen) for chosen in plan.coverage.fewest}, best)
