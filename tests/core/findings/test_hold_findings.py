"""Findings about holding, tools and sides: each fires and is silent, at its limit where it has one."""

from __future__ import annotations

import unittest

from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.base import Size
from ledgecliff.core.model.holding import BoardHold, Clamp, PlateHold, Screw, SoftJaws
from ledgecliff.core.model.machine import Cutter
from ledgecliff.core.model.operations import Face, Hole, Outline, Pocket, Region
from ledgecliff.core.model.stock import Allowance
from tests.core.holding.test_hold_checks import OTHERS
from tests.jobs import IN_VISE, ON_BOARD, bar_job, block_job, codes, feature, plan_of, setup

DEEP = feature("deep", "pocket", (30, 20, 2), length=30, width=20, depth=18, radius=5, lengthwise="+X")
POCKET = setup(Pocket(name="p", tool=3, on="deep"))


def mill(**sizes):
    return (Cutter(tool=3, name="mill", diameter=8, length=100, **sizes), *OTHERS)


class HoldFindingsTest(unittest.TestCase):
    def assert_fires(self, code, job):
        found = [finding for finding in findings_of(plan_of(job)) if finding.code == code]
        self.assertTrue(found, f"{code} is silent")
        for finding in found:
            self.assertTrue(finding.message().endswith(".") and finding.remedy().endswith("."), finding)

    def assert_silent(self, code, job):
        self.assertNotIn(code, codes(job))

    def test_feature_not_reached(self):
        """A hole that opens to +X is reached once a setup has +X up."""
        side = feature("side hole", "hole", (60, 20, 10), "+X", diameter=6, depth=10)
        hole = Hole(name="h", tool=3, on="side hole")
        self.assert_fires("FEATURE_NOT_REACHED", block_job(setup(), features=(side,)))
        self.assert_silent("FEATURE_NOT_REACHED", block_job(setup(hole, up="+X", right="+Y"), features=(side,)))
        tilted = feature("oil hole", "hole", (30, 20, 20), diameter=5, through=True, skew={"x": 1, "y": 0, "z": 1})
        (finding,) = [f for f in findings_of(plan_of(block_job(features=(tilted,)))) if f.code == "FEATURE_NOT_REACHED"]
        self.assertIn("No square side reaches oil hole", finding.message())

    def test_a_clamp_beside_the_stock(self):
        """Its nose 1.5 in from the edge, or a bar over all of it, holds; beside it, however far, it holds nothing."""
        for x, y, side, holds in (
            (1.5, 20, "left", True),
            (-1, 20, "left", False),
            (-500, 20, "left", False),
            (500, 20, "right", False),
            (58.5, 20, "right", True),
            (-5, 20, "right", True),
            (30, 43, "back", False),
            (30, 38, "back", True),
            (30, -60, "back", True),
        ):
            check = self.assert_silent if holds else self.assert_fires
            with self.subTest(x=x, y=y, side=side):
                clamped = setup(hold=PlateHold(clamps=(Clamp(x=x, y=y, side=side),)))
                check("CLAMP_BESIDE_STOCK", block_job(clamped))
        both = PlateHold(clamps=(Clamp(x=5, y=20, side="left"), Clamp(x=70, y=20, side="right")))
        (finding,) = [f for f in findings_of(plan_of(block_job(setup(hold=both)))) if f.code == "CLAMP_BESIDE_STOCK"]
        self.assertIn("clamp 2 comes down beside", finding.message())
        self.assert_silent("CLAMP_BESIDE_STOCK", block_job(setup()))

    def test_tool_too_short(self):
        self.assert_silent("TOOL_TOO_SHORT", block_job(POCKET, features=(DEEP,), cutters=mill(reach=18.0)))
        self.assert_fires("TOOL_TOO_SHORT", block_job(POCKET, features=(DEEP,), cutters=mill(reach=17.9)))
        self.assert_silent("TOOL_TOO_SHORT", block_job(POCKET, features=(DEEP,), cutters=mill()))

    def test_cut_taller_than_flute(self):
        self.assert_fires("CUT_TALLER_THAN_FLUTE", block_job(POCKET, features=(DEEP,), cutters=mill(flute=17.0)))
        self.assert_silent("CUT_TALLER_THAN_FLUTE", block_job(POCKET, features=(DEEP,), cutters=mill(flute=18.0)))

    def test_cut_into_holding(self):
        """Into a parallel, a jaw, a clamp, and deeper into the board than it allows."""
        over = feature("over", "hole", (30, 6, 20), diameter=6, through=True)
        between = feature("between", "hole", (30, 20, 20), diameter=6, through=True)
        for hole, beyond, fires in ((over, 1.0, True), (over, 0.0, False), (between, 5.0, False)):
            drilled = setup(Hole(name="h", tool=3, on=hole.name, beyond=beyond))
            check = self.assert_fires if fires else self.assert_silent
            check("CUT_INTO_HOLDING", block_job(drilled, features=(hole,)))
        for beyond, check in ((1.1, self.assert_silent), (1.4, self.assert_fires)):
            drilled = setup(Hole(name="h", tool=3, on="between", beyond=beyond), hold=ON_BOARD)
            check("CUT_INTO_HOLDING", block_job(drilled, features=(between,)))
        face = Face(name="f", tool=1)
        for clamps, check in (((), self.assert_silent), ((Clamp(x=5, y=20, side="left"),), self.assert_fires)):
            faced = setup(face, hold=PlateHold(clamps=clamps))
            job = block_job(faced, stock=(60, 40, 22), allowance=Allowance(plus_z=2.0))
            check("CUT_INTO_HOLDING", job)

    def test_grip_not_parallel(self):
        flat = IN_VISE.model_copy(update={"parallels_height": 20.0})
        soft = IN_VISE.model_copy(update={"jaws": SoftJaws(depth=8)})
        self.assert_fires("GRIP_NOT_PARALLEL", bar_job(setup(hold=flat), along="z"))
        self.assert_silent("GRIP_NOT_PARALLEL", bar_job(setup(hold=soft), along="z"))
        self.assert_silent("GRIP_NOT_PARALLEL", block_job())

    def test_grip_cut_away(self):
        """A step 5 wide along the front, cut down to 8 over the seat: into the band of 12 that is gripped."""
        step = feature("step", "slot", (30, 2.5, 20), length=60, width=5, depth=12, lengthwise="+X")
        for depth, check in ((12.0, self.assert_fires), (8.0, self.assert_silent)):
            cut = Region(name="r", tool=2, left=-5, right=65, front=-5, back=5, depth=depth)
            check("GRIP_CUT_AWAY", block_job(setup(cut), features=(step.model_copy(update={"depth": depth}),)))

    def test_grip_under_the_minimum(self):
        low = IN_VISE.model_copy(update={"parallels_height": 39.0})
        self.assert_fires("GRIP_TOO_SMALL", block_job(setup(hold=low)))
        self.assert_silent("GRIP_TOO_SMALL", block_job())

    def test_seat_too_small(self):
        thin = IN_VISE.model_copy(update={"parallels_thickness": 0.9})
        self.assert_fires("SEAT_TOO_SMALL", block_job(setup(hold=thin)))
        self.assert_silent(
            "SEAT_TOO_SMALL", block_job(setup(hold=thin.model_copy(update={"parallels_thickness": 1.1})))
        )

    def test_seat_tips(self):
        """The middle of the block half a millimetre inside of the plate's end, and 2 inside."""
        for x, check in ((199.5, self.assert_fires), (198.0, self.assert_silent)):
            check("SEAT_TIPS", block_job(setup(hold=PlateHold(x=x))))

    def test_stock_differs_from_what_is_left(self):
        for z, check in ((20.0, self.assert_silent), (21.0, self.assert_fires)):
            check("STOCK_NOT_WHAT_IS_LEFT", block_job(setup(stock_assumed=Size(x=60, y=40, z=z))))

    def test_thin_while_clamped(self):
        """A floor of 2.0: silent with a stated limit of 2.0, not with 2.1; a squeezed wall is an error."""
        for least, check in ((2.0, self.assert_silent), (2.1, self.assert_fires)):
            one = POCKET.model_copy(update={"least_wall": least})
            check("THIN_WHILE_CLAMPED", block_job(one, features=(DEEP,)))
        wall = feature("deep", "pocket", (30, 20.9, 2), length=30, width=37, depth=18, lengthwise="+X")
        (finding,) = [
            f for f in findings_of(plan_of(block_job(POCKET, features=(wall,)))) if f.code == "THIN_WHILE_CLAMPED"
        ]
        self.assertEqual(finding.severity, "error")
        self.assertIn("press on it", finding.message())

    def test_blank_too_narrow(self):
        """A slot of 8 round 60 x 40: a blank of 80 x 60 leaves 2 outside of it, 79 only 1.5."""
        cut = setup(Outline(name="o", tool=3, slot=8), hold=ON_BOARD)
        for width, check in ((80, self.assert_silent), (79, self.assert_fires), (70, self.assert_fires)):
            check("BLANK_TOO_NARROW", block_job(cut, stock=(width, 60, 20)))
        away = setup(Outline(name="o", tool=3), hold=ON_BOARD)
        self.assert_silent("BLANK_TOO_NARROW", block_job(away, stock=(61, 41, 20)))

    def test_part_freed(self):
        cut = Outline(name="round the outline", tool=3, slot=8)
        tabbed = cut.model_copy(update={"tabs": 4})
        shallow = cut.model_copy(update={"below": -1.0})
        for operation, check in ((cut, self.assert_fires), (tabbed, self.assert_silent), (shallow, self.assert_silent)):
            check("PART_FREED", block_job(setup(operation), stock=(100, 80, 20)))
        self.assert_silent("PART_FREED", block_job(setup(cut, hold=ON_BOARD), stock=(100, 80, 20)))
        (finding,) = [
            f for f in findings_of(plan_of(block_job(setup(cut), stock=(100, 80, 20)))) if f.code == "PART_FREED"
        ]
        self.assertIn("'round the outline'", finding.message())

    def test_offcut_loose(self):
        """Clamped on the part, the border falls off; screwed down as well, it stays."""
        cut = Outline(name="o", tool=3, slot=8)
        inside = (Screw(x=50, y=40), Screw(x=40, y=40))
        screwed = BoardHold(screws=inside)
        both = BoardHold(screws=(*inside, Screw(x=5, y=5)))
        self.assert_fires("OFFCUT_LOOSE", block_job(setup(cut, hold=screwed), stock=(100, 80, 20)))
        self.assert_silent("OFFCUT_LOOSE", block_job(setup(cut, hold=both), stock=(100, 80, 20)))
        self.assert_silent("PART_FREED", block_job(setup(cut, hold=screwed), stock=(100, 80, 20)))

    def test_nominal_not_measured(self):
        """2 over on each side, centred: ±4 is shared by both and just enough, ±4.2 is not; measured, nobody asks."""
        for varies, check in ((4.0, self.assert_silent), (4.2, self.assert_fires)):
            check("NOMINAL_NOT_MEASURED", block_job(stock=(64, 40, 20), varies=(varies, 0, 0)))
        job = block_job(stock=(64, 40, 20), varies=(4.2, 0, 0))
        measured = job.stock.model_copy(update={"measured": Size(x=63.9, y=40, z=20)})
        self.assert_silent("NOMINAL_NOT_MEASURED", job.model_copy(update={"stock": measured}))
        ticked = job.stock.model_copy(update={"is_measured": True})
        self.assert_silent("NOMINAL_NOT_MEASURED", job.model_copy(update={"stock": ticked}))
        one_side = block_job(stock=(64, 40, 20), varies=(2.1, 0, 0), allowance=Allowance(plus_x=2.0))
        self.assert_fires("NOMINAL_NOT_MEASURED", one_side)
