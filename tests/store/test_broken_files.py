"""Files that are cut off, damaged or of another kind end in words: never in a traceback, never in a guess."""

from __future__ import annotations

import csv
import io
import json
import logging
import random
import tempfile
import unittest
import xml.etree.ElementTree as ET
from dataclasses import replace
from pathlib import Path

from ledgecliff.core.edits.shop import keep_fixture
from ledgecliff.core.errors import InvalidValueError, LedgecliffError, RegisterError
from ledgecliff.core.plain_text import harmless_cell, one_line, plain_cell, xml_escaped
from ledgecliff.core.register.entries import Entry, Value, labelled, with_value
from ledgecliff.core.register.present_table import read_table, table_text
from ledgecliff.core.touchoff.hand_tape import hand_results
from ledgecliff.core.turns.drawings import turn_sheets
from ledgecliff.core.turns.turn_plan import turns_of
from ledgecliff.sheets.sheet_svg import sheet_svg
from ledgecliff.store.drawing_files import read_drawing, write_turn_drawings
from ledgecliff.store.dxf_files import dxf_text
from ledgecliff.store.point_files import read_points
from ledgecliff.store.shop import read_shop
from ledgecliff.store.toolpath_files import read_program
from ledgecliff.store.touch_files import read_hand_readings
from tests.core.turns.test_both_sides import lid_with
from tests.draws import draws
from tests.helpers import demo
from tests.turn_jobs import ring_plan

#: Damages to each kind of file; LEDGECLIFF_ALL_DRAWS=1 does twenty times as many.
_DAMAGES = draws(50, 1000)
READINGS = {
    "offset": "G54", "unit": "in", "before": {"x": -15.75},
    "x": {"method": "edge", "side": "left", "reading": -16.245, "diameter": 0.2, "should_read": -1.89},
}  # fmt: skip


class BrokenFilesTest(unittest.TestCase):
    def setUp(self):
        logging.disable(logging.WARNING)
        self.addCleanup(logging.disable, logging.NOTSET)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        write_turn_drawings(ring_plan("on-pins"), self.folder)

    def damaged(self, name, data, read):
        """Cut off anywhere, bytes changed, pieces doubled or left out: refused in words, or read."""
        rng, path = random.Random(name), self.folder / name
        refused = 0
        for k in range(_DAMAGES):
            at, end = sorted(rng.sample(range(len(data)), 2))
            if k % 4 == 0:
                changed = data[:at]
            elif k % 4 == 1:
                changed = data[:at] + data[end:]
            elif k % 4 == 2:
                changed = data[:end] + data[at:]
            else:
                changed = bytearray(data)
                for _ in range(rng.randint(1, 20)):
                    changed[rng.randrange(len(data))] = rng.randrange(256)
            path.write_bytes(bytes(changed))
            try:
                read(path)
            except LedgecliffError as error:
                refused += 1
                self.assertGreater(len(str(error)), 10)
        return refused

    def test_each_kind(self):
        machine = demo().machine
        entries = [with_value(Entry("G54", label="near the door"), Value(1.0, 2.0, 3.0), "typed"), Entry("G55")]
        for name, data, read in (
            ("a.dxf", (self.folder / "turn-1-blank-bores.dxf").read_bytes(), lambda path: read_drawing(path, "mm")),
            ("a.svg", (self.folder / "turn-1-blank-bores.svg").read_bytes(), lambda path: read_drawing(path, "mm")),
            ("points.csv", b"x,y,z\n1.0,2.0,3.0\n4.5,-5.25,6\n7,8,9\n", read_points),
            ("hand.json", json.dumps(READINGS).encode(), lambda path: hand_results(read_hand_readings(path))),
            ("table.csv", table_text(entries).encode(),
             lambda path: read_table(path.read_bytes().decode("latin-1"), machine, "table.csv")),
        ):  # fmt: skip
            with self.subTest(name):
                self.assertGreater(self.damaged(name, data, read), 0)

    def test_a_toolpath_program_is_never_too_broken_to_be_looked_at(self):
        text = b"%\nG21 G90 G54\nT2 M6 (mill)\nG43 H2\nG0 X0 Y0 Z9\nG2 X5 I2.5 F90\nG81 Z-3 R1\nM98 P1\nM30\n%\n" * 4
        self.assertEqual(self.damaged("a.ngc", text, read_program), 0)

    def test_a_dxf_that_ends_in_its_header(self):
        path = self.folder / "cut.dxf"
        path.write_text("  0\nSECTION\n  2\nHEADER\n  9\n$ACADVER\n")
        with self.assertRaisesRegex(LedgecliffError, "not a DXF file that can be read: it is cut off"):
            read_drawing(path)

    def test_an_svg_of_another_root(self):
        for root in ("html", "g", "svg:svg", "circle"):
            path = self.folder / "other.svg"
            path.write_text(f'<{root} xmlns="http://www.w3.org/1999/xhtml" xmlns:svg="urn:x" width="9mm"></{root}>')
            with self.assertRaises(LedgecliffError):
                read_drawing(path, "mm")

    def test_a_quotation_mark_that_never_ends(self):
        endless = 'code,x,y,z\nG54,1,2,"3\n' + "x\n" * 200_000
        with self.assertRaisesRegex(InvalidValueError, "quotation mark"):
            read_table(endless, demo().machine, "t.csv")
        path = self.folder / "points.csv"
        path.write_text("x,y\n1,2\n" + '"' + "y" * 200_000)
        with self.assertRaisesRegex(InvalidValueError, "row 3.*quotation mark"):
            read_points(path)

    def test_inches_that_are_no_place_on_a_machine(self):
        path = self.folder / "hand.json"
        data = READINGS | {"x": READINGS["x"] | {"reading": 9.9e4}}
        path.write_text(json.dumps(data))
        with self.assertRaisesRegex(InvalidValueError, "x edge reading: .*too large for a length read in inches"):
            hand_results(read_hand_readings(path))

    def test_a_label_that_is_no_text(self):
        with self.assertRaisesRegex(RegisterError, "not UTF-8"):
            labelled(Entry("G54"), "door\udcff")
        self.assertEqual(labelled(Entry("G54"), "Tür „links“").label, "Tür „links“")

    def test_a_jig_stays_with_its_job(self):
        jig = turns_of(lid_with())[0].after.holding.fixture
        with self.assertRaisesRegex(InvalidValueError, "stays with its job"):
            keep_fixture(read_shop(), jig, demo().machine.stations[0])


class HarmlessTextTest(unittest.TestCase):
    def test_cells_that_begin_like_a_formula(self):
        for text in ("=1+1", "+cmd|' /C calc'!A0", "-2+3", "@SUM(A1)", "\t=1"):
            self.assertEqual(harmless_cell(text)[0], "'")
            self.assertEqual(plain_cell(harmless_cell(text)), text)
        for text in ("-12.5", "+3", "G54", "", "a=b", "'tis"):
            self.assertEqual(harmless_cell(text), text)
            self.assertEqual(plain_cell(text), text)
        entry = with_value(Entry("G54", label="=HYPERLINK(1)"), Value(-1.0, 2.0, 3.0), "typed")
        cells = list(csv.reader(io.StringIO(table_text([entry]))))[1]
        self.assertIn("'=HYPERLINK(1)", cells)
        (row,) = read_table(table_text([entry]), demo().machine, "t.csv")
        self.assertEqual((row.label, row.value.x), ("=HYPERLINK(1)", -1.0))

    def test_control_characters_in_drawings(self):
        """Whatever a title holds, the SVG is XML and the DXF has one line for it."""
        sheet = replace(turn_sheets(ring_plan("on-pins"))[0], title="a\x00b\x1b<c>\n0\nEOF\ud800&")
        root = ET.fromstring(sheet_svg(sheet, "mm"))
        self.assertTrue(any("a\ufffdb\ufffd<c>" in (text.text or "") for text in root.iter()))
        lines = dxf_text(sheet, "mm").split("\n")
        self.assertEqual(sum(line.strip() == "EOF" for line in lines), 1)
        self.assertEqual(one_line("a\r\nb\x00"), "a  b ")
        self.assertEqual(xml_escaped("<\x07>"), "&lt;\ufffd&gt;")
