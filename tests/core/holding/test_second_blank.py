"""Two blanks in the same jaws or under the same clamps: where the second stands, and what it is not held by."""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.edits.setups import with_jaws, with_second
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.holding.second_blank import NAME, holds_second
from ledgecliff.core.model.holding import Clamp, PlateHold, SecondBlank, SoftJaws, StepJaws
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.operations import Region
from ledgecliff.core.rehearsal.true_world import TrueWorld
from ledgecliff.core.tape.scenes import holding_tape
from ledgecliff.sheets.setup_sheet import sheet_html
from tests.helpers import demo
from tests.jobs import IN_VISE, block_job, codes, plan_of, setup
from tests.rehearsals import rehearsed

VISE = demo().machines[0].fixtures[0]


def in_vise(x=65.0, *, vise=VISE, varies=(0, 0, 0), **more):
    hold = IN_VISE.model_copy(update={"second": SecondBlank(x=x), "beside": -30.0} | more)
    return block_job(setup(hold=hold), varies=varies, fixtures=(vise,))


def on_plate(x=70.0, y=0.0, *clamps, varies=(0, 0, 0)):
    """A block of 60 x 40; the clamp's nose is 20 wide and comes in from behind, between both."""
    between = Clamp(x=65.0, y=40.0, side="back", width=20.0, reach=12.0)
    hold = PlateHold(clamps=clamps or (between,), second=SecondBlank(x=x, y=y))
    return block_job(setup(hold=hold), varies=varies)


class PlaceTest(unittest.TestCase):
    def test_to_the_right_along_the_jaws_whichever_way_they_stand(self):
        for side, way in (("back", (1, 0)), ("front", (-1, 0)), ("left", (0, 1)), ("right", (0, -1))):
            vise = VISE.model_copy(update={"fixed_jaw": side})
            holding = plan_of(in_vise(vise=vise)).setups[0].holding
            second, first = holding.block(NAME), holding.u_stock
            np.testing.assert_allclose(np.array(second.low) - first[0], (*(65.0 * np.array(way)), 0.0), atol=1e-9)
            self.assertEqual(holds_second(holding), ("fixed jaw", "moving jaw"))

    def test_on_a_plate(self):
        holding = plan_of(on_plate(70.0, -3.0)).setups[0].holding
        np.testing.assert_allclose(holding.block(NAME).low, (70, -3, 0), atol=1e-9)

    def test_only_between_jaws_that_both_can_lie_against(self):
        for more in ({"jaws": SoftJaws(depth=5)}, {"second": SecondBlank(x=65, y=2)}):
            with self.assertRaisesRegex(ValueError, "beside the first, between jaws that are plain or stepped"):
                type(IN_VISE)(**IN_VISE.model_dump() | {"second": SecondBlank(x=65)} | more)
        self.assertIsNone(with_jaws(in_vise(), 0, "soft").setups[0].hold.second)
        self.assertEqual(with_jaws(in_vise(), 0, "stepped").setups[0].hold.second, SecondBlank(x=65))
        self.assertEqual(with_second(on_plate(y=4.0), 0, 80.0).setups[0].hold.second, SecondBlank(x=80, y=4))
        self.assertIsNone(with_second(in_vise(), 0, None).setups[0].hold.second)


class HeldTest(unittest.TestCase):
    def test_too_near_or_in_something(self):
        for of, fires in ((in_vise(65.0), False), (in_vise(55.0), True), (on_plate(), False), (on_plate(30.0), True)):
            self.assertEqual("SECOND_IN_THE_WAY" in codes(of), fires)

    def test_beside_the_jaws_or_the_clamps(self):
        for of, fires in (
            (in_vise(65.0), False), (in_vise(200.0), True), (on_plate(), False), (on_plate(100.0), True),
            (in_vise(jaws=StepJaws(height=30, depth=4)), False),
        ):  # fmt: skip
            self.assertEqual("SECOND_NOT_HELD" in codes(of), fires)

    def test_blanks_of_two_sizes_are_not_held_alike(self):
        """Two blanks that vary by ±v differ by up to 2 v."""
        lone = Clamp(x=30.0, y=40.0, side="back", width=20.0, reach=12.0)
        other = Clamp(x=100.0, y=40.0, side="back", width=20.0, reach=12.0)
        for of, severity in (
            (in_vise(varies=(0, 0.011, 0)), "hazard"), (in_vise(varies=(1, 0.009, 1)), None),
            (on_plate(varies=(0, 0, 0.11)), "warning"), (on_plate(varies=(1, 1, 0.09)), None),
            (on_plate(70.0, 0.0, lone, other, varies=(0, 0, 1)), None),
        ):  # fmt: skip
            found = [f.severity for f in findings_of(plan_of(of)) if f.code == "HELD_UNEVENLY"]
            self.assertEqual(found, [severity] if severity else [])

    def test_what_stands_beside_it_does_not_hold_it(self):
        hold = PlateHold(second=SecondBlank(x=60))
        cut = Region(name="top", tool=2, left=10, right=20, front=10, back=20, depth=2)
        plan = plan_of(block_job(setup(cut, hold=hold), part=(60, 40, 18), stock=(60, 40, 20)))
        self.assertEqual([piece.held_by for piece in plan.setups[0].pieces_after(0)], [()])

    def test_said(self):
        plan = plan_of(in_vise())
        self.assertIn("Second blank, under the same clamp", "".join(x.text for x in holding_tape(plan.setups[0]).lines))
        self.assertIn("second blank from the first, X", sheet_html(plan))


class InTheWayTest(unittest.TestCase):
    def test_a_cutter_that_goes_into_it_is_stopped(self):
        """The part of 50 lies in the blank from -5 to 55; cut away to 65, which the second blank reaches from 57 on."""
        cut = Region(name="side", tool=2, left=50, right=65, front=0, back=40, depth=5)
        for x, fires in ((62.0, True), (90.0, False)):
            hold = IN_VISE.model_copy(update={"second": SecondBlank(x=x)})
            uses = plan_of(block_job(setup(cut, hold=hold), part=(50, 40, 20))).setups[0].tool_uses
            self.assertEqual(NAME in {clash.with_what for use in uses for clash in use.clashes}, fires)

    def test_probing_keeps_clear_of_it(self):
        """The side towards it is touched only where the ball and what follows it fit between."""
        for x, clear in ((110.0, True), (62.0, False)):
            of = in_vise(x)
            routine = ProbingRoutine(depth=4, guess=0.5)
            plan = plan_of(of.model_copy(update={"setups": (of.setups[0].model_copy(update={"probing": routine}),)}))
            self.assertEqual([p.code for p in plan.setups[0].probing.problems], [] if clear else ["TOUCH_WAY_BLOCKED"])
            self.assertEqual(rehearsed(plan, world=TrueWorld()).alarms == (), clear)


if __name__ == "__main__":
    unittest.main()
