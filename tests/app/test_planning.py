"""Part, stock, sides, operations and holding in the real window: from a model to a plan of one's own."""

from __future__ import annotations

import shutil

import numpy as np
from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent, QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QPushButton

from ledgecliff.app.lenses.side_table import SideTable
from ledgecliff.core.changing import changed
from ledgecliff.core.model.bench import HeatTreat
from ledgecliff.core.model.identity import derived_id
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import read_job
from tests.app.gui import GuiTestCase
from tests.helpers import demo
from tests.models import box, moved, trial_plate
from tests.store.test_imports import write_step, write_stl

STEP = demo_job("float-housing").parent / "float_housing.step"


class PartTest(GuiTestCase):
    def rows(self):
        listed = self.panel().list
        return [listed.item(k).text() for k in range(listed.count())]

    def pick(self, name):
        row = next(k for k, text in enumerate(self.rows()) if text[2:].startswith(f"{name}  "))
        self.panel().list.setCurrentRow(row)

    def setUp(self):
        super().setUp()
        self.show_lens(0, "part")

    def test_picking_a_feature_shows_it_in_list_drawing_fields_and_tape(self):
        self.pick("port")
        self.assertEqual(self.document.picked, "port")
        self.assertEqual(self.desk.stage.canvas.drawings[0].name, "Part from +X")
        self.assertEqual(self.field("Name").entry.text(), "port")
        self.assertEqual(self.desk.tape.tape.title, "port")
        self.assertIn("port", {source for _, source in self.desk.stage.canvas.targets} | {self.document.picked})

    def test_a_spot_on_the_drawing_picks(self):
        self.app.processEvents()
        self.window.grab()
        spots = {source: box for box, source in self.desk.stage.canvas.targets}
        at = spots["bolt hole NE"].center().toPoint()
        QTest.mouseClick(self.desk.stage.canvas, Qt.MouseButton.LeftButton, pos=at)
        self.assertEqual(self.document.picked, "bolt hole NE")

    def test_a_new_name_goes_everywhere(self):
        self.pick("main bore")
        self.type_in(self.field("Name").entry, "float bore")
        job = self.document.job
        self.assertEqual(job.setups[1].datum.x.feature, "float bore")
        self.assertEqual(job.setups[0].operations[3].on, "float bore")
        self.assertEqual(job.part.features[6].partner, "float bore")
        self.commands.undo()
        self.assertEqual(self.document.job, demo())

    def test_several_parts_from_the_blank(self):
        self.type_in(self.field("Parts").entry, "2")
        self.assertEqual([copy.shift.x for copy in self.document.job.part.copies], [116.0])
        self.type_in(self.field("Apart, X").entry, "5 in")
        self.assertEqual([copy.shift.x for copy in self.document.job.part.copies], [127.0])
        self.type_in(self.field("Apart, X").entry, "40")
        self.assertIn("stand in each other", self.field("Apart, X").said.text())
        self.pick("port, part 2")
        self.assertFalse(self.panel().buttons[1].isEnabled(), "it follows from the first part's")
        self.assertFalse([field for field in self.panel().fields if field.spec.label == "Name"])
        self.type_in(self.field("Parts").entry, "1")
        self.assertEqual(self.document.job.part, demo().part)

    def test_a_recognised_face_gets_a_name_and_loses_it(self):
        self.pick("face +Z 2")
        QTest.mouseClick(self.panel().buttons[0], Qt.MouseButton.LeftButton)
        self.assertEqual(self.document.job.part.features[-1].name, "face +Z 2")
        self.pick("face +Z 2")
        QTest.mouseClick(self.panel().buttons[1], Qt.MouseButton.LeftButton)
        self.assertEqual(len(self.document.job.part.features), len(demo().part.features))

    def test_what_is_used_cannot_be_removed_and_says_by_whom(self):
        self.pick("main bore")
        QTest.mouseClick(self.panel().buttons[1], Qt.MouseButton.LeftButton)
        self.assertIn("is used by Op 20, X zero", self.panel().refused.text())
        self.assertEqual(self.document.job, demo())

    def test_tolerances(self):
        self.pick("counterbore")
        self.type_in(self.field("Position ±").entry, "0.05")
        self.choose("Seen from", "main bore")
        tolerance = next(f for f in self.document.job.part.features if f.name == "counterbore").tolerance
        self.assertEqual((tolerance.position, tolerance.to), (0.05, "main bore"))
        self.type_in(self.field("Position ±").entry, " ")
        asked = next(f for f in self.document.job.part.features if f.name == "counterbore")
        self.assertIsNone(asked.tolerance, "nothing is asked any more")
        self.type_in(self.field("Wall ±").entry, "0.1")
        asked = next(f for f in self.document.job.part.features if f.name == "counterbore")
        self.assertEqual((asked.tolerance.wall, asked.tolerance.to), (0.1, "main bore"), "from its partner")
        self.choose("Seen from", "the part's zero")
        self.assertIn("between two features", self.panel().choices[-1].said.text())


class SidesTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.show_lens(0, "sides")
        self.wait_for(lambda: getattr(self.panel(), "take_buttons", None), "the orders")

    def test_each_order_says_what_it_would_come_to(self):
        """Behind the window; the best in a sentence first, the one that cannot be run with what stops it."""
        self.wait_for(lambda: not self.panel().weighing.busy(), "what they come to", 60_000)
        told = [label.text() for label in self.panel().planned_words.values()]
        self.assertEqual(len(told), 4)
        self.assertIn("Planned so: port from bolt hole SE within 0.016 mm", told[0])
        self.assertIn("Not all can be run as it stands", told[3])
        self.assertIn("Nearest: part +Z up", self.panel()._best.text())
        self.document.show_unit("in")
        self.assertIn("within 0.0006 in", next(iter(self.panel().planned_words.values())).text())

    def test_an_order_becomes_the_plan_and_is_undone(self):
        QTest.mouseClick(self.panel().take_buttons[0], Qt.MouseButton.LeftButton)
        self.assertIn("Planning +Z up, then −Z up", self.desk.notices.label.text())
        self.wait_for(lambda: not self.desk.files.busy(), "the setups", 60_000)
        ups = [setup.orientation.up for setup in self.document.job.setups]
        self.assertEqual(ups, ["+Z", "-Z", "+X"])
        self.assertEqual(self.codes(), set())
        self.assertEqual(len(self.desk.route.cards), 7)
        self.commands.undo()
        self.assertEqual(self.document.job, demo())

    def test_steps_beside_the_machine_stay_and_what_came_meanwhile_too(self):
        second = self.document.job.setups[1].id
        steps = tuple(
            HeatTreat(id=derived_id(name), name=name, before=before) for name, before in (("a", second), ("b", None))
        )
        self.document.apply("heat-treat", lambda job: changed(job, {"bench": steps[:1]}))
        self.wait_for(lambda: getattr(self.panel(), "take_buttons", None), "the orders")
        QTest.mouseClick(self.panel().take_buttons[0], Qt.MouseButton.LeftButton)
        self.document.apply("heat-treat", lambda job: changed(job, {"bench": steps}))
        self.wait_for(lambda: not self.desk.files.busy(), "the setups", 60_000)
        self.assertIn("changed since", self.desk.notices.label.text())
        button = next(each for each in self.desk.notices.findChildren(QPushButton) if each.text() == "Take the plan")
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        job = self.document.job
        self.assertEqual([setup.orientation.up for setup in job.setups], ["+Z", "-Z", "+X"])
        self.assertEqual([each.before for each in job.bench], [job.setups[1].id, None])

    def test_a_feature_of_the_table_is_picked_and_reasons_open_and_stay(self):
        table = self.panel().findChild(SideTable)
        names = [table.model().index(row, 0).data() for row in range(table.model().rowCount())]
        self.assertEqual(names[0], "port")
        table.selectRow(names.index("pocket"))
        self.assertEqual(self.document.picked, "pocket")
        self.assertIn("pocket: +Z up, planned", table.model().index(names.index("pocket"), 5).data(
            Qt.ItemDataRole.AccessibleTextRole))  # fmt: skip
        shown = len([label for label in self.panel().findChildren(QLabel) if label.isVisible()])
        QTest.mouseClick(self.panel().reason_buttons[1], Qt.MouseButton.LeftButton)
        opened = len([label for label in self.panel().findChildren(QLabel) if label.isVisible()])
        self.assertGreater(opened, shown)
        self.document.show_unit("in")
        QTest.qWait(1)
        self.assertEqual([button.isChecked() for button in self.panel().reason_buttons[:2]], [False, True])

    def test_a_missing_side_is_added(self):
        button = next(b for b in self.panel().findChildren(QPushButton) if b.text() == "Add a setup with +X up")
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        self.assertEqual(self.document.job.setups[2].orientation.up, "+X")
        self.assertEqual(self.document.job.setups[2].offset, "G56")
        self.assertNotIn("FEATURE_NOT_REACHED", self.codes())


class StockTest(GuiTestCase):
    def test_other_forms_keep_the_part_inside(self):
        self.show_lens(0, "stock")
        for form in ("round bar", "tube", "extrusion", "block"):
            self.choose("Form", form)
            self.assertEqual(self.document.job.stock.form, form)
            self.assertNotIn("STOCK_TOO_SMALL", self.codes() if form != "tube" else set())
        self.choose("Form", "extrusion")
        self.type_in(self.field("Corners").entry, "0 0, 110 0, 110 70, 50 80, 0 70")
        self.assertEqual(len(self.document.job.stock.section), 5)
        self.type_in(self.field("Corners").entry, "0 0, 110")
        self.assertIn("a corner has two numbers", self.field("Corners").said.text())
        QTest.keyClick(self.field("Corners").entry, Qt.Key.Key_Escape)
        self.choose("Form", "round bar")
        self.choose("Lies along", "part X")
        self.type_in(self.field("Measured").entry, "90")
        self.assertEqual(self.document.job.stock.diameter.measured, 90)
        self.choose("Grain", "along part X")
        self.assertEqual(self.document.job.stock.grain, "x")

    def test_an_allowance_on_one_side_only(self):
        self.show_lens(0, "stock")
        self.type_in(self.field("Part −X").entry, "0.5")
        self.assertEqual(self.document.job.stock.allowance.minus_x, 0.5)
        self.type_in(self.field("Part +X").entry, "1")
        self.assertIn("clear one", self.field("Part +X").said.text())
        QTest.keyClick(self.field("Part +X").entry, Qt.Key.Key_Escape)
        self.type_in(self.field("Part −X").entry, " ")
        self.assertIsNone(self.document.job.stock.allowance.minus_x)


class CutTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.show_lens(1, "cut")

    def names(self):
        return [operation.name for operation in self.document.job.setups[0].operations]

    def test_an_operation_on_the_stage(self):
        self.panel().list.setCurrentRow(2)
        self.assertEqual(self.document.operation, 2)
        self.assertIn("after pocket and bolt holes", self.desk.stage.canvas.drawings[0].name)
        self.assertEqual(self.desk.tape.tape.lines[0].text, "pocket and bolt holes")
        self.assertEqual(self.field("Name").entry.text(), "pocket and bolt holes")

    def test_add_change_move_and_remove(self):
        self.add_something("pocket to its floor", "pocket")
        self.assertEqual(self.names()[-1], "pocket pocket")
        self.type_in(self.field("Leave").entry, "0.3")
        self.assertEqual(self.document.job.setups[0].operations[-1].leave, 0.3)
        QTest.mouseClick(self.panel().buttons[0], Qt.MouseButton.LeftButton)
        self.assertEqual(self.names()[-2], "pocket pocket")
        self.assertEqual(self.document.operation, 3)
        QTest.mouseClick(self.panel().buttons[2], Qt.MouseButton.LeftButton)
        self.assertEqual(self.document.job.setups[0].operations, demo().setups[0].operations)

    def test_a_short_tool_is_a_finding_whose_button_mends(self):
        self.panel().list.setCurrentRow(1)
        self.type_in(self.field("Reach").entry, "20")
        self.assertIn("flute length", self.field("Reach").said.text())
        self.type_in(self.field("Flute length").entry, " ")
        self.type_in(self.field("Reach").entry, "20")
        self.assertIn("TOOL_TOO_SHORT", self.codes())
        QTest.mouseClick(self.remedy_button(), Qt.MouseButton.LeftButton)
        self.assertNotIn("TOOL_TOO_SHORT", {f.code for f in self.findings().findings if "outline" in f.fact})

    def test_setups_move_and_go(self):
        from PySide6.QtWidgets import QPushButton

        later = [b for b in self.panel().findChildren(QPushButton) if b.text() == "Later"][-1]
        QTest.mouseClick(later, Qt.MouseButton.LeftButton)
        self.assertEqual([setup.name for setup in self.document.job.setups], ["Op 20", "Op 10"])
        self.assertEqual(self.document.scene.title, "Op 10")
        self.commands.undo()
        self.assertEqual(self.document.job, demo())


class HoldTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.show_lens(1, "hold")

    def hold(self):
        return self.document.job.setups[0].hold

    def test_parallels_from_the_shops_set(self):
        box = self.choice("Parallels").box
        self.assertEqual(box.currentText(), "38 · thick parallels, 150 long")
        self.choose("Parallels", "36 · thin parallels, 150 long")
        self.assertEqual((self.hold().parallels_height, self.hold().parallels_thickness), (36, 6))

    def test_jaws_stop_and_reference_bore(self):
        self.choose("Jaws", "stepped")
        self.assertEqual(self.desk.tape.tape.subtitle, "how it is held")
        self.choose("Jaws", "soft, cut to shape")
        self.choose("Reference bore", "in the fixed jaw")
        self.type_in(self.field("Bore beside").entry, "40")
        self.assertEqual(self.hold().jaws.bore.beside, 40)
        self.choose("Stop", "at the left")
        self.assertEqual(self.hold().stop.side, "left")
        self.choose("Jaws", "plain, with parallels")
        self.assertIn("Height", [field.spec.label for field in self.panel().fields])

    def test_every_fixture_of_the_shop_can_hold_it(self):
        box = self.choice("Held by").box
        for words in [box.itemText(k) for k in range(box.count())]:
            with self.subTest(words):
                self.choose("Held by", words)
                self.assertEqual(self.document.plan.setups[0].holding.fixture.name, words)
                self.window.grab()

    def test_dowels_and_clamps_on_a_plate(self):
        self.choose("Held by", "hole plate")
        for words in ("Add a dowel", "Add a dowel", "Add a clamp"):
            self.press(words)
        self.assertEqual((len(self.hold().dowels), len(self.hold().clamps)), (2, 1))
        self.assertIn("CUT_INTO_HOLDING", self.codes())
        self.press("Remove last clamp")
        self.assertEqual(self.hold().clamps, ())
        self.type_in(self.field("Diameter").entry, "10")
        self.assertEqual(self.hold().dowels[0].diameter, 10)

    def press(self, words):
        from PySide6.QtWidgets import QPushButton

        button = next(b for b in self.panel().findChildren(QPushButton) if b.text() == words)
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)


class ImportTest(GuiTestCase):
    def answer(self, words):
        button = next(button for button in self.desk.notices.buttons if button.text().startswith(words))
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)

    def wait(self):
        self.wait_for(lambda: not self.desk.files.busy(), "the model to be read and planned", 90_000)

    def drop(self, path):
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        event = QDropEvent(
            QPointF(50, 300), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
        self.window.dropEvent(event)

    def test_a_new_job_from_a_model_is_planned_and_saved_with_it(self):
        model = shutil.copy(STEP, self.folder)
        self.desk.files.ask_model = lambda: self.folder / "float_housing.step"
        self.commands.import_model()
        self.wait()
        self.assertEqual(self.document.lens, "part")
        self.assertTrue(self.document.unsaved)
        self.assertIn("25 faces, ", self.desk.notices.label.text())
        self.assertIn("3 setups planned, with neither hazard nor error", self.desk.notices.label.text())
        self.assertEqual(len(self.document.job.setups), 3)
        self.assertEqual(self.document.undo_stack.undoText(), "first plan")
        target = self.folder / "jobs"
        target.mkdir()
        self.desk.files.ask_save = lambda *_: target / "mine.json"
        self.commands.save()
        self.assertTrue((target / "float_housing.step").exists())
        self.open(target / "mine.json")
        self.assertEqual(self.document.job, read_job(target / "mine.json"))
        self.assertTrue(model)

    def test_the_part_is_there_before_its_sides_are_planned(self):
        """Shown and named at once; the plan comes by itself, and not over what was changed meanwhile."""
        shutil.copy(STEP, self.folder)
        self.desk.files.import_model(self.folder / "float_housing.step", "new job")
        self.wait_for(lambda: self.document.path is None and self.document.job is not None, "the part", 60_000)
        self.assertEqual([setup.operations for setup in self.document.job.setups], [()])
        self.assertGreater(len(self.document.job.part.features), 6)
        self.assertIn("Planning its sides", self.desk.notices.label.text())
        self.document.set_value("title", ("title",), "Changed meanwhile")
        self.wait()
        self.assertIn("the job has been changed since", self.desk.notices.label.text())
        self.assertEqual([setup.operations for setup in self.document.job.setups], [()])
        self.answer("Take the plan")
        self.assertEqual(len(self.document.job.setups), 3)
        self.assertEqual(self.document.job.title, "Changed meanwhile")

    def test_planning_can_be_left_or_ended(self):
        shutil.copy(STEP, self.folder)
        for words, operations in (("Cancel", False), ("Enough", True)):
            self.document.saved_as(self.document.job, self.folder / "as-if.json")
            self.desk.files.import_model(self.folder / "float_housing.step", "new job")
            self.wait_for(lambda: "Planning its sides" in self.desk.notices.label.text(), "the part", 60_000)
            self.answer(words)
            self.wait()
            self.assertEqual(any(s.operations for s in self.document.job.setups), operations, words)
            self.desk.files.when_saved_or_dropped = lambda _what, then: then()

    def test_a_dropped_model_may_be_a_changed_one(self):
        (self.folder / "changed.step").write_bytes(STEP.read_bytes() + b"\n")
        self.drop(self.folder / "changed.step")
        self.answer("Changed model of this job")
        self.wait()
        self.assertIn("9 features as before", self.desk.notices.label.text())
        self.assertEqual(self.document.job.setups, demo().setups)
        self.assertTrue(self.document.job.part.model.path.endswith("changed.step"))
        self.commands.undo()
        self.assertEqual(self.document.job, demo())

    def test_a_different_part_lists_what_was_not_matched(self):
        write_step(self.folder / "block.step", box((0, 0, 0), (96, 64, 28)))
        self.desk.files.import_model(self.folder / "block.step", "changed part")
        self.wait()
        self.assertIn("not matched", self.desk.notices.label.text())
        self.assertIn("main bore", self.desk.notices.label.text())
        self.assertIn("FEATURE_NOT_IN_MODEL", self.codes())

    def test_a_bad_model_leaves_the_open_job_as_it_is(self):
        (self.folder / "bad.step").write_text("nothing")
        before = self.document.job
        self.desk.files.import_model(self.folder / "bad.step", "changed part")
        self.wait()
        self.assertIn("is not a STEP file", self.desk.notices.label.text())
        self.assertIs(self.document.job, before)

    def test_bodies_are_asked_about_in_place(self):
        write_step(
            self.folder / "two.step", box((0, 0, 0), (60, 40, 20)), moved(box((0, 0, 0), (9, 9, 30)), (90, 0, 0))
        )
        self.desk.files.import_model(self.folder / "two.step", "new job")
        self.wait()
        self.assertIn("holds 2 bodies", self.desk.notices.label.text())
        self.answer("2: 9 × 9 × 30")
        self.wait_for(lambda: self.document.job.part.model.body == 2, "the second body", 60_000)
        self.answer("Cancel")
        self.wait()

    def test_the_unit_of_an_stl_file_is_asked(self):
        write_stl(self.folder / "plate.stl", trial_plate().coarse, 1 / 25.4)
        self.desk.files.import_model(self.folder / "plate.stl", "new job")
        self.assertIn("states no length unit", self.desk.notices.label.text())
        self.answer("in")
        self.wait()
        size = self.document.plan.geometry.high - self.document.plan.geometry.low
        self.assertAlmostEqual(float(size[0]), 120, places=3)

    def test_a_casting_as_stock_is_saved_and_opened_with_the_job(self):
        casting = self.folder / "casting.step"
        write_step(casting, box((0, 0, 0), (110, 80, 40)))
        self.desk.files.import_model(casting, "stock")
        self.wait()
        self.assertEqual(self.document.job.stock.form, "model")
        low, high = self.document.plan.blank.corners
        self.assertAlmostEqual(float(low[0] + high[0]) / 2, 48, places=6)
        (self.folder / "jobs").mkdir()
        self.desk.files.ask_save = lambda *_: self.folder / "jobs" / "cast.json"
        self.commands.save()
        self.open(self.folder / "jobs" / "cast.json")
        self.assertTrue((self.folder / "jobs" / "casting.step").exists())
        self.assertAlmostEqual(self.document.plan.blank.volume, 110 * 80 * 40, places=1)

    def test_reading_can_be_cancelled(self):
        write_step(self.folder / "slow.step", box((0, 0, 0), (61, 42, 23)))
        before = self.document.job
        self.desk.files.import_model(self.folder / "slow.step", "changed part")
        self.answer("Cancel")
        self.wait()
        self.assertIs(self.document.job, before)

    def test_a_bar_entered_by_dimensions(self):
        self.commands.new_job()
        self.show_lens(0, "part")
        self.choose("Entered as", "bar")
        self.type_in(self.field("Diameter").entry, "1.25 in")
        self.type_in(self.field("Length").entry, "80")
        self.choose("Lies along", "part X")
        shape = self.document.job.part.shape
        self.assertEqual((shape.along, shape.diameter, shape.length), ("x", 31.75, 80))
        low, high = self.document.plan.geometry.low, self.document.plan.geometry.high
        np.testing.assert_allclose(high - low, (80, 31.75, 31.75), atol=0.1)
        self.assertNotIn("STOCK_TOO_SMALL", self.codes())

    def test_a_part_entered_by_dimensions(self):
        """From nothing to a block with a hole, by keyboard."""
        self.commands.new_job()
        self.assertEqual(self.document.lens, "part")
        self.show_lens(0, "part")
        for name, text in (("Size X", "3 in"), ("Size Y", "45"), ("Size Z", "10 + 12")):
            self.type_in(self.field(name).entry, text)
        size, stock = self.document.job.part.shape.size.as_tuple(), self.document.job.stock.size()
        np.testing.assert_allclose(size, (76.2, 45, 22))
        self.assertEqual(tuple(round(s - p, 6) for s, p in zip(stock, size, strict=True)), (4, 4, 6))
        self.type_in(self.field("Size Y").entry, "-5")
        self.assertIn("greater than 0", self.field("Size Y").said.text())
        self.assertEqual(self.document.job.part.shape.size.y, 45)
        self.choose("Add a", "hole")
        self.type_in(self.field("Diameter").entry, '3/8"')
        self.type_in(self.field("Part X").entry, "12")
        hole = self.document.job.part.features[0]
        self.assertAlmostEqual(hole.diameter, 9.525)
        self.assertEqual(hole.at.x, 12)
        self.assertEqual(self.document.plan.geometry.solid.genus(), 1)
        self.choose("Opens to", "+X")
        self.type_in(self.field("Part X").entry, "76.2")
        self.choose("Goes", "to its depth")
        self.type_in(self.field("Depth").entry, "15")
        hole = self.document.job.part.features[0]
        self.assertEqual((hole.opens_to, hole.through, hole.depth), ("+X", False, 15))
        self.assertEqual(self.document.plan.geometry.solid.genus(), 0)


class PiecesTest(GuiTestCase):
    """Taken along and put in through the clipboard, by the keys."""

    def key(self, letter):
        modifiers = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        QTest.keyClick(self.window, letter, modifiers)

    def test_a_hold_an_operation_and_a_setup(self):
        self.show_lens(1, "hold")
        self.key(Qt.Key.Key_D)
        self.show_lens(3, "hold")
        self.key(Qt.Key.Key_V)
        first, second = self.document.job.setups
        self.assertEqual(first.hold, second.hold)
        self.commands.undo()
        self.show_lens(1, "cut")
        self.document.show_operation(0)
        self.key(Qt.Key.Key_D)
        self.show_lens(3, "cut")
        self.key(Qt.Key.Key_V)
        self.assertEqual(self.document.job.setups[1].operations[-1].name, "face the top")
        self.show_lens(1, "datum")
        self.key(Qt.Key.Key_D)
        self.key(Qt.Key.Key_V)
        self.assertEqual([setup.name for setup in self.document.job.setups], ["Op 10", "Op 30", "Op 20"])

    def test_what_cannot_be_put_in_says_why(self):
        before = self.document.job
        QGuiApplication.clipboard().setText("a shopping list")
        self.show_lens(1, "hold")
        self.key(Qt.Key.Key_V)
        self.assertIn("is no piece of a job", self.desk.notices.label.text())
        self.assertIs(self.document.job, before)
        self.show_lens(1, "probe")
        self.key(Qt.Key.Key_D)
        self.assertIn("take them over first", self.desk.notices.label.text())

    def test_a_new_job_like_this_one(self):
        path = self.folder / "alike.json"
        self.desk.files.ask_save = lambda *_: path
        self.commands.begin_alike()
        self.wait_for(lambda: self.document.path == path and not self.desk.files.busy(), "the new job")
        self.assertEqual(self.document.job.title, "Float housing (new)")
        self.assertNotEqual(self.document.job.id, demo().id)
        self.assertTrue((self.folder / "float_housing.step").exists())
