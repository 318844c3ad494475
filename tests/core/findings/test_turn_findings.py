"""Findings about turns: each fires and is silent, at its limit where it has one."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from unittest import mock

from ledgecliff.core.budget.sides import far_side
from ledgecliff.core.edits.standing import with_standing
from ledgecliff.core.errors import RegistrationError
from ledgecliff.core.findings import datum_rules, tooling_rules, turn_rules
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.base import Size
from ledgecliff.core.model.holding import Screw
from ledgecliff.core.model.machine import Cutter
from ledgecliff.core.model.operations import Face, Pin
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.setup import AxisDatum
from ledgecliff.core.plan import make_plan
from ledgecliff.core.solids.geometry import Models
from ledgecliff.core.turns.turn_plan import turns_of
from tests.helpers import codes, fixed, plan_with
from tests.jobs import standing_at
from tests.turn_jobs import FRAME, PINS, ring, ring_plan, ring_with

THREE = (Pin(x=-144, y=60, diameter=10), Pin(x=-144, y=-60, diameter=10), Pin(x=144, y=0, diameter=10))


#: Whose rules find what, where those about turns do not.
_ELSEWHERE = {"TOOL_TOO_SHORT": tooling_rules, "OFFSET_SHARED": datum_rules}


def of_code(code, plan):
    """What is found of one code: all the other rules take far longer."""
    found = [finding for rule in _ELSEWHERE.get(code, turn_rules).RULES for finding in rule(plan)]
    return [finding for finding in found if finding.code == code]


class TurnFindingsTest(unittest.TestCase):
    def finding(self, code, kind, *edits):
        """The one finding of ``code`` after ``edits``; fails when it is silent."""
        found = of_code(code, ring_with(kind, *edits))
        self.assertTrue(found, f"{code} is silent")
        for finding in found:
            self.assertTrue(finding.message().endswith(".") and finding.remedy().endswith("."), finding)
        return found[0]

    def silent(self, code, kind, *edits):
        self.assertEqual(of_code(code, ring_with(kind, *edits)), [])

    def test_both_demo_rings_are_clean(self):
        """But for the frame's play, which takes more of the marks' tolerance than half."""
        for kind, told in (("on-pins", set()), ("in-a-frame", {"PAIR_OUT_OF_TOLERANCE"})):
            self.assertEqual(codes(ring_plan(kind)), told)

    def test_wrong_seat(self):
        two = (Pin(x=-144, y=0, diameter=10), Pin(x=144, y=0, diameter=10))
        self.assertIn("end for end", self.finding("WRONG_SEAT", "on-pins", ((*PINS, "pins"), two)).message())
        unlike = (two[0], Pin(x=144, y=0, diameter=8))
        self.silent("WRONG_SEAT", "on-pins", ((*PINS, "pins"), unlike))
        self.finding("WRONG_SEAT", "in-a-frame", ((*FRAME, "notches"), False))

    def test_wrong_seat_nearly(self):
        """Four pins, alike end for end but for 0.4 in one of them."""

        def four(off):
            return tuple(Pin(x=x, y=y, diameter=10) for x, y in ((-144, 60), (-144, -60), (144, 60 + off), (144, -60)))

        self.finding("WRONG_SEAT_NEARLY", "on-pins", ((*PINS, "pins"), four(0.4)))
        self.silent("WRONG_SEAT_NEARLY", "on-pins", ((*PINS, "pins"), four(6.0)))

    def test_the_wall_round_a_bore(self):
        """The outline's slot ends 128 from the middle; a bore of 10.04 with its wall of 4 needs 9.02 more."""
        for x, check in ((137.1, self.silent), (136.9, self.finding)):
            moved = (*THREE[:2], Pin(x=x, y=0, diameter=10))
            check("PIN_WALL_CUT", "on-pins", ((*PINS, "pins"), moved))
            self.silent("PIN_IN_TOOLPATH", "on-pins", ((*PINS, "pins"), moved))

    def test_pin_in_toolpath(self):
        """Only what is cut after the turn meets a pin: a bore 5.02 wide each way whose edge is 128 from the middle."""
        for x, check in ((133.6, self.silent), (133.4, self.finding)):
            check("PIN_IN_TOOLPATH", "on-pins", ((*PINS, "pins"), (*THREE[:2], Pin(x=x, y=0, diameter=10))))
        # An outline that is cut before the turn alone meets none: no pin stands yet.
        near = (*THREE[:2], Pin(x=130, y=0, diameter=10))
        only_before = (("setups", 1, "operations"), ring("on-pins").setups[1].operations[:1])
        self.silent("PIN_IN_TOOLPATH", "on-pins", ((*PINS, "pins"), near), only_before)
        self.finding("PIN_WALL_CUT", "on-pins", ((*PINS, "pins"), near), only_before)

    def faced(self, *edits):
        """1.5 is faced off after the turn: the blank is 16.5, and stands 16.5 over the board."""
        face = Face(name="face the lower side", tool=3)
        operations = (face, *ring("on-pins").setups[1].operations)
        thick = tuple((("stock", kind, "z"), 16.5) for kind in ("nominal", "measured"))
        return ((("setups", 1, "operations"), operations), *thick, (("stock", "allowance", "minus_z"), 1.5), *edits)

    def test_a_facing_pass_goes_over_pins_that_end_below_it(self):
        """Down to 15 over the board; a pin stands its length less the 12 in it above: 26.9 is under, 27.1 is not."""
        for length, check in ((26.9, self.silent), (27.1, self.finding)):
            check("PIN_IN_TOOLPATH", "on-pins", *self.faced(((*PINS, "pin_length"), length)))
        unsaid = self.finding("PIN_IN_TOOLPATH", "on-pins", *self.faced(((*PINS, "pin_length"), None)))
        self.assertIn("not stated", unsaid.message())
        # 26 is the longest that is made and ends half a millimetre below: the remedy clears it.
        path, value = unsaid.fixes[0].changes[0]
        self.assertEqual(value, 26.0)
        self.silent("PIN_IN_TOOLPATH", "on-pins", *self.faced((path, value)))

    def test_pins_long_enough(self):
        """12 in the board and half of 10 in the blank; 15 of blank above."""
        for length, check in ((17.0, self.silent), (16.9, self.finding)):
            check("PIN_TOO_SHORT", "on-pins", ((*PINS, "pin_length"), length))
        for length, check in ((27.0, self.silent), (27.1, self.finding)):
            check("PIN_STANDS_OUT", "on-pins", ((*PINS, "pin_length"), length))
        self.silent("PIN_TOO_SHORT", "on-pins", ((*PINS, "pin_length"), None))

    def test_bores_that_meet(self):
        """Bores of 10.04 with half their wall of 4 between them: 12.04 apart."""
        for y, check in ((48.0, self.finding), (47.9, self.silent), (55.0, self.finding)):
            extra = Pin(x=-144, y=y, diameter=10)
            check("PIN_BORES_MEET", "on-pins", ((*PINS, "pins"), (*THREE, extra)))

    def test_a_second_set_of_bores(self):
        operations = ring("on-pins").setups[0].operations
        more = operations[0].model_copy(update={"name": "more pins", "pins": (Pin(x=0, y=133, diameter=6),)})
        found = self.finding("PIN_BORES_TWICE", "on-pins", (("setups", 0, "operations"), (*operations, more)))
        self.assertIn("'more pins'", found.message())
        self.silent("PIN_BORES_TWICE", "on-pins")

    def test_a_frame_that_cannot_be_made_names_its_operation(self):
        with self.assertRaises(RegistrationError) as caught:
            findings_of(ring_with("in-a-frame", ((*FRAME, "keep_y"), 10.0), ((*FRAME, "slot"), 40.0)))
        self.assertRegex(str(caught.exception), r"^'frame slot' cannot be made: Notches \d+\.000 mm wide")
        self.assertRegex(caught.exception.said_in("in"), r"Notches \d\.\d{4} in wide")

    def test_pin_in_part(self):
        """The ring lies between 75 and 120 from the middle."""
        inside = (*THREE[:2], Pin(x=100, y=0, diameter=10))
        self.finding("PIN_IN_PART", "on-pins", ((*PINS, "pins"), inside))
        self.silent("PIN_IN_PART", "on-pins", ((*PINS, "pins"), (*THREE[:2], Pin(x=125.1, y=0, diameter=10))))

    def test_pin_in_clamp(self):
        screw = Screw(x=160 + 144, y=140, head_diameter=8)
        for setup in (0, 1):
            self.finding("PIN_IN_CLAMP", "on-pins", (("setups", setup, "hold", "screws"), (screw,)))
        self.silent("PIN_IN_CLAMP", "on-pins")

    def test_pin_near_edge(self):
        """The blank ends at 160: 160 - 4 - 5.02 = 150.98."""
        for x, check in ((150.9, self.silent), (151.1, self.finding)):
            check("PIN_NEAR_EDGE", "on-pins", ((*PINS, "pins"), (*THREE[:2], Pin(x=x, y=0, diameter=10))))

    def test_pins_and_the_board(self):
        """The board is 25 thick; a pin of 10 wants half of that in it."""
        for depth, check in ((25.0, self.silent), (25.1, self.finding)):
            check("PIN_THROUGH_BOARD", "on-pins", ((*PINS, "into_board"), depth))
        for depth, check in ((5.0, self.silent), (4.9, self.finding)):
            check("PIN_NOT_IN_BOARD", "on-pins", ((*PINS, "into_board"), depth))
        self.silent("PIN_NO_BOARD", "on-pins")
        self.silent("PIN_TOOL_TOO_WIDE", "on-pins")
        self.finding("PIN_TOOL_TOO_WIDE", "on-pins", ((*PINS, "tool"), 2))

    def test_pins_without_a_board(self):
        bores = ring_plan("on-pins").job.setups[0].operations[0]
        plan = plan_with((("setups", 0, "operations"), (bores,)))
        self.assertIn("PIN_NO_BOARD", codes(plan))

    def test_pins_too_deep_for_the_tool(self):
        """Through 15 and 12 into the board, the holder must stay over the blank."""
        reach = ("machines", 0, "cutters", 2, "reach")
        flute = (("machines", 0, "cutters", 2, "flute"), 20.0)
        self.silent("TOOL_TOO_SHORT", "on-pins", flute, (reach, 27.0))
        self.finding("TOOL_TOO_SHORT", "on-pins", flute, (reach, 26.5))

    def test_pins_at_one_place_let_it_turn(self):
        """No error is told then, nor a play; two apart hold."""
        one = ((*PINS, "pins"), (Pin(x=-144, y=0, diameter=10),))
        self.finding("PINS_LET_IT_TURN", "on-pins", one)
        plan = ring_with("on-pins", one)
        self.assertIsNone(turns_of(plan)[0].play)
        self.assertEqual([far_side(turn, plan) for turn in turns_of(plan)], [None])
        self.silent("PINS_LET_IT_TURN", "on-pins")
        both = (Pin(x=-144, y=0, diameter=10), Pin(x=144, y=0, diameter=10))
        self.silent("PINS_LET_IT_TURN", "on-pins", ((*PINS, "pins"), both))

    def test_pins_stand_in_the_board_that_the_part_lies_on(self):
        machine = ring("on-pins").machine
        other = machine.fixtures[2].model_copy(update={"name": "second board"})
        two = with_standing(machine, standing_at(other, machine.stations[2].at.as_tuple()))
        boards = (("machines", 0), two)
        self.silent("PINS_IN_ANOTHER_BOARD", "on-pins", boards)
        self.finding("PINS_IN_ANOTHER_BOARD", "on-pins", boards, (("setups", 1, "station"), two.stations[3].id))

    def test_a_shift_in_the_same_code_adds_up(self):
        """Into its own code a carried zero with a shift goes further at each run; in another code it does not."""
        shift, own, other = (("setups", 1, "datum", "x", "shift"), 5.0), "G54", "G55"
        first = ring("on-pins").setups[0].offset
        self.assertEqual(first, own)
        self.silent("CARRIED_SHIFT_ADDS_UP", "on-pins", (("setups", 1, "offset"), own))
        self.silent("CARRIED_SHIFT_ADDS_UP", "on-pins", shift, (("setups", 1, "offset"), other))
        found = self.finding("CARRIED_SHIFT_ADDS_UP", "on-pins", shift, (("setups", 1, "offset"), own))
        self.silent("CARRIED_SHIFT_ADDS_UP", "on-pins", shift, found.fixes[0].changes[0])

    def test_drills_cut_no_slot_and_bores_of_their_own_size(self):
        drills = [
            Cutter(tool=tool, name=f"drill {size}", diameter=size, length=90, shape="drill")
            for tool, size in ((90, 8.0), (91, 10.04))
        ]
        cutters = (("machines", 0, "cutters"), (*ring("on-pins").machine.cutters, *drills))
        self.finding("DRILL_CANNOT_MILL", "in-a-frame", cutters, ((*FRAME, "tool"), 90))
        self.silent("DRILL_CANNOT_MILL", "in-a-frame", cutters)
        self.finding("DRILL_OF_ANOTHER_SIZE", "on-pins", cutters, ((*PINS, "tool"), 90))
        self.silent("DRILL_OF_ANOTHER_SIZE", "on-pins", cutters, ((*PINS, "tool"), 91))

    def test_by_hand_nothing_can_be_carried_over(self):
        """The remedy takes the zeros away that hung on the turn: what it leaves has no such finding, and is planned."""
        plan = ring_with("on-pins", (("setups", 0, "operations"), ring("on-pins").setups[0].operations[1:]))
        nothing = next(f for f in findings_of(plan) if f.code == "NOTHING_REGISTERS")
        mended = make_plan(fixed(plan.job, nothing), Models())
        self.assertNotIn("NOTHING_REGISTERS", {f.code for f in findings_of(mended)})
        datum = mended.job.setups[1].datum
        self.assertNotIn("carried over", {datum.x.source, datum.y.source, datum.z.source})

    def test_play_too_large(self):
        """Lower marks may be 0.3 off the ring bore.  At 145.5 from the pins' middle, towards the pin at 192, that pin
        keeps across what the turn would add: what is left is half the clearance, told to a hundredth."""
        path = (*PINS, "clearance")
        self.silent("PLAY_TOO_LARGE", "on-pins", (path, 0.59))
        self.finding("PLAY_TOO_LARGE", "on-pins", (path, 0.61))
        self.finding("PLAY_TOO_LARGE", "in-a-frame", ((*FRAME, "fit"), 0.25))

    def test_slot_narrower_than_cutter(self):
        self.silent("SLOT_NARROWER_THAN_CUTTER", "in-a-frame", ((*FRAME, "slot"), 8.0))
        self.finding("SLOT_NARROWER_THAN_CUTTER", "in-a-frame", ((*FRAME, "slot"), 7.9))

    def test_frame_for_another_turn(self):
        self.finding("TURN_NOT_REGISTERED", "in-a-frame", ((*FRAME, "turn"), "y"))
        self.silent("TURN_NOT_REGISTERED", "in-a-frame")
        spun = (("setups", 1, "orientation"), Orientation(up="+Z", right="-X"))
        self.finding("TURN_NOT_REGISTERED", "on-pins", spun)

    def test_a_frame_that_fails_its_check(self):
        """The generator makes none; whatever it may do one day, the polygons have the last word."""
        good = turns_of(ring_plan("in-a-frame"))[0].frame_check
        for changes, code in (
            ({"fits": False}, "FRAME_DOES_NOT_FIT"),
            ({"turn_deg": (math.inf, 0.1)}, "FRAME_DOES_NOT_LOCK"),
        ):
            with mock.patch(
                "ledgecliff.core.registration.interlock_check.check_frame", return_value=replace(good, **changes)
            ):
                self.finding(code, "in-a-frame", ((*FRAME, "name"), code))
            self.silent(code, "in-a-frame")

    def test_frame_border_thin(self):
        """The slot's outer edge lies 132 + 12 + 7.9 + 8 = 159.9 from the middle along X."""
        for half, check in ((164.0, self.silent), (163.8, self.finding)):
            size = Size(x=2 * half, y=330, z=15)
            edits = ((("stock", "measured"), size), (("stock", "nominal"), size))
            check("FRAME_BORDER_THIN", "in-a-frame", *edits)

    def test_nothing_registers(self):
        operations = ring_plan("on-pins").job.setups[0].operations[1:]
        self.finding("NOTHING_REGISTERS", "on-pins", (("setups", 0, "operations"), operations))
        self.silent("NOTHING_REGISTERS", "on-pins")

    def test_reference_moves(self):
        left, right = AxisDatum(source="stock minus side"), AxisDatum(source="stock plus side")
        raw = (("setups", 0, "operations"), ())
        first = (("setups", 0, "datum", "x"), left)
        self.assertIn("REFERENCE_MOVES", codes(plan_with(first, raw, (("setups", 1, "datum", "x"), right))))
        self.assertNotIn("REFERENCE_MOVES", codes(plan_with(first, raw, (("setups", 1, "datum", "x"), left))))
        self.assertNotIn("REFERENCE_MOVES", codes(plan_with()))

    def test_offset_shared_but_for_a_zero_that_is_carried_over(self):
        self.silent("OFFSET_SHARED", "on-pins")
        self.finding("OFFSET_SHARED", "on-pins", (("setups", 1, "datum", "x"), AxisDatum(source="stock centre")))
