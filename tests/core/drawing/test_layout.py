"""Drawings on paper: true to scale, words readable and on the paper, the same on every kind of it."""

from __future__ import annotations

import io
import math
import random
import unittest
from dataclasses import replace
from xml.etree import ElementTree

import ezdxf
import numpy as np
from scipy.optimize import isotonic_regression

from ledgecliff.core.drawing.items import Ball, Dimension, Drawing, Label, Ladder, Rung, Spot, Touchable, Zero
from ledgecliff.core.drawing.layout import NARROW_BELOW, ROW, lay_out, placings, room_needed, shortened, spread
from ledgecliff.core.drawing.marks import Band, Box, Disc, Head, Patch, Run, Words
from ledgecliff.core.drawing.stage import scene_views
from ledgecliff.core.lenses import lenses_of
from ledgecliff.core.look import Look
from ledgecliff.core.quantities import format_length
from ledgecliff.core.route import scenes_of
from ledgecliff.sheets.svg import svg_page
from ledgecliff.sheets.text_width import text_width
from ledgecliff.store.dxf_files import drawings_dxf
from tests.helpers import demo_plan

SVG = "{http://www.w3.org/2000/svg}"


def drawing(*items, low=(0.0, 0.0), high=(100.0, 60.0)) -> Drawing:
    return Drawing("Plan", tuple(items), low, high)


def laid(*items, picked="", size=(900.0, 500.0), unit="mm"):
    (layout,) = lay_out([drawing(*items)], *size, unit, text_width, picked)
    return layout


def kinds(layout, kind):
    return [mark for mark in layout.marks if isinstance(mark, kind)]


def demo_views():
    """Every scene of the demo through every lens that draws."""
    plan = demo_plan()
    for scene in scenes_of(plan):
        lenses = [lens.key for lens in lenses_of(scene.kind)]
        for lens in lenses:
            yield f"{scene.title}, {lens}", scene_views(Look(plan, scene), lens)


class PlacingTest(unittest.TestCase):
    def test_all_fits_to_one_scale_and_no_larger_one_would(self):
        for words, views in demo_views():
            for width, height in ((1200.0, 700.0), (500.0, 420.0), (700.0, 1400.0)):
                with self.subTest(words, paper=(width, height)):
                    placed = placings(views, width, height)
                    self.assertEqual(len({place.scale for place in placed}), 1)
                    ends = [(p.point(v.low), p.point(v.high)) for p, v in zip(placed, views, strict=True)]
                    for (left, bottom), (right, top) in ends:
                        self.assertTrue(0.0 <= left < right <= width and 0.0 <= top < bottom <= height)
                    self.assertLess(ends[0][0][1], ends[1][1][1], "the second view lies under the first")
                    self.assert_no_larger(views, width, height, placed[0].scale)

    def assert_no_larger(self, views, width, height, scale):
        """Sizes at a scale one percent larger, added up as a draughtsman would: the paper is too small for it."""
        rooms = [room_needed(view, narrow=width < NARROW_BELOW) for view in views]
        across = max(v.high[0] for v in views) - min(v.low[0] for v in views)
        along = sum(v.high[1] - v.low[1] for v in views) + 1e-9
        wide = 1.01 * scale * across + max(r[0] for r in rooms) + max(r[1] for r in rooms) + 36.0
        high = 1.01 * scale * along + sum(r[2] for r in rooms) + 2 * 38.0 + 18.0
        self.assertTrue(wide > width or high > height)

    def test_nothing_to_place(self):
        self.assertEqual(placings([], 100.0, 100.0), [])


class DimensionTest(unittest.TestCase):
    def test_numbers_of_a_chain_without_room_stand_at_either_end(self):
        upper, lower = Dimension((0, 5), (0, 6), 1.0, "left"), Dimension((0, 4), (0, 5), 1.25, "left")
        at = {words.text: words.at for words in kinds(laid(upper, lower), Words)}
        self.assertLess(at["1.000"][1] + 16.0, at["1.250"][1], "apart")
        alone = {words.text: words.at for words in kinds(laid(lower), Words)}
        self.assertLess(alone["1.250"][1], at["1.250"][1], "alone it stands above")

    def test_a_name_wider_than_its_view_begins_on_the_paper(self):
        narrow = replace(drawing(low=(0.0, 0.0), high=(1.0, 60.0)), name="Plan · dash-dotted: a name that is long")
        front = replace(narrow, high=(600.0, 60.0), name="Front")
        plan, _ = lay_out([narrow, front], 460.0, 300.0, "mm", text_width)
        (name,) = [words for words in kinds(plan, Words) if words.text.startswith("Plan")]
        self.assertLess(plan.placing.point(narrow.high)[0], text_width(name.text))
        self.assertGreaterEqual(name.at[0] - text_width(name.text), 0.0)

    def test_it_is_as_long_as_it_says(self):
        for side, start, end in (
            ("below", (10, 0), (70, 0)),
            ("left", (0, 5), (0, 55)),
            ("right", (100, 5), (100, 55)),
        ):
            for unit, text in (
                ("mm", "60.000" if side == "below" else "50.000"),
                ("in", "2.3622" if side == "below" else "1.9685"),
            ):
                with self.subTest(side, unit=unit):
                    mm = math.dist(start, end)
                    layout = laid(Dimension(start, end, mm, side), unit=unit)
                    (line,) = (run for run in kinds(layout, Run) if run.line == "holding")
                    self.assertAlmostEqual(math.dist(*line.points), mm * layout.placing.scale)
                    self.assertIn(text, [words.text for words in kinds(layout, Words)])
                    tips = sorted(head.corners[0] for head in kinds(layout, Head))
                    self.assertTrue(np.allclose(tips, sorted(line.points)), "arrows stand at its ends")
                    for head in kinds(layout, Head):
                        middle = np.mean(line.points, axis=0)
                        self.assertLess(math.dist(head.corners[1], middle), math.dist(head.corners[0], middle))

    def test_too_short_a_one_has_its_arrows_and_number_outside(self):
        for side, start, end in (
            ("below", (50, 0), (50.8, 0)),
            ("left", (0, 30), (0, 30.8)),
            ("below", (50, 0), (50, 0)),
        ):
            with self.subTest(side, end=end):
                layout = laid(Dimension(start, end, 0.8, side, source="x"))
                (box,) = (box for box, source in layout.targets if source == "x")
                k = 0 if side == "below" else 1
                ends = [layout.placing.point(place)[k] for place in (start, end)]
                for head in kinds(layout, Head):
                    tip, foot = head.corners[0][k], head.corners[1][k]
                    self.assertFalse(min(ends) + 1e-9 < foot < max(ends) - 1e-9, "its shaft is outside")
                    self.assertIn(round(tip, 6), [round(each, 6) for each in ends])
                low, high = (box.left, box.right) if k == 0 else (box.top, box.bottom)
                self.assertTrue(low >= max(ends) or high <= min(ends), "the number stands beside")

    def test_lanes_do_not_meet(self):
        two = [Dimension((10, 0), (70, 0), 60.0, "below", lane, f"lane {lane}") for lane in (1, 2)]
        (a, b) = (box for box, source in laid(*two).targets if source.startswith("lane"))
        self.assertFalse(a.grown(-4.0, -3.0).overlaps(b.grown(-4.0, -3.0)))
        self.assertLess(a.top, b.top)


class ArrowTest(unittest.TestCase):
    def test_heads_are_slim_and_straight(self):
        """Each as long and as wide as all others, its foot square across the way that it points."""
        views = [views for _, views in demo_views()]
        for view in views:
            for layout in lay_out(view, 900.0, 700.0, "mm", text_width):
                for head in kinds(layout, Head):
                    tip, a, b = (np.array(corner) for corner in head.corners)
                    self.assertAlmostEqual(np.linalg.norm((a + b) / 2.0 - tip), 7.0)
                    self.assertAlmostEqual(np.linalg.norm(a - b), 4.0)
                    self.assertAlmostEqual(float((a - b) @ ((a + b) / 2.0 - tip)), 0.0, places=6)

    def test_arrows_from_outside_stand_on_one_line_with_the_size(self):
        for start, end, side in (
            ((50, 0), (50.8, 0), "below"),
            ((0, 30), (0, 30.8), "left"),
            ((0, 31), (0, 30), "left"),
        ):
            layout = laid(Dimension(start, end, 0.8, side))
            (line,) = (run for run in kinds(layout, Run) if run.line == "holding")
            size = math.dist(start, end) * layout.placing.scale
            self.assertAlmostEqual(math.dist(*line.points), size + 2 * 17.5)
            k = 0 if side == "below" else 1
            self.assertAlmostEqual(line.points[0][1 - k], line.points[1][1 - k], msg="along the size")
            ends = sorted(layout.placing.point(place)[k] for place in (start, end))
            reach = sorted(point[k] for point in line.points)
            np.testing.assert_allclose((ends[0] - reach[0], reach[1] - ends[1]), 17.5)

    def test_too_short_sizes_beside_have_room_under_the_view(self):
        beside = drawing(Dimension((0, 0), (0, 0.5), 0.5, "left"))
        self.assertEqual(room_needed(beside, narrow=False), (56.0, 0.0, 17.5))
        below = drawing(Dimension((0, 0), (9, 0), 9.0, "below", 2))
        self.assertEqual(room_needed(below, narrow=False), (0.0, 0.0, 52.0))
        self.assertEqual(room_needed(drawing(), narrow=False), (0.0, 0.0, 0.0))

    def test_the_name_stands_above_the_view_at_its_right_end(self):
        layout = laid()
        (name,) = kinds(layout, Words)
        right, top = layout.placing.point((100.0, 60.0))
        self.assertEqual((name.text, name.anchor, name.at[0]), ("Plan", "right", right))
        self.assertTrue(ROW / 2.0 < top - name.at[1] < 20.0, "clear of the view, and within its own room")


class WordsTest(unittest.TestCase):
    def test_they_stay_on_the_paper(self):
        for words, views in demo_views():
            for size in ((1200.0, 700.0), (500.0, 420.0)):
                for unit in ("mm", "in"):
                    for layout in lay_out(views, *size, unit, text_width):
                        for patch in kinds(layout, Patch):
                            box = patch.box
                            inside = box.left >= 0 and box.top >= 0 and box.right <= size[0] and box.bottom <= size[1]
                            self.assertTrue(inside, f"{words} {size} {unit}: {box}")

    def test_a_label_beyond_the_edge_is_pushed_in(self):
        for at in ((-500.0, 30.0), (900.0, 30.0), (50.0, 900.0), (50.0, -900.0)):
            (box,) = (box for box, source in laid(Label(at, "fixed jaw", source="x")).targets if source == "x")
            self.assertTrue(box.left >= 0 and box.top >= 0 and box.right <= 900 and box.bottom <= 500, at)

    def test_anchors(self):
        middle = laid(Label((50.0, 30.0), "wide words", "centre", "x"))
        x, y = middle.placing.point((50.0, 30.0))
        box = next(box for box, source in middle.targets if source == "x")
        self.assertAlmostEqual(box.middle[0], x)
        self.assertAlmostEqual(box.middle[1], y)
        for anchor, edge in (("left", "left"), ("right", "right")):
            layout = laid(Label((50.0, 30.0), "wide words", anchor, "x"))
            box = next(box for box, source in layout.targets if source == "x").grown(-4.0, -3.0)
            self.assertAlmostEqual(getattr(box, edge), layout.placing.point((50.0, 30.0))[0])

    def test_what_has_no_room_is_shortened(self):
        draw = random.Random(5)
        for _ in range(200):
            text = "".join(draw.choice("abcdefgh ijkl") for _ in range(draw.randint(1, 30)))
            room = draw.uniform(20.0, 150.0)
            short = shortened(text, room, text_width)
            self.assertLessEqual(text_width(short), room)
            self.assertTrue(text == short or text.startswith(short.removesuffix("…").rstrip()), (text, short))
            if short != text:
                following = text[: len(short.removesuffix("…")) + 1]
                self.assertTrue(following.endswith(" ") or text_width(f"{following}…") > room, "more would have room")


class LadderTest(unittest.TestCase):
    def test_rows_are_apart_and_as_near_as_that_allows(self):
        """The same as isotonic regression of what is wanted less what the rows take."""
        draw = random.Random(11)
        for _ in range(200):
            wanted = sorted(draw.uniform(0.0, 200.0) for _ in range(draw.randint(1, 12)))
            steps = ROW * np.arange(len(wanted))
            expected = isotonic_regression(np.array(wanted) - steps).x + steps
            np.testing.assert_allclose(spread(wanted, ROW), expected, atol=1e-9)

    def test_every_height_is_led_to_its_row(self):
        rungs = tuple(Rung(y, y, f"height {k}", f"h{k}") for k, y in enumerate((-400.0, 3.0, 4.0, 5.0, 58.0)))
        layout = laid(Ladder(rungs))
        boxes = {source: box for box, source in layout.targets}
        rows = [boxes[f"h{k}"] for k in range(5)]
        for one, other in zip(rows[1:], rows[:-1], strict=True):
            self.assertLessEqual(one.bottom, other.top + 1e-9, "higher ones stand above")
        foot = layout.placing.point((0.0, 0.0))[1]
        for k, rung in enumerate(rungs):
            # What lies far below is named at the foot of the view.
            height = min(layout.placing.point((0.0, rung.y))[1], foot + 0.75 * ROW)
            leads = [run for run in kinds(layout, Run) if abs(run.points[0][1] - height) < 1e-6]
            self.assertTrue(any(abs(run.points[1][1] - rows[k].middle[1]) < 1e-6 for run in leads), rung)

    def test_words_stand_right_of_the_view_and_in_their_room(self):
        for words, views in demo_views():
            for width in (900.0, 520.0):
                for layout, view in zip(lay_out(views, width, 700.0, "mm", text_width), views, strict=True):
                    ladder = next((item for item in view.items if isinstance(item, Ladder)), None)
                    if ladder is None:
                        continue
                    edge = layout.placing.point(view.high)[0]
                    numbers = {format_length(rung.mm, sign=True) for rung in ladder.rungs}
                    rows = [
                        w for w in kinds(layout, Words) if w.at[0] > edge and w.text in numbers and w.anchor == "right"
                    ]
                    self.assertGreaterEqual(len(rows), len(ladder.rungs), words)
                    for row in rows:
                        self.assertGreater(row.at[0] - text_width(row.text), edge + 20.0, "beyond its lead")
                    for name in (
                        w for w in kinds(layout, Words) if w.at[0] > edge and w.colour == "quiet" and w.anchor == "left"
                    ):
                        self.assertLessEqual(name.at[0] + text_width(name.text), width, words)
                        self.assertGreaterEqual(name.at[0], max(row.at[0] for row in rows) + 5.0)

    def test_leads_go_outward(self):
        layout = laid(Ladder((Rung(10.0, 10.0, "low", "a"), Rung(11.0, 11.0, "high", "b"))))
        edge = layout.placing.point((100.0, 0.0))[0]
        boxes = [box for box, _ in layout.targets]
        ticks = [run for run in kinds(layout, Run) if run.points[0][1] == run.points[1][1]]
        slants = [run for run in kinds(layout, Run) if run not in ticks]
        self.assertTrue(len(ticks) == 2 and len(slants) == 2)
        for tick, slant in zip(ticks, slants, strict=True):
            self.assertTrue(edge < tick.points[0][0] < tick.points[1][0])
            self.assertEqual(slant.points[0], tick.points[1])
            self.assertTrue(tick.points[1][0] < slant.points[1][0] < min(box.left for box in boxes))

    def test_narrow_paper_has_the_numbers_and_leaves_the_names_to_the_tape(self):
        rungs = (Rung(5.0, 5.0, "jaw top (fixed)", "jaw-top"),)
        wide, narrow = laid(Ladder(rungs)), laid(Ladder(rungs), size=(500.0, 400.0))
        self.assertIn("jaw top (fixed)", [words.text for words in kinds(wide, Words)])
        self.assertEqual([words.text for words in kinds(narrow, Words)], ["Plan", "+5.000"])
        self.assertIn("jaw-top", [source for _, source in narrow.targets], "it can be picked all the same")


class BesideTest(unittest.TestCase):
    """Two views of 100 by 60 on a wide paper and on a high one."""

    VIEWS = tuple(Drawing(name, (), (0.0, 0.0), (100.0, 60.0)) for name in ("Plan", "Front"))

    def placed(self, width, height, **how):
        return placings(self.VIEWS, width, height, **how)

    def test_they_stand_beside_one_another_only_where_they_are_larger_so(self):
        plan, front = self.placed(900.0, 300.0, on_screen=True)
        self.assertGreater(plan.scale, self.placed(900.0, 300.0)[0].scale)
        self.assertLess(plan.point((100.0, 0.0))[0], front.point((0.0, 0.0))[0])
        self.assertEqual(plan.point((0.0, 0.0))[1], front.point((0.0, 0.0))[1])
        high = self.placed(400.0, 800.0, on_screen=True)
        self.assertEqual(high, self.placed(400.0, 800.0))

    def test_both_lie_on_the_paper(self):
        for width, height in ((900.0, 300.0), (1600.0, 500.0), (700.0, 250.0)):
            for place in self.placed(width, height, on_screen=True):
                for corner in ((0.0, 0.0), (100.0, 60.0)):
                    x, y = place.point(corner)
                    self.assertTrue(0.0 <= x <= width and 0.0 <= y <= height)

    def test_sheets_keep_one_above_the_other(self):
        plan, front = (layout.placing for layout in lay_out(self.VIEWS, 900.0, 300.0, "mm", text_width))
        self.assertEqual(plan.x, front.x)


class FreeWordsTest(unittest.TestCase):
    def boxes(self, layout):
        return [patch.box for patch in kinds(layout, Patch)]

    def apart(self, layout):
        boxes = [box.grown(-2.0, -1.0) for box in self.boxes(layout)]
        return not any(a.overlaps(b) for k, a in enumerate(boxes) for b in boxes[:k])

    def test_touches_about_the_zero_leave_its_letters_free(self):
        """Four touches in a bore about the zero: two of them move right where its letters stand."""
        balls = [
            Ball(
                (20.0 + 1.2 * dx, 10.0 + 1.2 * dy),
                0.3,
                k,
                (20.0, 10.0),
                (20.0 + 1.6 * dx, 10.0 + 1.6 * dy),
                f"touch-{k}",
            )
            for k, (dx, dy) in enumerate(((1, 0), (0, 1), (-1, 0), (0, -1)), start=1)
        ]
        self.assertTrue(self.apart(laid(Zero((20.0, 10.0), ("X", "Y")), *balls)))

    def test_names_at_one_place_stand_in_rows(self):
        self.assertTrue(self.apart(laid(*(Label((20.0, 10.0), f"pin {k}", "left") for k in range(4)))))

    def test_where_there_is_no_room_at_all_the_first_place_is_kept(self):
        labels = [Label((20.0, 10.0), "pin", "left") for _ in range(12)]
        places = {(box.left, box.top) for box in self.boxes(laid(*labels))}
        self.assertEqual(len(places), 7, "seven rows are tried")


class MarksTest(unittest.TestCase):
    def test_the_zeros_arrows_go_the_way_of_their_axes(self):
        layout = laid(Zero((20.0, 10.0), ("X", "Z")))
        at = layout.placing.point((20.0, 10.0))
        letters = {words.text: words.at for words in kinds(layout, Words) if words.bold}
        self.assertTrue(letters["X"][0] > at[0] + 20.0 and abs(letters["X"][1] - at[1]) < 1.0)
        self.assertTrue(letters["Z"][1] < at[1] - 20.0 and abs(letters["Z"][0] - at[0]) < 1.0, "up is less on paper")
        for letter, tip in (("X", (at[0] + 34.0, at[1])), ("Z", (at[0], at[1] - 34.0))):
            self.assertAlmostEqual(math.dist(letters[letter], at), 45.0, msg="beyond its arrow, on its line")
            self.assertIn(tip, [head.corners[0] for head in kinds(layout, Head)])
            (patch,) = (patch for patch in kinds(layout, Patch) if patch.box.holds(letters[letter]))
            self.assertFalse(patch.box.holds(tip), "the letter's paper leaves the arrow alone")
        (disc,) = kinds(layout, Disc)
        self.assertTrue(disc.at == at and disc.quartered)
        self.assertLess(2.0 * disc.radius, 18.0, "it can be picked all over")

    def test_a_ball_is_to_scale_and_its_number_stands_beyond(self):
        ball = Ball((0.0, 30.0), 3.0, 7, (-20.0, 30.0), (10.0, 30.0), "touch-7")
        layout = laid(ball)
        (disc,) = kinds(layout, Disc)
        self.assertAlmostEqual(disc.radius, 3.0 * layout.placing.scale)
        (number,) = (words for words in kinds(layout, Words) if words.text == "7")
        self.assertGreater(number.at[0], disc.at[0] + disc.radius)
        self.assertAlmostEqual(math.dist(number.at, disc.at), disc.radius + 11.0)
        into = laid(Ball((50.0, 30.0), 3.0, 8, (50.0, 30.0), (50.0, 30.0), "touch-8"))
        (number,) = (words for words in kinds(into, Words) if words.text == "8")
        (end_on,) = kinds(into, Disc)
        self.assertAlmostEqual(math.dist(number.at, end_on.at), end_on.radius + 11.0)
        self.assertLess(number.at[1], end_on.at[1], "what runs into the picture has it beside and above")
        search = next(run for run in kinds(layout, Run) if run.line == "search")
        self.assertEqual(search.points, (layout.placing.point(ball.start), disc.at))

    def test_the_tool_comes_the_way_it_moves(self):
        face = Touchable((0.0, 10.0), (0.0, 50.0), (1.0, 0.0), "left side")
        layout = laid(face, picked="left side")
        (head,), (band,) = kinds(layout, Head), kinds(layout, Band)
        self.assertGreater(head.corners[0][0], head.corners[1][0], "toward plus X")
        self.assertEqual(band.colour, "accent")
        self.assertEqual(head.corners[0], layout.placing.point((0.0, 30.0)), "at its middle")
        (tail,) = (run.points[0] for run in kinds(layout, Run))
        self.assertAlmostEqual(math.dist(tail, head.corners[0]), 38.0)
        for share in (0.0, 0.3, 1.0):
            at = layout.placing.point((0.0, 10.0 + 40.0 * share))
            (box,) = (box for box, source in layout.targets if source == "left side")
            self.assertTrue(box.holds((at[0] + 4.0, at[1])) and not box.holds((at[0] + 9.0, at[1])))
        up = laid(Touchable((0.0, 0.0), (90.0, 0.0), (0.0, -1.0), "top"), picked="top")
        (head,) = kinds(up, Head)
        self.assertGreater(head.corners[0][1], head.corners[1][1], "down is more on paper")
        self.assertEqual(kinds(laid(face), Head), [], "the way of what is not picked is not shown")

    def test_what_lies_there_can_be_picked_there(self):
        layout = laid(Spot((25.0, 15.0), "bore"), Zero((80.0, 40.0), ("X", "Y")))
        for source, at in (("bore", (25.0, 15.0)), ("wcs", (80.0, 40.0))):
            hit = [name for box, name in layout.targets if box.holds(layout.placing.point(at))]
            self.assertEqual(hit, [source])

    def test_boxes(self):
        box = Box(1.0, 2.0, 3.0, 4.0)
        self.assertEqual((box.right, box.bottom, box.middle), (4.0, 6.0, (2.5, 4.0)))
        self.assertEqual(box.grown(1.0, 2.0), Box(0.0, 0.0, 5.0, 8.0))
        self.assertTrue(box.overlaps(Box(3.9, 5.9, 1.0, 1.0)))
        self.assertFalse(box.overlaps(Box(4.0, 2.0, 1.0, 1.0)))


class PapersTest(unittest.TestCase):
    """SVG and DXF say and draw what was laid out."""

    def test_the_same_words_on_each(self):
        for words, views in demo_views():
            layouts = lay_out(views, 900.0, 840.0, "mm", text_width)
            expected = sorted(mark.text for layout in layouts for mark in kinds(layout, Words))
            root = ElementTree.fromstring(svg_page(views, "mm", 900.0, 840.0))
            self.assertEqual(sorted(text.text for text in root.iter(f"{SVG}text")), expected, words)
            texts = self.read(drawings_dxf(layouts, 840.0, "mm")).query("TEXT")
            self.assertEqual(sorted(text.dxf.text for text in texts), expected, words)

    def test_the_same_places_on_each(self):
        """The stock of Op 10 is 100 x 68: in DXF as it is, in SVG to the scale of the paper."""
        plan = demo_plan()
        views = scene_views(Look(plan, scenes_of(plan)[1]), "rehearse")
        layouts = lay_out(views, 900.0, 840.0, "mm", text_width)
        for unit, mm in (("mm", 1.0), ("in", 25.4)):
            lines = self.read(drawings_dxf(layouts[:1], 840.0, unit)).query('LINE[layer=="VISIBLE"]')
            ends = np.array([[*line.dxf.start, *line.dxf.end] for line in lines]).reshape(-1, 3)
            np.testing.assert_allclose(np.ptp(ends, axis=0)[:2] * mm, (100.0, 68.0), atol=1e-6)
        root = ElementTree.fromstring(svg_page(views, "mm", 900.0, 840.0))
        path = next(path for path in root.iter(f"{SVG}path") if path.get("class") == "line visible")
        points = np.array([[float(v) for v in each.split()] for each in path.get("d").replace("L", "M").split("M")[1:]])
        np.testing.assert_allclose(np.ptp(points, axis=0) / layouts[0].placing.scale, (100.0, 68.0), atol=0.1)

    def test_dxf_has_y_up(self):
        views = (drawing(Label((50.0, 10.0), "low"), Label((50.0, 50.0), "high")),)
        layouts = lay_out(views, 900.0, 840.0, "mm", text_width)
        texts = {t.dxf.text: t.dxf.align_point for t in self.read(drawings_dxf(layouts, 840.0, "mm")).query("TEXT")}
        self.assertAlmostEqual(texts["high"].y - texts["low"].y, 40.0)
        self.assertAlmostEqual(
            texts["high"].x, texts["low"].x + (text_width("high") - text_width("low")) / 2.0 / layouts[0].placing.scale
        )

    def test_text_of_a_job_stays_text(self):
        evil = "</text><script>alert(1)</script>\n0\nLINE"
        views = (drawing(Label((50.0, 10.0), evil)),)
        root = ElementTree.fromstring(svg_page(views, "mm", 900.0, 840.0))
        self.assertEqual([each.tag for each in root.iter() if "script" in each.tag], [])
        read = self.read(drawings_dxf(lay_out(views, 900.0, 840.0, "mm", text_width), 840.0, "mm"))
        self.assertEqual(len(read.query("LINE")), 0)

    @staticmethod
    def read(text):
        return ezdxf.read(io.StringIO(text)).modelspace()


if __name__ == "__main__":
    unittest.main()
