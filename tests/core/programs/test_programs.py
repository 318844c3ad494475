"""Program text: numbers, harmless comments, and what a probing and a hover program say."""

from __future__ import annotations

import re
import unittest

from hypothesis import given
from hypothesis import strategies as st

from ledgecliff.core.errors import PlanError
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.released import hover_text, probing_text
from ledgecliff.core.programs.text import NumberWriter, comment, file_stem
from tests.helpers import changed, demo_plan, models, plan_with


class CommentTest(unittest.TestCase):
    def test_nothing_gets_out_of_a_comment(self):
        evil = "part) G0 Z-100 (\nM3 S9000 ; % o1 sub #5221=7 [x]\r\t(MSG, go)"
        self.assertNotRegex(comment(evil), r"[()\[\]%;#\n\r\t]")

    def test_signs_of_the_trade_are_written_out(self):
        self.assertEqual(comment("Ø22 ±0.1 at 90° — größer"), "dia 22 +/-0.1 at 90 deg grosser")

    @given(st.text(max_size=60))
    def test_any_text_becomes_plain_ascii(self, text):
        self.assertRegex(comment(text), r"\A[A-Za-z0-9 .,:+\-=/']*\Z")

    def test_file_stems(self):
        self.assertEqual(file_stem("Op 10"), "op-10")
        self.assertEqual(file_stem("../../etc/passwd"), "etc-passwd")
        self.assertEqual(file_stem("···"), "setup")


class NumberWriterTest(unittest.TestCase):
    def test_millimetres_and_inches(self):
        mm, inch = NumberWriter("mm"), NumberWriter("in")
        self.assertEqual([mm(5), mm(-0.00001), mm(1.98251), mm(-28)], ["5.0", "0.0", "1.9825", "-28.0"])
        self.assertEqual([inch(25.4), inch(1)], ["1.0", "0.03937"])
        self.assertEqual(mm.in_brackets(-4), "[-4.0]")

    @given(st.floats(-1e5, 1e5))
    def test_no_exponent_and_always_a_point(self, value):
        self.assertRegex(NumberWriter("mm")(value), r"\A-?\d+\.\d+\Z")


class ProbingProgramTest(unittest.TestCase):
    def setUp(self):
        self.text = probing_text(demo_plan(), 0)
        self.lines = self.text.splitlines()

    def test_header_comes_before_the_first_move(self):
        """Spindle stopped, modes, probe, length, offset, and a retract in machine coordinates, in this order."""
        order = ["M5", "G21 G17 G40 G49 G80 G90 G94", "T30 M6", "G43 H30", "G54", "G53 G0 Z0.0"]
        places = [self.lines.index(line) for line in order]
        self.assertEqual(places, sorted(places))
        first_move = next(k for k, line in enumerate(self.lines) if re.search(r"G(0|1|38\.\d) [XYZ]", line))
        self.assertLessEqual(places[-1], first_move)

    def test_every_positioning_move_near_the_part_is_protected(self):
        """After the first free move only probing moves and retreats from a touched surface are made."""
        body = self.text[self.text.index("G0 X") :].splitlines()[1:]
        for line in body:
            if line.startswith("G0") or (line.startswith("G1 ") and "[#10" not in line):
                self.assertRegex(line, r"G1 [XYZ]-?[\d.]+ F", line)
        self.assertEqual(sum(line.startswith("G0") for line in body), 0)

    def test_each_protected_move_is_followed_by_its_stop(self):
        for k, line in enumerate(self.lines):
            if line.startswith("G38.3"):
                self.assertRegex(self.lines[k + 1], r"^o\d+ if \[#5070 EQ 1\]$")
                self.assertIn("(MSG, STOP", self.lines[k + 2])
                self.assertEqual(self.lines[k + 3].strip(), "M2")

    def test_two_stage_touches(self):
        """Each touch: fast towards, slow away, back off, slow towards; the slow reading is kept."""
        moves = [line for line in self.lines if line.startswith("G38.2")]
        self.assertEqual(len(moves), 2 * 5)
        self.assertTrue(all("F300.0" in line for line in moves[0::2]))
        self.assertTrue(all("F60.0" in line for line in moves[1::2]))
        self.assertEqual(sum(line.startswith("G38.4") for line in self.lines), 2 * 5)

    def test_offsets_are_written_once_an_axis_and_only_after_their_checks(self):
        writes = [line for line in self.lines if line.startswith("G10")]
        self.assertEqual(
            writes,
            [
                "G10 L2 P1 R0.0",
                "G10 L2 P1 X[#5221 + #500 - 0.0]",
                "G10 L2 P1 Y[#5222 + #510 - 0.0]",
                "G10 L2 P1 Z[#5223 + #520 - 1.5]",
            ],
        )
        stop = next(k for k, line in enumerate(self.lines) if "width along X is not" in line)
        self.assertLess(stop, self.lines.index(writes[1]))

    def test_labels_are_unique_in_every_program(self):
        for index in (0, 1):
            labels = re.findall(r"^o(\d+) if", probing_text(demo_plan(), index), re.MULTILINE)
            self.assertEqual(len(labels), len(set(labels)))

    def test_the_second_offset_has_its_own_parameters(self):
        text = probing_text(demo_plan(), 1)
        self.assertIn("G10 L2 P2 X[#5241 + #500 - 0.0] Y[#5242 + #501 - 0.0]", text)
        self.assertIn("\nG55\n", text)

    def test_cautions_and_end(self):
        self.assertIn("(CAUTION: probe fitted, spindle locked out of rotation", self.text)
        self.assertEqual(self.lines[0], "%")
        self.assertEqual(self.lines[-2:], ["M2", "%"])

    def test_no_title_can_carry_code(self):
        plan = plan_with((("title",), "x) G0 Z-400 ("), (("setups", 0, "name"), "Op)\nM3 S20000(10"))
        for text in (probing_text(plan, 0), hover_text(plan, 0)):
            code = re.sub(r"\([^()]*\)", "", text)
            self.assertNotIn("Z-400", code)
            self.assertNotIn("M3", code)

    def test_the_same_job_gives_the_same_bytes(self):
        self.assertEqual(self.text, probing_text(make_plan(changed(), models()), 0))

    def test_inches(self):
        text = probing_text(plan_with((("machines", 0, "program_units"), "in")), 0)
        self.assertIn("G20 G17", text)
        self.assertIn("#100 = 0.07803 (effective ball radius)", text)

    def test_an_offset_the_style_cannot_write_is_refused(self):
        plan = plan_with((("machines", 0, "offsets", 0, "number"), 12))
        with self.assertRaisesRegex(PlanError, "offset 12; programs in this style can write 1 to 9"):
            probing_text(plan, 0)
        with self.assertRaisesRegex(PlanError, "no work offset G77"):
            probing_text(plan_with((("setups", 0, "offset"), "G77")), 0)


class HoverProgramTest(unittest.TestCase):
    def test_block_on_what_gave_z(self):
        """Op 20: 75 block on parallels at Z 0; Op 10: on the raw top at +1.5."""
        self.assertIn("\nG1 Z75.0 F200.0\n", hover_text(demo_plan(), 1))
        self.assertIn("\nG1 Z76.5 F200.0\n", hover_text(demo_plan(), 0))

    def test_worked_example(self):
        """Chapter 2: parallels at Z -28.5, a 75 block: Z 46.5."""
        plan = plan_with((("setups", 1, "datum", "z", "shift"), 28.5))
        self.assertIn("\nG1 Z46.5 F200.0\n", hover_text(plan, 1))

    def test_tool_and_length_agree_and_xy_moves_come_first_at_the_top(self):
        lines = hover_text(demo_plan(), 1).splitlines()
        self.assertIn("T2 M6", lines)
        self.assertIn("G43 H2", lines)
        retract, sideways = lines.index("G53 G0 Z0.0"), next(k for k, s in enumerate(lines) if s.startswith("G0 X"))
        down = next(k for k, line in enumerate(lines) if line.startswith("G1 Z"))
        self.assertTrue(retract < sideways < down)
