"""What follows a plan in a thread: it comes, it is of the plan that is shown, and it holds up nobody."""

from __future__ import annotations

from threading import Event
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from ledgecliff.core.errors import CancelledError, InternalError
from ledgecliff.core.findings import everything, rules
from ledgecliff.core.plan import Plan

from .gui import GuiTestCase


class FollowingTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.findings()  # of the demo, which was opened just now
        self.show_lens(1, "hold")

    def edit(self, height: float) -> None:
        self.document.set_value("height", ("setups", 0, "hold", "parallels_height"), height)

    def test_stage_and_tape_are_new_at_once_and_the_rest_is_marked_until_it_comes(self):
        before = self.desk.findings.findings
        self.edit(36.0)
        grip = next(line.mm for line in self.desk.tape.tape.lines if line.text == "grip")
        self.assertAlmostEqual(grip, 42.0 - 36.0, msg="jaw height less parallels")
        self.assertIn("being measured…", [line.text for line in self.desk.tape.tape.lines])
        self.assertIsNone(self.document.findings)
        self.assertEqual(self.desk.findings.findings, before)
        self.assertTrue(self.desk.findings.checking)
        self.assertEqual(self.desk.findings.more.text(), "checking…")
        self.assertTrue(all(card.stale for card in self.desk.route.cards))
        self.assertIn("GRIP_ABOVE_UNDERSIDE", self.codes())
        self.assertFalse(self.desk.findings.checking)
        self.assertFalse(any(card.stale for card in self.desk.route.cards))
        self.assertNotIn("being measured…", [line.text for line in self.desk.tape.tape.lines])

    def test_no_button_of_what_is_being_checked_can_be_pressed(self):
        self.edit(36.0)
        button = self.remedy_button()
        with mock.patch.object(everything, "findings_of", self.held(release := Event())):
            self.edit(35.5)
            QTest.mouseClick(button, Qt.MouseButton.LeftButton)
            self.assertAlmostEqual(self.document.job.setups[0].hold.parallels_height, 35.5)
            release.set()
            self.findings()
        QTest.mouseClick(self.remedy_button(), Qt.MouseButton.LeftButton)
        self.assertAlmostEqual(self.document.job.setups[0].hold.parallels_height, 38.0)

    @staticmethod
    def held(release: Event):
        """The rules, once they are let go."""

        def findings_of(plan, cancelled):
            release.wait(10.0)
            return rules.findings_of(plan, cancelled)

        return findings_of

    def test_what_is_overtaken_is_given_up_and_never_shown(self):
        started, given_up = Event(), Event()

        def endless(plan, cancelled):
            if plan.job.setups[0].hold.parallels_height != 36.0:
                return rules.findings_of(plan, cancelled)
            started.set()
            while not cancelled():
                pass
            given_up.set()
            raise CancelledError

        shown = []
        self.document.findings_changed.connect(lambda: shown.append(self.document.plan))
        with mock.patch.object(everything, "findings_of", endless):
            self.edit(36.0)
            overtaken = self.document.plan
            self.wait_for(started.is_set, "the rules to begin")
            self.edit(38.0)
            self.wait_for(given_up.is_set, "the first plan to be given up")
            self.assertNotIn("GRIP_ABOVE_UNDERSIDE", self.codes())
        self.assertEqual(shown, [self.document.plan])
        self.assertNotIn(overtaken, rules._known)

    def test_what_comes_late_is_dropped(self):
        plan, cards = self.document.plan, self.desk.route.cards
        self.edit(38.1)
        self.findings()
        found, drawn = self.document.findings, [card._picture for card in cards]
        self.desk.following._found.emit(plan, (), None, ())
        self.desk.following._drawn.emit(plan, 1, None)
        self.app.processEvents()
        self.assertEqual(self.document.findings, found)
        self.assertEqual([card._picture for card in cards], drawn)

    def test_the_scene_on_the_stage_comes_first(self):
        self.document.show_scene(3)
        came = []
        self.desk.following.picture_came.connect(lambda index, _picture: came.append(index))
        self.edit(38.1)
        self.findings()
        self.assertEqual(came[0], 3)
        self.assertEqual(sorted(came), [0, 1, 2, 3, 4])
        self.assertEqual([abs(index - 3) for index in came], sorted(abs(index - 3) for index in came))

    def test_a_held_key_waits_for_its_end(self):
        with mock.patch.object(everything, "findings_of", wraps=rules.findings_of) as asked:
            for k in range(8):
                self.edit(38.0 + 0.01 * (k + 1))
            self.assertLessEqual(asked.call_count, 1, "edits that follow at once are not checked one by one")
            self.findings()
            self.assertIs(asked.call_args.args[0], self.document.plan)

    def test_a_fault_of_ours_is_told_and_ends_it(self):
        with mock.patch.object(everything, "findings_of", side_effect=InternalError("the seat", "it has no area")):
            self.edit(38.1)
            self.findings()
        self.assertIn("Internal error in the seat", self.desk.notices.label.text())
        self.assertIsNone(self.document.findings)
        self.assertTrue(self.desk.findings.checking, "what is shown is still of the older plan")

    def test_of_a_plan_that_lost_some_of_the_part_nothing_leaves_the_window(self):
        """It is told, nothing is found, and neither programs nor drawings are written."""
        fault = InternalError("operation 'outline'", "the stock it leaves lacks 500 mm³ of the finished part")
        out = self.folder / "out"
        with mock.patch.object(Plan, "check_part_is_left", side_effect=fault):
            self.edit(38.1)
            self.findings()
            self.assertIn("lacks 500 mm³ of the finished part", self.desk.notices.label.text())
            self.assertIsNone(self.document.findings)
            with mock.patch.object(QFileDialog, "getExistingDirectory", return_value=str(out)):
                for write in (self.commands.write_programs, self.commands.write_drawings):
                    self.desk.notices.say("")
                    write()
                    self.assertIn("lacks 500 mm³ of the finished part", self.desk.notices.label.text())
        self.assertFalse(out.exists())

    def test_a_fault_that_nobody_foresaw_is_told_as_well(self):
        with mock.patch.object(everything, "findings_of", side_effect=KeyError("jaws")):
            self.edit(38.1)
            self.findings()
        self.assertIn("Internal error (KeyError: 'jaws')", self.desk.notices.label.text())
        self.edit(38.0)
        self.assertIsInstance(self.codes(), set, "the next plan is checked again")

    def test_closing_meanwhile(self):
        self.edit(38.1)
        self.desk.following.stop()
        self.assertFalse(self.desk.following.busy())

    def test_release_and_tool_table_say_that_it_is_being_checked(self):
        self.show_lens(1, "release")
        self.edit(36.0)
        self.assertEqual(self.panel()._standing.text(), "Being checked…")
        self.findings()
        self.assertIn("not fit to run", self.panel()._standing.text())
        self.commands.open_sheet("tools")
        self.edit(38.0)
        self.assertEqual(self.desk.stage.tool_sheet.wrong.text(), "Being checked…")
        self.findings()
        self.assertNotEqual(self.desk.stage.tool_sheet.wrong.text(), "Being checked…")
