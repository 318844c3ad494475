"""Views cut short where paper is narrow: what is left is what lies in the window, and nothing that is told is lost."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from shapely.geometry import LineString, MultiPolygon, Polygon, box

from ledgecliff.core.drawing.cut_short import BROAD, SLIM, cut_ring, cut_segments, cut_short
from ledgecliff.core.drawing.items import Ball, Dimension, Drawing, Fill, Label, Lines, Stroke, Touchable, Zero
from ledgecliff.core.drawing.layout import NARROW_BELOW, lay_out
from ledgecliff.core.drawing.stage import setup_views
from tests.helpers import demo_plan

WINDOW = ((-10.0, -5.0), (20.0, 8.0))
SQUARE = box(*WINDOW[0], *WINDOW[1])
numbers = st.floats(-40.0, 40.0).map(lambda value: round(value, 3))
points = st.tuples(numbers, numbers)


def length(segments):
    return float(np.linalg.norm(segments[:, 1] - segments[:, 0], axis=1).sum())


class CutTest(unittest.TestCase):
    """Against shapely, which cuts by another way."""

    @given(st.lists(st.tuples(points, points), min_size=1, max_size=8))
    def test_segments(self, segments):
        left = cut_segments(np.array(segments, dtype=float), WINDOW)
        expected = sum(LineString(each).intersection(SQUARE).length for each in segments if each[0] != each[1])
        self.assertAlmostEqual(length(left), expected, places=6)
        for end in left.reshape(-1, 2):
            self.assertLess(SQUARE.distance(LineString([end, end + 1e-12])), 1e-9)

    @given(st.lists(points, min_size=3, max_size=7, unique=True))
    def test_rings(self, ring):
        whole = Polygon(ring)
        if not whole.is_valid or whole.area < 1e-3:
            return
        left = cut_ring(ring, WINDOW)
        expected = whole.intersection(SQUARE)
        area = Polygon(left).area if len(left) > 2 else 0.0
        self.assertAlmostEqual(area, expected.area, places=5)

    def test_a_hole_stays_one(self):
        outer = ((-30.0, -30.0), (30.0, -30.0), (30.0, 30.0), (-30.0, 30.0))
        hole = ((0.0, 0.0), (40.0, 0.0), (40.0, 4.0), (0.0, 4.0))
        rings = [cut_ring(ring, WINDOW) for ring in (outer, hole)]
        left = MultiPolygon([Polygon(rings[0], [rings[1]])]) if len(rings[1]) > 2 else Polygon(rings[0])
        self.assertAlmostEqual(left.area, SQUARE.area - 20.0 * 4.0)

    def test_what_only_touches_the_window_is_none(self):
        along = np.array([[[-40.0, 9.0], [40.0, 9.0]], [[20.0, 8.0], [30.0, 30.0]]])
        self.assertEqual(len(cut_segments(along, WINDOW)), 0)


class DrawingTest(unittest.TestCase):
    HEART = ((0.0, 0.0), (100.0, 50.0))

    def short(self, *items):
        return cut_short(Drawing("Plan · more", items, (-300.0, -200.0), (300.0, 200.0), self.HEART), SLIM)

    def test_lines_and_areas_are_cut_and_it_is_said(self):
        line = Stroke(((-300.0, 25.0), (300.0, 25.0)), "holding", "jaw")
        area = Fill((((-300.0, -200.0), (300.0, -200.0), (300.0, 200.0), (-300.0, 200.0)),), "jaw")
        short = self.short(line, area)
        self.assertEqual(short.name, "Plan, cut short · more")
        lines, fill = short.items
        self.assertEqual((lines.line, lines.source), ("holding", "jaw"))
        self.assertAlmostEqual(length(lines.segments), short.high[0] - short.low[0])
        (ring,) = fill.rings
        size = (short.high[0] - short.low[0]) * (short.high[1] - short.low[1])
        self.assertAlmostEqual(Polygon(ring).area, size)

    def test_marks_widen_it(self):
        short = self.short(Zero((-120.0, 10.0), ("X", "Y")), Ball((150.0, 20.0), 3.0, 1, (160.0, 20.0), (148.0, 20.0)))
        self.assertLessEqual(short.low[0], -120.0)
        self.assertGreaterEqual(short.high[0], 160.0)
        searched = self.short(Stroke(((-200.0, 60.0), (-190.0, 60.0)), "search"))
        self.assertLessEqual(searched.low[0], -200.0, "the ball is watched there")
        self.assertGreater(self.short(Stroke(((-200.0, 60.0), (-190.0, 60.0)), "thin")).low[0], -100.0)

    def test_some_of_every_face_can_be_picked(self):
        far = Touchable((-250.0, -150.0), (250.0, -150.0), (0.0, 1.0), "table")
        short = self.short(far)
        (left,) = short.items
        self.assertEqual(left.start[1], -150.0)
        self.assertLess(left.end[0] - left.start[0], 120.0)
        self.assertGreater(left.end[0] - left.start[0], 50.0)

    def test_a_dimension_keeps_its_figure_and_is_broken_where_it_goes_on(self):
        deep = Dimension((-290.0, -180.0), (-290.0, 10.0), 190.0, "left")
        (left,) = self.short(deep).items
        self.assertEqual((left.mm, left.broken), (190.0, "start"))
        (whole,) = self.short(replace(deep, start=(-290.0, 5.0))).items
        self.assertEqual(whole.broken, "")
        self.assertEqual(self.short(replace(deep, start=(0.0, -180.0), end=(0.0, -150.0))).items, ())

    def test_words_stay_on_it(self):
        short = self.short(Label((-280.0, 190.0), "fixed jaw"))
        (label,) = short.items
        self.assertEqual(label.at, (short.low[0], short.high[1]))

    def test_nothing_is_cut_where_nothing_reaches_out_or_there_is_no_heart(self):
        near = Drawing("Plan", (), (-1.0, -1.0), (101.0, 51.0), self.HEART)
        self.assertIs(cut_short(near, SLIM), near)
        bare = Drawing("Plan", (), (-300.0, -200.0), (300.0, 200.0))
        self.assertIs(cut_short(bare, SLIM), bare)


class PaperTest(unittest.TestCase):
    def laid(self, lens, width, **how):
        views = setup_views(demo_plan().setups[0], lens)
        return lay_out(views, width, 469.0, "mm", lambda text: 6.5 * len(text), **how)

    def test_the_part_is_wide_on_the_smallest_window(self):
        for lens in ("hold", "cut", "datum", "probe", "hand", "rehearse"):
            plan, front = self.laid(lens, 454.0, on_screen=True)
            self.assertGreaterEqual(96.0 * plan.placing.scale, 250.0, lens)
            self.assertEqual(plan.placing.scale, front.placing.scale)
            self.assertIn("cut short", plan.name)

    def test_on_wide_screens_and_on_sheets_all_is_shown(self):
        screen = {"on_screen": True}
        for lens, width, how in (("hold", NARROW_BELOW, screen), ("probe", 900.0, screen), ("probe", 454.0, {})):
            for layout in self.laid(lens, width, **how):
                self.assertNotIn("cut short", layout.name)

    def test_in_between_more_is_shown_and_the_part_is_larger_than_with_all(self):
        broad, whole = (self.laid("datum", 640.0, on_screen=on)[0] for on in (True, False))
        self.assertIn("cut short", broad.name)
        self.assertGreater(broad.placing.scale, 1.15 * whole.placing.scale)
        self.assertGreater(min(BROAD), max(SLIM))

    def test_a_broken_dimension_points_where_it_goes_on_and_has_room_for_its_figure(self):
        """The vise bed lies 38 under the parallels, below what is shown of it."""
        _, front = self.laid("hold", 454.0, on_screen=True)
        (at,) = [mark.at for mark in front.marks if getattr(mark, "text", "") == "38.000"]
        seat = front.placing.point((0.0, -32.5))[1]
        self.assertGreater(at[1], seat + 15.0, "under the parallels, which the figure is counted from")
        lines = [mark for mark in front.marks if hasattr(mark, "points") and abs(mark.points[0][0] - at[0]) < 8.0]
        deepest = max(point[1] for mark in lines for point in mark.points)
        self.assertGreater(deepest - seat, 40.0)

    def test_every_line_of_it_lies_on_the_paper(self):
        for layout in self.laid("hold", 454.0, on_screen=True):
            for mark in layout.marks:
                for x, y in getattr(mark, "points", ()):
                    self.assertTrue(-1.0 <= x <= 455.0 and -1.0 <= y <= 480.0, mark)

    def test_lines_are_arrays_still(self):
        (plan, _) = setup_views(demo_plan().setups[0], "hold")
        short = cut_short(plan, SLIM)
        lines = [item for item in short.items if isinstance(item, Lines)]
        self.assertTrue(lines)
        self.assertTrue(all(item.segments.shape[1:] == (2, 2) for item in lines))
