"""Jobs that wait in the real window: a table taken in, loads kept and split again, done, typed, undone; refusals."""

from __future__ import annotations

from unittest import mock

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from ledgecliff.store.atomic import WriteError
from ledgecliff.store.backlog_files import read_backlog_list, read_table
from ledgecliff.store.recent import recent_jobs
from tests.app.gui import GuiTestCase

TABLE = """name;kind;tools;minutes;steps;due_h
cheek;vise;T1 T2;60;;
stay;plate;T3;45;;
inlay;vise;;;12 T1 T2 | wait 60 | 8 T3;
rib;plate;T4;30;;
"""


class BacklogTest(GuiTestCase):
    opens_demo = False

    def setUp(self):
        super().setUp()
        stage = self.desk.stage
        self.sheet, self.backlog_desk = stage.backlog_sheet, stage.backlog_desk
        self.path, self.csv = self.folder / "monday.json", self.folder / "jobs.csv"
        self.csv.write_text(TABLE, encoding="utf-8")
        QTest.keyClick(self.window, Qt.Key.Key_F4)
        QTest.mouseClick(stage.run_sheet.buttons["backlog"], Qt.MouseButton.LeftButton)
        with (
            mock.patch.object(self.sheet, "ask_name", return_value=self.path),
            mock.patch.object(self.sheet, "ask_file", return_value=self.csv),
        ):
            self.press("begin")
            self.assertIn("has no jobs", self.sheet.words.text())
            self.press("take")
        self.room("Stations", "vise 2, plate 1")
        self.room("Hours", "1,5")
        self.split()

    def press(self, key):
        QTest.mouseClick(self.sheet.buttons[key], Qt.MouseButton.LeftButton)

    def room(self, words, text):
        self.type_in(next(each for each in self.sheet.fields.values() if each.accessibleName() == words), text)

    def split(self):
        self.wait_for(lambda: self.backlog_desk.split is not None and not self.backlog_desk.busy(), "the loads")

    def job(self, name):
        return next(each for each in read_backlog_list(self.path).jobs if each.name == name)

    def cell(self, name, column):
        row = next(k for k in range(self.sheet.table.rowCount()) if self.sheet.table.item(k, 2).text() == name)
        return self.sheet.table.item(row, column)

    def press_load(self, number):
        piece = next(each for each in self.sheet.band.shown.pieces if each.words == f"Load {number}")
        QTest.mouseClick(self.sheet.band, Qt.MouseButton.LeftButton, pos=self.at(piece))

    @staticmethod
    def at(piece):
        return QPoint(*(round(value) for value in piece.box.middle))

    def test_taken_in_split_kept_and_done(self):
        self.assertIn("2 loads (none with fewer than 2)", self.sheet.words.text())
        self.assertEqual(self.desk.stage.view, "run")
        for name in ("keep", "thaw", "out"):
            self.assertFalse(self.sheet.buttons[name].isEnabled())
        where = {name: self.cell(name, 0).text() for name in ("cheek", "stay", "rib", "inlay")}
        self.assertNotEqual(where["stay"], where["rib"], "there is one plate")
        self.press_load(1)
        self.press("keep")
        frozen = {each.name for each in read_backlog_list(self.path).jobs if each.load == 1}
        self.assertEqual(frozen, {name for name, load in where.items() if load.startswith("1")})
        self.split()
        self.press("thaw")
        self.assertEqual([each.load for each in read_backlog_list(self.path).jobs], [None] * 4)
        self.window.activateWindow()
        QTest.keyClick(self.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual({each.name for each in read_backlog_list(self.path).jobs if each.load == 1}, frozen)
        self.press("redo")
        self.split()
        first = {self.backlog_desk.held.jobs[k].name for k, _ in self.backlog_desk.split.loads[0].steps} - {"inlay"}
        self.press("done")
        left = {each.name for each in read_backlog_list(self.path).jobs}
        self.assertFalse(first & left)
        self.press("undo")
        self.assertEqual(len(read_backlog_list(self.path).jobs), 4)
        self.assertIn(self.path, recent_jobs())
        QTest.keyClick(self.sheet, Qt.Key.Key_Escape)
        self.assertTrue(self.desk.stage.run_sheet.isVisible())
        # Opened by its file, as a dropped one is.
        self.desk.files.open(self.path)
        self.assertTrue(self.sheet.isVisible())

    def test_typed_added_and_taken_out(self):
        self.cell("cheek", 6).setText("20 T1 | wait 5 | 10 T2")
        self.assertEqual([step.minutes for step in self.job("cheek").steps], [20.0, 10.0])
        self.cell("cheek", 1).setText("2")
        self.assertEqual(self.job("cheek").load, 2)
        for column, text, why in (
            (6, "T1", "neither minutes"),
            (2, "stay", "share the name"),
            (4, "many", "no number"),
        ):
            before = read_backlog_list(self.path)
            shown = self.cell("cheek", column).text()
            self.cell("cheek", column).setText(text)
            self.assertIn(why, self.sheet.said.text())
            self.assertEqual((read_backlog_list(self.path), self.cell("cheek", column).text()), (before, shown))
        self.press("add")
        self.assertEqual(len(read_backlog_list(self.path).jobs), 5)
        self.press("out")
        self.assertEqual([each.name for each in read_backlog_list(self.path).jobs], ["cheek", "stay", "inlay", "rib"])
        for words, text, why in (("Pockets", "0", "pockets"), ("Stations", "vise", "no kind with its number")):
            self.room(words, text)
            self.assertIn(why, self.sheet.said.text())
        self.room("Hours", "0,1")
        self.assertIn("a load has 6", self.backlog_desk.no_loads)
        self.assertIn("No loads: ", self.sheet.words.text())
        self.press("undo")
        self.split()
        out = self.folder / "out.csv"
        with mock.patch.object(self.sheet, "ask_name", return_value=out):
            self.press("table")
        self.assertEqual([each.name for each in read_table(out)], ["cheek", "stay", "inlay", "rib"])

    def test_another_hand_and_a_full_disk(self):
        before = read_backlog_list(self.path)
        with mock.patch("ledgecliff.app.backlog_desk.write_backlog_list", side_effect=WriteError("the disk is full")):
            self.cell("cheek", 1).setText("2")
            self.assertIn("the disk is full", self.sheet.said.text())
        self.assertEqual((read_backlog_list(self.path), self.cell("cheek", 1).text()), (before, ""))
        text = self.path.read_text(encoding="utf-8")
        self.path.write_text(text.replace('"monday"', '"tuesday"'), encoding="utf-8")
        self.cell("cheek", 1).setText("2")
        self.assertIn("changed from elsewhere", self.sheet.said.text())
        self.assertEqual((self.backlog_desk.held.title, self.job("cheek").load), ("tuesday", None))

    def test_the_demo(self):
        fresh = self.make_window()
        QTest.keyClick(fresh, Qt.Key.Key_F4)
        stage = fresh.desk.stage
        QTest.mouseClick(stage.run_sheet.buttons["backlog"], Qt.MouseButton.LeftButton)
        QTest.mouseClick(stage.backlog_sheet.buttons["demo"], Qt.MouseButton.LeftButton)
        self.wait_for(lambda: stage.backlog_desk.split is not None, "loads of the demo")
        self.assertIn(self.folder, stage.backlog_desk.path.parents)
        self.assertEqual(len(stage.backlog_desk.held.jobs), 24)
        stage.backlog_desk.enough()
        self.wait_for(lambda: not stage.backlog_desk.busy(), "the loads looked for")
        stage.backlog_desk.open_demo()
        stage.backlog_desk.enough()
