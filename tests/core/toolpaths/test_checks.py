"""What is wrong with a toolpath program: each made to fire and not to fire."""

from __future__ import annotations

import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.finding import SEVERITIES
from ledgecliff.core.plan import make_plan
from ledgecliff.core.programs.targets import with_codes
from ledgecliff.core.register.entries import Value
from ledgecliff.core.toolpaths.checks import check_operation, check_program
from ledgecliff.core.toolpaths.programs import floor_in
from tests.core.test_rotary_schools import TABLE, TILTING, indexed_job
from tests.core.toolpaths.test_reading import HEAD, read
from tests.helpers import changed, demo, demo_plan, models
from tests.jobs import plan_of

BODY = "G1 Z-5 F300\nX10 Y10\nG40\nM30\n"


def plan_with(change):
    """The demo with one value of T2 in the tool table changed."""
    field, value = change
    job = changed()
    k = next(k for k, cutter in enumerate(job.machine.cutters) if cutter.tool == 2)
    return make_plan(changed((("machines", 0, "cutters", k, field), value)), models())


def codes(text, plan=None):
    return {difference.code for difference in check_program(read(text), plan)}


class ByItselfTest(unittest.TestCase):
    def test_a_sound_program_has_nothing(self):
        self.assertEqual(codes(HEAD + BODY), set())

    def test_each_slip(self):
        for code, old, new in (
            ("LENGTH_NUMBER_OTHER", "G43 H2", "G43 H3"),
            ("RADIUS_NUMBER_OTHER", "G43 H2", "G43 H2 D12"),
            ("COMPENSATION_USED", "G1 Z-5", "G1 G41 D2 Z-5"),
            ("TOOL_COMMENT_OTHER", "(12 mm end mill)", "(T3 8 mm end mill)"),
            ("UNITS_MIXED", "X10 Y10", "G20 X1"),
            ("UNITS_NOT_SET", "G21 ", ""),
            ("OFFSET_NOT_CALLED", "G54\n", ""),
            ("OFFSET_WRITTEN", "X10 Y10", "G10 L2 P1 X0\nX10 Y10"),
            ("NOT_READ_WHOLE", "X10 Y10", "X[#1]"),
        ):
            with self.subTest(code):
                text = HEAD + BODY
                self.assertIn(old, text)
                self.assertEqual(codes(text.replace(old, new, 1)), {code})

    def test_matching_numbers_and_cancelling_are_no_slips(self):
        text = (HEAD + BODY).replace("G43 H2", "G43 H2 D2").replace("M30", "G49 H0\nM30").replace("(12", "(T2 12")
        self.assertEqual(codes(text), set())

    def test_differences_name_their_line_and_known_severities(self):
        (difference,) = check_program(read((HEAD + BODY).replace("G43 H2", "G43 H3")))
        self.assertEqual((difference.line, difference.severity), (6, "hazard"))
        self.assertIn(difference.severity, SEVERITIES)


class IndexTest(unittest.TestCase):
    def test_angles_against_the_index(self):
        """A90 C270 is planned; to C-90 the nearer way leads there too, and where a sign is the way it does not."""
        for way, calls, wanted in (
            ("nearer way", "G0 A90\nG0 C270", []),
            ("nearer way", "G0 A90 C-90", []),
            ("sign is the way", "G0 A90 C-90", ["ANGLE_NOT_THE_INDEX"]),
            ("sign is the way", "G0 A90 C-270", []),
            ("counts turns", "G0 A90 C-90", ["ANGLE_NOT_THE_INDEX"]),
            ("counts turns", "G0 A-90 C270", ["ANGLE_NOT_THE_INDEX"]),
            ("counts turns", "G0 B5\nG0 A90 C270", ["ANGLE_NOT_THE_INDEX"]),
            ("counts turns", "G0 A90", ["ANGLE_NOT_CALLED"]),
            ("counts turns", "", ["ANGLE_NOT_CALLED", "ANGLE_NOT_CALLED"]),
        ):
            table = TABLE.model_copy(update={"way_round": way})
            drill = {"removes": "hole", "name": "drill", "tool": 2, "on": "left port", "features": ("left port",)}
            job = set_value(indexed_job(TILTING, table, indexes=((90, 270),)), ("setups", 0, "operations"), (drill,))
            found = check_operation(read(f"{HEAD}{calls}\nX5\nM30\n"), plan_of(job).setups[0], 0)
            codes = [each.code for each in found if each.code.startswith("ANGLE")]
            self.assertEqual(codes, wanted, (way, calls))
        hazard = next(each for each in found if each.code == "ANGLE_NOT_CALLED")
        self.assertIn("Op 10 needs A90", hazard.message)


class LengthsTest(unittest.TestCase):
    """What runs without the length, tool, diameter or offset that it needs; each to fire and not to fire."""

    def lines(self, text):
        return {difference.code: difference.line for difference in check_program(read(text))}

    def test_a_tool_that_moves_without_a_length(self):
        text = HEAD + "G1 Z-5 F300\nG0 Z50\nT3 M6\nG43 H3\nG0 X0 Y0 Z10\nG1 Z-2\nM30\n"
        self.assertEqual(self.lines(text), {})
        self.assertEqual(self.lines(text.replace("G43 H2\n", "")), {"LENGTH_NOT_CALLED": 7})
        # The second tool runs on with the first one's, or with none.
        self.assertEqual(self.lines(text.replace("G43 H3\n", "")), {"LENGTH_NOT_CALLED": 12})
        self.assertEqual(self.lines(text.replace("G43 H3", "G43 H0")), {"LENGTH_ZERO": 13})
        self.assertEqual(self.lines(text.replace("G43 H3", "G43 H2")), {"LENGTH_NUMBER_OTHER": 12})
        # Cancelled on the way out is right, cancelled before a cut is not; in machine coordinates none is needed.
        self.assertEqual(self.lines(text.replace("M30", "G49 G0 Z100\nM30")), {})
        self.assertEqual(self.lines(text.replace("M30", "G49\nG1 X5\nM30")), {"LENGTH_NOT_CALLED": 16})
        self.assertEqual(self.lines(text.replace("G43 H3", "G53 G0 Z0\nG43 H3")), {})

    def test_a_program_without_a_tool_change_needs_one_too(self):
        text = "G21 G90 G54\nG43 H2\nG0 Z10\nG1 Z-1 F100\nM30\n"
        self.assertEqual(self.lines(text), {})
        self.assertEqual(self.lines(text.replace("G43 H2\n", "")), {"LENGTH_NOT_CALLED": 2})

    def test_in_runs_of_plain_lines_too(self):
        text = HEAD.replace("G43 H2\n", "G0\n") + "G1 X1 Y1\n" * 20 + "M30\n"
        self.assertEqual(self.lines(text), {"LENGTH_NOT_CALLED": 8})

    def test_a_tool_that_is_called_and_not_changed_to(self):
        text = HEAD + "G1 Z-5 F300\nT3 M6\nG43 H3\nG0 X0 Y0 Z10\nG1 Z-2\nM30\n"
        self.assertEqual(self.lines(text.replace("T3 M6", "T3\nM6")), {})
        self.assertEqual(
            self.lines(text.replace("T3 M6", "T3")), {"TOOL_NOT_CHANGED_TO": 10, "LENGTH_NUMBER_OTHER": 11}
        )
        # Made ready while another cuts; and the first one again, for the next part.
        self.assertEqual(self.lines(text.replace("G1 Z-5", "T3\nG1 Z-5").replace("T3 M6", "M6")), {})
        self.assertEqual(self.lines(text.replace("G1 Z-2", "T2\nG1 Z-2")), {})

    def test_motion_before_the_offset(self):
        text = HEAD + BODY
        late = text.replace("G54\n", "").replace("G1 Z-5", "G54\nG1 Z-5")
        self.assertEqual(self.lines(late), {"MOVES_BEFORE_OFFSET": 7})
        # Home in machine coordinates is no such move; over a stated point it is.
        for line, fires in (("G91 G28 Z0\nG90", False), ("G53 G0 Z0", False), ("G90 G28 X5 Y5", True)):
            found = self.lines(text.replace("T2 M6", line + "\nT2 M6"))
            self.assertEqual("MOVES_BEFORE_OFFSET" in found, fires, line)

    def test_a_unit_that_comes_after_the_first_move(self):
        text = (HEAD + BODY).replace("G21 ", "").replace("G1 Z-5", "G21\nG1 Z-5")
        self.assertEqual(self.lines(text), {"UNITS_NOT_SET": 8})

    def test_radius_compensation(self):
        text = HEAD + "G41 D2\nG1 X5 Y5 F100\nG40 X0\nM30\n"
        self.assertEqual(self.lines(text), {"COMPENSATION_USED": 9})
        self.assertEqual(self.lines(text.replace(" D2", "")), {"COMPENSATION_USED": 9, "COMPENSATION_WITHOUT_D": 9})
        self.assertEqual(self.lines(text.replace("G40 ", "")), {"COMPENSATION_USED": 9, "COMPENSATION_LEFT_ON": 9})
        self.assertEqual(
            self.lines(text.replace("G43 H2", "G43 H2 D2").replace("G41 D2", "G41")), {"COMPENSATION_USED": 9}
        )

    def test_comments_that_name_another_tool(self):
        """Beside the change, or alone on the line above; the last of a list above it does not count."""
        text = HEAD + BODY
        for comment, fires in (
            ("(T3 8 mm end mill)\nT2 M6", True),
            ("N7 (T3 8 mm end mill)\nT2 M6", True),
            ("(T2 12 mm end mill)\nT2 M6", False),
            ("(T2 12 mm)\n(T3 8 mm)\nT2 M6", False),
            ("(T3 8 mm)\nG0\nT2 M6", False),
            ("T2 M6 (TOOL 3 8 mm end mill)", True),
            ("T2 M6 (Tool no. 3: 8 mm end mill)", True),
            ("T2 M6 (TOOL #3)", True),
            ("T2 M6 (#3 8 mm end mill)", True),
            ("(tool 3)\nT2 M6", True),
            ("T2 M6 (TOOL 2 12 mm)", False),
            ("T2 M6 (#2 END MILL)", False),
            ("T2 M6 (TOOL 12 MM END MILL)", False),
            ("T2 M6 (TOOL 1/4 IN)", False),
            ("T2 M6 (tool 0.5 in)", False),
            ("T2 M6 (WIDTH IN #500)", False),
            ("T2 M6 (STOOL 3)", False),
        ):
            found = self.lines(text.replace("T2 M6 (12 mm end mill)", comment))
            self.assertEqual("TOOL_COMMENT_OTHER" in found, fires, comment)


class AgainstThePlanTest(unittest.TestCase):
    """The demo: Op 10 in G54, stock's underside on parallels at Z -32.5; T1 to T4, the probe is T30."""

    def test_tools_and_offsets_of_the_machine(self):
        plan = demo_plan()
        self.assertEqual(codes(HEAD + BODY, plan), set())
        for code, old, new in (
            ("TOOL_NOT_SET", "T2 M6 (12 mm end mill)\nG54\nG43 H2", "T9 M6\nG54\nG43 H9"),
            ("PROBE_AS_TOOL", "T2 M6 (12 mm end mill)\nG54\nG43 H2", "T30 M6\nG54\nG43 H30"),
            ("OFFSET_UNKNOWN", "G54\n", "G59.3\n"),
            ("OFFSET_NOT_PLANNED", "G54\n", "G57\n"),
        ):
            with self.subTest(code):
                self.assertIn(code, codes((HEAD + BODY).replace(old, new, 1), plan))

    def test_of_a_code_that_is_kept_only_its_own_setup_counts(self):
        """In Op 10 what it lies on is at Z -32.5, in Op 20 at nought: 20 under the zero is good for the first alone."""
        plan = make_plan(with_codes(demo(), "one for all"), models())
        summary = read((HEAD + BODY).replace("G1 Z-5", "G1 Z-20"))

        def found(own):
            return {each.code for each in check_program(summary, plan, setup=own)}

        self.assertNotIn("BELOW_FLOOR", found(0))
        self.assertIn("BELOW_FLOOR", found(1))
        self.assertEqual({"OFFSET_OF_SEVERAL"} & found(None), {"OFFSET_OF_SEVERAL"})
        self.assertNotIn("BELOW_FLOOR", found(None))
        self.assertEqual([floor_in(plan, "G54", own) is None for own in (0, 1, None)], [False, False, True])
        self.assertEqual(floor_in(plan, "G54", 1).setup, "Op 20")

    def test_a_tool_whose_length_is_not_set(self):
        for is_set in (True, False):
            plan = plan_with(("is_set", is_set))
            self.assertEqual("TOOL_NOT_SET" in codes(HEAD + BODY, plan), not is_set)

    def test_a_value_left_in_the_radius_column_counts_once_it_is_used(self):
        """D2 called with compensation; D2 called, but cut without; nothing in the column."""
        used = HEAD + BODY.replace("G1 Z-5", "G1 G41 D2 Z-5")
        called = (HEAD + BODY).replace("G43 H2", "G43 H2 D2")
        left = plan_with(("compensation", 0.2))
        self.assertIn("COMPENSATION_LEFT", codes(used, left))
        self.assertNotIn("COMPENSATION_LEFT", codes(called, left))
        self.assertNotIn("COMPENSATION_LEFT", codes(used, demo_plan()))

    def test_wear_counts_with_the_length(self):
        """At Z 291.0 the gauge line is 0.1 below its top; 0.2 of wear puts it above."""
        text = HEAD.replace("Z10", "Z291") + BODY
        for wear, fires in ((0.0, False), (0.2, True), (-0.2, False)):
            self.assertEqual("BEYOND_TRAVEL" in codes(text, plan_with(("length_wear", wear))), fires, wear)

    def test_units_other_than_the_controls(self):
        self.assertIn("UNITS_OTHER", codes((HEAD + BODY).replace("G21", "G20"), demo_plan()))
        self.assertNotIn("UNITS_OTHER", codes(HEAD + BODY, demo_plan()))

    def test_travel_with_what_the_control_holds_now(self):
        """Planned at X -520 the program stays within; 30 further left it goes beyond -760, and only then."""
        text = HEAD + BODY.replace("X10", "X-225")
        plan = demo_plan()
        for x, fires in ((-520.0, False), (-534.9, False), (-535.1, True)):
            present = {(demo().machine.id, "G54"): Value(x, -214.0, -409.5)}
            found = [d for d in check_program(read(text), plan, present) if d.code == "BEYOND_TRAVEL"]
            self.assertEqual(bool(found), fires, x)
            if found:
                self.assertIn("with the present offset", found[0].message)
        # Of another code it says nothing.
        self.assertEqual(check_program(read(text), plan, {"G55": Value(-900.0, 0.0, 0.0)}), ())

    def test_jaws_in_the_box_the_tool_goes_through(self):
        """T2 is 20 wide; the fixed jaw stands from Y 34 on, up to Z -28.5."""
        radius = demo_plan().job.machine.cutter(2).diameter / 2.0
        for y, z, fires in ((34 - radius + 0.1, -29.0, True), (34 - radius - 0.1, -29.0, False), (60.0, -28.0, False)):
            text = HEAD + f"G1 Z{z} F300\nX10 Y{y}\nM30\n"
            self.assertEqual("MAY_MEET_HOLDING" in codes(text, demo_plan()), fires, (y, z))

    def test_depth_against_what_the_part_lies_on(self):
        """Through the hat to -33 is breakthrough; 1.5 below the parallels' top is in the parallels."""
        for z, fires in ((-33.0, False), (-33.4, False), (-34.0, True)):
            text = HEAD + BODY.replace("Z-5", f"Z{z}")
            self.assertEqual("BELOW_FLOOR" in codes(text, demo_plan()), fires, z)

    def test_travel_with_the_planned_offset(self):
        """G54 X is -520 and the travel ends at -760: X -240 is the last that can be reached."""
        for x, fires in ((-239.9, False), (-240.1, True)):
            text = HEAD + BODY.replace("X10", f"X{x}")
            self.assertEqual("BEYOND_TRAVEL" in codes(text, demo_plan()), fires, x)

    def test_travel_in_z_counts_the_tools_length(self):
        """E -409.5 and T2 118.4 long: gauge line at 0 is w 291.1."""
        for z, fires in ((291.0, False), (291.2, True)):
            text = HEAD.replace("Z10", f"Z{z}") + BODY
            self.assertEqual("BEYOND_TRAVEL" in codes(text, demo_plan()), fires, z)
