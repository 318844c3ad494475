"""Probing in the real window: steps picked, added and changed; the player; the profile with its live example."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.cycles import take_over
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.measuring.measured import KnownRing, RecordedTouch, RecordedTouches, RecordedWcs
from ledgecliff.core.model.cycles import ProbeCycle
from ledgecliff.core.programs.profile import shipped_profile
from ledgecliff.store.demo import demo_job
from tests.app.gui import GuiTestCase


class ProbeLensTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.show_lens(1, "probe")

    def rows(self):
        listed = self.panel().list
        return [listed.item(k).text() for k in range(listed.count())]

    def press(self, words):
        button = next(b for b in self.panel().findChildren(type(self.window.unit_button)) if b.text() == words)
        button.click()

    def cycles(self):
        return self.document.job.setups[0].probing.cycles

    def test_a_feature_picked_on_the_drawing_is_probed(self):
        """Click the bore's mark, add a bore cycle on it out of the menu: planned, drawn, and run at the wrong time."""
        self.window.grab()
        spots = {source: box for box, source in self.desk.stage.canvas.targets}
        QTest.mouseClick(self.desk.stage.canvas, Qt.MouseButton.LeftButton, pos=spots["main bore"].center().toPoint())
        self.assertEqual(self.document.picked, "main bore")
        self.add_something("main bore", "bore main bore")
        self.assertEqual(self.cycles()[-1].feature, "main bore")
        self.assertIn("main bore", self.rows()[-1])
        self.assertIn("TOUCH_BURIED", self.codes(), "in Op 10 the bore is not cut yet")
        self.choose("Runs", "after bore through the hat")
        self.assertNotIn("TOUCH_BURIED", self.codes())
        self.commands.undo()
        self.commands.undo()
        self.assertIsNone(self.cycles())

    def test_the_card_of_the_picked_step_is_shown_and_written(self):
        self.wait_for(lambda: not self.panel().cards.busy(), "the cards to be worked out")
        self.assertIn("expected size along X: 100.000 mm", self.panel()._card.text())
        self.assertIn("To within 4.600 mm is near enough", self.panel()._card.text())
        self.document.show_step(2)
        self.assertIn("One surface, moving −Z", self.panel()._card.text())
        self.document.show_unit("in")
        self.assertIn("Over the stock top, about 0.5906 in above it", self.panel()._card.text())
        path = self.folder / "cards.html"
        self.desk.files.ask_save = lambda *_: path
        self.press("Write cards…")
        page = path.read_text(encoding="utf-8")
        self.assertIn("3.9370 in", page)
        self.assertNotIn("Op 20", page, "they are of the setup on the stage")

    def test_rehearsed_by_cards(self):
        self.show_lens(1, "rehearse")
        self.panel().by_cards.click()
        self.commands.rehearse_now()
        self.wait_for(lambda: self.document.rehearsal is not None, "the rehearsal")
        self.assertTrue(self.document.rehearsal.by_cards)
        self.assertEqual((self.document.rehearsal.alarms, self.document.rehearsal.amiss), ((), ()))
        self.panel().by_cards.click()
        self.assertIsNone(self.document.rehearsal, "what was rehearsed the other way proves nothing of this one")

    def test_steps_are_changed_one_by_one_with_the_keyboard(self):
        self.press("Edit these steps")
        self.panel().list.setFocus()
        QTest.keyClick(self.panel().list, Qt.Key.Key_Down)
        self.assertEqual(self.document.step, 1)
        self.type_in(self.field("Touches averaged").entry, "3")
        self.assertEqual([cycle.touches for cycle in self.cycles()], [1, 3, 1])
        self.type_in(self.field("Stand-off").entry, "1/8in")
        self.assertAlmostEqual(self.cycles()[1].stand_off, 3.175)
        self.type_in(self.field("Touches averaged").entry, "many")
        self.assertTrue(self.field("Touches averaged").said.text())
        self.choose("What it does", "only measures")
        self.assertIn("DATUM_NOT_EARNED", self.codes())
        self.assertIn("measures", self.rows()[1])

    def test_order_removal_and_proposal(self):
        self.press("Edit these steps")
        self.press("Later")
        self.assertEqual([cycle.kind for cycle in self.cycles()], ["outside width", "outside width", "surface"])
        self.assertEqual(self.cycles()[0].axis, "y")
        self.press("Remove")
        self.assertEqual(len(self.cycles()), 2)
        self.press("Propose again")
        self.assertIsNone(self.cycles())

    def test_angles_are_typed_in_degrees(self):
        self.add_something("main bore", "bore main bore at three angles")
        self.type_in(self.field("Angles").entry, "0, 120 240")
        self.assertEqual(self.cycles()[-1].angles_deg, (0.0, 120.0, 240.0))
        self.type_in(self.field("Angles").entry, "0, 90")
        self.assertIn("at least three", self.field("Angles").said.text())

    def test_a_touch_picked_on_the_drawing_picks_its_step(self):
        self.window.grab()
        spots = {source: box for box, source in self.desk.stage.canvas.targets}
        self.panel().list.setCurrentRow(2)
        QTest.mouseClick(self.desk.stage.canvas, Qt.MouseButton.LeftButton, pos=spots["touch-1"].center().toPoint())
        self.assertEqual(self.panel().list.currentRow(), 0)

    def test_a_long_list_of_measurements(self):
        self.open(demo_job("winch-cheek"))
        self.show_lens(1, "probe")
        self.assertEqual(len(self.rows()), 16)
        self.panel().list.setCurrentRow(9)
        self.assertIn("hole 6", self.desk.tape.tape.lines[0].text)
        self.assertEqual(self.document.step, 9)

    def test_the_skew_is_chosen_with_the_datum(self):
        self.show_lens(1, "datum")
        self.choose("Squared to", "stock front side")
        self.assertEqual(self.document.job.setups[0].datum.skew, "stock front side")
        self.show_lens(1, "probe")
        self.assertIn("skew from stock front side", self.rows()[0])


class PlayerTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.show_lens(1, "rehearse")
        self.commands.rehearse_now()
        self.wait_for(lambda: self.document.rehearsal is not None, "the rehearsal")

    def test_one_move_at_a_time_and_back(self):
        panel = self.panel()
        seen = []
        for _ in range(4):
            panel.step.click()
            seen.append(panel._doing.text())
        self.assertEqual(len(set(seen)), 4)
        self.assertIsNotNone(self.desk.stage.canvas._ball)
        panel.again.click()
        self.assertIsNone(self.desk.stage.canvas._ball)
        self.assertEqual(panel.play.text(), "Watch the ball")

    def test_it_holds_at_a_touch_and_goes_on(self):
        panel = self.panel()
        panel.breaks.setChecked(True)
        panel._speed = 2
        panel.play.click()
        self.wait_for(lambda: not panel.is_playing(), "the first touch")
        self.assertIn("met the part", panel._doing.text())
        self.assertEqual(panel.play.text(), "Go on")
        first = panel._seconds
        panel.play.click()
        self.wait_for(lambda: not panel.is_playing(), "the second touch")
        self.assertGreater(panel._seconds, first)

    def test_the_way_is_drawn_on_plan_and_front(self):
        for drawing in self.desk.stage.canvas.drawings:
            strokes = [item for item in drawing.items if getattr(item, "line", "") == "search"]
            self.assertGreaterEqual(len(strokes), 10)


class MeasuredTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.open(demo_job("winch-cheek"))
        self.show_lens(1, "rehearse")

    def test_holes_from_the_bore_as_table_and_drawing(self):
        self.assertIn("Shown after a rehearsal", self.panel().measured.words.text())
        self.commands.rehearse_now()
        self.wait_for(lambda: self.document.rehearsal is not None, "the rehearsal", 60_000)
        panel = self.panel()
        self.assertEqual(self.choice("Seen from").box.currentText(), "shaft bore")
        self.choose("Squared to", "hole 7")
        self.assertIn("hole 7: X +0.000", panel.measured.words.text())
        measured = panel.measured.measurement()
        for name, words in (("m.csv", "feature,x,y"), ("m.dxf", "DISTANCES-X")):
            panel.measured.write_measured(measured, self.folder / name)
            self.assertIn(words, (self.folder / name).read_text(encoding="utf-8"))
        self.choose("Seen from", "hole 1")
        self.assertIn("shaft bore: X +70", panel.measured.words.text())

    def test_touches_of_a_control_are_read(self):
        touches = RecordedTouches(
            setup="Op 10",
            touches=[
                RecordedTouch(step=f"measure {name}", x=x + dx * r, y=y + dy * r, z=-300.0)
                for name, x, y, r in (("shaft bore", -500.0, -200.0, 28.018), ("hole 2", -570.25, -200.0, 3.268))
                for dx, dy in ((-1, 0), (1, 0), (0, -1), (0, 1))
            ],
        )
        path = self.folder / "touches.json"
        path.write_text(touches.model_dump_json(), encoding="utf-8")
        self.panel().measured.read_touches(path)
        self.assertIn("touches from a file", self.panel().measured.words.text())
        self.assertIn(
            "hole 2: X \u221270.250  Y +0.000\n    off 0.250 of 0.200 allowed", self.panel().measured.words.text()
        )
        path.write_text("{}", encoding="utf-8")
        self.panel().attempt(lambda: self.panel().measured.read_touches(path))
        self.assertIn("setup", self.panel().refused.text())

    def test_a_ring_calibrates_the_probe(self):
        """A ring of 60 whose walls stop the ball's centre 28.025 off its middle: the radius is 1.975."""
        rows = [
            RecordedTouch(step="measure shaft bore", x=-500 + dx * 28.025, y=-200 + dy * 28.025, z=-300)
            for dx, dy in ((-1, 0), (1, 0), (0, -1), (0, 1))
        ]
        ring = KnownRing(step="measure shaft bore", diameter=60.0)
        path = self.folder / "ring.json"
        self.assertFalse(self.panel().measured.take_radius.isEnabled())
        path.write_text(RecordedTouches(setup="Op 10", touches=rows, ring=ring).model_dump_json(), encoding="utf-8")
        self.panel().measured.read_touches(path)
        self.assertIn("calibrated: X 1.975  Y 1.975", self.panel().measured.words.text())
        self.panel().measured.take_radius.click()
        self.assertEqual(self.document.job.machine.probe.effective_radius, 1.975)

    def test_what_a_control_has_set_is_kept_in_the_register(self):
        """Moved by 2 since before: asked for once, and kept when it is wanted again; stale for another job's use."""
        rows = [
            RecordedTouch(step="measure shaft bore", x=-500 + dx * 28.018, y=-200 + dy * 28.018, z=-300)
            for dx, dy in ((-1, 0), (1, 0), (0, -1), (0, 1))
        ]
        now, before = RecordedWcs(x=-518.0, y=-240.0, z=-426.0), RecordedWcs(x=-520.0, y=-240.0, z=-426.0)
        path = self.folder / "touches.json"
        recorded = RecordedTouches(setup="Op 10", touches=rows, wcs=now, before=before)
        path.write_text(recorded.model_dump_json(), encoding="utf-8")
        self.assertFalse(self.panel().measured.keep.isEnabled())
        self.panel().measured.read_touches(path)
        self.panel().measured.keep.click()
        self.assertIn("it has moved X by +2.000 mm", self.panel().refused.text())
        self.panel().measured.keep.click()
        entry = self.desk.stage.register_desk.entry("G54")
        self.assertEqual((entry.value.x, entry.origin, entry.state()), (-518.0, "touches", "in use"))
        self.document.apply("title", lambda job: job.model_copy(update={"title": "Another name"}))
        self.assertNotIn("OFFSET_TAKEN", self.codes())
        # Saved elsewhere it is another job, which does not own the code.
        another = self.document.job.model_copy(update={"id": "0123456789ab"})
        self.document.saved_as(another, self.folder / "another.json")
        self.assertIn("OFFSET_TAKEN", self.codes())
        taken = next(f for f in self.document.findings if f.code == "OFFSET_TAKEN")
        self.assertIn("which the register keeps for Winch cheek", taken.fact)
        self.document.show_lens("release")
        self.assertIn("not fit to run", self.panel()._standing.text())


class ProfileSheetTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.show_lens(1, "release")
        self.commands.open_sheet("profile")
        self.sheet = self.desk.stage.profile_sheet

    def settle(self):
        self.sheet.try_out()

    def test_a_shipped_profile_is_copied_before_it_is_changed(self):
        self.assertTrue(self.sheet.text.isReadOnly())
        self.assertIn("G38.2", self.sheet.example.toPlainText())
        self.sheet.buttons["copy"].click()
        self.assertEqual(self.document.job.machine.profile, "our parameter style")
        self.assertFalse(self.sheet.text.isReadOnly())

    def test_the_example_follows_and_faults_are_marked_at_their_line(self):
        self.sheet.buttons["copy"].click()
        text = self.sheet.text.toPlainText()
        self.sheet.text.setPlainText(text.replace("(results, in", "(what was found, in"))
        self.settle()
        self.assertIn("(what was found, in", self.sheet.example.toPlainText())
        self.sheet.text.setPlainText(text.replace("{{ words(a.words) }}", "{{ words(a.wrods) }}", 1))
        self.settle()
        self.assertIn("line", self.sheet.said.text())
        (mark,) = self.sheet.text.extraSelections()
        self.assertIn("wrods", mark.cursor.block().text())
        self.assertFalse(self.document.job.machine.profiles[0].text != text, "nothing is kept before it is asked for")

    def test_kept_text_writes_the_programs(self):
        self.sheet.buttons["copy"].click()
        text = self.sheet.text.toPlainText().replace("(results, in", "(what was found, in")
        self.sheet.text.setPlainText(text)
        self.settle()
        self.sheet.buttons["keep"].click()
        self.sheet.buttons["close"].click()
        self.assertIn("(what was found, in", self.desk.stage.release_panel.program_text())
        self.commands.undo()
        self.assertNotIn("(what was found, in", self.desk.stage.release_panel.program_text())

    def test_files_in_and_what_is_no_profile(self):
        path = self.folder / "our mill.txt"
        path.write_text(shipped_profile("parameter style").text, encoding="utf-8")
        self.sheet.read_file(path)
        self.assertEqual(self.document.job.machine.profile, "our mill")
        path.write_bytes(b"\xff\xfe\x00")
        self.sheet.attempt(lambda: self.sheet.read_file(path))
        self.assertIn("cannot be read", self.sheet.said.text())
        self.sheet.buttons["remove"].click()
        self.assertEqual(self.document.job.machine.profile, "parameter style")

    def test_the_release_lens_reads_back(self):
        self.sheet.buttons["close"].click()
        panel = self.panel()
        panel._want_back()
        self.wait_for(panel._read.text, "the programs to be read back")
        self.assertRegex(panel._read.text(), "As planned: 5 touches and 5 results agree, [1-9][0-9] stops were driven")
        self.choose("Profile", "numbered-variable skip style")
        self.assertIn("G31", panel.program_text())


class ReturnedTest(GuiTestCase):
    """Results that came back from the machine, in the rehearse lens."""

    def setUp(self):
        super().setUp()
        self.show_lens(1, "rehearse")
        self.section = self.panel().returned

    def type_value(self, row, text):
        self.section.table.item(row, 1).setText(text)

    def column(self, column):
        return [self.section.table.item(k, column).text() for k in range(self.section.table.rowCount())]

    def test_typed_with_units_and_silly_values(self):
        self.assertEqual(self.column(0)[:2], ["1. centre X", "1. width along X"])
        self.type_value(0, "1.2")
        self.type_value(1, "3.935 in")
        self.assertEqual(self.column(1)[:2], ["+1.200", "99.949"])
        self.assertEqual(self.column(2)[:2], ["+1.200", "−0.051"])
        self.assertIn("G54 then holds X −518.800", self.section.words.text())
        self.type_value(1, "wide")
        self.assertIn("'wide' is not taken", self.section.words.text())
        self.assertEqual(self.column(1)[1], "99.949", "what was there is not lost")
        self.type_value(1, "")
        self.assertIn("Type what the control shows", self.section.words.text())

    def test_a_hole_nobody_has_drawn_is_put_there_touched_and_kept(self):
        self.assertFalse(self.section.keep_holes.isVisibleTo(self.panel()))
        self.show_lens(1, "probe")
        self.type_in(self.field("Reads about").entry, "-25.2, 22, 5")
        hole = self.document.job.part.feature("found hole 1")
        self.assertEqual((hole.at.x, hole.at.y, hole.diameter), (22.8, 54.0, 5.0))
        job = take_over(self.document.job, 0)
        routine = job.setups[0].probing
        bore = ProbeCycle(name="old", kind="bore", on="feature", feature="found hole 1", action="measure", depth=4.0)
        path = ("setups", 0, "probing", "cycles")
        self.document.apply("bore", lambda _job: set_value(job, path, (*routine.cycles, bore)))
        self.show_lens(1, "rehearse")
        self.section = self.panel().returned
        lines = "\n".join(f"#{530 + k} = {value}" for k, value in enumerate((-25.0, 22.3, 5.1, 5.3)))
        QGuiApplication.clipboard().setText(lines)
        self.section._paste()
        self.assertTrue(self.section.keep_holes.isVisibleTo(self.panel()))
        self.section.keep_holes.click()
        hole = self.document.job.part.feature("found hole 1")
        self.assertEqual((round(hole.at.x, 6), round(hole.at.y, 6), round(hole.diameter, 6)), (23.0, 54.3, 5.2))
        self.commands.undo()
        self.assertEqual(self.document.job.part.feature("found hole 1").diameter, 5.0)

    def test_pasted_shown_once_and_read_from_the_next_report(self):
        QGuiApplication.clipboard().setText("#500 = 1.2\n#501 = 99.9\n#510 = -0.4\n#511 = 68.05\n#520 = 2.1\n")
        self.section._paste()
        self.assertEqual(self.column(1), ["+1.200", "99.900", "−0.400", "68.050", "+2.100"])
        words = "WEB X mid {} size {}\nWEB Y mid {} size {}\nTOP {}\n"
        first, second = self.folder / "1.txt", self.folder / "2.txt"
        first.write_text(words.format("1.200", "99.900", "-0.400", "68.050", "2.100"))
        second.write_text(words.format("0.350", "99.870", "0.125", "67.990", "1.480"))
        with self.assertRaisesRegex(InvalidValueError, "none was shown yet"):
            self.section.read_report(second)
        self.section.show_report(first)
        self.assertEqual(len(self.document.job.machine.reports), 1)
        self.show_lens(1, "rehearse")
        self.section.read_report(second)
        self.assertEqual(self.column(1), ["+0.350", "99.870", "+0.125", "67.990", "+1.480"])
        self.commands.undo()
        self.assertEqual(self.document.job.machine.reports, ())
