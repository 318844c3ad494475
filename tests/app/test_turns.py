"""The turn lens in the real window: ways, pins, frame, jig, seats, play, drawings."""

from __future__ import annotations

from unittest import mock

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from ledgecliff.core.drawing.items import Label, Stroke
from ledgecliff.core.turns.turn_plan import turns_of
from ledgecliff.store.demo import demo_job
from ledgecliff.store.drawing_files import read_drawing
from tests.app.gui import GuiTestCase


class TurnTestCase(GuiTestCase):
    opens_demo = False
    job = "dial-ring-on-pins"

    def setUp(self):
        super().setUp()
        self.open(demo_job(self.job))
        self.document.show_scene(2)
        self.turn_panel = self.desk.stage.turn_panel
        self.assertIs(self.panel(), self.turn_panel)

    def rows(self, of):
        return [of.item(k).text() for k in range(of.count())]

    def take(self, way):
        row = next(k for k, text in enumerate(self.rows(self.turn_panel.ways)) if way in text)
        self.turn_panel.ways.setCurrentRow(row)
        self.turn_panel.take.click()

    @property
    def pins(self):
        return self.document.job.setups[0].operations[0].pins

    def strokes(self, source):
        drawings = self.desk.stage.canvas.drawings
        return [i for d in drawings for i in d.items if isinstance(i, Stroke) and i.source == source]


class PinsTest(TurnTestCase):
    def test_ways_with_their_errors(self):
        """Each as it would come out when taken, worked out behind the window."""
        rows = self.rows(self.turn_panel.ways)
        self.assertEqual(len(rows), 7)
        self.assertFalse(self.turn_panel.take.isEnabled())
        self.wait_for(lambda: not self.turn_panel.weighing.busy(), "all ways are weighed", 60_000)
        rows = self.rows(self.turn_panel.ways)
        self.assertEqual([text for text in rows if text.startswith("●")], ["● dowel pins   0.090"])
        told = dict(text[2:].split("   ") for text in rows if "   " in text)
        self.take("probed feature")
        self.wait_for(lambda: self.turn_panel.weighing.found, "what was taken is weighed")
        self.assertIn(f"● probed feature   {told['probed feature']}", self.rows(self.turn_panel.ways))
        self.commands.undo()
        self.wait_for(lambda: self.turn_panel.weighing.found, "what was there is weighed")
        self.commands.switch_unit()
        self.assertIn("● dowel pins   0.0036", self.rows(self.turn_panel.ways))

    def test_choosing_another_way_and_undoing_it(self):
        before = self.document.job
        self.take("interlocking frame")
        self.assertEqual(turns_of(self.document.plan)[0].way, "interlocking frame")
        self.assertTrue(self.strokes("border"))
        self.commands.undo()
        self.assertEqual(self.document.job, before)

    def test_a_seat_is_shown_where_it_would_lie(self):
        self.assertEqual(self.rows(self.turn_panel.seats), ["goes in as intended", "goes in not turned"])
        self.turn_panel.seats.setCurrentRow(1)
        self.assertEqual(self.document.picked, "seat-1")
        after = self.desk.stage.canvas.drawings[1]
        self.assertIn("not turned", [item.text for item in after.items if isinstance(item, Label)])
        self.assertEqual(len(self.strokes("seat-1")), 1 + 3 + 2, "blank, bores, and its cross")

    def test_pins_are_typed_added_and_laid_out(self):
        self.type_in(self.field("Pin 3 Y").entry, "12")
        self.assertEqual(self.pins[2].y, 12.0)
        self.assertIn("The board's bores are the mirror image", self.turn_panel._result.text())
        next(b for b in self.turn_panel.findChildren(type(self.turn_panel.take)) if b.text() == "Add a pin").click()
        self.assertEqual(len(self.pins), 4)
        self.assertEqual(self.field("Pin 4 Y").entry.text(), f"{self.pins[3].y:.3f}".replace("-", "−"))
        self.choose("Lay out pins", "two on the axis")
        self.assertEqual(len(self.pins), 2)
        self.assertIn("WRONG_SEAT", self.codes())
        self.assertIn("goes in end for end", self.rows(self.turn_panel.seats))

    def test_a_pin_is_dragged_and_snaps_to_the_axis(self):
        canvas = self.desk.stage.canvas
        self.app.processEvents()
        thing = next(thing for thing in canvas.draggables if thing.name == "pin 1")
        placing = canvas.placings()[0]
        centre = (canvas.point(0, thing.low) + canvas.point(0, thing.high)) / 2.0
        start = centre.toPoint()
        end = start + QPoint(0, round(59.0 * placing.scale))
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=start)
        QTest.mouseMove(canvas, start + QPoint(0, 10))
        QTest.mouseMove(canvas, end)
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=end)
        self.assertEqual(self.pins[0].y, 0.0)

    def test_play_is_shown_and_ends(self):
        seen = []
        self.turn_panel.play_shown.connect(seen.append)
        self.turn_panel.play_fit.click()
        self.wait_for(lambda: len(seen) > 3, "some moments of the play")
        self.assertIn(
            "times larger",
            "".join(i.text for i in self.desk.stage.canvas.drawings[0].items if isinstance(i, Label)),
        )
        self.turn_panel.play_fit.click()
        self.assertEqual(len(self.desk.stage.canvas.drawings), 2)

    def test_drawings_out_and_a_pattern_in(self):
        with mock.patch.object(self.desk.files, "ask_folder", return_value=self.folder / "out"):
            self.commands.write_drawings()
        self.assertIn("drawings written", self.desk.notices.label.text())
        path = self.folder / "out" / "turn-1-blank-bores.dxf"
        circles = read_drawing(path).circles
        with mock.patch.object(self.desk.files, "ask_drawing", return_value=path):
            self.desk.outputs.take_pattern(1)
        self.assertEqual([(p.x, p.y, p.diameter) for p in self.pins], [tuple(round(v, 4) for v in c) for c in circles])
        broken = self.folder / "broken.dxf"
        broken.write_text("nothing")
        before = self.document.job
        with mock.patch.object(self.desk.files, "ask_drawing", return_value=broken):
            self.desk.outputs.take_pattern(1)
        self.assertIn("broken.dxf", self.desk.notices.label.text())
        self.assertEqual(self.document.job, before)

    def test_the_programs_are_read_before_they_leave(self):
        self.show_lens(1, "release")
        buttons = self.desk.stage.release_panel.kind_buttons
        self.assertEqual(list(buttons), ["probing", "hover", "pins blank", "pins board"])
        buttons["pins board"].click()
        self.assertIn("bores for pins in the bare board", self.desk.stage.program.toPlainText())
        self.show_lens(3, "release")
        self.assertEqual(list(self.desk.stage.release_panel.kind_buttons), ["probing", "hover"])
        self.assertIn("keeps the zero of G54", self.desk.stage.program.toPlainText())
        with mock.patch.object(self.desk.files, "ask_folder", return_value=self.folder / "out"):
            self.commands.write_programs()
        self.assertIn("01-op-10-pins-blank.ngc", {path.name for path in (self.folder / "out").iterdir()})

    def test_a_feature_picked_has_its_play_on_the_tape(self):
        self.document.pick("lower mark 1")
        self.desk.tape.repaint()
        words = [line.text for line in self.desk.tape.tape.lines]
        self.assertIn("Play at lower mark 1", words)


class FrameTest(TurnTestCase):
    job = "dial-ring-in-a-frame"

    def test_other_ways_are_shown_and_told(self):
        rows = self.rows(self.turn_panel.seats)
        self.assertEqual(rows[0], "goes in as intended")
        self.assertIn("blocked turned end for end", rows)
        self.turn_panel.seats.setCurrentRow(1)
        self.assertTrue(self.strokes("way-0"))

    def test_typing_a_fit_changes_play_and_drawing(self):
        self.type_in(self.field("Fit").entry, "0.2")
        self.assertIn("Play 0.283 mm", self.turn_panel._result.text())
        self.type_in(self.field("Fit").entry, "7")
        self.assertEqual(self.document.job.setups[0].operations[0].fit, 0.2, "what cannot be is refused")

    def test_an_edge_is_dragged_and_the_frame_follows(self):
        canvas = self.desk.stage.canvas
        self.app.processEvents()
        thing = next(thing for thing in canvas.draggables if thing.name == "frame X")
        start = ((canvas.point(0, thing.low) + canvas.point(0, thing.high)) / 2.0).toPoint()
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=start)
        QTest.mouseMove(canvas, start - QPoint(6, 0))
        self.assertTrue(canvas.ghost.outlines, "its outline is drawn while it is dragged")
        self.assertIn("locks", canvas.ghost.words)
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=start - QPoint(6, 0))
        self.assertLess(self.document.job.setups[0].operations[0].keep_x, 132.0)


class JigTest(TurnTestCase):
    job = "lamp-lid"

    def test_pockets_and_what_the_outline_must_reach(self):
        self.assertTrue(self.strokes("pocket-first") and self.strokes("pocket-second"))
        self.assertIn("must be cut at least 8.500 mm below its top", self.turn_panel._result.text())
        self.type_in(self.field("Depth, pocket 2").entry, "2")
        self.assertIn("JIG_POCKET_SHALLOW", self.codes())

    def test_a_pocket_comes_from_a_drawing(self):
        with mock.patch.object(self.desk.files, "ask_folder", return_value=self.folder):
            self.commands.write_drawings()
        before = self.document.job.machine.fixtures[2].second.outline
        with mock.patch.object(self.desk.files, "ask_drawing", return_value=self.folder / "turn-1-jig.svg"):
            self.desk.outputs.take_outline(1)
        after = self.document.job.machine.fixtures[2].second.outline
        self.assertNotEqual(before, after, "the largest outline on that sheet is the jig itself")
        self.assertAlmostEqual(max(x for x, _ in after), self.document.job.machine.fixtures[2].length / 2, places=3)
        self.assertIn("JIG_POCKET_LOOSE", self.codes())

    def test_a_jig_is_left_for_soft_jaws_again(self):
        self.take("soft-jaw bore")
        self.assertEqual(turns_of(self.document.plan)[0].way, "soft-jaw bore")
