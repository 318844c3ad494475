"""A block held across the jaws' end while the stock is clamped: the stock ends where they do, whatever it measures.

The left vise's jaws are 150 wide about X -520 and their fixed face is at Y -180; the block is 60 x 40 x 30.
"""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.blanks import moved
from ledgecliff.core.edits.setups import with_stop
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.holding.giving_place import pushed_toward
from ledgecliff.core.model.holding import Stop, block_away
from ledgecliff.core.model.machine import ProbingRoutine
from ledgecliff.core.model.operations import Face, Outline
from ledgecliff.core.model.setup import AxisDatum, Datum
from ledgecliff.core.model.stock import Allowance
from ledgecliff.core.programs.released import probing_text
from ledgecliff.core.register.meaning import meaning_of
from ledgecliff.core.rehearsal.clamped import Laid, clamp, true_blank
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.rehearsal.true_world import TrueClamping, TrueWorld
from ledgecliff.sheets.setup_sheet import sheet_html
from tests.helpers import demo
from tests.jobs import IN_VISE, block_job, plan_of, point, setup
from tests.rehearsals import rehearsed

VISE = demo().machines[0].fixtures[0]
#: How much larger than measured the blank is (mm).
LARGER = ((0, 0), (0.4, 0.2), (-0.4, -0.2), (1.2, 0), (-0.7, 0.5))


def job_of(side="left", jaw="back", *, height=50.0, across=True, **more):
    hold = IN_VISE.model_copy(update={"stop": Stop(side=side, height=height, at_jaw_end=across)})
    right = {"back": "+X", "front": "-X", "left": "+Y", "right": "-Y"}[jaw]
    one = setup(hold=hold, right=right, **more)
    return block_job(one, part=(60, 40, 30), stock=(60, 40, 30), fixtures=(VISE.model_copy(update={"fixed_jaw": jaw}),))


class PlaceTest(unittest.TestCase):
    def test_it_ends_where_the_jaws_end(self):
        """Seen from the moving jaw: of a vise whose fixed jaw is in front, left is to machine +X."""
        for jaw, k, left in (("back", 0, -1), ("front", 0, 1), ("left", 1, -1), ("right", 1, 1)):
            for side, sign in (("left", left), ("right", -left)):
                of = job_of(side, jaw)
                plan, at = plan_of(of), of.machine.station(of.setups[0].station).at.as_tuple()
                written = written_plan(plan)
                for x, y in LARGER:
                    blank = true_blank(of, written.geometry, None, point(x, y, 0))
                    laid = Laid(plan.setups[0].setup, blank, written.geometry, planned=plan.setups[0].holding)
                    true = clamp(of.machine, laid, TrueClamping(name="Op 10"))
                    bounds = np.array(moved(blank.solid, true.tf_m_p).bounding_box()).reshape(2, 3)
                    end = bounds[0 if sign < 0 else 1][k]
                    self.assertAlmostEqual(end, at[k] + sign * 75.0, places=6, msg=(jaw, side))
                self.assertEqual(pushed_toward(plan.setups[0].holding, k), sign, (jaw, side))

    def test_it_is_gone_once_it_is_clamped(self):
        holding = plan_of(job_of()).setups[0].holding
        self.assertIsNone(holding.block("stop"))
        self.assertIsNotNone(plan_of(job_of(across=False)).setups[0].holding.block("stop"))

    def test_it_may_be_touched_where_a_stop_would_stand(self):
        datum = Datum(
            x=AxisDatum(source="jaw minus end"), y=AxisDatum(source="fixed jaw"), z=AxisDatum(source="parallels")
        )
        routine = ProbingRoutine(depth=4, guess=0.5)
        plan = plan_of(job_of(datum=datum, probing=routine))
        for x, _ in LARGER:
            done = rehearsed(plan, world=TrueWorld(stock_off=point(x, 0, 0)))
            self.assertEqual(done.alarms, ())
            self.assertAlmostEqual(done.setups[0].found[0], -595.0, delta=0.005)


class SaidTest(unittest.TestCase):
    def test_that_it_is_taken_away(self):
        plan = plan_of(job_of("right"))
        self.assertIn("The block across the jaws' right end is taken away.", probing_text(plan, 0))
        self.assertIn("take the block away", sheet_html(plan, "mm"))
        self.assertNotIn("taken away", probing_text(plan_of(job_of(across=False)), 0))

    def test_by_the_choice(self):
        of = with_stop(block_job(), 0, "left", at_jaw_end=True)
        self.assertEqual(block_away(of.setups[0].hold), "left")
        self.assertEqual(block_away(with_stop(of, 0, "left").setups[0].hold), "")
        self.assertEqual(block_away(with_stop(of, 0, None).setups[0].hold), "")
        stays = with_stop(of, 0, "left")
        self.assertNotEqual(meaning_of(of, of.setups[0]), meaning_of(stays, stays.setups[0]))


class HatTest(unittest.TestCase):
    def codes(self, height):
        """Turned over the hat lies on top, from 50 over the bed up, and stands out by 2."""
        one = setup(Face(name="face", tool=1), Outline(name="round", tool=1))
        hold = IN_VISE.model_copy(update={"stop": Stop(side="left", height=height, at_jaw_end=True)})
        two = setup(name="Op 20", up="-Z", hold=hold, offset="G55")
        of = block_job(one, two, part=(60, 40, 20), stock=(64, 44, 24.5), allowance=Allowance(plus_z=0.0))
        return {each.code for each in findings_of(plan_of(of)) if each.code.startswith("STOP_")}

    def test_a_block_higher_than_the_wall_meets_the_hat(self):
        self.assertEqual(self.codes(45.0), set())
        self.assertEqual(self.codes(52.0), {"STOP_MEETS_HAT"})
