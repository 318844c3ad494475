"""Tape alone under a part: what area of it is left, what that bears, and whether the cut pushes harder.

The part is 40 x 30 x 10 in a sheet of 100 x 80 x 10 on a board; a slot of 6 goes all round it.
"""

from __future__ import annotations

import math
import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.holding.taped import bears, side_force, specific_force
from ledgecliff.core.model.holding import BoardHold, Screw
from ledgecliff.core.model.operations import Hole, Outline, Pocket
from ledgecliff.core.register.meaning import meaning_of
from ledgecliff.core.tape.scenes import cut_tape
from tests.jobs import ON_BOARD, block_job, feature, plan_of, setup

HOLE = feature("hole", "hole", (20, 15, 10), diameter=8, through=True)
POCKET = feature("pocket", "pocket", (20, 15, 6), length=20, width=16, radius=6, depth=4, lengthwise="+X")
ROUND = Outline(name="round", tool=3, slot=8.0)


def job(*operations, material="aluminium", hold=ON_BOARD, features=(HOLE,)):
    one = setup(*(operations or (ROUND,)), hold=hold)
    of = block_job(one, part=(40, 30, 10), stock=(100, 80, 10), features=features)
    return of.model_copy(update={"stock": of.stock.model_copy(update={"material": material})})


def told(of):
    return [(each.code, each.about) for each in findings_of(plan_of(of)) if each.code.startswith("TAPE_")]


class AreaTest(unittest.TestCase):
    def area(self, of, k=0):
        return plan_of(of).setups[0].taped_alone(k)

    def test_cut_free_only_the_part_lies_on_it(self):
        """Less the hole, whatever the operation has it: the outline takes that too."""
        self.assertAlmostEqual(self.area(job(features=())), 1200.0, delta=0.01)
        both = job(Hole(name="h", tool=2, on="hole"), ROUND)
        self.assertAlmostEqual(self.area(both, 0), 8000.0 - 50.27, delta=1.5)
        self.assertAlmostEqual(self.area(both, 1), 1200.0 - 50.27, delta=1.5)

    def test_tabs_keep_the_border_on(self):
        whole = self.area(job(ROUND.model_copy(update={"tabs": 4}), features=()))
        # Less the slot, 2 x 70 x 8 and its round corners, of which four tabs of 6 stay.
        self.assertAlmostEqual(whole, 8000.0 - 1120.0 - math.pi * 64.0 + 4 * 6 * 8, delta=3.0)

    def test_screws_in_the_part_or_what_registers_it_hold_it_too(self):
        screwed = BoardHold(tape=0.2, screws=(Screw(x=50, y=40), Screw(x=55, y=40)))
        self.assertIsNone(self.area(job(hold=screwed, features=())))
        beside = BoardHold(tape=0.2, screws=(Screw(x=5, y=5),))
        self.assertAlmostEqual(self.area(job(hold=beside, features=())), 1200.0, delta=0.01)
        self.assertIsNone(self.area(job(hold=BoardHold(screws=(Screw(x=50, y=40),)), features=())))


class JudgedTest(unittest.TestCase):
    def test_force_and_strength_by_hand(self):
        """8 mm in aluminium: 4 deep, 0.08 a tooth, 800 N/mm²: 256 N.  12 cm² at 10 N/cm²: 120 N, a third of that 40."""
        cutter = plan_of(job()).setups[0].tool_uses[0].cutter
        self.assertEqual(cutter.diameter, 8.0)
        self.assertAlmostEqual(side_force("aluminium, 6 mm sheet", cutter, 10.0), 256.0)
        self.assertAlmostEqual(side_force("Stainless steel", cutter, 2.0), 2400 * 2 * 0.08)
        self.assertAlmostEqual(side_force("brass", cutter.model_copy(update={"diameter": 50.0}), 1.0), 800 * 1 * 0.1)
        self.assertAlmostEqual(bears(1200.0, 10), 40.0)
        self.assertIsNone(specific_force("unobtainium"))

    def test_enough_or_not(self):
        self.assertEqual(told(job(features=())), [("TAPE_TOO_SMALL", "round")])
        self.assertEqual(told(job(features=(), material="beech plywood")), [])
        # 3 x 256 N over 12 cm²: 64 N/cm² just bears it.
        for holds, codes in ((63, 1), (64, 0)):
            of = set_value(job(features=()), ("setups", 0, "hold", "tape_holds"), holds)
            self.assertEqual(len(told(of)), codes)
        for force, codes in ((40, 0), (41, 1)):
            of = set_value(job(features=()), ("setups", 0, "operations", 0, "side_force"), force)
            self.assertEqual(len(told(of)), codes)

    def test_as_long_as_the_border_holds_it_is_enough(self):
        pocket = Pocket(name="pocket", tool=2, on="pocket")
        # 80 cm² bear 267 N; a cutter of 12 in aluminium, 4 deep, pushes with 384.
        first = told(job(pocket, ROUND, features=(POCKET,)))
        self.assertEqual(first, [("TAPE_TOO_SMALL", "pocket"), ("TAPE_TOO_SMALL", "round")])
        self.assertEqual(told(job(pocket, features=(POCKET,), material="acetal")), [])

    def test_a_drill_is_not_judged_and_what_is_not_known_is_said(self):
        self.assertEqual(told(job(Hole(name="h", tool=2, on="hole"))), [])
        self.assertEqual(told(job(features=(), material="unobtainium")), [("TAPE_NOT_JUDGED", "round")])
        stated = set_value(job(features=(), material="unobtainium"), ("setups", 0, "operations", 0, "side_force"), 30)
        self.assertEqual(told(stated), [])

    def test_it_stands_on_the_tape_and_is_no_other_zero(self):
        of = job(features=())
        lines = [line.text for line in cut_tape(plan_of(of).setups[0], 0).lines]
        self.assertTrue(any("of tape, which alone holds the part" in line for line in lines))
        stronger = set_value(of, ("setups", 0, "hold", "tape_holds"), 50)
        self.assertEqual(meaning_of(of, of.setups[0]), meaning_of(stronger, stronger.setups[0]))
