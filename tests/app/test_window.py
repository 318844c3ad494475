"""The real window, driven as a machinist would: walk the route, type, undo, save, rehearse."""

from __future__ import annotations

import json
import shutil

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QAbstractItemModelTester, QTest
from PySide6.QtWidgets import QLabel

from ledgecliff.core.changing import value_at
from ledgecliff.core.drawing.items import Zero
from ledgecliff.core.edits.control_offsets import with_extended
from ledgecliff.core.edits.machine_words import with_words
from ledgecliff.core.model.stations import AxisTurn
from ledgecliff.core.programs.released import hover_text, probing_text
from ledgecliff.store.demo import demo_job
from tests.app.gui import GuiTestCase
from tests.helpers import demo


class RouteTest(GuiTestCase):
    def test_the_demo_opens_with_its_route(self):
        titles = [card.scene.title for card in self.desk.route.cards]
        self.assertEqual(titles, ["Stock", "Op 10", "Turn", "Op 20", "Finished"])
        self.assertEqual(self.desk.route.cards[2].scene.caption, "about X, front to back")

    def test_every_scene_gets_a_picture(self):
        self.findings()
        drawn = [card._picture is not None for card in self.desk.route.cards]
        self.assertEqual(drawn, [True] * 5)

    def test_picking_a_scene_brings_it_to_the_stage(self):
        QTest.mouseClick(self.desk.route.cards[3], Qt.MouseButton.LeftButton)
        self.assertEqual(self.document.scene.title, "Op 20")
        self.assertIn("Op 20", self.desk.stage.caption.text())
        self.assertEqual(self.desk.tape.tape.title, "G55 · Op 20")
        QTest.mouseClick(self.desk.route.cards[0], Qt.MouseButton.LeftButton)
        self.assertEqual(self.desk.tape.tape.title, "Stock")

    def test_keys_walk_the_route_and_stop_at_its_ends(self):
        for key, expected in (
            (Qt.Key.Key_Left, 0),
            (Qt.Key.Key_Left, 0),
            *[(Qt.Key.Key_Right, k) for k in (1, 2, 3, 4, 4)],
        ):
            QTest.keyClick(self.window, key, Qt.KeyboardModifier.AltModifier)
            self.assertEqual(self.document.scene_index, expected)

    def test_ten_setups(self):
        data = json.loads(demo_job("float-housing").read_text(encoding="utf-8"))
        data["setups"] = [
            {
                **data["setups"][k % 2],
                "id": f"{k:012x}",
                "name": f"Op {10 * k + 10}",
                "operations": [],
                "stock_assumed": None,
            }
            for k in range(10)
        ]
        path = self.folder / "ten.json"
        path.write_text(json.dumps(data))
        shutil.copy(demo_job("float-housing").parent / "float_housing.step", self.folder)
        self.open(path)
        self.assertEqual(len(self.desk.route.cards), 21)
        self.document.show_scene(19)
        self.assertEqual(self.document.scene.title, "Op 100")
        self.assertIn("OFFSET_SHARED", self.codes())


#: What is typed to change a field: of its label, of a cutter's, else of its kind, else 3.6.
_OTHER = {
    "Prepared faces": "+Z, -Z", "Places": "main bore; 80, 20, 3; 40, 50, 9", "So that it is at": "11, 12, 13",
    "Beside the middle": "0.1", "Opens to": "160", "Ball diameter": "3.99", "Effective radius": "1.99",
    "Stem diameter": "1.5", "At the beginning": "vise air on", "At the end": "vise air on",
    "When a check fails": "vise air on", "Words": "conveyor off = M64 P2; vise air on = M21",
    "Standard": "G54, G55, G56, G57", "Called by": "G154", "First parameter": "14001",
    "Switch on": "M64 P1", "Switch off": "M64 P1",
    "Results from #": "700", "Expected from #": "720", "Deviation from #": "740", "Here from #": "760",
    "Turns from #": "800", "Reads about": "12, 20, 4",
}  # fmt: skip
_OTHER_OF_CUTTER = {"Flute length": "9", "Reach": "39"}
_OTHER_OF_KIND = {"tool": "3", "text": "brass", "count": "30"}


class EditTest(GuiTestCase):
    def test_a_field_takes_sums_and_shows_what_it_understood(self):
        self.show_lens(1, "hold")
        field = self.field("Height")
        self.type_in(field.entry, "55 mm - 0.75 in", enter=False)
        self.assertEqual(field.said.text(), "= 35.950 mm")
        QTest.keyClick(field.entry, Qt.Key.Key_Return)
        self.assertAlmostEqual(self.document.job.setups[0].hold.parallels_height, 35.95)
        self.assertEqual(field.entry.text(), "35.950")
        self.assertEqual(self.desk.tape.tape.title, "G54 · Op 10")
        grip = next(line.mm for line in self.desk.tape.tape.lines if line.text == "grip")
        self.assertAlmostEqual(grip, 6.05)

    def test_what_is_wrong_stands_beside_the_field_and_changes_nothing(self):
        self.show_lens(1, "hold")
        field = self.field("Thickness")
        for text, words in (("3/16 parsec", "unit 'parsec' is unknown"), ("-3", "must be greater than 0")):
            self.type_in(field.entry, text)
            self.assertIn(words, field.said.text())
            self.assertTrue(field.entry.property("bad"))
            self.assertEqual(self.document.job, demo())
            self.assertEqual(field.entry.text(), text)
        QTest.keyClick(field.entry, Qt.Key.Key_Escape)
        self.assertEqual(field.entry.text(), "14.000")
        self.assertFalse(field.entry.property("bad"))

    def test_findings_follow_and_their_button_mends(self):
        self.show_lens(1, "hold")
        self.type_in(self.field("Height").entry, "36")
        self.assertIn("GRIP_ABOVE_UNDERSIDE", self.codes())
        self.assertEqual(self.desk.route.cards[1].worst, "hazard")
        QTest.mouseClick(self.remedy_button(), Qt.MouseButton.LeftButton)
        self.assertNotIn("GRIP_ABOVE_UNDERSIDE", self.codes())
        self.assertAlmostEqual(self.document.job.setups[0].hold.parallels_height, 38.0)

    def test_undo_and_redo_reach_every_field(self):
        """Every entry of every lens: change it, take it back, make it again."""
        self.document.apply("words", lambda job: with_words(job, 0, "vise air on = M21"))
        self.document.apply("extended", lambda job: with_extended(job, 0, "count", 48))
        for scene, lens in (
            (0, "stock"), (1, "hold"), (1, "cut"), (3, "datum"), (3, "probe"), (3, "release"),
        ):  # fmt: skip
            self.show_lens(scene, lens)
            for k in range(len(self.panel().fields)):
                field = self.panel().fields[k]
                before = self.document.job
                if field.spec.label == "Part −Z":
                    continue  # the other side is given, so this one follows from the sizes
                value = _OTHER.get(field.spec.label) or _OTHER_OF_KIND.get(field.spec.kind, "3.6")
                if "cutters" in field.spec.path:
                    value = _OTHER_OF_CUTTER.get(field.spec.label, value)
                self.type_in(field.entry, value)
                with self.subTest(field=field.spec.label, lens=lens):
                    after = self.document.job
                    self.assertNotEqual(after, before)
                    QTest.keyClick(field.entry, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
                    self.assertEqual(self.document.job, before)
                    self.window.actions_by_id["redo"].trigger()
                    self.assertEqual(self.document.job, after)
                    self.window.actions_by_id["undo"].trigger()

    def test_what_is_being_typed_survives_a_change_elsewhere(self):
        self.show_lens(1, "hold")
        field = self.field("Thickness")
        self.type_in(field.entry, "12 + ", enter=False)
        self.document.set_value("facing", ("stock", "allowance", "plus_z"), 1.0)
        self.assertEqual(field.entry.text(), "12 + ")

    def test_an_edit_from_which_no_plan_follows_is_refused_beside_its_field(self):
        self.document.show_scene(0)
        self.type_in(self.field("Part +Z").entry, "40")
        self.assertIn("cuts the whole stock away", self.field("Part +Z").said.text())
        self.assertEqual(self.document.job, demo())

    def test_datum_choices(self):
        self.show_lens(3, "datum")
        self.choose("X zero", "stock left side")
        self.assertEqual(self.document.job.setups[1].datum.x.source, "stock minus side")
        self.choose("Y zero", "fixed jaw")
        self.choose("Z zero", "stock top")
        self.assertIn("Z_ZERO_ON_RAW", self.codes())
        self.choose("Kept in", "G54")
        self.assertIn("OFFSET_SHARED", self.codes())
        self.assertEqual(self.desk.route.cards[3].scene.detail, "G54")
        for _ in range(4):
            self.commands.undo()
        self.assertEqual(self.document.job, demo())

    def test_turn_axis(self):
        self.document.show_scene(2)
        self.choose("Turn", "about Y, end for end")
        self.assertEqual(self.document.job.setups[1].orientation.right, "-X")
        self.assertEqual(self.desk.route.cards[2].scene.caption, "about Y, end for end")
        self.commands.undo()
        self.assertEqual(self.choice("Turn").box.currentText(), "about X, front to back")

    def test_orientation(self):
        self.show_lens(1, "hold")
        self.choose("Part up", "+X")
        orientation = self.document.job.setups[0].orientation
        self.assertEqual((orientation.up, orientation.right), ("+X", "+Z"))
        self.assertNotIn("+X", [self.choice("Part to the right").box.itemText(k) for k in range(4)])

    def test_a_setup_that_does_not_lie_square_says_so(self):
        self.show_lens(1, "hold")
        for degrees in (15.0, 0.0):
            turns = (AxisTurn(about="x", degrees=degrees),) if degrees else ()
            self.document.set_value("tilt", ("setups", 0, "orientation", "tilted"), turns)
            words = [label.text() for label in self.panel().findChildren(QLabel)]
            self.assertIs("and then turned 15° about X" in words, degrees > 0.0)

    def test_it_lies_as_a_face_or_three_places_say(self):
        self.show_lens(1, "hold")
        self.choose("Face up", "port")
        up = self.document.job.setups[0].orientation.up
        self.assertEqual(up, self.document.job.part.feature("port").opens_to)
        self.commands.undo()
        self.type_in(self.field("Places").entry, "0, 0, 0; 10, 0, 0; 0, 0, -5")
        lies = self.document.job.setups[0].orientation
        self.assertEqual((lies.right, lies.up, self.field("Places").entry.text()), ("+X", "+Y", ""))
        self.type_in(self.field("Places").entry, "0, 0, 0; 10, 0, 0")
        self.assertIn("takes three", self.field("Places").said.text())

    def test_the_zero_is_put_at_a_place_in_the_unit_that_is_shown(self):
        self.show_lens(1, "datum")
        self.document.show_unit("in")
        self.type_in(self.field("So that it is at").entry, "1, 0, 0")
        np.testing.assert_allclose(self.document.plan.setups[0].wcs.p_origin, (25.4, 0, 0), atol=1e-4)

    def test_one_code_for_all_and_back(self):
        self.show_lens(3, "datum")
        self.choose("Codes of this job", "one, found again in each")
        self.assertEqual([setup.offset for setup in self.document.job.setups], ["G54", "G54"])
        self.assertNotIn("OFFSET_SHARED", self.codes())
        self.assertIn("G54 holds the zero of Op 10", " ".join(line.text for line in self.desk.tape.tape.lines))
        self.choose("Codes of this job", "one a setup")
        self.assertEqual(self.document.job, demo())

    def test_the_parting_plane_and_what_goes_to_it(self):
        self.show_lens(0, "stock")
        self.choose("Parting plane", "square to part Z")
        self.type_in(self.field("At").entry, "9.5")
        self.assertEqual(self.document.job.parting.at, 9.5)
        self.show_lens(1, "cut")
        self.document.show_operation(1)
        self.choose("Goes", "to the parting plane")
        self.assertTrue(self.document.job.setups[0].operations[1].to_parting)
        self.show_lens(0, "stock")
        self.choose("Parting plane", "none")
        self.assertEqual(self.document.job, demo())

    def test_a_block_across_the_jaws_end(self):
        self.show_lens(1, "hold")
        self.choose("Stop", "across the jaws' right end")
        stop = self.document.job.setups[0].hold.stop
        self.assertEqual((stop.side, stop.at_jaw_end), ("right", True))
        self.assertEqual(self.choice("Stop").box.currentText(), "across the jaws' right end")
        self.choose("Stop", "none")
        self.assertEqual(self.document.job, demo())

    def test_stock_edit_is_seen_in_stage_tape_and_route(self):
        self.document.show_scene(0)
        self.type_in(self.field("Part X").entry, '4"')
        self.assertAlmostEqual(self.document.job.stock.measured.x, 101.6)
        plan, _ = self.desk.stage.canvas.drawings
        self.assertAlmostEqual(plan.high[0] - plan.low[0], 101.6)
        self.assertIn("STOCK_NOT_WHAT_IS_LEFT", self.codes())
        self.assertEqual(self.desk.route.cards[0].accessibleName(), "Stock: 101.6 × 68 × 34, ■ measured, warning")

    def test_every_field_says_why(self):
        for scene, lens in ((0, "part"), (0, "stock"), (1, "hold"), (1, "cut"), (1, "datum"), (1, "probe")):
            self.show_lens(scene, lens)
            for field in self.panel().fields:
                with self.subTest(lens=lens, field=field.spec.label):
                    value_at(self.document.job, field.spec.path)
                    self.assertTrue(field.spec.why.endswith("."))


class UnitTest(GuiTestCase):
    def test_inches_everywhere_at_once(self):
        self.show_lens(1, "hold")
        QTest.keyClick(self.window, Qt.Key.Key_U, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(self.window.unit_button.text(), "in")
        self.assertEqual(self.field("Height").entry.text(), "1.4961")
        self.assertEqual(self.field("Height").unit_label.text(), "in")
        self.assertEqual(self.desk.stage.canvas.unit, "in")
        self.type_in(self.field("Height").entry, "1 1/2")
        self.assertAlmostEqual(self.document.job.setups[0].hold.parallels_height, 38.1)
        self.commands.show_lens("coordinates")
        self.assertEqual(
            self.desk.stage.coordinates.model.data(self.desk.stage.coordinates.model.index(4, 4)), "+1.9685"
        )
        self.assertAlmostEqual(self.document.job.setups[0].hold.parallels_height, 38.1)

    def test_showing_and_leaving_a_field_in_inches_changes_nothing(self):
        self.commands.switch_unit()
        self.show_lens(3, "probe")
        for field in self.panel().fields:
            field.entry.setFocus()
            QTest.keyClick(field.entry, Qt.Key.Key_Return)
        self.assertEqual(self.document.job, demo())
        self.assertFalse(self.document.unsaved)


class LensTest(GuiTestCase):
    def test_keys_choose_lenses(self):
        for k, lens in enumerate(
            ("hold", "cut", "datum", "probe", "hand", "coordinates", "rehearse", "release"), start=1
        ):
            QTest.keyClick(self.window, getattr(Qt.Key, f"Key_{k}"), Qt.KeyboardModifier.AltModifier)
            self.assertEqual(self.document.lens, lens)
            self.assertTrue(self.desk.stage.tabs[lens].isChecked())

    def test_table_shows_the_worked_numbers_and_tapes_them(self):
        self.commands.show_lens("coordinates")
        table = self.desk.stage.coordinates
        QAbstractItemModelTester(table.model)
        shown = [table.model.data(table.model.index(4, k)) for k in range(1, 7)]
        self.assertEqual(shown, ["+32.000", "+20.000", "−28.000", "+50.000", "−20.000", "+28.000"])
        table.view.setCurrentIndex(table.model.index(4, 5))
        self.assertEqual(self.desk.tape.tape.title, "bolt hole NE")
        self.assertIn("Op 20", self.desk.tape.tape.subtitle)
        table.leap_buttons[0].click()
        self.assertIn("Op 10", self.desk.tape.tape.subtitle)
        self.assertEqual(table.model.data(table.model.index(4, 0)), "lower mouth")
        table.leap_buttons[1].click()
        self.assertEqual(table.model.data(table.model.index(4, 0)), "upper mouth")

    def test_probe_lens_draws_the_touches_and_picks_them(self):
        self.show_lens(3, "probe")
        canvas = self.desk.stage.canvas
        self.app.processEvents()
        canvas.grab()
        boxes = [box for box, source in canvas.targets if source == "touch-2"]
        QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=boxes[0].center().toPoint())
        self.assertEqual(self.document.picked, "touch-2")
        self.assertEqual(self.desk.tape.roll.picked_source, "touch-2")

    def test_a_tape_line_lights_up_the_stage(self):
        self.show_lens(1, "hold")
        roll = self.desk.tape.roll
        roll.setFocus()
        for _ in range(4):
            QTest.keyClick(roll, Qt.Key.Key_Down)
        self.assertEqual(self.desk.stage.canvas.picked_source, roll.tape.lines[3].source)
        self.assertIn(roll.tape.lines[3].text, roll.accessibleDescription())

    def test_views_are_to_one_scale_and_share_x(self):
        for width, height in ((1280, 800), (1024, 640), (2200, 1300)):
            self.window.resize(width, height)
            self.app.processEvents()
            for scene, lens in ((0, "hold"), (1, "hold"), (3, "datum"), (3, "probe")):
                self.show_lens(scene, lens)
                canvas = self.desk.stage.canvas
                a, b = canvas.placings()
                self.assertEqual((a.scale, a.x), (b.scale, b.x))
                self.assertGreater(a.scale, 0.5, (width, scene, lens))
                for k, drawing in enumerate(canvas.drawings):
                    # On a small one what reaches out far is cut short, and the stock is there all the same.
                    whole = drawing.heart is None or canvas.width() >= drawing.cut_below
                    for corner in (drawing.low, drawing.high) if whole else drawing.heart:
                        at = canvas.point(k, corner)
                        self.assertTrue(0 <= at.x() <= canvas.width() and 0 <= at.y() <= canvas.height())

    def test_the_zero_is_drawn_in_both_views(self):
        self.show_lens(3, "datum")
        for drawing in self.desk.stage.canvas.drawings:
            self.assertTrue(any(isinstance(item, Zero) for item in drawing.items))


class RehearseTest(GuiTestCase):
    def rehearse(self, seed="7"):
        self.commands.show_lens("rehearse")
        panel = self.desk.stage.rehearse_panel
        panel.seed.setText(seed)
        QTest.mouseClick(panel.run, Qt.MouseButton.LeftButton)
        self.wait_for(lambda: self.document.rehearsal is not None, "the rehearsal")
        return panel

    def test_offsets_found_appear_with_their_tape(self):
        panel = self.rehearse()
        words = [panel.offsets.item(row, 0).text() for row in range(panel.offsets.rowCount())]
        rows = ["planned", "found", "found − true", "may be off"]
        self.assertEqual(words, ["G54 planned", *rows[1:], "G55 planned", *rows[1:]])
        self.assertEqual(self.desk.tape.tape.subtitle, "rehearsed, trial 7")
        found = self.document.rehearsal.setups[0].found
        self.assertEqual(panel.offsets.item(1, 1).text(), f"{found[0]:+.3f}".replace("-", "−"))
        self.assertIn("rehearsed", self.desk.route.cards[1].accessibleName())

    def test_watching_the_ball(self):
        panel = self.rehearse()
        QTest.mouseClick(panel.play, Qt.MouseButton.LeftButton)
        self.wait_for(lambda: self.desk.stage.canvas._ball is not None, "the ball")
        first = self.desk.stage.canvas._ball
        self.wait_for(lambda: self.desk.stage.canvas._ball != first, "the ball to move")
        self.commands.next_scene()
        self.assertFalse(panel.is_playing())
        self.assertIsNone(self.desk.stage.canvas._ball)

    def test_an_edit_makes_the_rehearsal_void(self):
        self.rehearse()
        self.document.set_value("clearance", ("setups", 0, "probing", "clearance"), 20.0)
        self.assertIsNone(self.document.rehearsal)
        self.assertIn("planned", self.desk.route.cards[1].accessibleName())

    def test_a_stop_is_said(self):
        self.document.set_value("overtravel", ("setups", 0, "probing", "overtravel"), 0.02)
        panel = self.rehearse("1")
        self.assertIn("stopped", self.desk.route.cards[1].accessibleName())
        self.assertIn("not run, because Op 10", panel._doing.text() + self.document.rehearsal.setups[1].alarms[0])


class ReleaseTest(GuiTestCase):
    def test_program_text_is_the_plans(self):
        self.show_lens(3, "release")
        self.assertEqual(self.desk.stage.program.toPlainText(), probing_text(self.document.plan, 1))
        QTest.mouseClick(self.desk.stage.release_panel.kind_buttons["hover"], Qt.MouseButton.LeftButton)
        self.assertEqual(self.desk.stage.program.toPlainText(), hover_text(self.document.plan, 1))

    def test_programs_and_sheet_are_written(self):
        self.desk.files.ask_folder = lambda: self.folder / "out"
        self.commands.write_programs()
        self.assertEqual(len(list((self.folder / "out").iterdir())), 4)
        self.desk.files.ask_save = lambda *_: self.folder / "sheet.html"
        self.commands.write_sheet()
        self.wait_for(lambda: (self.folder / "sheet.html").exists(), "the sheet")
        self.wait_for(lambda: self.commands._work is None, "the worker to end")
        self.assertIn("Setup sheet written", self.desk.notices.label.text())

    def test_other_programs_of_the_same_name_are_replaced_only_when_asked_for(self):
        out = self.folder / "out"
        self.desk.files.ask_folder = lambda: out
        self.commands.write_programs()
        self.commands.write_programs()
        self.assertIn("4 programs written", self.desk.notices.label.text(), "the same again hurts nobody")
        (out / "01-op-10-probe.ngc").write_text("(mended by hand)")
        self.commands.write_programs()
        self.assertIn("01-op-10-probe.ngc. Replace them?", self.desk.notices.label.text())
        self.assertEqual((out / "01-op-10-probe.ngc").read_text(), "(mended by hand)")
        QTest.mouseClick(self.desk.notices.buttons[0], Qt.MouseButton.LeftButton)
        self.assertEqual((out / "01-op-10-probe.ngc").read_text(), probing_text(self.document.plan, 0))

    def test_release_lists_what_it_writes_and_whether_it_was_rehearsed(self):
        self.show_lens(1, "release")
        panel = self.panel()
        self.assertIn("Not rehearsed since the last change", panel._proof.text())
        self.desk.files.ask_folder = lambda: self.folder / "out"
        self.commands.write_programs()
        self.assertEqual(set(panel._files.text().split()), {path.name for path in (self.folder / "out").iterdir()})
        self.commands.rehearse(3)
        self.wait_for(lambda: not self.commands.busy(), "the rehearsal")
        self.assertIn("Rehearsed in trial 3: every zero found", panel._proof.text())

    def test_a_place_that_cannot_be_written_is_said_in_place(self):
        (self.folder / "file").write_text("")
        self.desk.files.ask_folder = lambda: self.folder / "file"
        self.commands.write_programs()
        self.assertIn("cannot be made", self.desk.notices.label.text())
