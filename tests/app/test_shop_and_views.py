"""The shop's library, dragging, the solid view, playing a turn, and pictures, in the real window."""

from __future__ import annotations

from unittest import mock

from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest

from ledgecliff.app.drawing_painter import text_width as of_qt
from ledgecliff.core.changing import set_value
from ledgecliff.core.frames import Turn
from ledgecliff.core.route import scenes_of
from ledgecliff.sheets.text_width import text_width as of_font
from ledgecliff.store.demo import demo_job
from ledgecliff.store.library import current_shop, keep_shop
from ledgecliff.store.shop import read_shop, shop_file
from tests.app.gui import GuiTestCase
from tests.draws import draws
from tests.helpers import demo


class ShopTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.commands.open_sheet("shop")
        self.sheet = self.desk.stage.shop_sheet

    def press(self, key):
        QTest.mouseClick(self.sheet.buttons[key], Qt.MouseButton.LeftButton)

    def entry(self, label):
        return next(field for field in self.sheet.fields if field.spec.label == label)

    def test_a_change_is_kept_at_once_and_undone(self):
        self.sheet.pick("small vise")
        self.type_in(self.entry("Jaw width").entry, "4 in")
        self.assertAlmostEqual(read_shop().fixtures[0].jaw_width, 101.6)
        self.press("undo")
        self.assertAlmostEqual(read_shop().fixtures[0].jaw_width, 100)
        self.assertEqual(self.document.job, demo(), "the library is not the job")

    def test_add_rename_and_remove(self):
        self.sheet.pick("Parallels")
        self.press("add")
        self.type_in(self.entry("Name").entry, "low parallels")
        self.type_in(self.entry("Heights").entry, "16, 8, 12")
        self.assertEqual(read_shop().parallels[-1].heights, (8, 12, 16))
        self.sheet.pick("low parallels")
        self.press("remove")
        self.assertNotIn("low parallels", [each.name for each in read_shop().parallels])

    def test_somebody_else_was_quicker(self):
        """Both values are told, theirs is shown, and typed once more ours stands."""
        self.sheet.pick("small vise")
        self.type_in(self.entry("Jaw width").entry, "101")
        mine = current_shop()
        number = next(k for k, each in enumerate(mine.fixtures) if each.name == "small vise")
        keep_shop(mine, set_value(mine, ("fixtures", number, "jaw_width"), 102.0))
        self.type_in(self.entry("Jaw width").entry, "103")
        said = self.entry("Jaw width").said.text()
        self.assertIn("jaw width: here 103, there 102", said)
        self.wait_for(lambda: not self.desk.stage.shop_desk.reading.busy(), "the library")
        self.assertEqual(self.document.shop.fixtures[number].jaw_width, 102.0)
        self.type_in(self.entry("Jaw width").entry, "103")
        self.assertEqual(current_shop().fixtures[number].jaw_width, 103.0)

    def test_a_job_is_told_and_takes_over_what_the_shop_has_changed(self):
        self.press("machine")
        shop = current_shop()
        keep_shop(shop, set_value(shop, ("machine", "fixtures", 0, "jaw_height"), 41.5))
        self.desk.following.look_beside_again()

        def told():
            return [each for each in self.document.findings or () if each.code == "SHOP_HAS_CHANGED"]

        self.wait_for(told, "the finding")
        (finding,) = told()
        self.document.apply_fix(finding.fixes[0])
        self.assertEqual(self.document.job.machines[0].fixtures[0].jaw_height, 41.5)
        self.wait_for(lambda: not told(), "the finding to go")
        self.document.undo_stack.undo()
        self.assertNotEqual(self.document.job.machines[0].fixtures[0].jaw_height, 41.5)

    def test_refusals_stand_beside_the_field_or_under_the_head(self):
        self.sheet.pick("small vise")
        self.type_in(self.entry("Opens from").entry, "200")
        self.assertIn("is not below the largest", self.entry("Opens from").said.text())
        for name in ("left vise", "right vise"):
            self.sheet.pick(name)
            self.press("remove")
        self.assertIn("at least one vise", self.sheet.said.text())

    def test_this_jobs_fixture_and_machine_go_into_the_library(self):
        self.document.set_value("jaw", ("machines", 0, "fixtures", 0, "jaw_height"), 44.0)
        self.press("keep")
        self.assertEqual(next(v for v in read_shop().fixtures if v.name == "left vise").jaw_height, 44)
        self.press("machine")
        self.assertEqual(read_shop().machine.fixtures[0].jaw_height, 44)

    def test_what_the_shop_has_can_hold_the_next_job(self):
        self.sheet.pick("small vise")
        self.type_in(self.entry("Name").entry, "tiny vise")
        self.press("close")
        self.show_lens(1, "hold")
        self.choose("Held by", "tiny vise")
        self.assertIn("tiny vise", [fixture.name for fixture in self.document.job.machine.fixtures])
        self.choose("Jaws", "stepped jaws, step 3 x 38")
        self.assertEqual(self.document.job.setups[0].hold.jaws.height, 38)

    def test_an_unreadable_library_is_said_and_kept(self):
        shop_file().parent.mkdir(parents=True, exist_ok=True)
        shop_file().write_text("{")
        fresh = self.make_window()
        self.assertIn("no whole JSON document", fresh.desk.notices.label.text())
        self.assertEqual(shop_file().read_text(), "{")
        fresh.commands.open_sheet("shop")


class DragTest(GuiTestCase):
    def drag(self, by):
        self.app.processEvents()
        canvas = self.desk.stage.canvas
        thing = canvas.draggables[-1]
        place = canvas.placings()[0]
        # Off the middle, where the zero's mark is.
        at = canvas.point(0, (thing.low[0] + 8.0, thing.high[1] - 8.0)).toPoint()
        QTest.mousePress(canvas, Qt.MouseButton.LeftButton, pos=at)
        for share in (0.3, 0.7, 1.0):
            QTest.mouseMove(canvas, at + QPoint(round(by * place.scale * share), 0))
        ghost = canvas.ghost
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=at + QPoint(round(by * place.scale), 0))
        return ghost

    def test_the_stock_is_dragged_along_the_jaws_and_snaps(self):
        self.show_lens(1, "hold")
        ghost = self.drag(24.0)
        self.assertIn("flush with the right end of the jaws", ghost.words)
        self.assertEqual(self.document.job.setups[0].hold.beside, 25)
        self.commands.undo()
        self.assertEqual(self.document.job, demo())

    def test_elsewhere_nothing_is_dragged(self):
        self.show_lens(1, "datum")
        self.assertEqual(self.desk.stage.canvas.draggables, ())


class SolidViewTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.view = self.desk.stage.solid_view

    def show(self):
        self.commands.toggle_solid_view()
        self.wait_for(lambda: self.view._window is not None, "the solid view")
        self.app.processEvents()

    def test_it_is_made_only_when_first_shown(self):
        self.assertIsNone(self.view._window)
        self.show()
        picture = self.view.picture()
        self.assertGreater(len({picture.pixel(x, picture.height() // 2) for x in range(picture.width())}), 5)
        self.assertFalse(self.desk.stage._panel_stack.isVisible(), "on a narrow stage the fields give room")
        self.commands.toggle_solid_view()
        self.assertTrue(self.desk.stage._panel_stack.isVisible())

    def test_a_section_opens_the_bodies(self):
        self.show_lens(3, "hold")
        self.show()
        whole = sum(solid.mesh.solid().volume() for solid in self.view.shown())
        self.view.plane.setCurrentIndex(2)
        self.assertEqual(self.view.where.text(), "−32.000")
        half = sum(solid.mesh.solid().volume() for solid in self.view.shown())
        self.assertAlmostEqual(half / whole, 0.5, delta=0.02)
        self.view.slider.setValue(self.view.slider.maximum())
        self.assertLess(sum(solid.mesh.solid().volume() for solid in self.view.shown()), 0.01 * whole)

    def test_it_follows_the_scene(self):
        self.show()
        names = []
        for scene in range(5):
            self.document.show_scene(scene)
            names.append({solid.name for solid in self.view._solids})
        self.assertEqual(names[0], {"stock"})
        self.assertIn("fixed jaw", names[1])
        self.assertEqual(names[4], {"part"})


class TurnTest(GuiTestCase):
    def test_playing_goes_from_before_to_after_and_ends(self):
        self.document.show_scene(1)
        seen = []
        self.desk.stage.turn_panel.moment_shown.connect(seen.append)
        with mock.patch("ledgecliff.app.lenses.turn._WHOLE_MS", 200):
            self.commands.play_turn()
            self.assertEqual(self.document.scene.kind, "turn")
            self.assertEqual(len(self.desk.stage.canvas.drawings), 1)
            self.wait_for(lambda: not self.desk.stage.turn_panel._timer.isActive(), "the turn to end")
        self.assertEqual((seen[0], seen[-1]), (0.0, 1.0))
        self.assertEqual(seen, sorted(seen))
        self.assertEqual(len(self.desk.stage.canvas.drawings), 2)
        before, after = (setup.orientation for setup in demo().setups)
        self.assertEqual(Turn(before, after).angle_deg(), 180)


class PictureTest(GuiTestCase):
    def test_png_svg_and_dxf(self):
        for name, start in (("scene.png", b"\x89PNG"), ("scene.svg", b"<svg"), ("scene.dxf", b"  0\nSECTION")):
            self.desk.files.ask_save = lambda *_, name=name: self.folder / name
            self.commands.save_picture()
            self.assertTrue((self.folder / name).read_bytes().startswith(start))
        self.assertFalse(QImage(str(self.folder / "scene.png")).isNull())
        self.desk.files.ask_save = lambda *_: self.folder / "no" / "scene.png"
        self.commands.save_picture()
        self.assertIn("cannot be written", self.desk.notices.label.text())


class TextWidthTest(GuiTestCase):
    def test_papers_without_qt_know_how_wide_words_are(self):
        """Else words would lie elsewhere on the sheet than on the stage."""
        for words in ("−409.500", "fixed jaw", "Plan · dash-dotted: cut here", "clearance plane", "⌀12 ±0.05", "X"):
            # Qt places letters by whole pixels and kerns pairs of them.
            self.assertAlmostEqual(of_font(words), of_qt(words), delta=0.04 * of_qt(words) + 1.0, msg=words)


class DemoTest(GuiTestCase):
    def test_every_demo_opens_without_an_error_in_every_lens(self):
        for name in ("lamp-lid", "winch-cheek")[: draws(1, 2)]:
            self.open(demo_job(name))
            self.assertFalse({f for f in self.findings().findings if f.severity in ("hazard", "error")})
            for scene in range(len(scenes_of(self.document.plan))):
                for lens in ("part", "stock", "hold", "cut", "datum", "probe", "coordinates", "release"):
                    self.show_lens(scene, lens)
                    self.window.grab()
