"""Remedies, rehearsals and the register in the window's one list of findings."""

from __future__ import annotations

import re
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ledgecliff.core.register.entries import Use, claimed
from ledgecliff.store.register_db import RegisterDb
from ledgecliff.store.register_place import register_place
from tests.app.gui import GuiTestCase

PARALLELS = ("setups", 0, "hold", "parallels_height")


class OpenListTest(GuiTestCase):
    def test_the_worst_is_on_top_and_what_was_the_worst_line_counts_them(self):
        self.document.set_value("height", PARALLELS, 36.0)
        self.findings()
        bar = self.desk.findings
        said = [row.finding for row in bar.rows()]
        for _ in range(2):
            QTest.mouseClick(bar.more, Qt.MouseButton.LeftButton)
            QTest.qWait(1)
            rows = bar.rows()
            tops = [row.mapTo(bar, row.rect().topLeft()).y() for row in rows]
            self.assertEqual(tops, sorted(tops))
            self.assertEqual([row.finding for row in rows], said)
            self.assertTrue(bar.counts.isVisible() and bar.list_area.isAncestorOf(rows[0]))
            self.assertIn(f"Op&nbsp;10:&nbsp;{sum(finding.setup == 'Op 10' for finding in said)}", bar.counts.text())
            QTest.mouseClick(bar.more, Qt.MouseButton.LeftButton)
            QTest.qWait(1)
            self.assertTrue(rows[0].isVisible() and not bar.counts.isVisible() and not rows[1].isVisible())
            self.assertEqual([row.finding for row in bar.rows()], said)

    def test_a_setup_lists_its_own_alone_and_all_come_back(self):
        self.document.set_value("height", PARALLELS, 36.0)
        self.document.set_value("name", ("setups", 0, "name"), "Op <10>")
        self.findings()
        bar = self.desk.findings
        bar.open_list()

        def link(words):
            found = re.search(rf'<a href="(\w+)">(?:<b>)?{words}', bar.counts.text())
            bar.counts.linkActivated.emit(found.group(1))
            QTest.qWait(1)
            return {row.finding.setup for row in bar.rows() if row.isVisible()}

        everything = {finding.setup for finding in bar.findings}
        self.assertEqual(everything, {"", "Op <10>"})
        self.assertEqual(link("Op&nbsp;&lt;10&gt;"), {"Op <10>"})
        self.assertNotIn("1 warning", bar.counts.text().split(" · ")[0], "counts are of what is listed")
        self.assertEqual(link("all"), everything)
        self.assertEqual(link("whole&nbsp;job"), {""})
        self.assertEqual(link("whole&nbsp;job"), everything, "pressed again it lists all")
        link("whole&nbsp;job")
        QTest.mouseClick(bar.more, Qt.MouseButton.LeftButton)
        QTest.qWait(1)
        self.assertTrue(bar.rows()[0].isVisible(), "the worst stands in the line again")

    def test_it_closes_when_no_more_than_one_is_left(self):
        self.document.set_value("height", PARALLELS, 36.0)
        self.findings()
        self.desk.findings.open_list()
        self.desk.findings.show_findings(self.desk.findings.findings[:1])
        self.assertFalse(self.desk.findings.list_area.isVisible() or self.desk.findings.counts.isVisible())
        self.assertEqual(len(self.desk.findings.rows()), 1)


class RemedyTest(GuiTestCase):
    def row(self, code):
        """The row of a finding, once everything was tried."""
        self.findings()
        self.wait_for(lambda: self.document.all_tried, "remedies")
        return next(row for row in self.desk.findings.rows() if row.finding.code == code)

    def test_a_button_comes_only_once_it_was_tried_and_says_what_it_leaves(self):
        self.document.set_value("height", PARALLELS, 36.0)
        self.assertFalse(any(row.fix_button.isVisible() for row in self.desk.findings.rows()), "of an older plan")
        row = self.row("GRIP_ABOVE_UNDERSIDE")
        self.assertIn("leaves grip 4.000", row.advice.text())
        self.assertIn("leaves grip 4.000", row.accessibleName())
        QTest.mouseClick(row.fix_button, Qt.MouseButton.LeftButton)
        self.assertIn("parallels height 36.000 → 38.000", self.desk.notices.label.text())
        self.commands.undo()
        self.assertEqual(self.document.job.setups[0].hold.parallels_height, 36.0)

    def test_where_nothing_cures_there_is_no_button(self):
        """With a least grip of 6 over a hat of 4.5 no height of parallels serves both."""
        self.document.set_value("grip", ("machines", 0, "fixtures", 0, "grip_min"), 6.0)
        self.assertFalse(self.row("GRIP_TOO_SMALL").fix_button.isVisible())

    def test_a_promise_looks_unlike_a_change_of_the_plan(self):
        self.document.set_value("stock", ("setups", 1, "stock_assumed", "z"), 40.0)
        button = self.row("STOCK_NOT_WHAT_IS_LEFT").fix_button
        self.assertTrue(button.text().startswith("☐ Its programs are made for"))
        self.assertTrue(button.property("promise"))
        self.document.set_value("offset", ("setups", 1, "offset"), "G54")
        self.assertFalse(self.row("OFFSET_SHARED").fix_button.property("promise"))

    def test_a_setup_is_added_for_what_no_setup_reaches(self):
        QTest.mouseClick(self.row("FEATURE_NOT_REACHED").fix_button, Qt.MouseButton.LeftButton)
        self.assertEqual([setup.orientation.up for setup in self.document.job.setups], ["+Z", "-Z", "+X"])
        self.assertNotIn("FEATURE_NOT_REACHED", self.codes())
        self.assertEqual(len(self.desk.route.cards), 7)

    def test_like_findings_of_two_setups_by_one_button(self):
        self.document.apply("stand-off", lambda job: job.model_copy(update={"setups": tuple(
            setup.model_copy(update={"probing": setup.probing.model_copy(update={"stand_off": 1.0})})
            for setup in job.setups)}))  # fmt: skip
        button = self.row("TOUCH_OUTSIDE_WINDOW").everywhere_button
        self.assertEqual(button.text(), "In all 2 setups")
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.assertNotIn("TOUCH_OUTSIDE_WINDOW", self.codes())

    def test_what_is_said_in_passing_goes_by_itself_and_what_is_bad_stays(self):
        notices = self.desk.notices
        notices.say("Done.")
        self.assertTrue(notices._goes.isActive())
        notices._goes.timeout.emit()
        self.assertFalse(notices.isVisible())
        notices.say("It cannot be read.", bad=True)
        self.assertFalse(notices._goes.isActive())
        notices.say("Really?", ("Yes", lambda: None))
        self.assertFalse(notices._goes.isActive())


class OneListTest(GuiTestCase):
    def test_a_clash_in_the_register_stands_in_the_bar_on_the_card_and_on_release(self):
        db = RegisterDb(register_place(), who=lambda: "somebody")
        self.addCleanup(db.close)
        machine = self.document.job.machine
        entry = next(each for each in db.entries(machine) if each.code == "G54")
        db.write(machine, [claimed(entry, Use("Sluice gate", "Op 10"))])
        self.desk.following.look_beside_again()
        self.assertIn("OFFSET_TAKEN", self.codes())
        self.assertEqual(self.desk.route.cards[1].worst, "error")
        self.show_lens(1, "release")
        self.assertIn("1 hazard or error", self.panel()._standing.text())

    def test_a_program_beside_the_job_is_read_and_told(self):
        job = self.folder / "job.json"
        with mock.patch.object(self.desk.files, "ask_save", return_value=job):
            self.assertTrue(self.desk.files.save_as())
        (job.parent / "part.ngc").write_text("G21 G17 G90 G55\nM30\n", encoding="utf-8")
        self.document.set_value("program", ("setups", 0, "operations", 1, "program"), "part.ngc")
        self.assertIn("OFFSET_NOT_THE_SETUPS", self.codes())


class RehearsedTest(GuiTestCase):
    def run_trial(self, seed=7):
        self.commands.rehearse(seed)
        self.wait_for(lambda: not self.commands.busy(), "the rehearsal")

    def test_what_is_found_off_is_on_the_card_in_the_row_and_in_the_list(self):
        self.document.set_value("cycles", ("setups", 1, "probing", "cycles"), ())
        self.show_lens(3, "rehearse")
        self.run_trial()
        self.assertRegex(self.desk.route.cards[3].seal, r"^✕ 1\.191 off$")
        self.assertEqual(self.desk.route.cards[1].seal, "● rehearsed")
        offsets = self.panel().offsets
        rows = {offsets.item(k, 0).text(): k for k in range(offsets.rowCount())}
        self.assertEqual(offsets.item(rows["found − true"], 1).text()[0], "✕")
        self.assertEqual(offsets.item(rows["may be off"], 1).text(), "not set")
        self.assertIn("REHEARSAL_NOT_SET", self.codes())
        self.document.set_value("depth", ("setups", 0, "probing", "depth"), 7.0)
        self.assertNotIn("REHEARSAL_NOT_SET", self.codes(), "of the plan before")
        self.wait_for(lambda: self.desk.route.cards[3].seal == "◔ checked", "the seal")

    def test_twenty_trials_at_once(self):
        self.show_lens(1, "rehearse")
        QTest.mouseClick(self.panel().many, Qt.MouseButton.LeftButton)
        self.wait_for(lambda: not self.commands.busy(), "the trials", 60_000)
        self.assertRegex(self.panel()._proof.text(), r"^20 trials, worst 0\.\d{3} mm of 0\.\d{3} mm \(.*\), no alarm\.")
        self.show_lens(1, "release")
        self.assertIn("20 trials", self.panel()._proof.text())

    def test_simulated_numbers_stand_on_another_paper_and_nowhere_else(self):
        self.show_lens(1, "rehearse")
        self.run_trial()
        self.assertTrue(self.desk.tape.tape.simulated)
        other = self.desk.tape.roll.grab().toImage().pixelColor(12, 300)
        self.show_lens(1, "release")
        self.assertFalse(self.desk.tape.tape.simulated)
        self.assertNotEqual(self.desk.tape.roll.grab().toImage().pixelColor(12, 300), other)
        self.show_lens(1, "rehearse")
        self.commands.open_sheet("shop")
        self.assertEqual(self.desk.tape.tape.lines, ())
        self.desk.stage.close_sheet()
        self.assertTrue(self.desk.tape.tape.simulated)
