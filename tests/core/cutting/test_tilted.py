"""Setups that do not lie square: a tool still comes from straight above, wherever the part's own sides look.

What is left is worked out a second way, column by column from the triangles alone.
"""

from __future__ import annotations

import itertools
import math
import unittest
from dataclasses import replace

import numpy as np

from ledgecliff.core.blanks import box
from ledgecliff.core.budget.sides import off_its_zero
from ledgecliff.core.cutting.views import shadows_of, view_of
from ledgecliff.core.drawing.items import Dimension
from ledgecliff.core.drawing.line_work import Views
from ledgecliff.core.drawing.stage import scene_views
from ledgecliff.core.finding import Finding
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.look import Look
from ledgecliff.core.model.operations import Face, Hole, Outline, Seen
from ledgecliff.core.model.orientation import Orientation, orientation_from_matrix
from ledgecliff.core.model.stations import AxisTurn
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.probing.step_context import StepContext
from ledgecliff.core.route import scenes_of
from ledgecliff.core.solids.meshes import Mesh, mesh_of
from ledgecliff.core.tape.scenes import scene_tape, stock_tape
from ledgecliff.core.tape_lines import tape_text
from ledgecliff.core.turns.surface_words import surface_words
from tests.columns import crossings, places_over
from tests.draws import draws
from tests.helpers import demo, demo_plan
from tests.jobs import block_job, feature, plan_of, setup

FEATURES = (
    feature("hole", "hole", (20, 20, 20), diameter=8, depth=12),
    feature("pocket", "pocket", (42, 20, 12), length=20, width=16, depth=8, radius=3, lengthwise="+X"),
)
SIDE_HOLE = feature("side hole", "hole", (30, 0, 10), "-Y", diameter=6, depth=10)


def tilted(*turns: tuple[str, float], up="+Z", right="+X") -> Orientation:
    return Orientation(up=up, right=right, tilted=tuple(AxisTurn(about=axis, degrees=angle) for axis, angle in turns))


def lying(orientation: Orientation, *operations, **more):
    """The plan of one setup that lies so."""
    one = setup(*operations).model_copy(update={"orientation": orientation})
    return plan_of(block_job(one, **more))


def by_lot(count: int):
    rng = np.random.default_rng(1515)
    for _ in range(count):
        x, y, z = rng.uniform(-80.0, 80.0, size=3)
        yield tilted(("x", x), ("y", y), ("z", z))


def seen_from_above(mesh: Mesh, orientation: Orientation) -> Mesh:
    return Mesh(mesh.vertices @ orientation.matrix().T, mesh.triangles)


class ShadowTest(unittest.TestCase):
    def test_of_a_block_tilted_about_x_by_hand(self):
        """Its section is a rectangle 40 by 20 turned: what lies under its upper corners, times 60."""
        for degrees in (30.0, -25.0, 60.0, 1e-3):
            orientation = tilted(("x", degrees))
            geometry = lying(orientation).geometry
            view = view_of(geometry.coarse, geometry, orientation)
            c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
            corners = [(y * c - z * s, y * s + z * c) for y, z in ((0, 0), (40, 0), (40, 20), (0, 20))]
            left, right = min(corners), max(corners)
            upper = sorted(corner for corner in corners if corner in (left, right) or corner[1] > 15.0 * abs(c))
            bottom = min(z for _, z in corners)
            self.assertAlmostEqual(view.bottom, bottom, places=9)
            self.assertAlmostEqual(view.top, max(z for _, z in corners), places=9)
            area = sum((b[0] - a[0]) * (a[1] + b[1] - 2 * (bottom - 4.0)) / 2 for a, b in itertools.pairwise(upper))
            with self.subTest(degrees=degrees):
                self.assertAlmostEqual(float(view.shadow().volume()) / (60.0 * area), 1.0, places=9)

    def test_a_kept_shadow_is_used_where_it_is_of_this_mesh_and_depth(self):
        """Told apart by a chip that the true one has not; turned about Z it is the same one, turned."""
        geometry = lying(tilted()).geometry
        true = shadows_of(geometry)["+Z"]
        chipped = mesh_of(true.solid() + box((-1.0, -1.0, -4.0), (0.0, 0.0, 1.0)))
        known = replace(geometry, shadows={"+Z": chipped})
        for turn in (0.0, 90.0, 33.0):
            volume = view_of(known.coarse, known, tilted(("z", turn))).shadow().volume()
            self.assertAlmostEqual(float(volume), float(true.solid().volume()) + 5.0)
        deeper = Mesh(chipped.vertices - (0.0, 0.0, 1e-6), chipped.triangles)
        inside_out = Mesh(chipped.vertices, chipped.triangles[:, ::-1])
        for kept, mesh in ((deeper, known.coarse), (inside_out, known.coarse), (chipped, known.fine)):
            other = replace(geometry, shadows={"+Z": kept})
            self.assertAlmostEqual(float(view_of(mesh, other, tilted()).shadow().volume()), true.solid().volume())
        leaning = view_of(known.coarse, known, tilted(("x", 30.0))).shadow().volume()
        self.assertAlmostEqual(
            float(leaning), float(view_of(geometry.coarse, geometry, tilted(("x", 30.0))).shadow().volume())
        )

    def test_a_side_turned_up_by_a_tilt_is_the_side_that_is_up(self):
        """Tilted by quarters, the shadow is that of the square setup, and so are the words."""
        for turns, up in ((("x", 90.0), "+Y"), (("x", -90.0), "-Y"), (("y", 90.0), "-X"), (("x", 180.0), "-Z")):
            orientation = tilted(turns)
            self.assertEqual(orientation.square_up(), up)
            plan = lying(orientation, features=FEATURES)
            view = view_of(plan.geometry.coarse, plan.geometry, orientation)
            low, high = np.array(view.shadow().bounding_box()).reshape(2, 3)[:, 2]
            np.testing.assert_allclose((low + 4.0, high), (view.bottom, view.top), atol=1e-9)
            keys = {height.name for height in plan.setups[0].holding.heights()}
            self.assertIn(f"part top ({up.replace('-', '−')})", keys)
        self.assertIsNone(tilted(("x", 1e-3)).square_up())
        self.assertEqual(tilted(("z", 33.0)).square_up(), "+Z")

    def test_words_name_no_side_that_is_not_up(self):
        plan = lying(tilted(("x", 30.0)), stock=(66, 46, 26))
        self.assertIn("part top", {height.name for height in plan.setups[0].holding.heights()})
        self.assertNotIn("faced off the top", {line.text for line in stock_tape(plan).lines})
        self.assertIn("faced off the top", {line.text for line in stock_tape(lying(tilted())).lines})


class ColumnsTest(unittest.TestCase):
    """Columns of what is left, of random tilts, against those of the stock and the part."""

    def spans(self, mesh: Mesh, orientation: Orientation, places):
        return [
            [(float(a), float(b)) for a, b in zip(met[::2], met[1::2], strict=True) if b - a > 1e-6]
            for met in crossings(seen_from_above(mesh, orientation), places)
        ]

    def check(self, operation, keeps):
        """``keeps(part, bottom, top)`` is up to which height a column of the stock stays, over the part's own spans."""
        for orientation in by_lot(draws(6, 40)):
            plan = lying(orientation, operation, features=FEATURES, stock=(70, 50, 30))
            one, part = plan.setups[0], plan.geometry.coarse
            lies = one.setup.orientation
            places = places_over(seen_from_above(one.before.mesh, lies), count=150)
            z = seen_from_above(part, lies).vertices[:, 2]
            bottom, top = float(z.min()), float(z.max())
            columns = (self.spans(mesh, lies, places) for mesh in (one.before.mesh, part, one.after.mesh))
            for stock, of_part, left in zip(*columns, strict=True):
                upto = keeps(of_part, bottom, top)
                expected = [(a, min(b, upto)) for a, b in stock if min(b, upto) - a > 1e-6]
                np.testing.assert_allclose(left, expected, atol=2e-3, err_msg=str(orientation))

    def test_all_that_is_seen_goes_down_to_the_part(self):
        self.check(Seen(name="s", tool=1, below=1.5), lambda part, bottom, _: part[-1][1] if part else bottom - 1.5)

    def test_a_face_leaves_nothing_over_the_parts_top(self):
        self.check(Face(name="f", tool=1, leave=0.4), lambda _part, _bottom, top: top + 0.4)

    def test_an_outline_leaves_what_the_part_is_seen_in(self):
        self.check(Outline(name="o", tool=1), lambda part, bottom, _: math.inf if part else bottom)


class QuartersTest(unittest.TestCase):
    """What lies square by its tilts is in all that is said of it what the square setup is."""

    def said(self, plan: Plan) -> list[object]:
        words: list[object] = [finding.message() for finding in findings_of(plan)]
        for scene in scenes_of(plan):
            words += [scene.caption, scene.detail]
            if scene.kind == "setup":
                looks = [(Look(plan, scene), lens) for lens in ("hold", "cut", "datum", "probe")]
                words += [tape_text(scene_tape(look, lens), "mm") for look, lens in looks]
                words += [self.sizes(scene_views(look, lens)) for look, lens in looks]
        return words

    def sizes(self, views: Views) -> list[list[float]]:
        return [
            [round(item.mm, 6) + 0.0 for item in view.items if isinstance(item, Dimension)]
            + [round(end, 6) + 0.0 for end in (*view.low, *view.high)]
            for view in views
        ]

    def test_the_demo_tilted_by_quarters(self):
        wanted = self.said(demo_plan())
        for turns in ((("x", 90.0), ("z", 180.0)), (("y", -90.0),), (("z", -90.0), ("y", 90.0)))[: draws(2, 3)]:
            turned = tilted(*turns)
            setups = []
            for one in demo().setups:
                lies = one.orientation.matrix()
                start = orientation_from_matrix(turned.matrix().T @ lies)
                orientation = start.model_copy(update={"tilted": turned.tilted})
                np.testing.assert_allclose(orientation.matrix(), lies, atol=1e-12)
                setups.append(one.model_copy(update={"orientation": orientation}))
            plan = make_plan(demo().model_copy(update={"setups": tuple(setups)}), demo_plan().models)
            for before, after in zip(wanted, self.said(plan), strict=True):
                self.assertEqual(before, after, turns)


class SizesTest(unittest.TestCase):
    def test_sizes_along_the_machine_are_those_of_the_box_turned(self):
        """Of a box by its eight corners, however it lies."""
        rng = np.random.default_rng(3)
        for orientation in by_lot(20):
            size = rng.uniform(0.1, 100.0, size=3)
            corners = np.array(list(itertools.product((0.0, 1.0), repeat=3))) * size
            turned = corners @ orientation.matrix().T
            np.testing.assert_allclose(orientation.sizes(size), np.ptp(turned, axis=0), atol=1e-9)

    def test_a_blank_that_varies_may_be_off_along_each_axis_it_lies_across(self):
        """Turned by 45° about Z, X and Y each may be off by both spreads' shares; they took each other away."""
        plan = lying(tilted(("z", 45.0)), stock=(66, 46, 26), varies=(0.4, 0.4, 0.1))
        one = plan.setups[0]
        context = StepContext(
            setup=one.setup, holding=one.holding, wcs=one.wcs, probe=one.machine.probe, stock=one.stock, features=(),
            u_solid=one.before.solid, routine=one.setup.probing,
        )  # fmt: skip
        both = 0.8 * math.sqrt(0.5)
        self.assertAlmostEqual(context.varies("x"), both)
        self.assertAlmostEqual(context.varies("y"), both)
        self.assertAlmostEqual(context.varies("z"), 0.1)

    def test_a_blank_that_varies_keeps_its_middle_however_it_lies(self):
        """The middle of the blank is the same one before and after, of faces as of the edges that are outermost when it
        is turned by 30°: whatever it is longer, it is to both sides."""
        for degrees in (0.0, 30.0):
            after = setup(name="Op 20", up="-Z").model_copy(update={"orientation": tilted(("z", degrees), up="-Z")})
            plan = plan_of(block_job(setup(), after, stock=(66, 46, 26), varies=(0.4, 0.2, 0.1)))
            self.assertNotIn("blank", {part.source.kind for part in off_its_zero(plan, 1, "x").enters})
            words = surface_words(plan.setups[1], "x")
            self.assertEqual(words, "stock centre, part X" if degrees == 0.0 else "stock centre along X")

    def test_the_route_turns_by_how_the_part_lies(self):
        first = setup().model_copy(update={"orientation": tilted(("x", 20.0))})
        plan = plan_of(block_job(first, setup(name="Op 20", up="-Z")))
        (turn,) = [scene for scene in scenes_of(plan) if scene.kind == "turn"]
        self.assertEqual(turn.caption, "tip towards you, 160° about X")


class TiltedHoleTest(unittest.TestCase):
    def test_a_hole_that_leans_is_drilled_once_it_stands_upright(self):
        """Along (1, 0, 1): a level section of it is √2 times as large, over the block's 20 of height."""
        oil = feature("oil hole", "hole", (30, 20, 20), diameter=5, through=True, skew={"x": 1, "y": 0, "z": 1})
        drill = Hole(name="h", tool=3, on="oil hole")
        upright = lying(tilted(("y", -45.0)), drill, features=(oil,)).setups[0].cutting.removed(0)
        # The coarse hole is a polygon of 16 corners.
        section = 8 * 2.5**2 * math.sin(math.pi / 8)
        self.assertAlmostEqual(float(upright.volume()) / (section * math.sqrt(2.0) * 20.0), 1.0, delta=2e-3)
        leaning = lying(tilted(("y", 45.0)), drill, features=(oil,)).setups[0]
        self.assertEqual(float(leaning.cutting.removed(0).volume()), 0.0)


class TiltedFindingTest(unittest.TestCase):
    def not_reached(self, orientation: Orientation, holes) -> list[Finding]:
        plan = lying(orientation, Seen(name="s", tool=1), features=holes, stock=(60, 40, 20))
        return [finding for finding in findings_of(plan) if finding.code == "FEATURE_NOT_REACHED"]

    def test_a_side_is_reached_where_a_tilt_turns_it_up(self):
        """The hole opens to -Y, which a quarter back about X turns up; the other way round it looks down."""
        self.assertFalse(self.not_reached(tilted(("x", -90.0)), (SIDE_HOLE,)))
        for orientation in (tilted(("x", 90.0)), tilted(), tilted(("x", 45.0))):
            (finding,) = self.not_reached(orientation, (SIDE_HOLE,))
            self.assertIn("part −Y up", finding.advice)

    def test_a_tilted_setup_reaches_what_leans_its_way(self):
        oil = feature("oil hole", "hole", (30, 20, 20), diameter=5, depth=10, skew={"x": 1, "y": 0, "z": 1})
        self.assertFalse(self.not_reached(tilted(("y", -45.0)), (oil,)))
        for orientation in (tilted(("y", 45.0)), tilted(), tilted(("y", 135.0))):
            self.assertTrue(self.not_reached(orientation, (oil,)), orientation)
