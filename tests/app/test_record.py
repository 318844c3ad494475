"""The record in the real window: notes, marks, corrections, pages, what is looked for, a number against time, files."""

from __future__ import annotations

import unittest
from unittest import mock

from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap
from PySide6.QtTest import QTest

from ledgecliff.core.drawing.drift_layout import drift_layout
from ledgecliff.core.model.identity import derived_id
from ledgecliff.core.record.drift import Mark, Value, drift
from ledgecliff.core.record.entries import RecordEntry
from ledgecliff.core.record.subjects import subjects_of_setup
from ledgecliff.store.outbox import Outbox
from ledgecliff.store.record_db import PAGE, RecordDb, Wanted
from ledgecliff.store.register_place import PLACE, register_place, waiting_file
from tests.app.gui import GuiTestCase


class RecordTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        place = mock.patch.dict("os.environ", {PLACE: str(self.folder / "shop.db")})
        place.start()
        self.addCleanup(place.stop)
        self.sheet = self.desk.stage.record_sheet
        self.document.show_scene(1)
        self.used = subjects_of_setup(self.document.job, self.document.job.setups[0])

    def filled(self, count=12, marked_after=None):
        db = RecordDb(register_place())
        self.addCleanup(db.close)
        fixture = [each for each in self.used if each.kind == "fixture"]
        entries = [
            RecordEntry(
                id=derived_id("gui", str(k)), kind="touch", at=f"2026-03-{1 + k // 24:02d}T{k % 24:02d}:00:00+00:00",
                by="Ada", on=self.used, what=f"Op 10, step {k}", numbers={"x off": (k % 3) / 100},
            )
            for k in range(count)
        ]  # fmt: skip
        if marked_after is not None:
            at = entries[marked_after].at.replace(":00:00+", ":30:00+")
            entries.append(
                RecordEntry(id=derived_id("mark"), kind="mark", at=at, by="Bo", on=fixture, what="jaws ground")
            )
        db.add(entries)
        return db

    def opened(self):
        QTest.keyClick(
            self.window, Qt.Key.Key_J, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        )
        self.read()

    def read(self):
        self.wait_for(lambda: not self.sheet.pages.busy() and not self.desk.record.busy(), "the page")
        self.wait_for(lambda: not self.sheet.drifts.busy(), "the number against time")

    def press(self, key):
        QTest.mouseClick(self.sheet.buttons[key], Qt.MouseButton.LeftButton)
        self.read()

    def choose(self, box, words):
        box.setCurrentIndex(next(k for k in range(box.count()) if box.itemText(k).startswith(words)))
        box.activated.emit(box.currentIndex())
        self.read()

    def column(self, number):
        return [self.sheet.table.item(row, number).text() for row in range(self.sheet.table.rowCount())]

    def test_a_picture_goes_with_a_note(self):
        picture = QPixmap(400, 300)
        picture.fill(Qt.GlobalColor.darkGreen)
        picture.save(str(self.folder / "jaw.png"))
        self.opened()
        self.sheet.ask_picture = lambda: self.folder / "jaw.png"
        self.press("picture")
        self.assertEqual(self.sheet.buttons["picture"].text(), "Pictures: 1")
        self.type_in(self.sheet.note, "jaw chipped", enter=False)
        self.press("add")
        self.assertEqual(self.sheet.buttons["picture"].text(), "Picture…")
        self.wait_for(lambda: self.sheet.pictures.buttons, "the picture")
        (button,) = self.sheet.pictures.buttons
        self.assertAlmostEqual(button.iconSize().width(), 110 * 4 / 3, delta=1)
        self.assertTrue(button.isEnabled())
        self.type_in(self.sheet.note, "another", enter=False)
        self.press("add")
        self.sheet.table.selectRow(0)
        self.assertTrue(self.sheet.pictures.isHidden(), "the newest has none")
        self.sheet.ask_picture = lambda: self.folder / "shop.db"
        self.press("picture")
        self.assertIn("neither a PNG nor a JPEG", self.sheet.said.text())

    def test_figures_for_the_budget_by_one_step(self):
        db = RecordDb(register_place())
        self.addCleanup(db.close)
        vise = [each for each in self.used if each.kind == "fixture"]
        db.add([
            RecordEntry(id=derived_id("fig", str(k)), kind="touch", at=f"2026-03-01T{k:02d}:00:00+00:00", by="Ada",
                        on=vise, numbers={"y off": (-1) ** k / 100})
            for k in range(10)
        ])  # fmt: skip
        self.commands.open_sheet("figures")
        sheet = self.desk.stage.figures_sheet
        self.wait_for(lambda: any(each.values == 10 for each in sheet.found), "the figures")
        QTest.mouseClick(sheet.buttons["take"], Qt.MouseButton.LeftButton)
        self.assertIn("none is picked", sheet.said.text())
        sheet.table.selectRow(next(k for k, each in enumerate(sheet.found) if each.values == 10))
        QTest.mouseClick(sheet.buttons["take"], Qt.MouseButton.LeftButton)
        taken = self.document.job.machines[0].fixtures[0]
        self.assertEqual((taken.scatter_from.values, taken.scatter_from.number), (10, "y off"))
        # Hand-worked: ten values of 0.01 to either side have sqrt(10 / 9) hundredths, to one side 1 / 0.6028 of it.
        self.assertAlmostEqual(taken.clamping_scatter, 0.01 * (10 / 9) ** 0.5 / 0.60281, 6)
        self.wait_for(lambda: sheet.table.item(0, 2).text().startswith("10 values"), "where it comes from")
        self.document.undo_stack.undo()
        self.assertIsNone(self.document.job.machines[0].fixtures[0].scatter_from)
        sheet.table.selectRow(len(sheet.found) - 1)
        QTest.mouseClick(sheet.buttons["take"], Qt.MouseButton.LeftButton)
        self.assertIn("more are needed", sheet.said.text())

    def test_notes_marks_and_corrections(self):
        self.opened()
        self.assertEqual(self.desk.stage.view, "shop")
        self.assertIn("Nothing is recorded yet", self.sheet.words.text())
        self.press("add")
        self.assertIn("says nothing", self.sheet.said.text())
        self.type_in(self.sheet.note, "left jaw chipped", enter=False)
        self.choose(self.sheet.on, "fixture left vise")
        self.press("add")
        self.assertTrue(self.sheet.said.isHidden())
        self.assertEqual(
            (self.column(1), self.column(2), self.column(4)), (["note"], ["left jaw chipped"], ["left vise"])
        )
        # It pops up where the vise is used.
        self.findings()
        told = [each.message() for each in self.document.findings if each.code == "RECORD_NOTE"]
        self.assertTrue(told and all("left jaw chipped" in words for words in told), told)
        self.type_in(self.sheet.note, "left jaw scratched", enter=False)
        self.press("correct")
        self.assertEqual(self.column(2), ["left jaw scratched", "left jaw chipped"])
        self.assertEqual(self.column(1)[0], "note, corrected")
        self.sheet.table.selectRow(1)
        self.press("withdraw")
        self.assertIn("is corrected already", self.sheet.said.text())
        self.sheet.table.selectRow(0)
        self.press("withdraw")
        self.assertEqual(self.column(1)[0], "note, withdrawn")
        self.sheet.is_mark.setChecked(True)
        self.choose(self.sheet.on, "nothing")
        self.type_in(self.sheet.note, "jaws ground", enter=False)
        self.press("add")
        self.assertIn("a mark must say", self.sheet.said.text())
        self.choose(self.sheet.on, "fixture left vise")
        self.type_in(self.sheet.note, "jaws ground")
        self.read()
        self.assertEqual(self.column(1)[0], "mark")

    def test_pages_and_what_is_looked_for(self):
        self.filled(PAGE + 20)
        self.opened()
        self.assertEqual(self.sheet.title.text(), f"Record · 1 to {PAGE} of {PAGE + 20}")
        self.assertFalse(self.sheet.buttons["newer"].isEnabled())
        self.press("older")
        self.assertEqual(self.sheet.title.text(), f"Record · {PAGE + 1} to {PAGE + 20} of {PAGE + 20}")
        self.assertFalse(self.sheet.buttons["older"].isEnabled())
        self.press("newer")
        self.type_in(self.sheet.search, "STEP 77")
        self.read()
        self.assertEqual(self.column(2), ["Op 10, step 77"])
        self.type_in(self.sheet.search, "")
        self.sheet.search.clear()
        self.choose(self.sheet.kind, "note")
        self.assertEqual(self.column(2), [])
        self.choose(self.sheet.kind, "all kinds")
        self.choose(self.sheet.about, "setup Float housing Op 20")
        self.assertEqual(self.column(2), [])
        self.choose(self.sheet.about, "setup Float housing Op 10")
        self.assertEqual(len(self.column(2)), PAGE)

    def test_a_number_against_time(self):
        self.filled(20, marked_after=5)
        self.opened()
        self.choose(self.sheet.subject, "fixture left vise")
        self.assertIn("20 values; mean", self.sheet.drift.text())
        layout = self.sheet.chart.shown()
        self.assertEqual((len(layout.spots), [each.words for each in layout.marks]), (20, ["jaws ground"]))
        self.assertGreater(layout.levels[0].left, layout.marks[0].x)
        # Of the setup nothing was marked.
        self.choose(self.sheet.subject, "setup Float housing Op 10")
        self.assertEqual(self.sheet.chart.shown().marks, ())

    def test_written_and_taken_in(self):
        db = self.filled(5)
        self.opened()
        path = self.folder / "all.csv"
        with mock.patch.object(self.sheet, "ask_name", return_value=path):
            self.press("export")
        other = self.folder / "other.db"
        with mock.patch.dict("os.environ", {PLACE: str(other)}):
            with mock.patch.object(self.sheet, "ask_file", return_value=path):
                self.press("import")
            self.read()
            self.assertEqual(len(self.column(2)), 5)
        taken = RecordDb(other)
        self.addCleanup(taken.close)
        self.assertEqual(list(taken.every()), list(db.every()))

    def test_a_server_that_is_away_keeps_nobody_from_working(self):
        away = "postgresql+psycopg://ada@127.0.0.1:1/shop"
        with mock.patch.dict("os.environ", {PLACE: away}):
            self.opened()
            self.assertIn("cannot be opened", self.sheet.said.text())
            self.type_in(self.sheet.note, "while it is away")
            self.read()
            self.assertEqual(Outbox(waiting_file(away)).counts(), (1, 0))
            self.assertIn("1 entries wait", self.desk.notices.label.text())

    def test_what_is_rehearsed_is_in_it(self):
        self.window.commands.rehearse_now()
        self.wait_for(lambda: self.document.rehearsal is not None, "the rehearsal", 60_000)
        self.read()
        db = RecordDb(register_place())
        self.addCleanup(db.close)
        (entry,) = db.page(Wanted(kind="rehearsal"))
        self.assertIn(f"trial {self.document.rehearsal.seed}", entry.what)
        found = self.document.rehearsal.setups[0].difference[0]
        self.assertAlmostEqual(entry.numbers["Op 10 x off"], float(found))


class ChartTest(unittest.TestCase):
    def test_each_value_at_its_time_and_height(self):
        at = [f"2026-03-{day:02d}T00:00:00+00:00" for day in (1, 2, 3, 5, 6, 7, 8, 9, 11)]
        values = [Value(time, float(k % 2), str(k)) for k, time in enumerate(at)]
        layout = drift_layout(drift(values, [Mark(at[0], "new")]), 500.0, 200.0)
        days = [each.at[0] for each in layout.spots]
        self.assertAlmostEqual((days[3] - days[0]) / (days[-1] - days[0]), 4 / 10)
        self.assertGreater(layout.spots[0].at[1], layout.spots[1].at[1], "more is higher up")
        mean, low, high = (each.y for each in layout.levels)
        self.assertTrue(layout.frame.top < high < mean < low < layout.frame.bottom)
        self.assertIsNone(drift_layout(drift([]), 500.0, 200.0))
        self.assertEqual(len(drift_layout(drift(values[:1]), 500.0, 200.0).spots), 1)
