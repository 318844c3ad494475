"""Interlocking frames on the stock as it is: what undoes them is told; their sizes, ways and play by other means."""

from __future__ import annotations

import unittest

import numpy as np
import shapely
import shapely.affinity

from ledgecliff.core.blanks import transformed
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.model.operations import Seen
from ledgecliff.core.registration.interlock import FrameSizes, make_frame
from ledgecliff.core.registration.interlock_check import check_frame
from ledgecliff.core.registration.removed import slot_area
from ledgecliff.core.turns.frame_stock import _left
from ledgecliff.core.turns.turn_plan import turns_of
from tests.turn_jobs import FRAME, ring, ring_plan, ring_with


class FrameOnTheStockTest(unittest.TestCase):
    """The frame judged on the stock as it is: each thing that undoes it told, and the demo's silent."""

    NEW = ("FRAME_CUT_AWAY", "FRAME_IN_PART", "FRAME_SLOT_BLOCKED", "TAB_IN_FRAME", "FRAME_DOES_NOT_LOCK")

    def told(self, *edits):
        return {f.code for f in findings_of(ring_with("in-a-frame", *edits))} & set(self.NEW)

    def test_the_demo_holds_over_its_whole_thickness(self):
        stock = turns_of(ring_plan("in-a-frame"))[0].frame_stock
        self.assertAlmostEqual(stock.engaged, stock.thickness, delta=0.01)
        self.assertEqual(self.told(), set())

    def test_an_outline_without_a_slot_takes_the_border_away(self):
        """What is outside of the part goes, the border with it; the frame itself would still be said to lock."""
        plan = ring_with("in-a-frame", (("setups", 0, "operations", 3, "slot"), None))
        self.assertTrue(turns_of(plan)[0].frame_check.locks)
        self.assertEqual(turns_of(plan)[0].frame_stock.engaged, 0.0)
        self.assertIn("FRAME_DOES_NOT_LOCK", {f.code for f in findings_of(plan)})

    def test_what_is_cut_after_the_turn_must_stay_clear_of_it(self):
        """A rough cut of all that is seen down to 3 over the underside leaves 3 of 15 to hold it; to 9 leaves 9."""
        operations = ring("in-a-frame").setups[1].operations
        for below, fires in ((-3.0, True), (-9.0, False)):
            rough = Seen(name="rough", tool=operations[-1].tool, below=below)
            edit = (("setups", 1, "operations"), (rough, *operations))
            self.assertEqual("FRAME_CUT_AWAY" in self.told(edit), fires)
            left = turns_of(ring_with("in-a-frame", edit))[0].frame_stock.cut_away
            if fires:
                self.assertEqual(left[0], "rough")
                self.assertAlmostEqual(left[1], 3.0, delta=0.01)

    def test_a_slot_through_the_part(self):
        """The ring is 120 in radius: a rectangle of 100 each way lets the slot into it."""
        for keep, fires in ((132.0, False), (100.0, True)):
            edits = [((*FRAME, side), keep) for side in ("keep_x", "keep_y")]
            self.assertEqual("FRAME_IN_PART" in self.told(*edits), fires)

    def test_a_slot_that_is_not_cut_through(self):
        """Tabs are left on purpose; a slot that stays above the underside all round is not."""
        plan = ring_plan("in-a-frame")
        slot = turns_of(plan)[0].frame_slot
        self.assertEqual(turns_of(plan)[0].frame_stock.left, 0.0)
        left = _left(
            slot, turns_of(plan)[0].part_middle, transformed(plan.setups[0].before.solid, np.eye(3)), 0.0, 15.0
        )
        area = slot_area(slot, turns_of(plan)[0].part_middle).area()
        self.assertAlmostEqual(left, area * 15.0, delta=0.02 * area * 15.0)

    def test_tabs_where_piece_and_border_touch(self):
        """Half of every edge touches after the turn: of four tabs one to each edge some always does; none is fine."""
        self.assertIn("TAB_IN_FRAME", self.told(((*FRAME, "tabs"), 4)))
        self.assertNotIn("TAB_IN_FRAME", self.told(((*FRAME, "tabs"), 0)))

    def test_by_hand_where_a_stub_is_in_touch(self):
        """Turned about X, the high half of an edge faces the border's low half, the fit away; low faces high."""
        frame = make_frame(FrameSizes(70, 40, 6, 0.1, "x", False))
        hole = frame.hole.polygon.exterior
        high, low = shapely.Point(35.0, 40.586 + 5.9), shapely.Point(-35.0, 40.586)
        self.assertLess(hole.distance(shapely.affinity.scale(high, 1, -1, origin=(0, 0))), 0.2)
        self.assertGreater(hole.distance(shapely.affinity.scale(low, 1, -1, origin=(0, 0))), 6.0)


class FrameSizesTest(unittest.TestCase):
    def test_it_stays_outside_of_the_rectangle_corners_included(self):
        for notches in (True, False):
            for turn in ("x", "y"):
                piece = make_frame(FrameSizes(70, 60, 6, 0.1, turn, notches)).piece.polygon
                self.assertTrue(piece.buffer(1e-6).contains(shapely.box(-70, -60, 70, 60)), (turn, notches))

    def test_a_wide_slot_is_cut_whole_by_the_program(self):
        """Swept by the cutter, its ways cover the slot: as wide as the cutter, twice, and three times and a half."""
        frame = make_frame(FrameSizes(90, 80, 14, 0.1, "x", False))
        slot = frame.hole.polygon.difference(frame.piece.polygon)
        for diameter in (14.0, 7.0, 4.0):
            ways = frame.cutter_lines(diameter)
            swept = shapely.union_all([line.polygon.exterior.buffer(diameter / 2.0, 64) for line in ways])
            self.assertLess(slot.difference(swept.buffer(0.01)).area, 3.0, diameter)

    def test_a_loose_fit_turns_further_from_beside_the_middle(self):
        """Against a search over a grid of places and angles of its own: never further than told, and nearly as far."""
        frame = make_frame(FrameSizes(70, 40, 6, 2.5, "x", False))
        checked = check_frame(frame, 6.0)
        hole, piece = frame.hole.polygon.buffer(1e-3), shapely.Polygon(frame.turned.points(5e-4))
        furthest = {1.0: 0.0, -1.0: 0.0}
        for x in np.linspace(-2.5, 2.5, 7):
            for y in np.linspace(-2.5, 2.5, 7):
                moved = shapely.affinity.translate(piece, x, y)
                for sense in furthest:
                    for degrees in np.arange(furthest[sense] + 0.05, 5.0, 0.05):
                        if not hole.contains(shapely.affinity.rotate(moved, sense * degrees, origin=(x, y))):
                            break
                        furthest[sense] = float(degrees)
        for told, found in zip(checked.turn_deg, (furthest[1.0], furthest[-1.0]), strict=True):
            self.assertGreaterEqual(told, found - 0.01)
            self.assertLess(told, found + 0.12)
