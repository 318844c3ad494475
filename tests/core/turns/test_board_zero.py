"""Bores for pins with two Z zeros: blind in the blank's face, and in the bare board from its own top; zero marks.

The ring's blank lies on the board from Z -460 up in machine coordinates, its middle at (-400, -205).
"""

from __future__ import annotations

import unittest

import numpy as np

from ledgecliff.core.changing import set_value
from ledgecliff.core.cutting.cuts import cut_floor
from ledgecliff.core.edits.setups import with_mark
from ledgecliff.core.findings import board_rules, pin_rules
from ledgecliff.core.model.holding import ZeroMark
from ledgecliff.core.model.operations import Face, Pin
from ledgecliff.core.model.setup import AxisDatum
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.dialect import dialect_of
from ledgecliff.core.programs.registration import programs_of_turn
from ledgecliff.core.programs.released import released_files
from ledgecliff.core.remedies.tried import with_fix
from ledgecliff.core.simulator.interpreter import Control
from ledgecliff.core.simulator.machine import SimulatedMachine, quiet
from ledgecliff.core.solids.geometry import Models
from ledgecliff.core.tape.scenes import holding_tape
from ledgecliff.core.tape.turns import turn_tape
from ledgecliff.core.turns.clearances import bores_deep
from ledgecliff.core.turns.turn_plan import turns_of
from ledgecliff.sheets.setup_sheet import sheet_html
from tests.rehearsals import rehearsed
from tests.turn_jobs import PINS, ring

OVER = 10.0
HOLD = ("setups", 0, "hold")
BLIND, OFFSET, LENGTH = (*PINS, "blind"), (*PINS, "board_offset"), (*PINS, "pin_length")


def plan_with(*edits, thick=15.0 + OVER):
    """The ring of 15 in a blank of 25, its Z from the blank's top; ``BLIND`` is said as it counts from the face."""
    job = set_value(ring("on-pins"), ("setups", 0, "datum", "z"), AxisDatum(source="stock top"))
    for size in ("nominal", "measured"):
        job = set_value(job, ("stock", size, "z"), thick)
    job = set_value(job, ("stock", "allowance", "minus_z"), 0.0)
    for path, value in edits:
        # Bores are stated as deep as they are below the blank's face, which is 10 over the part's top.
        job = set_value(job, path, value - OVER if path[-1] == "blind" and value is not None else value)
    return make_plan(job, Models())


def codes(plan):
    return [finding.code for rule in (*pin_rules.RULES, *board_rules.RULES) for finding in rule(plan)]


def run(plan, text, **offsets):
    """Where feed moves end in the machine, with G54 as planned and other offsets as stated."""
    setup = plan.setups[0]
    known = {code.number: np.array([-50.0, -60.0, -70.0]) for code in plan.job.machine.offsets}
    known[1] = setup.located.m_offset.copy()
    unit = SimulatedMachine(plan.job.machine, [], known, quiet())
    for number, z in offsets.items():
        known[int(number[1:])][2] = z
    unit.turns[1] = 2.0
    outcome = Control(unit, dialect_of(plan.job.machine)).run(text)
    assert outcome.alarm == "", outcome.alarm
    length = plan.job.machine.cutter(unit.tool).length
    return np.array([m.end for m in unit.motions if m.kind == "feed"]) - (0, 0, length), unit


class BlindTest(unittest.TestCase):
    def test_so_deep_below_the_face(self):
        for unit in ("mm", "in"):
            plan = plan_with((BLIND, 8.0), (("machines", 0, "program_units"), unit))
            (turn,) = turns_of(plan)
            self.assertFalse(turn.one_program)
            ends, _ = run(plan, programs_of_turn(plan.job, turn)["pins blank"])
            self.assertAlmostEqual(ends[:, 2].min(), -460.0 + 25.0 - 8.0, places=3)
            self.assertEqual(bores_deep(turn), 8.0)
            lines = {line.text: line.mm for line in turn_tape(plan, turn).lines}
            self.assertEqual(lines["blind, below the face then"], 8.0)
            use = plan.setups[0].tool_uses[0]
            self.assertAlmostEqual(use.depth, 8.0)
            one = plan.setups[0]
            self.assertAlmostEqual(cut_floor(one.geometry, one.cuts[0], 0.0), 15.0 + 10.0 - 8.0)

    def test_what_is_bored_is_gone_and_no_more(self):
        """By hand: three bores of 10.04 to 8 deep, within their facets."""
        plan = plan_with((BLIND, 8.0))
        gone = plan.setups[0].cutting.removed(0).volume()
        self.assertAlmostEqual(gone, 3 * np.pi * 5.02**2 * 8.0, delta=0.01 * gone)

    def test_facing_after_leaves_them_shallower(self):
        face = Face(name="face", tool=1, leave=4.0)
        operations = plan_with().job.setups[0].operations
        plan = plan_with((("setups", 0, "operations"), (operations[0], face, *operations[1:])), (BLIND, 8.0))
        self.assertAlmostEqual(bores_deep(turns_of(plan)[0]), 2.0)
        self.assertIn("PIN_BORE_SHALLOW", codes(plan))
        before = plan_with(
            (("setups", 0, "operations"), (face, *operations)), (("setups", 0, "operations", 1, "blind"), 14.0)
        )
        self.assertAlmostEqual(bores_deep(turns_of(before)[0]), 8.0)
        ends, _ = run(before, programs_of_turn(before.job, turns_of(before)[0])["pins blank"])
        self.assertAlmostEqual(
            ends[:, 2].min(), -460.0 + 19.0 - 8.0, places=3, msg="4 stay over the part of 15, from 25 down to 19"
        )

    def test_pins_must_not_stand_on_their_floor(self):
        """Pins stand 12 in the board: of 24 they are 12 out, of 18 they are 6."""
        for blind, length, fires in (
            (8.0, 24.0, True), (8.0, 18.0, False), (6.4, 18.0, True), (6.5, 18.0, False), (8.0, None, True),
            (None, 24.0, False),
        ):  # fmt: skip
            plan = plan_with((BLIND, blind), (LENGTH, length))
            self.assertEqual("PIN_BORE_SHALLOW" in codes(plan), fires, (blind, length))
        finding = next(pin_rules.blind_bores(plan_with((BLIND, 8.0))))
        mended = with_fix(plan_with((BLIND, 8.0)).job, finding.fixes[0])
        self.assertEqual(mended.setups[0].operations[0].pin_length, 18.0)

    def test_over_the_part_there_is_room_as_deep_as_the_blank_stands_over_it(self):
        """10 of the blank stand over the part."""
        over = ((*PINS, "pins", 0), Pin(x=-100.0, y=0.0, diameter=10.0))
        for blind, fires in ((None, True), (9.5, False), (10.5, True)):
            self.assertEqual("PIN_IN_PART" in codes(plan_with((BLIND, blind), over)), fires)
        # A drill of 8 goes 2.4 deeper with its point.
        tool = next(k for k, cutter in enumerate(ring("on-pins").machine.cutters) if cutter.tool == 3)
        path = ("machines", 0, "cutters", tool)
        drill = (((*path, "shape"), "drill"), ((*path, "end_angle_deg"), 118.0))
        for blind, fires in ((7.5, False), (7.7, True)):
            self.assertEqual("PIN_IN_PART" in codes(plan_with((BLIND, blind), over, *drill)), fires)


class BoardTest(unittest.TestCase):
    def test_in_its_own_offset_from_its_own_top(self):
        """X, Y and the turn as in G54, whatever stood there; Z as it was touched off on the board."""
        for blind in (None, 8.0):
            plan = plan_with((OFFSET, "G58"), (BLIND, blind))
            (turn,) = turns_of(plan)
            text = programs_of_turn(plan.job, turn)["pins board"]
            self.assertIn("(Z0 of G58 is the top of the bare board: touch it off there before)", text)
            ends, unit = run(plan, text, G5=-459.7)
            self.assertAlmostEqual(ends[:, 2].min(), -459.7 - 12.0, places=3)
            np.testing.assert_allclose(unit.offsets[5], (-400, -205, -459.7), atol=1e-3)
            self.assertEqual(unit.turns[5], 2.0)
            same = programs_of_turn(plan_with((BLIND, 8.0)).job, turns_of(plan_with((BLIND, 8.0)))[0])["pins board"]
            deep, _ = run(plan, same)
            self.assertAlmostEqual(deep[:, 2].min(), -460.0 - 12.0, places=3, msg="with the setup's own zero")

    def test_when_the_board_is_bored(self):
        fixed = tuple((("setups", 0, "datum", axis), AxisDatum(source="fixture value")) for axis in "xy")
        for edits, first in (((), False), (fixed, True), (fixed[:1], False)):
            plan = plan_with((OFFSET, "G58"), *edits)
            (turn,) = turns_of(plan)
            self.assertEqual(turn.board_first, first)
            words = "".join(line.text for line in turn_tape(plan, turn).lines)
            self.assertIn("the board first, before the blank lies on it" if first else "once it is off", words)
            self.assertIn("Bores in the board, G58", sheet_html(plan))

    def test_its_offset_is_there_and_nobody_elses(self):
        shared = (("setups", 1, "offset"), "G55")
        for offset, expected in (
            ("G58", None),
            ("G54", None),
            ("G55", "BOARD_OFFSET_SHARED"),
            ("G99", "BOARD_OFFSET_UNKNOWN"),
        ):
            found = [code for code in codes(plan_with((OFFSET, offset), shared)) if code.startswith("BOARD_OFFSET")]
            self.assertEqual(found, [expected] if expected else [])
            marked = plan_with(((*HOLD, "mark"), ZeroMark(tool=5, offset=offset)), shared)
            found = [code for code in codes(marked) if code.startswith("BOARD_OFFSET")]
            self.assertEqual(found, [expected] if expected else [])


class WorldsTest(unittest.TestCase):
    def test_over_blind_bores_the_far_side_is_within_the_pins_play(self):
        """Bores of 10.04 over pins of 10: by hand no further off than 0.02 to any side, in five worlds."""
        plan = plan_with((BLIND, 8.0), (LENGTH, 18.0), (OFFSET, "G58"))
        for seed in range(1, 6):
            done = rehearsed(plan, seed)
            self.assertEqual(done.alarms, ())
            off = done.setups[1].true - done.setups[1].found
            self.assertLess(np.hypot(*off[:2]), 0.02 + 0.003)
            self.assertLess(abs(off[2]), 0.004)


class ZeroMarkTest(unittest.TestCase):
    def test_a_cross_at_the_zero(self):
        for offset, z in ((None, -460.0), ("G58", -459.7)):
            plan = plan_with(((*HOLD, "mark"), ZeroMark(tool=5, arm=20.0, depth=0.4, offset=offset)))
            (text,) = (text for name, text in released_files(plan).items() if "zero-mark" in name)
            ends, _ = run(plan, text, **({"G5": z} if offset else {}))
            down = ends[ends[:, 2] < z + 0.01]
            self.assertAlmostEqual(down[:, 2].max(), z - 0.4, places=3)
            turn = np.array([[np.cos(np.radians(2)), np.sin(np.radians(2))]])
            along = (down[:, :2] - (-400, -205)) @ np.array([turn[0], (-turn[0][1], turn[0][0])]).T
            np.testing.assert_allclose(along, [(-20, 0), (20, 0), (0, -20), (0, 20)], atol=1e-3)

    def test_told(self):
        side, covered = ("setups", 0, "datum", "x"), {"ZERO_MARK_COVERED"}
        for depth, shift, expected in (
            (0.3, None, covered), (5.0, None, covered | {"ZERO_MARK_TOO_DEEP"}), (0.3, -30.0, set()),
            (0.3, -900.0, {"ZERO_MARK_OFF_BOARD"}), (0.3, -110.0, {"ZERO_MARK_OFF_BOARD"}),
        ):  # fmt: skip
            mark = ZeroMark(tool=5, depth=depth)
            edits = () if shift is None else ((side, AxisDatum(source="stock minus side", shift=shift)),)
            plan = plan_with(((*HOLD, "mark"), mark), *edits)
            self.assertEqual({code for code in codes(plan) if code.startswith("ZERO_MARK")}, expected)
            self.assertIn("Zero mark in the board", "".join(x.text for x in holding_tape(plan.setups[0]).lines))

    def test_put_there_and_taken_out(self):
        job = with_mark(ring("on-pins"), 0, 25.0)
        self.assertEqual((job.setups[0].hold.mark.arm, job.setups[0].hold.mark.tool), (25.0, 4))
        self.assertEqual(with_mark(with_mark(job, 0, 9.0), 0, 9.5).setups[0].hold.mark.arm, 9.5)
        self.assertIsNone(with_mark(job, 0, None).setups[0].hold.mark)
        with self.assertRaisesRegex(ValueError, "tool T77 is not in the machine's cutters"):
            set_value(job, (*HOLD, "mark", "tool"), 77)


if __name__ == "__main__":
    unittest.main()
