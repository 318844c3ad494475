"""A fixture of the shop's own in the real window: read, told what its faces are for, kept, taken by another job."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.own_fixtures import own_fixture
from ledgecliff.core.model.own_fixture import Spigot
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from ledgecliff.store.shop import read_shop
from tests.app.gui import GuiTestCase
from tests.own_fixture_models import clamp, nest, write_stl

OP_20 = 3


class OwnFixtureTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.nest = write_stl(self.folder / "hinge_nest.stl", nest())
        self.toe = write_stl(self.folder / "toe.stl", clamp())
        self.desk.files.ask_save = lambda *_: self.folder / "mine" / "mine.json"
        (self.folder / "mine").mkdir()
        self.show_lens(OP_20, "hold")

    def answer(self, words):
        button = next(button for button in self.desk.notices.buttons if button.text() == words)
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)

    def read(self, path, purpose):
        self.desk.files.ask_model = lambda: path
        self.desk.fixtures.ask(purpose)
        self.answer("mm")
        self.wait_for(lambda: not self.desk.files.busy(), f"{path.name} to be read")

    def add(self, label, starts, ends=""):
        box = self.choice(label).box
        words = [box.itemText(k) for k in range(box.count())]
        self.choose(label, next(each for each in words if each.startswith(starts) and ends in each))

    def make(self):
        self.read(self.nest, "fixture")
        self.add("A face", "looks to +X, X −40.000")
        self.choose("+X face", "the part is pushed against it")
        self.add("A face", "looks to +Y, Y −30.000")
        self.choose("+Y face", "the part is pushed against it")
        self.add("A bore", "Ø10")
        self.read(self.toe, "moving part")
        self.choose("toe moves to", "−X")

    def zero(self):
        held = self.document.plan.setups[1]
        return [round(float(value), 6) + 0.0 for value in held.holding.u_zero - held.wcs.u_origin]

    def test_made_and_undone(self):
        before = self.document.job
        self.make()
        self.assertEqual(self.zero(), [10.0, -2.0, 0.0])
        self.assertEqual(self.document.plan.setups[1].holding.own.ways, (("toe", 14.0),))
        # It goes 10 at first.
        self.findings()
        self.assertIn("MOVING_PART_SHORT", {each.code for each in self.document.findings})
        self.type_in(self.field("toe goes").entry, "30")
        self.findings()
        self.assertNotIn("MOVING_PART_SHORT", {each.code for each in self.document.findings})
        while self.document.undo_stack.canUndo():
            self.document.undo_stack.undo()
        self.assertEqual(self.document.job, before)
        while self.document.undo_stack.canRedo():
            self.document.undo_stack.redo()
        self.assertEqual(self.zero(), [10.0, -2.0, 0.0])

    def test_names_uses_and_screws(self):
        self.make()
        self.type_in(self.field("Face 2").entry, "anvil")
        self.assertEqual(own_fixture(self.document.job, 1).faces[1].name, "anvil")
        self.choose("anvil", "not named")
        self.assertEqual([face.name for face in own_fixture(self.document.job, 1).faces], ["seat", "+Y face"])
        self.type_in(self.field("X").entry, "4")  # nothing gives X its place now
        self.assertEqual(self.document.job.setups[1].hold.x, 4.0)
        QTest.mouseClick(self.button("Add a screw"), Qt.MouseButton.LeftButton)
        self.type_in(self.field("Head").entry, "9")
        self.assertEqual(own_fixture(self.document.job, 1).screws[0].head_diameter, 9.0)
        QTest.mouseClick(self.button("Remove the last screw"), Qt.MouseButton.LeftButton)
        QTest.mouseClick(self.button("Remove the last bore"), Qt.MouseButton.LeftButton)
        QTest.mouseClick(self.button("Remove the last part"), Qt.MouseButton.LeftButton)
        fixture = own_fixture(self.document.job, 1)
        self.assertEqual((fixture.screws, fixture.bores, fixture.moving), ((), (), ()))
        self.type_in(self.field("Fixture").entry, "anvil nest")
        self.assertEqual(own_fixture(self.document.job, 1).name, "anvil nest")
        self.choose("seat", "only probed")
        self.assertIn("no face of it is a seat", self.choice("seat").said.text())
        self.choose("Model up", "−Z")
        self.assertEqual(own_fixture(self.document.job, 1).seat, 20.0)

    def button(self, words):
        from PySide6.QtWidgets import QPushButton

        return next(each for each in self.panel().widget().findChildren(QPushButton) if each.text() == words)

    def test_saved_with_its_models_and_taken_from_the_shop(self):
        self.make()
        self.window.commands.open_sheet("shop")
        sheet = self.desk.stage.sheets["shop"]
        sheet._keep()
        self.assertEqual([each.name for each in read_shop().fixtures if each.kind == "own"], ["hinge nest"])
        self.commands.save()
        self.assertTrue((self.folder / "mine" / "hinge_nest.stl").exists())
        self.assertTrue((self.folder / "mine" / "toe.stl").exists())
        self.open(self.folder / "mine" / "mine.json")
        self.assertEqual(self.zero(), [10.0, -2.0, 0.0])
        # Another job takes it from the library, and takes its models along where it is saved.
        self.open(demo_job("float-housing"))
        self.show_lens(OP_20, "hold")
        self.choose("Held by", "hinge nest")
        self.wait_for(lambda: not self.desk.files.busy(), "its models to be read")
        self.assertEqual(self.zero(), [10.0, -2.0, 0.0])
        (self.folder / "other").mkdir()
        self.desk.files.ask_save = lambda *_: self.folder / "other" / "other.json"
        self.commands.save()
        fixture = own_fixture(read_job(self.folder / "other" / "other.json"), 1)
        self.assertEqual([each.path for each in fixture.models], ["hinge_nest.stl", "toe.stl"])

    def test_a_spigot_is_offered_to_bores_that_go_over_it(self):
        self.make()
        pegs = own_fixture(self.document.job, 1)
        path = ("machines", 0, "fixtures", self.document.job.machine.fixtures.index(pegs), "spigots")
        spigots = (Spigot(name="peg", x=10, y=0, diameter=21.9),)
        self.document.apply("spigot", lambda job: set_value(job, path, spigots))
        words = [self.choice("Over a spigot").box.itemText(k) for k in range(self.choice("Over a spigot").box.count())]
        chosen = next(each for each in words if each.startswith("main bore"))
        self.choose("Over a spigot", chosen)
        self.assertEqual(self.zero()[:2], [-10.0, 0.0])
