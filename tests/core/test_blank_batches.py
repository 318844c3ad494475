"""A batch of blanks that vary: its groups and odds in a job, and a group's values taken by its stock."""

from __future__ import annotations

import random
import unittest

import numpy as np

from ledgecliff.core.blank_batches import batch_told, group_words, odds_words
from ledgecliff.core.blanks import blank_corners
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.batches import (
    touched_sizes,
    with_batch,
    with_group_values,
    with_more_sizes,
    with_touched_sizes,
    with_typed_sizes,
    without_batch,
)
from ledgecliff.core.edits.patterns import with_pattern
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.measuring.results_back import ReturnedResult
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.stations import AxisTurn, Mount
from ledgecliff.core.model.stock import BarStock, ExtrusionStock, Measure
from ledgecliff.core.plan import make_plan
from tests.draws import draws
from tests.helpers import demo_plan, shipped_plan

#: Rack shoes are 62 long: what the handbook's blanks have too much over 96, over that.
SIZES = "63.62 63.05 62.88 63.41 63.90 63.18 62.95 63.33 63.77 63.10 63.55 62.80"


def shoes(**fields):
    plan = shipped_plan("rack-shoes")
    job = with_batch(with_typed_sizes(plan.job, SIZES, "mm"), **fields)
    return make_plan(job, plan.models)


class ToldTest(unittest.TestCase):
    def test_nothing_is_told_of_no_batch(self):
        plan = shipped_plan("rack-shoes")
        self.assertIsNone(batch_told(make_plan(without_batch(plan.job), plan.models)))

    def test_worked_example(self):
        told = batch_told(shoes(spread=0.4))
        self.assertEqual((told.finished, told.batch.along), (62.0, "x"))
        found = [(round(each.allowance.at_stop, 6), round(each.allowance.least, 6)) for each in told.groups]
        self.assertEqual(found, [(0.495, 0.305), (0.7375, 0.5925), (0.9175, 0.8525)])
        fewest = batch_told(shoes(spread=0.4, rule="equal least")).groups[0]
        self.assertAlmostEqual(fewest.allowance.at_stop, 0.4)
        self.assertAlmostEqual(fewest.allowance.least, 0.4)
        words = group_words(1, told.groups[0])
        self.assertIn("Group 1: 6 blanks", words)
        # From the smallest to the largest: 62.80 and 63.18, less 62 and what comes off at the stop.
        np.testing.assert_allclose(told.groups[0].far, (0.305, 0.685))
        self.assertNotIn("⚠", words)
        self.assertIn("⚠ 6 will not clean up", group_words(1, batch_told(shoes(spread=0.4, least=0.5)).groups[0]))

    def test_every_blank_is_in_one_group_and_cleans_up_as_is_told(self):
        """Counted blank by blank, from where each end comes to lie."""
        chance = random.Random(4)
        for _ in range(draws(20, 400)):
            sizes = [round(62.0 + chance.uniform(0.1, 3.0), 3) for _ in range(chance.randint(1, 40))]
            least, rule = chance.uniform(0.0, 0.8), chance.choice(("equal load", "equal least"))
            plan = shoes(sizes=tuple(sizes), spread=chance.uniform(0.0, 1.0), least=least, rule=rule)
            told = batch_told(plan)
            self.assertEqual(sorted(sizes), [size for each in told.groups for size in each.group.batch.sizes])
            for each in told.groups:
                a = each.allowance.at_stop
                fails = sum(min(a, size - 62.0 - a) < least - 1e-9 for size in each.group.batch.sizes)
                self.assertEqual(each.short, fails)
            # As the stock lies now.
            low, _ = blank_corners(plan.job.stock, plan.geometry)
            a = float(plan.geometry.low[0] - low[0])
            fails = tuple(k for k, size in enumerate(sizes) if min(a, size - 62.0 - a) < least - 1e-9)
            self.assertEqual(told.short, fails)
            self.assertAlmostEqual(told.odds.edge, 1.0 - len(fails) / len(sizes))

    def test_odds_of_a_spread(self):
        """The shares of the worked example, by stock that lies as it says: 96 long there, 62 here."""
        plan = shipped_plan("rack-shoes")
        job = set_value(plan.job, ("stock", "measured", "x"), 63.2)
        job = set_value(job, ("stock", "varies", "x"), 0.8)
        job = set_value(job, ("stock", "allowance", "plus_x"), None)
        job = set_value(job, ("stock", "allowance", "minus_x"), 0.6)
        for odds, centre, edge in (
            ("as measured", 0.875, 0.6875),
            ("uniform", 0.875, 0.6875),
            ("normal", 0.933, 0.773),
        ):
            told = batch_told(make_plan(with_batch(job, sizes=(), least=0.3, odds=odds), plan.models))
            self.assertAlmostEqual(told.odds.centre, centre, places=3)
            self.assertAlmostEqual(told.odds.edge, edge, places=3)
            np.testing.assert_allclose(told.limits, (62.6, 62.9))
            self.assertIn("by what the stock varies", odds_words(told))

    def test_a_normal_spread_is_fitted_to_the_blanks(self):
        chance = np.random.default_rng(1)
        drawn = tuple(float(each) for each in chance.normal(64.0, 0.5, 1500))
        told = batch_told(shoes(sizes=drawn, odds="normal", least=0.8))
        self.assertAlmostEqual(told.odds.centre, np.mean(np.array(drawn) >= 63.6), delta=0.03)
        # One alone has no spread.
        self.assertEqual(batch_told(shoes(sizes=(64.0,), odds="normal")).odds.centre, 1.0)

    def test_neither_all_nor_none_is_said_of_nearly_so(self):
        told = batch_told(shoes(sizes=(62.1,) + (64.5,) * 1999, least=0.3))
        self.assertIn("99.9 % of the blanks as measured", odds_words(told))

    def test_the_stop_on_the_other_side(self):
        plan = shipped_plan("rack-shoes")
        job = set_value(plan.job, ("stock", "allowance", "plus_x"), None)
        job = set_value(job, ("stock", "allowance", "minus_x"), 0.5)
        size = float(blank_corners(job.stock, plan.geometry)[1][0] - blank_corners(job.stock, plan.geometry)[0][0])
        for stop, at_stop in (("minus", 0.5), ("plus", size - 62.5)):
            told = batch_told(make_plan(with_batch(job, stop=stop), plan.models))
            self.assertAlmostEqual(told.at_stop, at_stop)


class TakenTest(unittest.TestCase):
    def test_stock_as_its_group_is(self):
        plan = shoes(spread=0.4)
        for stop in ("minus", "plus"):
            plan = make_plan(with_batch(plan.job, stop=stop), plan.models)
            job = with_group_values(plan, 2)
            self.assertAlmostEqual(job.stock.measured.x, (63.33 + 63.62) / 2)
            self.assertAlmostEqual(job.stock.varies.x, (63.62 - 63.33) / 2)
            self.assertTrue(job.stock.is_measured)
            taken = make_plan(job, plan.models)
            low, high = blank_corners(job.stock, taken.geometry)
            off = taken.geometry.low - low if stop == "minus" else high - taken.geometry.high
            self.assertAlmostEqual(float(off[0]), 0.7375)
            self.assertAlmostEqual(batch_told(taken).at_stop, 0.7375)

    def test_the_other_side_was_stated(self):
        for stop, other in (("minus", "plus_x"), ("plus", "minus_x")):
            job = set_value(shoes().job, ("stock", "allowance"), {other: 0.7})
            plan = make_plan(with_batch(job, stop=stop, spread=0.4), shoes().models)
            allowance = with_group_values(plan, 1).stock.allowance
            self.assertEqual((allowance.sides("x")[stop == "plus"], getattr(allowance, other)), (0.495, None))

    def test_bars_and_what_has_no_size(self):
        plan = shoes()
        measure = Measure(nominal=64, measured=64)
        kept = {"material": "steel", "batch": plan.job.stock.batch}
        bar = BarStock(along="x", diameter=Measure(nominal=50, measured=50), length=measure, **kept)
        bars = make_plan(set_value(plan.job, ("stock",), bar), plan.models)
        self.assertAlmostEqual(with_group_values(bars, 1).stock.length.measured, (62.80 + 63.18) / 2)
        across = make_plan(with_batch(bars.job, along="y", sizes=(52.0, 52.1)), plan.models)
        self.assertAlmostEqual(with_group_values(across, 1).stock.diameter.measured, 52.05)
        section = ((0, 0), (60, 0), (60, 30), (0, 30))
        extrusion = ExtrusionStock(along="x", section=section, length=measure, **kept)
        sawn = make_plan(set_value(plan.job, ("stock",), extrusion), plan.models)
        self.assertAlmostEqual(with_group_values(sawn, 3).stock.length.measured, (63.77 + 63.90) / 2)
        with self.assertRaisesRegex(InvalidValueError, "only its length is sawn"):
            with_group_values(make_plan(with_batch(sawn.job, along="y"), plan.models), 1)

    def test_refused(self):
        plan = shoes(spread=0.4)
        for number in (0, 4):
            with self.assertRaisesRegex(InvalidValueError, "there are 3"):
                with_group_values(plan, number)
        with self.assertRaisesRegex(InvalidValueError, "there are none"):
            with_typed_sizes(plan.job, " ", "mm")
        with self.assertRaises(InvalidValueError):
            with_batch(plan.job, least=-1.0)
        with self.assertRaisesRegex(InvalidValueError, "there are 0"):
            with_group_values(shipped_plan("float-housing"), 1)

    def test_inch_and_touched_ones(self):
        job = with_typed_sizes(shipped_plan("rack-shoes").job, "2.5, 2.51 2 9/16\n64 mm", "in")
        self.assertEqual(job.stock.batch.sizes, (63.5, 63.754, 65.0875, 64.0))
        self.assertEqual(with_more_sizes(job, [63.9]).stock.batch.sizes[-1], 63.9)


class AgainstItsStopTest(unittest.TestCase):
    """Against dowels that stay, or are moved along with their group."""

    def lies(self, plan, number):
        return np.array([each.located.tf_m_u.shift for each in plan.instances(number)])

    def stands(self, plan, name):
        """Where dowels and clamps of Op 10 stand, from the part's zero, moved along with it."""
        setup = plan.setups[0]
        corner = setup.holding.u_stock[0][:2] + setup.located.tf_m_u.shift[:2]
        return corner + np.array([(each.x, each.y) for each in getattr(setup.setup.hold, name)])

    def test_the_end_stays_and_the_part_moves(self):
        plan = shoes(spread=0.4)
        start = make_plan(with_group_values(plan, 1, 0), plan.models)
        taken = make_plan(with_group_values(start, 3, 0), plan.models)
        for each in (start, taken):
            setup = each.setups[0]
            self.assertAlmostEqual(setup.holding.u_stock[0][0] + setup.located.tf_m_u.shift[0], -1000.25, places=5)
            np.testing.assert_allclose(self.stands(each, "dowels"), self.stands(plan, "dowels"), atol=1e-5)
            np.testing.assert_allclose(self.stands(each, "clamps"), self.stands(plan, "clamps"), atol=1e-5)
            for before, now in zip(plan.setups, each.setups, strict=True):
                np.testing.assert_allclose(now.wcs.u_origin, before.wcs.u_origin, atol=1e-5)
        # By what comes off more at the stop: 0.9175 after 0.495.  Its zero goes with it.
        moved = self.lies(taken, 0) - self.lies(start, 0)
        np.testing.assert_allclose(moved, np.tile((0.4225, 0.0, 0.0), (10, 1)), atol=1e-5)
        zeros = [np.array([each.m_zero for each in plan.instances(0)]) for plan in (start, taken)]
        np.testing.assert_allclose(zeros[1] - zeros[0], moved, atol=1e-9)

    def test_a_stop_that_is_moved_shifts_its_groups(self):
        plan = shoes(spread=0.4)
        start = make_plan(with_group_values(plan, 1, 0), plan.models)
        moved = make_plan(with_group_values(start, 3, 0, stop_moved=True), plan.models)
        np.testing.assert_allclose(self.lies(moved, 0), self.lies(start, 0), atol=1e-5)
        was = {each.key: each.shift.as_tuple() for each in start.job.setups[0].pattern.groups}
        for group in moved.job.setups[0].pattern.groups:
            by = np.subtract(group.shift.as_tuple(), was.get(group.key, (0, 0, 0)))
            np.testing.assert_allclose(by, (-0.4225, 0, 0), atol=1e-5)
        back = make_plan(with_group_values(moved, 1, 0, stop_moved=True), plan.models)
        np.testing.assert_allclose(self.lies(back, 0), self.lies(start, 0), atol=1e-5)

    def test_zeros_that_are_carried_over_stay_in_the_part(self):
        """A bar in a chuck, its end face the zero that five indexes carry on."""
        plan = shipped_plan("gland-spindle")
        size = plan.job.stock.length.measured
        job = with_batch(plan.job, along="x", sizes=(size, size + 0.9), spread=0.3, least=0.0)
        plan = make_plan(job, plan.models)
        taken = make_plan(with_group_values(plan, 2), plan.models)
        for before, now in zip(plan.setups, taken.setups, strict=True):
            np.testing.assert_allclose(now.wcs.u_origin, before.wcs.u_origin, atol=2e-6)
        self.assertNotEqual(taken.job.setups[0].datum, plan.job.setups[0].datum)
        self.assertEqual(taken.job.setups[1].datum, plan.job.setups[1].datum)

    def test_a_dowel_at_the_right(self):
        """The corner that dowels and clamps are told from moves; they do not."""
        job = shoes(spread=0.4, stop="plus").job
        dowels = [{"x": 68.5, "y": 30.0, "diameter": 8.0, "height": 8.0},
                  *job.setups[0].hold.dowels[1:]]  # fmt: skip
        plan = make_plan(set_value(job, ("setups", 0, "hold", "dowels"), tuple(dowels)), shoes().models)
        taken = make_plan(with_group_values(plan, 1, 0), plan.models)
        np.testing.assert_allclose(self.stands(taken, "dowels"), self.stands(plan, "dowels"), atol=1e-5)
        np.testing.assert_allclose(self.stands(taken, "clamps"), self.stands(plan, "clamps"), atol=1e-5)
        # 1.25 were off there, now 0.495: the part moves to the right.
        np.testing.assert_allclose((self.lies(taken, 0) - self.lies(plan, 0))[0], (0.755, 0.0, 0.0), atol=1e-5)

    def test_on_a_pallet_that_stands_askew(self):
        """Shifts are along the pallet, the part's place is the machine's."""
        plan = shoes(spread=0.4)
        pallet = Mount(
            id="a" * 12, name="pallet", on=None, at=Point(x=-700, y=-300, z=-500),
            turned=(AxisTurn(about="z", degrees=30.0),),
        )  # fmt: skip
        machine = plan.job.machines[0]
        stations = [each.model_copy(update={"on": pallet.id}) for each in machine.stations]
        machine = machine.model_copy(update={"carriers": (pallet,), "stations": tuple(stations)})
        plan = make_plan(set_value(plan.job, ("machines", 0), machine), plan.models)
        start = make_plan(with_group_values(plan, 1, 0), plan.models)
        moved = make_plan(with_group_values(start, 3, 0, stop_moved=True), plan.models)
        np.testing.assert_allclose(self.lies(moved, 0), self.lies(start, 0), atol=1e-5)
        was = {each.key: each.shift.as_tuple() for each in start.job.setups[0].pattern.groups}
        group = moved.job.setups[0].pattern.groups[0]
        by = np.subtract(group.shift.as_tuple(), was.get(group.key, (0, 0, 0)))
        np.testing.assert_allclose(by, (-0.4225, 0, 0), atol=1e-5)

    def test_nothing_stands_at_the_other_side(self):
        plan = make_plan(with_batch(shoes(spread=0.4).job, stop="plus"), shoes().models)
        with self.assertRaisesRegex(InvalidValueError, "nothing stands at the blank's part [+]X side"):
            with_group_values(plan, 3, 0)

    def test_faces_that_look_elsewhere_are_shifted_in_their_own_frames(self):
        """A leaf's dowel stands at its left; two faces of the tombstone, each in its own frame."""
        plan = shipped_plan("hinge-leaves")
        job = with_batch(plan.job, along="x", sizes=(80.0, 80.2, 81.0, 81.2), spread=0.3, least=0.0)
        plan = make_plan(job, plan.models)
        start = make_plan(with_group_values(plan, 1, 0), plan.models)
        moved = make_plan(with_group_values(start, 2, 0, stop_moved=True), plan.models)
        self.assertGreater(len({each.carrier for each in moved.instances(0)} | {e.face for e in moved.instances(0)}), 1)
        np.testing.assert_allclose(self.lies(moved, 0), self.lies(start, 0), atol=1e-5)

    def test_a_ring_that_turns_along_has_no_one_shift(self):
        plan = shoes(spread=0.4)
        start = make_plan(with_group_values(plan, 1, 0), plan.models)
        ring = {"kind": "ring", "count": 3, "middle_x": 200.0, "middle_y": 0.0, "step_deg": 40.0, "turns_along": True}
        job = with_pattern(start.job, 0, layout=ring, grouped_by="all", groups=(), instances=(), codes=())
        with self.assertRaisesRegex(InvalidValueError, "groups of their own"):
            with_group_values(make_plan(job, plan.models), 3, 0, stop_moved=True)

    def test_what_cannot_be_moved_is_refused(self):
        plan = shoes(spread=0.4)
        alone = make_plan(set_value(plan.job, ("setups", 0, "pattern"), None), plan.models)
        with self.assertRaisesRegex(InvalidValueError, "no pattern"):
            with_group_values(alone, 1, 0, stop_moved=True)
        with self.assertRaisesRegex(InvalidValueError, "in which setup"):
            with_group_values(plan, 1, stop_moved=True)


class TouchedTest(unittest.TestCase):
    """Of widths that a setup's steps find, those across the raw blank."""

    def came_back(self, setup, **found):
        return tuple(
            ReturnedResult(step=number, key=each.key, value=found.get(each.key.replace(" ", "_"), each.expected))
            for number, step in enumerate(setup.probing.steps, start=1)
            for each in step.finds
        )

    def test_by_the_part_s_own_axis(self):
        plan = demo_plan()
        setup = plan.setups[0]
        results = self.came_back(setup, size_x=100.3, size_y=67.9)
        self.assertEqual(touched_sizes(setup, results), {"x": 100.3, "y": 67.9})
        # The part lies a quarter turned: what was right is behind.
        right = set_value(plan.job, ("setups", 0, "orientation"), {"up": "+Z", "right": "+Y"})
        turned = make_plan(right, plan.models).setups[0]
        if turned.probing.steps:
            results = self.came_back(turned, size_x=67.9, size_y=100.3)
            self.assertEqual(touched_sizes(turned, results), {"x": 100.3, "y": 67.9})
        # A bore of a feature, and a web that is not the whole blank, are none.
        self.assertEqual(touched_sizes(plan.setups[1], self.came_back(plan.setups[1])), {})

    def test_into_the_batch_once(self):
        plan = demo_plan()
        setup = plan.setups[0]
        found = [("", setup, self.came_back(setup, size_x=100.3))]
        job = with_touched_sizes(make_plan(with_batch(plan.job, along="x"), plan.models), 0, found)
        self.assertEqual(job.stock.batch.sizes, (100.3,))
        with self.assertRaisesRegex(InvalidValueError, "already"):
            with_touched_sizes(make_plan(job, plan.models), 0, found)
        with self.assertRaisesRegex(InvalidValueError, "both its sides"):
            with_touched_sizes(make_plan(with_batch(plan.job, along="z"), plan.models), 0, found)

    def test_of_each_instance(self):
        plan = demo_plan()
        setup = plan.setups[0]
        layout = {"kind": "grid", "columns": 2, "column_pitch": 200.0, "row_pitch": 200.0}
        many = make_plan(with_batch(with_pattern(plan.job, 0, layout=layout), along="x"), plan.models)
        found = [(each.key, setup, self.came_back(setup, size_x=100.1 + k))
                 for k, each in enumerate(many.instances(0))]  # fmt: skip
        job = with_touched_sizes(many, 0, found)
        self.assertEqual(job.stock.batch.sizes, (100.1, 101.1))
        pattern = job.setups[0].pattern
        self.assertEqual([pattern.at(each.key).measured.x for each in many.instances(0)], [100.1, 101.1])
        self.assertEqual(pattern.at("2-1").measured.sizes(), {"x": 101.1, "y": 68.0})
        # Kept along the setup's own axes: a quarter turned, what is along part X is along Y.
        turned = make_plan(set_value(many.job, ("setups", 0, "orientation"), {"up": "+Z", "right": "+Y"}), plan.models)
        quarter = turned.setups[0]
        found = [("2-1", quarter, self.came_back(quarter, size_x=67.9, size_y=100.3))]
        kept = with_touched_sizes(turned, 0, found).setups[0].pattern.at("2-1").measured.sizes()
        self.assertEqual(kept, {"x": 67.9, "y": 100.3})


if __name__ == "__main__":
    unittest.main()
