"""Drawings written and read back: DXF by another of ezdxf's ways, SVG by a parser, both against the plan."""

from __future__ import annotations

import math
import tempfile
import unittest
from pathlib import Path

import ezdxf
import numpy as np

from ledgecliff.core.errors import DrawingFileError
from ledgecliff.core.holding.screws import screw_hole
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.plan import make_plan
from ledgecliff.core.solids.geometry import Models
from ledgecliff.core.turns.drawings import turn_sheets
from ledgecliff.core.turns.turn_plan import turns_of
from ledgecliff.store.drawing_files import read_drawing, write_turn_drawings
from tests.core.turns.test_both_sides import lid_with
from tests.turn_jobs import ring, ring_plan


def in_inches(kind):
    job = ring(kind)
    machine: Machine = job.machine.model_copy(update={"program_units": "in"})
    return make_plan(job.model_copy(update={"machines": (machine,)}), Models())


class RoundTripTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_bores_come_back_where_the_program_makes_them(self):
        for plan in (ring_plan("on-pins"), in_inches("on-pins")):
            write_turn_drawings(plan, self.folder)
            expected = sorted((pin.x, pin.y, 10.04) for pin in turns_of(plan)[0].bored)
            for ending in ("dxf", "svg"):
                shapes = read_drawing(self.folder / f"turn-1-blank-bores.{ending}")
                found = sorted(circle for circle in shapes.circles if circle[2] > 5.0)
                np.testing.assert_allclose(found, expected, atol=2e-4, err_msg=ending)

    def test_a_frame_comes_back_with_its_arcs(self):
        plan = ring_plan("in-a-frame")
        write_turn_drawings(plan, self.folder)
        turn = turns_of(plan)[0]
        for ending in ("dxf", "svg"):
            shapes = read_drawing(self.folder / f"turn-1-frame-cut.{ending}")
            arcs = sorted(round(e.radius, 2) for outline in shapes.outlines for e in outline if e.bulge)
            made = [*turn.frame.piece.edges, *turn.frame.hole.edges, *turn.frame.cutter_lines(8.0)[0].edges]
            expected = [round(edge.radius, 2) for edge in made if edge.bulge] + [120.0] * 2 + [75.0] * 2
            self.assertEqual(arcs, sorted(expected), ending)

    def test_dxf_says_its_unit_its_layers_and_its_dimensions(self):
        for plan, code, scale in ((ring_plan("on-pins"), 4, 1.0), (in_inches("on-pins"), 1, 25.4)):
            write_turn_drawings(plan, self.folder)
            document = ezdxf.readfile(self.folder / "turn-1-board-pins.dxf")
            self.assertFalse(document.audit().has_errors)
            self.assertEqual(document.header["$INSUNITS"], code)
            layers = {layer.dxf.name for layer in document.layers}
            self.assertLessEqual({"BORES-IN-BOARD", "BLANK-BEFORE", "DIMENSIONS", "WCS-ZERO"}, layers)
            measured = {round(d.get_measurement() * scale, 3) for d in document.modelspace().query("DIMENSION")}
            self.assertEqual(measured, {144.0, 60.0})

    def test_svg_is_of_true_size(self):
        write_turn_drawings(in_inches("on-pins"), self.folder)
        text = (self.folder / "turn-1-before.svg").read_text()
        self.assertIn('in" height="', text)
        (sheet,) = [s for s in turn_sheets(ring_plan("on-pins")) if s.name == "turn-1-before"]
        (left, low), (right, high) = sheet.bounds()
        stated = float(text.split('width="')[1].split("in")[0])
        self.assertAlmostEqual(stated * 25.4, right - left + 30.0, places=4)
        self.assertAlmostEqual(high - low, 280.0 + 12.0)

    def test_words_have_the_drawings_own_unit(self):
        """A pin of 10 is 0.3937 in; the jig's pockets, thickness and holes likewise; no mark of ours is left."""
        for plan, size in ((ring_plan("on-pins"), "1: 10"), (in_inches("on-pins"), "1: 0.3937")):
            write_turn_drawings(plan, self.folder)
            self.assertIn(f">{size}<", (self.folder / "turn-1-blank-bores.svg").read_text())
            texts = ezdxf.readfile(self.folder / "turn-1-blank-bores.dxf").modelspace().query("TEXT")
            self.assertIn(size, {text.dxf.text for text in texts})
        lid = lid_with((("machines", 0, "program_units"), "in"))
        write_turn_drawings(lid, self.folder)
        text = (self.folder / "turn-1-jig.svg").read_text()
        deep = turns_of(lid)[0].after.holding.fixture.second.depth / 25.4
        self.assertIn(f"second pocket, {deep:.4f}".rstrip("0") + " deep", text)
        self.assertIn("0.2598 through for M6", text)
        self.assertNotIn("\u27e6", text)

    def test_a_jigs_screws_have_holes_that_take_them(self):
        """Heads of 10 are those of M6, which goes through 6.6; each is dimensioned from the zero hole."""
        write_turn_drawings(lid_with(), self.folder)
        space = ezdxf.readfile(self.folder / "turn-1-jig.dxf").modelspace()
        by_layer = {
            layer: sorted(
                (round(c.dxf.center.x, 3), round(c.dxf.center.y, 3), round(2 * c.dxf.radius, 3)) for c in found
            )
            for layer, found in space.query("CIRCLE").groupby("layer").items()
        }
        heads = by_layer["SCREW-HEADS"]
        self.assertEqual({head[2] for head in heads}, {10.0})
        self.assertEqual(by_layer["SCREW-HOLES"], [(x, y, 6.6) for x, y, _ in heads])
        measured = {round(d.get_measurement(), 3) for d in space.query("DIMENSION")}
        self.assertLessEqual({heads[-1][0], heads[-1][1]}, measured)
        self.assertEqual(
            [screw_hole(head) for head in (5.4, 5.5, 9.9, 30.0)], [None, ("M3", 3.4), ("M5", 5.5), ("M16", 17.5)]
        )

    def test_a_frames_drawing_has_its_sizes(self):
        """Piece, border and the rectangle to stay out of, both ways, against the outlines' own points."""
        plan = ring_plan("in-a-frame")
        write_turn_drawings(plan, self.folder)
        frame = turns_of(plan)[0].frame
        measured = {
            round(d.get_measurement(), 2)
            for d in ezdxf.readfile(self.folder / "turn-1-frame-cut.dxf").modelspace().query("DIMENSION")
        }
        expected = {264.0}
        for outline in (frame.piece, frame.hole):
            expected |= {round(float(size), 2) for size in np.ptp(outline.points(0.0005), axis=0)}
        self.assertLessEqual(expected, {m + d for m in measured for d in (-0.01, 0.0, 0.01)} | measured)
        self.assertIn("slot 8 wide, fit 0.1, T3", (self.folder / "turn-1-frame-cut.svg").read_text())

    def test_words_are_escaped(self):
        job = ring("on-pins")
        first = job.setups[0].model_copy(update={"name": "Op <10> & co"})
        plan = make_plan(job.model_copy(update={"setups": (first, job.setups[1])}), Models())
        write_turn_drawings(plan, self.folder)
        text = (self.folder / "turn-1-before.svg").read_text()
        self.assertIn("Op &lt;10&gt; &amp; co", text)
        self.assertNotIn("<10>", text)


class ReadingTest(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_loose_lines_and_arcs_are_chained(self):
        """A slot's outline from two lines and two arcs, drawn in any order and sense."""
        document = ezdxf.new()
        document.units = ezdxf.units.MM
        space = document.modelspace()
        space.add_arc((10, 0), 5, 270, 90)
        space.add_line((-10, 5), (10, 5))
        space.add_line((-10, -5), (10, -5))
        space.add_arc((-10, 0), 5, 90, 270)
        space.add_line((50, 0), (60, 0))
        path = self.folder / "slot.dxf"
        document.saveas(path)
        (outline,) = read_drawing(path).outlines
        self.assertEqual(len(outline), 4)
        area = sum(e.start[0] * e.end[1] - e.end[0] * e.start[1] for e in outline) / 2.0
        self.assertAlmostEqual(abs(area), 200.0)
        self.assertEqual([round(abs(math.degrees(4 * math.atan(e.bulge)))) for e in outline if e.bulge], [180, 180])

    def test_svg_with_transforms_and_curves(self):
        path = self.folder / "pattern.svg"
        path.write_text(
            '<svg xmlns="http://www.w3.org/2000/svg" width="4in" height="2in" viewBox="0 0 8 4">'
            '<g transform="translate(1 1)"><circle cx="1" cy="0" r=".5"/></g>'
            '<path d="M0 0 C1 0 2 1 2 2 L0 2 Z"/></svg>'
        )
        shapes = read_drawing(path)
        np.testing.assert_allclose(shapes.circles, [(25.4, -12.7, 12.7)], atol=1e-6)
        self.assertEqual(len(shapes.outlines), 1)

    def test_a_unit_is_asked_for_where_none_is_stated(self):
        drawing = self.folder / "bare.svg"
        drawing.write_text('<svg xmlns="http://www.w3.org/2000/svg"><circle cx="1" cy="2" r="3"/></svg>')
        document = ezdxf.new()
        document.units = 0
        document.modelspace().add_circle((1, -2), 3)
        document.saveas(self.folder / "bare.dxf")
        for path in (drawing, self.folder / "bare.dxf"):
            with self.assertRaisesRegex(DrawingFileError, "say whether"):
                read_drawing(path)
            np.testing.assert_allclose(read_drawing(path, "in").circles, [(25.4, -50.8, 152.4)], atol=1e-6)

    def test_what_cannot_be_read_is_said(self):
        for name, content in (("a.dxf", "no drawing"), ("a.svg", "<svg"), ("a.pdf", "%PDF"), ("b.dxf", "")):
            path = self.folder / name
            path.write_text(content)
            with self.subTest(name), self.assertRaises(DrawingFileError) as caught:
                read_drawing(path)
            self.assertIn(name, str(caught.exception))
        with self.assertRaisesRegex(DrawingFileError, "cannot be read"):
            read_drawing(self.folder / "none.dxf")
