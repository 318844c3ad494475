"""Tapes: the sums on paper are right, line by line."""

from __future__ import annotations

import unittest
from typing import get_args

from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.lenses import LENSES, LensKey, SceneKind, lenses_of
from ledgecliff.core.look import Look
from ledgecliff.core.quantities import said, said_bare, spell
from ledgecliff.core.route import scenes_of
from ledgecliff.core.tape.scenes import datum_tape, holding_tape, probing_tape, scene_tape, stock_tape
from tests.helpers import demo, demo_plan, plan_with


def value(tape, text):
    return next(line.mm for line in tape.lines if line.text == text)


class StockTapeTest(unittest.TestCase):
    def test_worked_allowances(self):
        """100 - 96 leaves 2 a side; 34 - 28 - 1.5 leaves the 4.5 hat."""
        tape = stock_tape(demo_plan())
        self.assertEqual([line.mm for line in tape.lines if line.kind == "total"], [2.0, 2.0, 4.5])

    def test_it_follows_the_caliper(self):
        tape = stock_tape(plan_with((("stock", "measured", "x"), 99.2)))
        self.assertAlmostEqual(value(tape, "each side, centred"), 1.6)


class HoldingTapeTest(unittest.TestCase):
    def test_grip(self):
        tape = holding_tape(demo_plan().setups[0])
        self.assertAlmostEqual(value(tape, "jaw height over the bed") + value(tape, "parallels"), -32.5 + 42.0)
        self.assertAlmostEqual(value(tape, "grip"), 4.0)
        self.assertAlmostEqual(value(tape, "jaws to part underside"), 0.5)
        self.assertAlmostEqual(value(tape, "jaw opening"), 68.0)

    def test_a_bed_of_unknown_height_is_said(self):
        words = "The bed's height over the table is not given."
        self.assertNotIn(words, [line.text for line in holding_tape(demo_plan().setups[0]).lines])
        unknown = plan_with((("machines", 0, "fixtures", 0, "bed_height"), 0.0)).setups[0]
        self.assertIn(words, [line.text for line in holding_tape(unknown).lines])
        self.assertNotIn("table", [rung.name for rung in unknown.holding.heights()])


class DatumTapeTest(unittest.TestCase):
    def test_machine_place_plus_way_is_the_offset(self):
        for setup in demo_plan().setups:
            tape = datum_tape(setup)
            for k in range(3):
                base, way, total = (line.mm for line in tape.lines[4 * k + 1 : 4 * k + 4])
                self.assertAlmostEqual(base + way, total)
                self.assertAlmostEqual(total, setup.located.m_offset[k])


class ProbingTapeTest(unittest.TestCase):
    def test_every_touch_is_on_it(self):
        for setup in demo_plan().setups:
            tape = probing_tape(setup, demo().machine.probe)
            for touch in setup.probing.touches:
                lines = [line for line in tape.lines if line.source == f"touch-{touch.number}"]
                self.assertGreaterEqual(len(lines), 4)
                contact, centre = lines[0].mm, lines[1].mm
                self.assertAlmostEqual(contact - centre, touch.direction * touch.ball_radius)


class SceneTapeTest(unittest.TestCase):
    def test_each_scene_and_lens_has_a_tape(self):
        for scene in scenes_of(demo_plan()):
            for lens in lenses_of(scene.kind):
                tape = scene_tape(Look(demo_plan(), scene), lens.key)
                self.assertTrue(tape.title and tape.lines, (scene.title, lens.key))

    def test_every_lens_has_a_row_and_each_shortcut_is_one_lens(self):
        self.assertEqual([lens.key for lens in LENSES], list(get_args(LensKey)))
        shortcuts = [lens.shortcut for lens in LENSES if lens.shortcut]
        self.assertEqual(len(shortcuts), len(set(shortcuts)))
        self.assertEqual({kind for lens in LENSES for kind in lens.scenes}, set(get_args(SceneKind)))

    def test_what_takes_long_is_left_for_later_and_all_else_stays(self):
        scene = scenes_of(demo_plan())[1]
        whole, first = (scene_tape(Look(demo_plan(), scene, whole=each), "hold").lines for each in (True, False))
        self.assertEqual(first[-1].text, "being measured…")
        kept = [line for line in first[:-1] if line.text != "Reach to spare"]
        self.assertEqual(list(whole[: len(kept)]), kept)
        self.assertIn("stylus, deepest touch", [line.text for line in whole[len(kept) :]])

    def test_a_picked_feature_shows_its_coordinates(self):
        tape = scene_tape(Look(demo_plan(), scenes_of(demo_plan())[3], picked="bolt hole NE"), "coordinates")
        self.assertEqual(tape.title, "bolt hole NE")
        self.assertEqual([line.mm for line in tape.lines if line.kind == "total"], [50.0, -20.0, 28.0])


class SpellTest(unittest.TestCase):
    def test_lengths_in_sentences_follow_the_unit(self):
        text = f"grips {said(4)} of {said_bare(12.7)}"
        self.assertEqual(spell(text, "mm"), "grips 4.000 mm of 12.7")
        self.assertEqual(spell(text, "in"), "grips 0.1575 in of 0.5")

    def test_what_only_looks_like_a_length_stays(self):
        self.assertEqual(spell("⟦no⟧ ⟦⟧ ⟦1e999999⟧", "mm"), "⟦no⟧ ⟦⟧ ⟦1e999999⟧")

    def test_findings_in_inches(self):
        finding = findings_of(plan_with((("setups", 0, "hold", "parallels_height"), 36.0)))[0]
        self.assertIn("1.500 mm above", finding.message())
        self.assertIn("0.0591 in above", finding.message("in"))
        self.assertNotIn("⟦", finding.message("in") + finding.remedy("in"))
