"""Every field of every lens: silly values are refused in place and lose nothing; small screens cut nothing off."""

from __future__ import annotations

from PySide6.QtCore import QRectF
from PySide6.QtWidgets import QScrollArea

from ledgecliff.core.edits.setups import add_setup
from ledgecliff.core.route import scenes_of
from ledgecliff.store.demo import demo_job
from ledgecliff.store.identity import new_id
from tests.app.gui import GuiTestCase
from tests.draws import draws
from tests.helpers import demo, demo_plan

#: None of these is a length, a feed, an angle, a count or a tool; the last is a length out of all bounds.
_NEVER = ("twelve", "1e999", "nan", "12 furlongs", "1/0", "99999999")
_LENSES = ("part", "stock", "sides", "bench", "hold", "cut", "datum", "probe", "release")


class LensTestCase(GuiTestCase):
    def each_lens(self, scenes=()):
        """Every scene, or those named, in every lens that it has, each shown once."""
        seen = set()
        for scene in scenes or range(len(scenes_of(self.document.plan))):
            for lens in _LENSES:
                self.show_lens(scene, lens)
                if (scene, self.document.lens) not in seen:
                    seen.add((scene, self.document.lens))
                    self.app.processEvents()
                    yield f"scene {scene}, {self.document.lens}"


class SillyValueTest(LensTestCase):
    def put(self, field, text):
        field.entry.setText(text)
        field.entry.setModified(True)
        field.entry.editingFinished.emit()

    def check_fields(self, scenes=()):
        count = 0
        for where in self.each_lens(scenes):
            fields = [field for field in self.panel().fields if not field.isHidden()]
            for field in fields:
                before, shown = self.document.job, field.entry.text()
                for text in _NEVER if field.spec.kind != "text" else ():
                    self.put(field, text)
                    self.assertIs(self.document.job, before, f"{where}, {field.spec.label}: '{text}'")
                    self.assertTrue(field.said.text(), f"{where}, {field.spec.label}: '{text}' is refused in silence")
                    self.assertEqual(field.entry.text(), text, "what was typed is still there to be mended")
                field.show_value()
                self.assertEqual(field.entry.text(), shown)
                count += 1
        return count

    def test_vises_and_a_model(self):
        self.document.pick("port")
        self.assertGreater(self.check_fields(), 60)

    def test_a_plate_and_a_part_by_dimensions(self):
        self.open(demo_job("winch-cheek"))
        self.assertGreater(self.check_fields(), 60)

    def test_a_jig_and_pins(self):
        """The scenes that other jobs have not: jig and turn, then pins and turn."""
        for name, scenes in (("lamp-lid", (1, 2)), ("dial-ring-on-pins", (2,))):
            self.open(demo_job(name))
            self.assertGreater(self.check_fields(scenes), 9)

    def test_steps_beside_the_machine_and_a_fixture_from_a_model(self):
        self.open(demo_job("gate-hinge"))
        self.assertGreater(self.check_fields((1, 2, 5, 6)), 25)

    def test_a_blank_where_a_value_is_needed(self):
        for where in self.each_lens():
            for field in self.panel().fields:
                if field.spec.optional or field.spec.kind == "text":
                    continue
                before = self.document.job
                self.put(field, " ")
                self.assertIs(self.document.job, before, f"{where}, {field.spec.label}")
                self.assertTrue(field.said.text(), f"{where}, {field.spec.label}")
                field.show_value()

    def test_words_never_break_a_name(self):
        """Names take any words, and show them as words: no markup, no path, and one undo takes each back."""
        self.show_lens(0, "part")
        self.document.pick("port")
        for text in ("<b>port</b>", "../port", "port\u200b½", "%s {0} \\n"):
            self.put(self.field("Name"), text)
            self.assertEqual(self.document.picked, text)
            self.assertEqual(self.desk.tape.tape.title, text)
            self.commands.undo()
            self.assertEqual(self.document.job, demo())
            self.document.pick("port")

    def test_a_tilt_is_typed(self):
        self.open(demo_job("winch-cheek"))
        self.show_lens(0, "part")
        self.document.pick("hole 4")
        self.put(self.field("Tilted towards"), "0 -1 3")
        index = next(k for k, each in enumerate(self.document.job.part.features) if each.name == "hole 4")
        self.assertEqual(self.document.job.part.features[index].skew.as_tuple(), (0.0, -1.0, 3.0))
        self.assertIn("hole 4", {reach.name for reach in self.document.plan.coverage.tilted()})
        self.put(self.field("Tilted towards"), "sideways")
        self.assertIn("three numbers", self.field("Tilted towards").said.text())
        self.commands.undo()
        self.assertIsNone(self.document.job.part.features[index].skew)


class SmallScreenTest(LensTestCase):
    def setUp(self):
        super().setUp()
        self.window.resize(1024, 640)
        self.document.show_unit("in")
        self.app.processEvents()

    def check_lenses(self):
        canvas = self.desk.stage.canvas
        for where in self.each_lens():
            canvas.grab()
            if canvas.isVisible():
                room = QRectF(canvas.rect()).adjusted(-1.0, -1.0, 1.0, 1.0)
                for box, source in canvas.targets:
                    if source and box.width() < canvas.width() / 2:
                        self.assertTrue(room.contains(box), f"{where}: '{source}' is cut off at {box}")
            for area in self.desk.stage.findChildren(QScrollArea):
                if area.isVisible():
                    bar = area.horizontalScrollBar()
                    self.assertEqual(bar.maximum(), 0, f"{where}: the fields are cut off at the right")
        self.assertEqual((self.window.width(), self.window.height()), (1024, 640), "nothing forced the window wider")

    def test_nothing_is_cut_off_in_inches(self):
        self.check_lenses()

    def test_plate_clamps_and_a_long_ladder(self):
        self.open(demo_job("winch-cheek"))
        self.check_lenses()

    def test_frames_and_jigs(self):
        for name in ("dial-ring-in-a-frame", "lamp-lid", "gate-hinge")[: draws(1, 3)]:
            self.open(demo_job(name))
            self.check_lenses()

    def test_ten_setups(self):
        job, sides = demo(), ("+X", "-X", "+Y", "-Y", "+Z", "-Z", "+X", "-X")
        for up in sides:
            job = add_setup(job, up, demo_plan(), new_id())
        self.document.apply("eight more setups", lambda _: job)
        self.assertEqual(len(self.document.plan.setups), 10)
        self.check_lenses()
        self.assertEqual([s.offset for s in job.setups][:6], ["G54", "G55", "G56", "G57", "G58", "G59"])
        self.commands.undo()
        self.assertEqual(self.document.job, demo())
