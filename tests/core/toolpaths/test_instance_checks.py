"""Toolpath programs of setups that stand many times: each slip made to fire and not to fire."""

from __future__ import annotations

import unittest

from ledgecliff.core.changing import set_value
from ledgecliff.core.plan import make_plan
from ledgecliff.core.toolpaths.checks import check_program
from ledgecliff.core.toolpaths.control_words import control_words
from ledgecliff.core.toolpaths.programs import differences_of, programs_of
from ledgecliff.core.toolpaths.reading import read_toolpath
from tests.helpers import shipped_plan

FIRST, SECOND = ("setups", 0, "pattern"), ("setups", 1, "pattern")
HEAD = "%\nG21 G17 G90 G40 G49 G80\nT2 M6\n{}\nG43 H2\nM3 S9000\nG0 X0 Y0 Z40\n"


def shoes(*edits):
    plan = shipped_plan("rack-shoes")
    job = plan.job
    for path, value in edits:
        job = set_value(job, path, value)
    return make_plan(job, plan.models)


def told(plan, setup, text, operation=0):
    """The codes found against an operation of a setup, with what they say."""
    of = next(each for each in programs_of(plan) if (each.setup, each.operation) == (setup, operation))
    summary = read_toolpath([text.encode()], control=control_words(plan.job.machine))
    return {each.code: each.message for each in differences_of(summary, plan, of)}


class CalledTest(unittest.TestCase):
    def test_offsets_of_instances_are_the_setups_own(self):
        text = HEAD.format("G54.1 P2") + "G1 Z20 F300\nX5\nM30\n"
        self.assertNotIn("OFFSET_NOT_THE_SETUPS", told(shoes(), 1, text))
        self.assertNotIn("OFFSET_NOT_PLANNED", told(shoes(), 1, text))
        self.assertIn("OFFSET_NOT_THE_SETUPS", told(shoes(), 1, text.replace("P2", "P9")))
        self.assertIn("OFFSET_NOT_PLANNED", told(shoes(), 1, text.replace("P2", "P9")))
        # Op 10's programs have no business there.
        self.assertIn("OFFSET_NOT_THE_SETUPS", told(shoes(), 0, text))

    def test_travel_counts_where_the_instance_stands(self):
        """300 right of the fifth, at X -152, is beyond the travel; of the first, at -448, it is not."""
        far = HEAD + "G1 Z20 F300\nX300\nM30\n"
        self.assertIn("BEYOND_TRAVEL", told(shoes(), 1, far.format("G54.1 P4")))
        self.assertNotIn("BEYOND_TRAVEL", told(shoes(), 1, far.format("G55")))

    def test_skipped_and_finished_ones(self):
        text = HEAD.format("G54.1 P2") + "G1 Z20 F300\nX5\nM30\n"
        skipped = ((*SECOND, "instances"), [{"place": "3-1", "state": "skipped", "reason": "broken tool in it"}])
        found = told(shoes(skipped), 1, text)
        self.assertIn("instance 3 of Op 20 is skipped: broken tool in it", found["SKIPPED_IN_PROGRAM"])
        finished = ((*SECOND, "instances"), [{"place": "3-1", "state": "finished"}])
        self.assertIn("FINISHED_IN_PROGRAM", told(shoes(finished), 1, text))
        for edits in ((), (skipped,)):
            self.assertNotIn("SKIPPED_IN_PROGRAM", told(shoes(*edits), 1, text.replace("P2", "P3")))
        # One that shares its offset with others that are on is not called by it.
        self.assertNotIn("SKIPPED_IN_PROGRAM", told(shoes(), 0, HEAD.format("G54") + "X5\nM30\n"))


class LeftOverShiftTest(unittest.TestCase):
    def codes(self, lines, style=""):
        text = HEAD.format("G54") + f"{style}{lines}\nM30\n"
        return {each.code for each in check_program(read_toolpath([text.encode()]))}

    def test_a_shift_must_be_cleared(self):
        self.assertIn("SHIFT_LEFT", self.codes("G52 X74 Y0\nX5"))
        self.assertIn("SHIFT_LEFT", self.codes("G52 X74 Y0\nX5\nG52 X0"[:-7] + "G52 Y0"))
        self.assertNotIn("SHIFT_LEFT", self.codes("G52 X74 Y0\nX5\nG52 X0 Y0"))
        self.assertNotIn("SHIFT_LEFT", self.codes("X5"))


class PlacesTest(unittest.TestCase):
    """Bores of Op 10 at X 31, places 74 apart over five columns and 118.2 over two rows: X 31 to 327, Y 20 to 138.2."""

    def found(self, x, y, *edits):
        plan = shoes(((*FIRST, "school"), "in the program"), *edits)
        return told(plan, 0, HEAD.format("G54") + f"X31 Y20\nX{x} Y{y}\nG1 Z5 F200\nM30\n")

    def test_all_places_are_gone_to(self):
        self.assertNotIn("PLACES_MISSED", self.found(327, 138.2))
        self.assertIn("along X", self.found(253, 138.2)["PLACES_MISSED"])
        self.assertIn("along Y", self.found(327, 20)["PLACES_MISSED"])

    def test_and_no_further(self):
        """Eight of the bore, two tools of 6 and 10 may be spare."""
        self.assertNotIn("BEYOND_PLACES", self.found(327 + 8 + 12 + 9, 138.2))
        self.assertIn("BEYOND_PLACES", self.found(327 + 8 + 12 + 11, 138.2))

    def test_a_last_column_that_is_skipped_is_seen_in_it(self):
        skipped = [{"place": f"5-{row}", "state": "skipped", "reason": "no blanks"} for row in (1, 2)]
        edit = ((*FIRST, "instances"), skipped)
        self.assertIn("skipped may still be in it", self.found(327, 138.2, edit)["BEYOND_PLACES"])
        self.assertNotIn("BEYOND_PLACES", self.found(253, 138.2, edit))

    def test_only_where_the_program_has_the_places(self):
        self.assertNotIn("PLACES_MISSED", told(shoes(), 0, HEAD.format("G54") + "X31 Y20\nM30\n"))


class OverGroupsTest(unittest.TestCase):
    """An operation that runs over a row at once is held against the row, whoever has which offset."""

    def found(self, setup, text, *edits):
        return told(shoes(*edits), setup, text)

    def test_with_local_shifts_it_goes_to_all_that_share_the_offset(self):
        over = ((*FIRST, "over_groups"), ["bore pin bore"])
        short = HEAD.format("G54") + "X31 Y20\nX253 Y138.2\nG1 Z5 F200\nM30\n"
        self.assertIn("along X", self.found(0, short, over)["PLACES_MISSED"])
        self.assertNotIn("PLACES_MISSED", self.found(0, short.replace("253", "327"), over))
        self.assertNotIn("PLACES_MISSED", self.found(0, short))

    def test_with_offsets_of_their_own_the_others_count_from_the_called_one(self):
        """Five stations 74 apart; called in the second's offset the first lies 74 left of it, the last 222 right."""
        operations = shoes().job.setups[1].operations
        over = ((*SECOND, "over_groups"), [operations[0].name])
        tool = operations[0].tool
        head = HEAD.format("G54.1 P1").replace("T2", f"T{tool}").replace("H2", f"H{tool}")
        for left, right, missed in ((-100, 260, False), (-20, 260, True), (-100, 100, True)):
            text = head + f"X{left} Y0\nX{right} Y40\nX{left} Y-40\nG1 Z5 F200\nM30\n"
            self.assertEqual("PLACES_MISSED" in self.found(1, text, over), missed, (left, right))
        self.assertNotIn("PLACES_MISSED", self.found(1, head + "X0 Y0\nG1 Z5 F200\nM30\n"))
