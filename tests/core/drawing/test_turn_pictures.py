"""What the turn's drawings show: seats where their bores meet pins, play to contact, and what is dragged."""

from __future__ import annotations

import math
import unittest

import numpy as np
from shapely import Polygon

from ledgecliff.core.changing import set_value
from ledgecliff.core.drawing.items import Label, Stroke
from ledgecliff.core.drawing.turn_play import play_moment
from ledgecliff.core.drawing.turn_views import turn_views
from ledgecliff.core.edits.placing import draggables_of_turn, place_on_turn
from ledgecliff.core.model.operations import Pin
from ledgecliff.core.turns.turn_plan import turns_of
from tests.core.turns.test_both_sides import lid_with
from tests.turn_jobs import PINS, ring_plan, ring_with

TWO = (Pin(x=-144, y=20, diameter=10), Pin(x=144, y=20, diameter=10))


def strokes(drawing, source):
    return [np.array(item.points) for item in drawing.items if isinstance(item, Stroke) and item.source == source]


def middles(rings):
    """Middles of closed circles, for the set they make."""
    return sorted((round(float(x), 2), round(float(y), 2)) for x, y in (ring[:-1].mean(axis=0) for ring in rings))


class SeatPictureTest(unittest.TestCase):
    def test_in_every_picture_bores_stand_over_pins(self):
        """Off the turn axis, and with the zero off the middle, so that no symmetry hides a wrong sign."""
        zero = (("setups", 0, "datum", "y", "shift"), 20.0), (("setups", 0, "datum", "x", "shift"), -7.0)
        plan = ring_with("on-pins", ((*PINS, "pins"), TWO), *zero)
        turn = turns_of(plan)[0]
        seated = [k for k, seat in enumerate(turn.seats) if seat.seats]
        self.assertEqual(len(seated), 4)
        for k in seated:
            _, after = turn_views(plan, 1, f"seat-{k}")
            pins = middles(ring for n in (1, 2) for ring in strokes(after, f"pin-{n}"))
            bores = middles(ring for ring in strokes(after, f"seat-{k}") if len(ring) > 20)
            np.testing.assert_allclose(bores, pins, atol=0.021)

    def test_the_wanted_seat_is_where_the_stock_is_drawn(self):
        plan = ring_plan("on-pins")
        _, after = turn_views(plan, 1, "seat-0")
        outline = next(ring for ring in strokes(after, "seat-0") if len(ring) == 5)
        low, high = plan.setups[1].holding.u_stock
        np.testing.assert_allclose(outline.min(axis=0), low[:2], atol=1e-6)
        np.testing.assert_allclose(outline.max(axis=0), high[:2], atol=1e-6)

    def test_end_for_end_the_cross_lies_at_the_other_end(self):
        plan = ring_with("on-pins", ((*PINS, "pins"), (Pin(x=-144, y=0, diameter=10), Pin(x=144, y=0, diameter=10))))
        seats = [seat.name for seat in turns_of(plan)[0].seats]
        sides = {}
        for name in ("as intended", "end for end"):
            _, after = turn_views(plan, 1, f"seat-{seats.index(name)}")
            cross = [ring for ring in strokes(after, f"seat-{seats.index(name)}") if len(ring) == 2]
            sides[name] = float(np.concatenate(cross)[:, 0].mean())
        self.assertAlmostEqual(sides["as intended"], -150.0)
        self.assertAlmostEqual(sides["end for end"], 150.0)


class PlayPictureTest(unittest.TestCase):
    def test_a_frames_piece_moves_until_it_touches_and_no_further(self):
        turn = turns_of(ring_plan("in-a-frame"))[0]
        gaps = []
        for share in np.arange(0.0, 1.0, 1.0 / 24.0):
            drawing = play_moment(turn, float(share))
            (border,), (piece,) = strokes(drawing, "border"), strokes(drawing, "piece")
            hole, moved = Polygon(border), Polygon(piece)
            # Both are drawn with short edges for arcs.
            self.assertLess(moved.difference(hole.buffer(0.08)).area, 1e-6)
            gaps.append(moved.exterior.distance(hole.exterior))
        self.assertLess(min(gaps), 0.08, "at its stations it touches")
        self.assertGreater(max(gaps), 2.0, "and in the middle it is free all round")

    def test_pins_play_says_how_much_larger_it_is_drawn(self):
        drawing = play_moment(turns_of(ring_plan("on-pins"))[0], 1.0 / 12.0)
        (words,) = [item.text for item in drawing.items if isinstance(item, Label)]
        larger = float(words.split()[2])
        blank = strokes(drawing, "blank")[0]
        # Play is told up to one in a hundred large, never small.
        moved = (float(blank[:, 0].max()) - 160.0) / larger
        self.assertGreaterEqual(moved, 0.02 - 1e-6)
        self.assertLess(moved, 0.0203)

    def test_nothing_to_show_where_nothing_has_a_fit(self):
        self.assertIsNone(play_moment(turns_of(lid_with())[0], 0.0))


class JigPictureTest(unittest.TestCase):
    def test_the_part_is_drawn_within_its_pocket(self):
        plan = lid_with()
        for drawing, pocket, setup in zip(turn_views(plan, 1), ("first", "second"), plan.setups, strict=True):
            ring = max(strokes(drawing, f"pocket-{pocket}"), key=len)
            shown = setup.holding.u_stock if pocket == "first" else setup.holding.u_part
            for k in (0, 1):
                self.assertLessEqual(float(ring[:, k].min()), float(shown[0][k]) - 0.049)
                self.assertGreaterEqual(float(ring[:, k].max()), float(shown[1][k]) + 0.049)


class DragTest(unittest.TestCase):
    def test_a_pin_goes_where_it_is_dragged_on_the_grid(self):
        plan = ring_plan("on-pins")
        turn = turns_of(plan)[0]
        self.assertEqual([thing.name for thing in draggables_of_turn(turn)], ["pin 1", "pin 2", "pin 3"])
        placed = place_on_turn(turn, "pin 2", (3.3, 7.4), 0.5)
        job = plan.job
        for path, value in placed.values:
            job = set_value(job, path, value)
        self.assertEqual(
            (job.setups[0].operations[0].pins[1].x, job.setups[0].operations[0].pins[1].y), (-140.5, -52.5)
        )
        near = place_on_turn(turn, "pin 2", (0.0, 58.9), 0.5)
        self.assertEqual(near.values[1][1], 0.0, "it snaps to the axis")
        self.assertIn("Y in the middle", near.words)

    def test_a_frame_that_cannot_be_says_why_while_it_is_dragged(self):
        turn = turns_of(ring_plan("in-a-frame"))[0]
        placed = place_on_turn(turn, "frame Y", (0.0, -110.0), 0.5)
        self.assertIn("find no room", placed.words)
        self.assertEqual(placed.outlines, ())
        good = place_on_turn(turn, "frame Y", (0.0, -2.2), 0.5)
        self.assertEqual(good.values[0][1], 130.0)
        piece = np.array(good.outlines[0]) - turn.part_middle
        self.assertAlmostEqual(float(piece[:, 1].max()), 130.0 + 7.9, places=3)
        self.assertAlmostEqual(math.hypot(*good.moved), 2.0)
