"""Every way to hold stock, rehearsed: the programs come through, and find the true zero.

The simulated machine knows nothing of the plan's formulas: it moves a ball until it meets true solids.
"""

from __future__ import annotations

import unittest

from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.holding import (
    BoardHold,
    Clamp,
    Dowel,
    PlateHold,
    Screw,
    SoftJaws,
    StepJaws,
    Stop,
    VBlockHold,
)
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.operations import Hole
from ledgecliff.core.model.setup import AxisDatum, Datum
from tests.jobs import IN_VISE, V_BLOCK, bar_job, block_job, feature, plan_of, setup
from tests.rehearsals import rehearsed

#: Five standard deviations of one touch of ±0.001 bound a centre and a single surface alike (mm).
WITHIN = 0.006
BORE = feature("bore", "hole", (30, 20, 24), diameter=16, through=True)
PARALLELS, TOP = AxisDatum(source="parallels"), AxisDatum(source="stock top")
ROUTINE = ProbingRoutine(depth=6, guess=2)


def zero(x, y, z):
    return Datum(x=AxisDatum(source=x), y=AxisDatum(source=y), z=z)


class HoldsTest(unittest.TestCase):
    def assert_comes_through(self, job, seeds=(1, 2)):
        plan = plan_of(job)
        bad = [f.message() for f in findings_of(plan) if f.severity in ("hazard", "error")]
        self.assertEqual(bad, [])
        for seed in seeds:
            done = rehearsed(plan, seed)
            self.assertEqual(done.alarms, ())
            for one in done.setups:
                self.assertLess(abs(one.difference).max(), WITHIN, (seed, one.difference))

    def job(self, hold, datum=None, **more):
        one = setup(hold=hold, datum=datum or zero("stock centre", "stock centre", PARALLELS), probing=ROUTINE)
        return block_job(one, part=(60, 40, 24), stock=(60, 40, 24), features=(), **more)

    def test_vises_whichever_way_they_stand(self):
        vise = block_job().machine.fixtures[0]
        for side in ("back", "front", "left", "right"):
            turned = (vise.model_copy(update={"fixed_jaw": side}),)
            jaw = ("fixed jaw", "stock centre") if side in ("left", "right") else ("stock centre", "fixed jaw")
            for sources in (("stock centre", "stock centre"), jaw, ("stock plus side", "stock minus side")):
                with self.subTest(side=side, sources=sources):
                    self.assert_comes_through(self.job(IN_VISE, zero(*sources, PARALLELS), fixtures=turned), (3,))

    def test_stepped_jaws_and_a_stop(self):
        stepped = IN_VISE.model_copy(
            update={"jaws": StepJaws(height=30, depth=8), "stop": Stop(side="left", height=36)}
        )
        self.assert_comes_through(self.job(stepped, zero("stock plus side", "stock centre", PARALLELS)))

    def test_soft_jaws_from_their_top(self):
        soft = IN_VISE.model_copy(update={"jaws": SoftJaws(depth=8)})
        self.assert_comes_through(self.job(soft))

    def test_plate_with_dowels_and_clamps(self):
        hold = PlateHold(
            x=20, y=-10, dowels=(Dowel(x=-4, y=20, diameter=8, height=5),),
            clamps=(Clamp(x=6, y=32, side="left", reach=5, width=10),),
        )  # fmt: skip
        self.assert_comes_through(self.job(hold, zero("stock plus side", "stock centre", PARALLELS)))

    def test_board_with_tape_and_screws(self):
        for hold in (BoardHold(tape=0.3), BoardHold(screws=(Screw(x=6, y=6),))):
            self.assert_comes_through(self.job(hold, zero("stock centre", "stock centre", TOP)))
            self.assert_comes_through(self.job(hold))

    def test_a_bar_in_a_v_block_both_ways(self):
        """Across the groove the bar's middle is where its sides say; along it, where its ends say."""
        for along, right in (("x", "+X"), ("y", "+Y")):
            one = setup(
                right=right, hold=VBlockHold(beside=22, strap=None),
                datum=zero("stock centre", "stock centre", TOP), probing=ProbingRoutine(depth=15, guess=1),
            )  # fmt: skip
            plan = plan_of(bar_job(one, fixtures=(V_BLOCK.model_copy(update={"along": along}),)))
            self.assertAlmostEqual(plan.setups[0].holding.seat, plan.setups[0].holding.u_stock[0][2])

    def test_a_second_side_from_a_bore_cut_in_the_first(self):
        first = setup(
            Hole(name="bore", tool=3, on="bore", beyond=1, features=("bore",)), hold=IN_VISE, probing=ROUTINE,
            datum=zero("stock centre", "stock centre", TOP),
        )  # fmt: skip
        bore = AxisDatum(source="feature", feature="bore")
        for hold in (PlateHold(), BoardHold(tape=0.2), IN_VISE):
            second = setup(
                name="Op 20",
                up="-Z",
                hold=hold,
                offset="G55",
                probing=ROUTINE,
                datum=Datum(x=bore, y=bore, z=PARALLELS),
            )
            with self.subTest(hold.by):
                job = block_job(first, second, part=(60, 40, 24), stock=(60, 40, 24), features=(BORE,))
                self.assert_comes_through(job)
