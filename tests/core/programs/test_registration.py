"""Programs for pins and frames, read back by a small reader of their own and compared with the plan."""

from __future__ import annotations

import math
import re
import unittest

import numpy as np
from manifold3d import CrossSection
from shapely import LineString, Point, unary_union

from ledgecliff.core.model.machine import Cutter
from ledgecliff.core.plan import make_plan
from ledgecliff.core.registration.contour import length_of, stretches
from ledgecliff.core.registration.outlines import rectangle
from ledgecliff.core.solids.geometry import Models
from ledgecliff.core.turns.turn_plan import turns_of
from tests.turn_jobs import FRAME, registration_programs, ring, ring_plan, ring_with

WORD = re.compile(r"([A-Z])(-?[0-9.]+)")


def moves(text, per_unit=1.0):
    """Every feed move as (points (N, 3), line): arcs in 64 steps, helices too; and the drilling cycles."""
    place, feeds, drilled = np.zeros(3), [], []
    for line in text.splitlines():
        words = dict(WORD.findall(re.sub(r"\(.*?\)", "", line)))
        codes = {f"G{int(float(v))}" for k, v in WORD.findall(re.sub(r"\(.*?\)", "", line)) if k == "G"}
        to = np.array([float(words.get(a, place[k] / per_unit)) * per_unit for k, a in enumerate("XYZ")])
        if "G83" in codes:
            drilled.append((to, float(words["R"]) * per_unit))
            place = np.array([to[0], to[1], place[2]])
        elif "G43" in codes or line.startswith(("T", "S", "G2 1", "G54", "G21", "G20")):
            continue
        elif codes & {"G2", "G3"}:
            centre = place[:2] + np.array([float(words["I"]), float(words["J"])]) * per_unit
            first, last = (math.atan2(*(p[:2] - centre)[::-1]) for p in (place, to))
            sense = 1.0 if "G3" in codes else -1.0
            sweep = (sense * (last - first)) % (2 * math.pi)
            sweep = 2 * math.pi if sweep < 1e-9 else sweep
            share = np.linspace(0, 1, 65)
            radius = np.linalg.norm(place[:2] - centre)
            assert abs(radius - np.linalg.norm(to[:2] - centre)) < 2e-3, line
            angles = first + sense * sweep * share
            ring_of = centre + radius * np.column_stack([np.cos(angles), np.sin(angles)])
            feeds.append(np.column_stack([ring_of, place[2] + share * (to[2] - place[2])]))
            place = to
        elif codes & {"G0", "G1"}:
            if "G1" in codes:
                feeds.append(np.array([place, to]))
            place = to
    return feeds, drilled


class PinProgramTest(unittest.TestCase):
    def test_bores_are_milled_where_and_as_deep_as_planned(self):
        """8 mm end mill, bores of 10.04 through 15 of plywood, on at 10 to 12 below it."""
        texts = registration_programs(ring_plan("on-pins"))
        self.assertEqual(sorted(texts), ["01-op-10-pins-blank", "01-op-10-pins-board"])
        feeds, _ = moves(texts["01-op-10-pins-blank"])
        points = np.concatenate(feeds)
        for x, y in ((-144, 60), (-144, -60), (144, 0)):
            off = np.hypot(points[:, 0] - x, points[:, 1] - y)
            near = off < 6
            in_blank = near & (points[:, 2] >= 0.0) & (points[:, 2] <= 15.0)
            self.assertAlmostEqual(off[in_blank].max(), (10.04 - 8) / 2, places=3)
            below = near & (points[:, 2] < -1e-6)
            self.assertAlmostEqual(off[below].max(), (10.0 - 8) / 2, places=3)
            self.assertAlmostEqual(points[near][:, 2].min(), -12.0)
        self.assertLess(np.diff(np.unique(np.round(points[:, 2], 4))).max(), 3.0 + 1e-6, "never deeper than a peck")

    def test_a_wide_bore_leaves_no_core_and_is_left_by_the_middle(self):
        """Pins of 20: a cutter of 8 that only went round outside would leave a core of 4 to be knocked over."""
        wide = [(("setups", 0, "operations", 0, "pins", pin, "diameter"), 20.0) for pin in range(3)]
        text = registration_programs(ring_with("on-pins", *wide))["01-op-10-pins-blank"]
        feeds, _ = moves(text)
        for x, y in ((-144, 60), (-144, -60), (144, 0)):
            for level, bore in ((0.0, 10.02), (-12.0, 10.0)):
                flat = [LineString(f[:, :2]) for f in feeds if np.allclose(f[:, 2], level) and len(f) > 2]
                swept = unary_union([way.buffer(4.0, quad_segs=32) for way in flat])
                hole = Point(x, y).buffer(bore, quad_segs=64)
                self.assertLess(hole.difference(swept).area, 0.5, (x, y, level))  # chords of arcs; the core has 12.6
                self.assertLess(swept.intersection(hole.buffer(3.0)).difference(hole).area, 0.2, (x, y, level))
        place = {}
        for line in text.splitlines():
            words = dict(WORD.findall(re.sub(r"\(.*?\)", "", line)))
            if line.startswith("G0 Z") and place:
                self.assertIn((float(place["X"]), float(place["Y"])), {(-144, 60), (-144, -60), (144, 0)}, line)
            place.update({a: words[a] for a in "XY" if a in words})

    def test_a_mirrored_pair(self):
        """With the zero off the axis of symmetry the blank's bores end just below it, the board's are the image."""
        plan = ring_with("on-pins", (("setups", 0, "datum", "y", "shift"), 4.5))
        texts = registration_programs(plan)
        blank, board = (np.concatenate(moves(texts[f"01-op-10-pins-{kind}"])[0]) for kind in ("blank", "board"))
        self.assertAlmostEqual(blank[:, 2].min(), -0.5)
        self.assertAlmostEqual(board[:, 2].min(), -12.0)
        centres = {(pin.x, pin.y) for pin in turns_of(plan)[0].board_pins}
        for x, y in centres:
            self.assertTrue((np.hypot(board[:, 0] - x, board[:, 1] - y) < 1.001).any())
        mirrored = {(round(p.x, 3), round(-p.y, 3)) for p in turns_of(plan)[0].bored}
        self.assertEqual({(round(x, 3), round(y, 3)) for x, y in centres}, mirrored)

    def test_a_drill_pecks_and_goes_a_point_deeper(self):
        drill = Cutter(tool=9, name="10 mm drill", diameter=10, length=120, shape="drill", end_angle_deg=118)
        job = ring("on-pins")
        machine = job.machine.model_copy(update={"cutters": (*job.machine.cutters, drill)})
        first = job.setups[0].operations[0].model_copy(update={"tool": 9})
        setup = job.setups[0].model_copy(update={"operations": (first, *job.setups[0].operations[1:])})
        plan = make_plan(job.model_copy(update={"machines": (machine,), "setups": (setup, job.setups[1])}), Models())
        feeds, drilled = moves(registration_programs(plan)["01-op-10-pins-blank"])
        self.assertEqual(feeds, [])
        self.assertEqual([(place[0], place[1]) for place, _ in drilled], [(-144, 60), (-144, -60), (144, 0)])
        point = 5.0 / math.tan(math.radians(59))
        for place, retract in drilled:
            self.assertAlmostEqual(place[2], -12.0 - point, places=3)
            self.assertAlmostEqual(retract, 17.0)

    def test_no_name_of_a_setup_leads_out_of_its_folder(self):
        job = ring("on-pins")
        first = job.setups[0].model_copy(update={"name": "../Op (10)"})
        plan = make_plan(job.model_copy(update={"setups": (first, job.setups[1])}), Models())
        texts = registration_programs(plan)
        self.assertEqual(sorted(texts), ["01-op-10-pins-blank", "01-op-10-pins-board"])
        self.assertFalse([name for name in texts if "/" in name])
        comment = next(line for line in texts["01-op-10-pins-blank"].splitlines() if "bores for pins" in line)
        self.assertEqual((comment.count("("), comment.count(")"), comment[0], comment[-1]), (1, 1, "(", ")"))

    def test_inches(self):
        job = ring("on-pins")
        plan = make_plan(
            job.model_copy(update={"machines": (job.machine.model_copy(update={"program_units": "in"}),)}), Models()
        )
        texts, metric = registration_programs(plan), registration_programs(ring_plan("on-pins"))
        a, b = (np.concatenate(moves(t["01-op-10-pins-blank"], u)[0]) for t, u in ((texts, 25.4), (metric, 1.0)))
        np.testing.assert_allclose(a, b, atol=2e-3)
        self.assertIn("G20", texts["01-op-10-pins-blank"])


class FrameProgramTest(unittest.TestCase):
    def swept(self, text, height):
        """What the 8 mm cutter takes at a height, seen from above."""
        feeds, _ = moves(text)
        ways = [LineString(f[:, :2]) for f in feeds if f[:, 2].max() < height and len(f) > 1]
        return unary_union([way.buffer(4.0, quad_segs=32) for way in ways if way.length > 1e-9])

    def test_what_it_sweeps_is_the_slot(self):
        plan = ring_plan("in-a-frame")
        frame = turns_of(plan)[0].frame
        slot = frame.hole.polygon.difference(frame.piece.polygon)
        swept = self.swept(registration_programs(plan)["01-op-10-frame"], 1.0)
        self.assertLess(swept.symmetric_difference(slot).area / slot.area, 2e-3)

    def test_passes_go_down_in_steps_to_below_the_blank(self):
        feeds, _ = moves(registration_programs(ring_plan("in-a-frame"))["01-op-10-frame"])
        depths = np.unique(np.round(np.concatenate([f[:, 2] for f in feeds if len(f) > 2]), 3))
        self.assertAlmostEqual(depths.min(), -0.2)
        self.assertLessEqual(np.diff([*depths, 15.0]).max(), 3.0)

    def test_tabs_are_left(self):
        """Four of 6, up to 2 above the underside: at the floor the cutter lifts over 4 x (6 + 8) of its way."""
        plan = ring_with("in-a-frame", ((*FRAME, "tabs"), 4))
        text = registration_programs(plan)["01-op-10-frame"]
        feeds, _ = moves(text)
        level = [LineString(f[:, :2]).length for f in feeds if abs(f[:, 2] - 2.0).max() < 1e-6]
        self.assertAlmostEqual(sum(level), 4 * 14.0, delta=0.01)
        frame = turns_of(plan)[0].frame
        slot = frame.hole.polygon.difference(frame.piece.polygon)
        kept = slot.difference(self.swept(text, 1.0))
        # Bridges of 6 by the slot's 8, and what a round cutter leaves at either end.
        self.assertAlmostEqual(kept.area, 4 * (6 * 8 + 2 * (8 * 4 - math.pi * 16 / 2)), delta=1.0)
        stock = plan.setups[0].cutting.after(0).solid.slice(1.0)
        for bridge in (piece for piece in kept.geoms if piece.area > 1.0):
            x, y = bridge.centroid.coords[0]
            self.assertAlmostEqual((stock ^ CrossSection.circle(1.0, 32).translate((x, y))).area(), math.pi, delta=0.1)


class StretchTest(unittest.TestCase):
    def test_stretches_make_up_the_whole_way_with_the_clock(self):
        outline = rectangle(40, 25, 6)
        made = stretches(outline, np.array([3.0, -2.0]), np.array([[40, 0], [0, 25], [-40, 1]]), 10.0)
        whole = sum(length_of(edge) for edge in outline.edges)
        self.assertAlmostEqual(sum(length_of(s.edge) for s in made), whole)
        self.assertAlmostEqual(sum(length_of(s.edge) for s in made if s.on_tab), 30.0)
        for a, b in zip(made, made[1:] + made[:1], strict=True):
            np.testing.assert_allclose(a.edge.end, b.edge.start, atol=1e-9)
        area = sum(s.edge.start[0] * s.edge.end[1] - s.edge.end[0] * s.edge.start[1] for s in made)
        self.assertLess(area, 0.0)
        self.assertTrue(all(Point(s.edge.start).distance(Point(3, -2)) < 60 for s in made))
