"""What gives stock its place: for each kind of hold what may still be pushed along, thought through by hand."""

from __future__ import annotations

import unittest

from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.holding.giving_place import BY_HAND, gives_place, pushed_toward
from ledgecliff.core.model.holding import BoardHold, Dowel, PlateHold, SoftJaws, Stop, VBlockHold, ViseHold
from ledgecliff.core.model.setup import AxisDatum, Datum
from tests.jobs import IN_VISE, V_BLOCK, block_job, machine, plan_of, setup


def along(hold, *fixtures):
    """Whether X and Y are given."""
    holding = plan_of(block_job(setup(hold=hold), fixtures=fixtures)).setups[0].holding
    return gives_place(holding, 0), gives_place(holding, 1)


class HoldTest(unittest.TestCase):
    def test_a_vise_gives_what_its_jaws_close_on_and_a_stop_the_rest(self):
        self.assertEqual(along(IN_VISE), (False, True))
        self.assertEqual(along(IN_VISE.model_copy(update={"stop": Stop(side="left", height=60.0)})), (True, True))

    def test_stock_is_pushed_to_where_what_gives_its_place_stands(self):
        for side, way in (("left", -1), ("right", 1)):
            hold = IN_VISE.model_copy(update={"stop": Stop(side=side, height=60.0)})
            self.assertEqual(pushed_toward(plan_of(block_job(setup(hold=hold))).setups[0].holding, 0), way)
        for fixed, k, way in (("back", 1, 1), ("front", 1, -1), ("left", 0, -1), ("right", 0, 1)):
            vise = machine().fixtures[0].model_copy(update={"fixed_jaw": fixed})
            holding = plan_of(block_job(setup(hold=IN_VISE), fixtures=(vise,))).setups[0].holding
            self.assertEqual(pushed_toward(holding, k), way, fixed)

    def test_jaws_that_close_along_x(self):
        vise = machine().fixtures[0].model_copy(update={"fixed_jaw": "left"})
        self.assertEqual(along(IN_VISE, vise), (True, False))

    def test_soft_jaws_hold_the_outline(self):
        hold = ViseHold(parallels_height=20, parallels_thickness=10, parallels_length=100, jaws=SoftJaws(depth=8))
        self.assertEqual(along(hold), (True, True))

    def test_dowels_give_the_way_on_which_they_stand_beside(self):
        """The block is 60 by 40: a pin left of it stops X, one behind it Y, one under it neither."""
        for at, given in (((-4.0, 20.0), (True, False)), ((64.0, 20.0), (True, False)), ((30.0, 44.0), (False, True))):
            hold = PlateHold(dowels=(Dowel(x=at[0], y=at[1], diameter=8.0, height=8.0),))
            self.assertEqual(along(hold), given, at)
        self.assertEqual(along(PlateHold()), (False, False))

    def test_a_board_gives_nothing_and_a_groove_what_lies_across_it(self):
        self.assertEqual(along(BoardHold(tape=0.2)), (False, False))
        for groove, given in (("x", (False, True)), ("y", (True, False))):
            self.assertEqual(along(VBlockHold(), V_BLOCK.model_copy(update={"along": groove})), given, groove)


class FindingTest(unittest.TestCase):
    """A block in the vise twice, turned over, X not touched the second time."""

    def found(self, source, hold=IN_VISE, first=IN_VISE, **second):
        over, centre = AxisDatum(source=source), AxisDatum(source="stock centre")
        datum = Datum(x=over, y=centre, z=AxisDatum(source="parallels"))
        again = setup(name="Op 20", up="-Z", hold=hold, offset="G55", datum=datum, **second)
        return {each.code: each for each in findings_of(plan_of(block_job(setup(hold=first), again)))}

    def test_it_fires_and_says_how_far(self):
        for source in ("carried over", "fixture value"):
            found = self.found(source)["PLACE_NOT_GIVEN"]
            self.assertEqual((found.severity, found.setup), ("error", "Op 20"))
            self.assertIn("in X,", found.message())
            self.assertIn(f"{BY_HAND.size:.3f} mm off", found.message())

    def test_it_does_not_with_a_stop_or_a_touch(self):
        stopped = IN_VISE.model_copy(update={"stop": Stop(side="left", height=60.0)})
        self.assertIn("PLACE_NOT_GIVEN", self.found("carried over", stopped), "found where a hand had put it before")
        self.assertNotIn("PLACE_NOT_GIVEN", self.found("carried over", stopped, stopped))
        self.assertNotIn("PLACE_NOT_GIVEN", self.found("fixture value", stopped), "what it was cut by was touched")
        self.assertNotIn("PLACE_NOT_GIVEN", self.found("stock centre"))

    def test_another_fixture_is_known_from_the_plan_alone(self):
        other = machine().stations[1].id
        self.assertIn("CARRIED_ELSEWHERE", self.found("carried over", station=other))
        self.assertNotIn("CARRIED_ELSEWHERE", self.found("carried over"))
        self.assertNotIn("CARRIED_ELSEWHERE", self.found("fixture value", station=other))
