"""Drawings as data: what is visible, what is hidden, where it is, and that it stays to scale."""

from __future__ import annotations

import math
import unittest

import numpy as np

from ledgecliff.core.blanks import box
from ledgecliff.core.drawing.bodies import KINDS, holding_solids
from ledgecliff.core.drawing.items import Ball, Dimension, Fill, Ladder, Lines, Zero
from ledgecliff.core.drawing.part_views import finished_views, stock_views
from ledgecliff.core.drawing.pictures import scene_picture
from ledgecliff.core.drawing.projection import (
    FRONT,
    PLAN,
    buffer_of,
    drawn_edges,
    face_normals,
    nearest_edges,
    regions,
    slanted,
    split_by_sight,
    split_each_by_sight,
    without_doubles,
)
from ledgecliff.core.drawing.raster import NOTHING, depth_and_triangles, depth_buffer
from ledgecliff.core.drawing.stage import scene_views, setup_views
from ledgecliff.core.lenses import lenses_of
from ledgecliff.core.look import Look
from ledgecliff.core.model.holding import PlateHold
from ledgecliff.core.model.orientation import Orientation
from ledgecliff.core.model.stations import AxisTurn
from ledgecliff.core.route import scenes_of
from tests import jobs
from tests.core.solids.test_solids import mesh_of
from tests.helpers import demo, demo_plan, plan_with
from tests.turn_jobs import ring_plan


def length(segments):
    return float(np.linalg.norm(segments[:, 1] - segments[:, 0], axis=1).sum())


def sight(mesh, view, pitch=0.2):
    return split_by_sight(*drawn_edges(mesh, view), buffer_of([mesh], view, pitch))


class SplitTest(unittest.TestCase):
    def test_several_lots_at_once_come_to_what_each_does(self):
        """Of the demo's blocks seen among each other, and lots with nothing in them before, between and after."""
        blocks = holding_solids(demo_plan().setups[0])
        buffer = buffer_of([block.mesh for block in blocks], FRONT, 0.5)
        none = (np.empty((0, 3)), np.empty((0, 3)))
        lots = [
            none,
            *(drawn_edges(block.mesh, FRONT) for block in blocks[:2]),
            none,
            drawn_edges(blocks[2].mesh, FRONT),
            none,
        ]
        for (seen, hidden), lot in zip(split_each_by_sight(lots, buffer), lots, strict=True):
            alone_seen, alone_hidden = split_by_sight(*lot, buffer)
            np.testing.assert_array_equal(seen, alone_seen)
            np.testing.assert_array_equal(hidden, alone_hidden)
        self.assertEqual(split_each_by_sight([], buffer), [])


class DepthBufferTest(unittest.TestCase):
    def test_the_nearer_triangle_wins(self):
        far = [[0, 0, 0], [10, 0, 0], [0, 10, 0]]
        near = [[0, 0, 5], [4, 0, 5], [0, 4, 5]]
        where = (np.array([far, near], dtype=float), np.zeros(2), np.full(2, 10.0), 0.5)
        (_, triangle), buffer = depth_and_triangles(*where), depth_buffer(*where)
        self.assertEqual(triangle[1, 1], 1)
        self.assertEqual(triangle[1, 15], 0)
        self.assertEqual(triangle[18, 18], NOTHING)
        np.testing.assert_array_equal(np.isfinite(buffer.depth), triangle != NOTHING)
        _, other_order = depth_and_triangles(np.array([near, far], dtype=float), *where[1:])
        np.testing.assert_array_equal(other_order, np.where(triangle == NOTHING, NOTHING, 1 - triangle))
        self.assertEqual(buffer.depth_at(np.array([0.6]), np.array([0.6]))[0], 5.0)

    def test_covered_area_is_the_triangles_area(self):
        corners = np.array([[[1, 1, 0], [9, 2, 3], [4, 8, -2]]], dtype=float)
        _, triangle = depth_and_triangles(corners, np.zeros(2), np.full(2, 10.0), 0.05)
        self.assertAlmostEqual((triangle == 0).sum() * 0.05**2, 26.5, delta=0.2)

    def test_depth_is_that_of_the_plane(self):
        """z = 2 x - y + 1 sampled back from the pixels."""
        xy = np.array([[0, 0], [10, 0], [0, 10]], dtype=float)
        corners = np.column_stack([xy, 2 * xy[:, 0] - xy[:, 1] + 1])[None]
        buffer = depth_buffer(corners, np.zeros(2), np.full(2, 10.0), 0.1)
        x, y = np.array([2.05, 5.05, 1.05]), np.array([3.05, 2.05, 8.05])
        np.testing.assert_allclose(buffer.depth_at(x, y), 2 * x - y + 1, atol=1e-6)


class SightTest(unittest.TestCase):
    def test_a_block_from_above_shows_its_top_only(self):
        visible, hidden = sight(mesh_of(box((0, 0, 0), (30, 20, 10))), PLAN)
        self.assertAlmostEqual(length(visible) + length(hidden), 2 * 100, places=6)
        self.assertGreaterEqual(length(visible), 100 - 1e-6)

    def test_a_pocket_from_below_is_hidden(self):
        pocket = box((0, 0, 0), (40, 40, 20)) - box((10, 10, -1), (30, 30, 10))
        _, hidden = sight(mesh_of(pocket), PLAN)
        self.assertAlmostEqual(length(hidden), 2 * 80, delta=3)
        open_pocket = box((0, 0, 0), (40, 40, 20)) - box((10, 10, 10), (30, 30, 21))
        _, hidden = sight(mesh_of(open_pocket), PLAN)
        self.assertAlmostEqual(length(hidden), 0, delta=3)

    def test_a_block_seen_slanted_shows_nine_of_twelve_edges(self):
        visible, hidden = sight(mesh_of(box((0, 0, 0), (20, 20, 20))), slanted(30, 35), 0.1)
        lengths = np.linalg.norm(hidden[:, 1] - hidden[:, 0], axis=1)
        self.assertEqual((lengths > 5).sum(), 3)
        self.assertGreater(length(visible), 2.5 * length(hidden))

    def test_one_body_hides_part_of_another(self):
        low, high = mesh_of(box((0, 0, 0), (40, 40, 5))), mesh_of(box((10, -5, 10), (20, 45, 15)))
        _, hidden = split_by_sight(*drawn_edges(low, PLAN), buffer_of([low, high], PLAN, 0.2))
        xs = hidden[np.linalg.norm(hidden[:, 1] - hidden[:, 0], axis=1) > 1][:, :, 0]
        self.assertTrue(((xs > 9) & (xs < 21)).all())

    def test_a_round_wall_shows_both_its_sides(self):
        import manifold3d

        visible, _ = sight(mesh_of(manifold3d.Manifold.cylinder(20, 10, 10, 64)), FRONT)
        upright = visible[np.abs(visible[:, 0, 0] - visible[:, 1, 0]) < 1e-6]
        self.assertEqual({round(float(x)) for x in upright[:, 0, 0]}, {-10, 10})


class DoublesTest(unittest.TestCase):
    def test_hidden_lines_under_others_are_left_out(self):
        """One visible line, the same line hidden the other way round, and a hidden one given twice."""
        visible = np.array([[[0, 0], [10, 0]]], dtype=float)
        hidden = np.array([[[10, 0], [0, 0]], [[0, 5], [10, 5]], [[10, 5], [0, 5]], [[0, 7], [3, 7]]], dtype=float)
        left = without_doubles(hidden, visible)
        self.assertEqual(sorted(left[:, 0, 1].tolist()), [5.0, 7.0])

    def test_nothing_hidden(self):
        self.assertEqual(len(without_doubles(np.empty((0, 2, 2)), np.zeros((1, 2, 2)))), 0)


class HiddenHoldingTest(unittest.TestCase):
    def test_both_rims_of_a_wall_are_one_edge_the_nearer(self):
        start, end = nearest_edges(*drawn_edges(mesh_of(box((0, 0, 2), (30, 20, 10))), PLAN))
        self.assertAlmostEqual(float(np.linalg.norm(end - start, axis=1).sum()), 100.0)
        self.assertEqual({float(z) for z in (*start[:, 2], *end[:, 2])}, {10.0})

    def test_parallels_show_dotted_under_the_stock(self):
        """Parallels 14 thick against jaws 68 apart: inner edges at Y 34 - 14, hidden along the stock's 100."""
        plan, _ = setup_views(demo_plan().setups[0], "hold")
        hidden = [item for item in plan.items if isinstance(item, Lines) and item.line == "hidden_holding"]
        under = np.concatenate([item.segments for item in hidden if item.source == "parallels"])
        self.assertEqual(sorted(np.round(under[:, :, 1].reshape(-1), 3)), [-20.0, -20.0, 20.0, 20.0])
        np.testing.assert_allclose(np.abs(under[:, 1, 0] - under[:, 0, 0]), 100.0, atol=2.0)
        outside = np.concatenate(
            [item.segments for item in plan.items if isinstance(item, Lines) and item.line == "holding"]
        )
        self.assertTrue((np.abs(outside[:, :, 0]).max(axis=1) > 49.0).all(), "no part of the holding is seen through")


class RegionsTest(unittest.TestCase):
    def test_visible_faces_by_depth_and_kind(self):
        mesh = mesh_of(box((0, 0, 0), (40, 40, 20)) - box((10, 10, 10), (30, 30, 21)))
        kinds = np.where(face_normals(mesh)[:, 2] > 0.9, 0, 1)
        found = regions(mesh, kinds, KINDS, PLAN)
        self.assertEqual([(region.depth, region.kind) for region in found], [(10.0, "finished"), (20.0, "finished")])
        self.assertEqual(len(found[1].rings), 2)


class TiltedSizesTest(unittest.TestCase):
    def test_sizes_of_a_part_that_does_not_lie_square_are_as_wide_as_it_is_drawn(self):
        """A block 60 by 40 by 20 turned about Z is 60 |cos| + 40 |sin| wide, and so its stock, 80 by 50 by 22."""
        for degrees in (0.0, 30.0, 45.0, -72.0):
            lying = Orientation(tilted=(AxisTurn(about="z", degrees=degrees),))
            square = jobs.setup().model_copy(update={"orientation": lying})
            plan = jobs.plan_of(jobs.block_job(square, stock=(80, 50, 22)))
            c, s = abs(math.cos(math.radians(degrees))), abs(math.sin(math.radians(degrees)))
            part = {60 * c + 40 * s, 60 * s + 40 * c, 20.0}
            stock = {80 * c + 50 * s, 80 * s + 50 * c, 22.0}
            for views, bodies in ((finished_views, {"part": part}), (stock_views, {"part": part, "stock": stock})):
                items = [item for view in views(plan) for item in view.items if isinstance(item, Dimension)]
                for source, wanted in bodies.items():
                    drawn = {item.mm for item in items if item.source == source}
                    with self.subTest(degrees=degrees, views=views.__name__, source=source):
                        np.testing.assert_allclose(sorted(drawn), sorted(wanted), atol=1e-6)


class SetupViewsTest(unittest.TestCase):
    def test_of_a_wide_board_what_is_touched_is_drawn(self):
        """A touch beside the frame's border must not hang in the air beside a board drawn too short."""
        for kind in ("on-pins", "in-a-frame"):
            for setup in ring_plan(kind).setups:
                board = next(s for s in holding_solids(setup) if s.name == "spoilboard").mesh.vertices
                u_touch = setup.probing.steps[-1].touches[0].w_contact + setup.wcs.u_origin
                self.assertTrue(
                    (u_touch[:2] > board.min(axis=0)[:2]).all() and (u_touch[:2] < board.max(axis=0)[:2]).all()
                )
                self.assertLess(np.ptp(board[:, 0]), 560.0, "and no more than that")

    def test_a_stock_that_stands_nowhere_near_its_plate_is_drawn_by_itself(self):
        for off, about in ((0.0, {"plate"}), (1e4, set())):
            one = jobs.plan_of(jobs.block_job(jobs.setup(hold=PlateHold(x=off)))).setups[0]
            self.assertEqual({solid.name for solid in holding_solids(one)}, about)
            plan, front = setup_views(one, "hold")
            for drawing in (plan, front):
                self.assertTrue(np.isfinite((*drawing.low, *drawing.high)).all())
                self.assertIn("stock", {getattr(item, "source", "") for item in drawing.items})

    def test_both_views_share_x(self):
        for setup in demo_plan().setups:
            plan, front = setup_views(setup, "hold")
            self.assertAlmostEqual(plan.low[0], front.low[0])
            self.assertAlmostEqual(plan.high[0], front.high[0])

    def test_drawn_coordinates_are_wcs(self):
        """The stock of Op 10 is drawn at its WCS sizes: X ±50, Y ±34, Z -32.5 to 1.5."""
        for view, low, high in zip(
            setup_views(demo_plan().setups[0], "hold"), ((-50, -34), (-50, -32.5)), ((50, 34), (50, 1.5)), strict=True
        ):
            stock = next(item for item in view.items if isinstance(item, Lines) and item.source == "stock")
            np.testing.assert_allclose(stock.segments.reshape(-1, 2).min(axis=0), low, atol=1e-6)
            np.testing.assert_allclose(stock.segments.reshape(-1, 2).max(axis=0), high, atol=1e-6)

    def test_the_zero_is_at_the_origin_in_every_lens(self):
        for lens in ("hold", "datum", "probe", "rehearse", "release"):
            for drawing in setup_views(demo_plan().setups[1], lens):
                zeros = [item for item in drawing.items if isinstance(item, Zero)]
                self.assertEqual([zero.at for zero in zeros], [(0.0, 0.0)])

    def test_dimensions_say_what_they_span(self):
        for setup in demo_plan().setups:
            for lens in ("hold", "datum"):
                for drawing in setup_views(setup, lens):
                    for item in drawing.items:
                        if isinstance(item, Dimension):
                            k = 0 if item.side == "below" else 1
                            self.assertAlmostEqual(abs(item.mm), abs(item.end[k] - item.start[k]), places=6)

    def test_datum_lens_shows_the_parts_sides_from_the_bore(self):
        """Op 20 by the bore at part X 30, Y 32: -30 and +66, ±32."""
        plan, _ = setup_views(demo_plan().setups[1], "datum")
        shown = sorted(round(item.mm, 6) for item in plan.items if isinstance(item, Dimension))
        self.assertEqual(shown, [-32.0, -30.0, 32.0, 66.0])

    def test_balls_stand_at_every_touch_in_both_views(self):
        for setup in demo_plan().setups:
            for drawing in setup_views(setup, "probe"):
                numbers = [item.number for item in drawing.items if isinstance(item, Ball)]
                self.assertEqual(numbers, [1, 2, 3, 4, 5])

    def test_ladder_and_tape_agree(self):
        for setup in demo_plan().setups:
            _, front = setup_views(setup, "hold")
            ladder = next(item for item in front.items if isinstance(item, Ladder))
            for rung in ladder.rungs:
                self.assertEqual(rung.y, rung.mm)

    def test_the_hat_is_raw_and_the_walls_are_finished(self):
        _, front = setup_views(demo_plan().setups[1], "hold")
        fills = {item.surface: item for item in front.items if isinstance(item, Fill)}
        self.assertLessEqual({"raw", "finished", "jaw", "parallel"}, set(fills))
        raw = np.array([point for ring in fills["raw"].rings for point in ring])
        self.assertAlmostEqual(raw[:, 1].min(), 28.0, places=3)

    def test_an_edit_of_the_holding_keeps_the_stocks_line_work(self):
        """What does not depend on the edit is the same object, not computed again."""
        from ledgecliff.core.drawing.bodies import stock_solid
        from ledgecliff.core.drawing.line_work import both_works

        # Planned one after the other, as in the window: tests between them would use up what is kept.
        plan, edited = plan_with(), plan_with((("setups", 1, "hold", "parallels_height"), 25.0))
        orientation = demo().setups[1].orientation
        before = both_works(stock_solid(plan.setups[1].before, orientation))
        self.assertIs(before, both_works(stock_solid(edited.setups[1].before, orientation)))


class SceneViewsTest(unittest.TestCase):
    def test_every_scene_has_two_drawings_with_something_on_them(self):
        for scene in scenes_of(demo_plan()):
            for lens in lenses_of(scene.kind):
                for drawing in scene_views(Look(demo_plan(), scene), lens.key):
                    self.assertTrue(any(isinstance(item, Lines) and len(item.segments) for item in drawing.items))
                    self.assertGreater(drawing.high[0], drawing.low[0])

    def test_a_turn_about_x_swaps_front_and_back_only(self):
        scene = next(scene for scene in scenes_of(demo_plan()) if scene.kind == "turn")
        labels = []
        for drawing in scene_views(Look(demo_plan(), scene), "turn"):
            labels.append({i.text: i.at for i in drawing.items if getattr(i, "text", "").startswith("bolt")})
        for name, (x, y) in labels[0].items():
            self.assertAlmostEqual(labels[1][name][0], x)
            drop = 2.75 + 3.0
            self.assertAlmostEqual(labels[1][name][1] + drop, -(y + drop))


class PictureTest(unittest.TestCase):
    def test_every_scene_has_a_picture_and_a_turn_one_that_differs_from_both_its_setups(self):
        pictures = [scene_picture(demo_plan(), scene, 148, 84) for scene in scenes_of(demo_plan())]
        before, turn, after = (pictures[k].kind for k in (1, 2, 3))
        self.assertFalse(np.array_equal(turn, before) or np.array_equal(turn, after))
        for scene in scenes_of(demo_plan()):
            picture = scene_picture(demo_plan(), scene, 148, 84)
            self.assertTrue((picture.kind != 255).mean() > 0.15)
            self.assertTrue(picture.light.min() >= 0.0 and picture.light.max() <= 1.0)
            self.assertTrue((picture.edges[..., 0] > -2).all() and (picture.edges[..., 0] < 152).all())

    def test_op_10_shows_jaws_parallels_and_part(self):
        scene = scenes_of(demo_plan())[1]
        kinds = set(np.unique(scene_picture(demo_plan(), scene, 148, 84).kind)) - {255}
        self.assertLessEqual({KINDS.index("jaw"), KINDS.index("parallel"), KINDS.index("finished")}, kinds)
