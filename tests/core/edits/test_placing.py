"""Dragging: where a way on the plan puts stock and pins, with its snaps."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.placing import draggables, place
from ledgecliff.core.model.holding import BoardHold, Dowel, PlateHold, VBlockHold
from tests.jobs import bar_job, block_job, plan_of, setup


def placed_by(job, name, way, grid=0.5):
    """What a drag says, and how far the thing has really moved on the table once it is done."""
    before = plan_of(job)
    found = place(before.setups[0], name, way, grid)
    for path, value in found.values:
        job = set_value(job, path, value)
    after = plan_of(job)

    def at(plan):
        if name == "stock":
            return np.mean(plan.setups[0].holding.u_stock, axis=0)[:2] + plan.setups[0].located.tf_m_u.shift[:2]
        block = plan.setups[0].holding.block(name)
        return np.mean([block.low, block.high], axis=0)[:2] + plan.setups[0].located.tf_m_u.shift[:2]

    return found, at(after) - at(before)


class StockTest(unittest.TestCase):
    def test_in_a_vise_only_along_the_jaws_whichever_way_they_stand(self):
        vise = block_job().machine.fixtures[0]
        for side, way, expected in (
            ("back", (12.2, 7), (12, 0)),
            ("front", (12.2, 7), (12, 0)),
            ("left", (5, 12.2), (0, 12)),
            ("right", (5, -12.2), (0, -12)),
        ):
            with self.subTest(side):
                job = block_job(fixtures=(vise.model_copy(update={"fixed_jaw": side}),))
                found, moved = placed_by(job, "stock", way)
                np.testing.assert_allclose(moved, expected, atol=1e-9)
                np.testing.assert_allclose(found.moved, expected, atol=1e-9)

    def test_flush_with_an_end_of_the_jaws(self):
        """Jaws 150 wide, stock 60 long: 45 to either side."""
        found, moved = placed_by(block_job(), "stock", (44.1, 0))
        self.assertEqual(found.words, "flush with the right end of the jaws")
        np.testing.assert_allclose(moved, (45, 0))
        found, _ = placed_by(block_job(), "stock", (-43.5, 0))
        self.assertEqual(found.words, "flush with the left end of the jaws")
        self.assertEqual(placed_by(block_job(), "stock", (1.9, 0))[0].words, "in the middle of the jaws")
        self.assertEqual(placed_by(block_job(), "stock", (2.6, 0))[0].values[0][1], 2.5)

    def test_on_a_plate_both_ways(self):
        for hold in (PlateHold(x=10, y=-5), BoardHold(x=10, y=-5, tape=0.2)):
            found, moved = placed_by(block_job(setup(hold=hold)), "stock", (7.7, 4.1))
            np.testing.assert_allclose(moved, (7.5, 5))
            self.assertEqual(found.words, "Y in the middle")

    def test_along_a_groove(self):
        _, moved = placed_by(bar_job(setup(hold=VBlockHold())), "stock", (6.1, 30))
        np.testing.assert_allclose(moved, (6, 0))


class PinTest(unittest.TestCase):
    def test_a_dowel_goes_where_it_is_dragged(self):
        hold = PlateHold(dowels=(Dowel(x=-4, y=20, diameter=8, height=10),))
        job = block_job(setup(hold=hold))
        found, moved = placed_by(job, "dowel 1", (1.2, -3.4), grid=0.25)
        np.testing.assert_allclose(moved, (1.25, -3.5))
        self.assertEqual(found.values[0][0], ("setups", 0, "hold", "dowels", 0, "x"))

    def test_pins_are_grasped_before_the_stock_below_them(self):
        hold = PlateHold(dowels=(Dowel(x=-4, y=20, diameter=8, height=10),))
        names = [thing.name for thing in draggables(plan_of(block_job(setup(hold=hold))).setups[0])]
        self.assertEqual(names, ["dowel 1", "stock"])
