"""A day at the machine in the real window: opened, ticked off, kept together, typed, undone, written; and refusals."""

from __future__ import annotations

from unittest import mock

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from ledgecliff.app.run_desk import RunDesk
from ledgecliff.core.drawing.items import Stroke
from ledgecliff.core.runs import edits
from ledgecliff.core.runs.tasks import ref_named, ref_words
from ledgecliff.store.atomic import WriteError
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import write_job
from ledgecliff.store.recent import recent_jobs
from ledgecliff.store.record_db import RecordDb, Wanted
from ledgecliff.store.register_place import register_place
from ledgecliff.store.run_files import checksum_of, read_run, write_run
from tests.app.gui import GuiTestCase
from tests.core.runs.test_runs import job, run_of


class RunTest(GuiTestCase):
    opens_demo = False

    def setUp(self):
        super().setUp()
        self.sheet, self.run_desk = self.desk.stage.run_sheet, self.desk.stage.run_desk
        run = run_of(job("A", 1, 2, 1), job("B", 2, 1, offset="G55"))
        for station in run.stations:
            for task, minutes in zip(station.tasks, (12.0, 9.0, 4.0), strict=False):
                run = edits.with_minutes(run, ref_named(run, f"{station.name}/{task.name}"), minutes)
        jobs = []
        for of_job, cuts, offset in zip(run.jobs, ((1, 2, 1), (2, 1)), ("G54", "G55"), strict=True):
            path = self.folder / of_job.path
            write_job(job(of_job.title, *cuts, offset=offset), path)
            jobs.append(of_job.model_copy(update={"checksum": checksum_of(path)}))
        self.path = self.folder / "tuesday.json"
        write_run(run.model_copy(update={"jobs": tuple(jobs)}), self.path)
        self.open(self.path)
        self.ordered()

    def ordered(self):
        self.wait_for(lambda: self.run_desk.ordered is not None and not self.run_desk.busy(), "an order")

    def ref(self, words):
        return ref_named(self.run_desk.run, words)

    def column(self, number):
        return [self.sheet.table.item(row, number).text() for row in range(self.sheet.table.rowCount())]

    def rows(self):
        return [f"{a}/{b}" for a, b in zip(self.column(2), self.column(3), strict=True)]

    def tick(self, row):
        self.sheet.table.item(row, 0).setCheckState(Qt.CheckState.Checked)

    def press(self, key):
        QTest.mouseClick(self.sheet.buttons[key], Qt.MouseButton.LeftButton)

    def drag(self, words, onto, place=None):
        band = self.sheet.band
        start, end = ((place or band.place_of)(self.ref(each)).toPoint() for each in (words, onto))
        QTest.mousePress(band, Qt.MouseButton.LeftButton, pos=start)
        for place in ((start + end) / 2, end):
            QTest.mouseMove(band, place)
        QTest.mouseRelease(band, Qt.MouseButton.LeftButton, pos=end)

    def test_it_is_shown_ticked_off_and_undone(self):
        stage = self.desk.stage
        self.assertEqual((stage.view, self.window.view_words["run"].isChecked()), ("run", True))
        self.assertIn("Tuesday's table", self.sheet.title.text())
        # T1 T2 T1: the drill of B stands with that of A, and the last face of A with that of B.
        self.assertEqual(self.run_desk.planned.order.tool_calls, 3)
        self.assertIn("3 tool calls", self.sheet.words.text())
        self.assertIn("Proven: no order is better", self.sheet.words.text())
        self.assertIn("Station after station: 5 tool calls, 2 offset calls", self.sheet.words.text())
        self.assertEqual(self.rows()[0], "A/face 1")
        self.tick(0)
        self.assertEqual([ref_words(self.run_desk.run, each) for each in read_run(self.path).done], ["A/face 1"])
        self.assertNotIn("Before the last change", self.sheet.words.text(), "less is left, which is no saving")
        # At once, in the order that is known.
        self.assertEqual((self.column(1)[0], self.column(1)[1], self.run_desk.ordered), ("done", "0:00", None))
        self.ordered()
        self.assertEqual(self.run_desk.planned.order.tool_calls, 2)
        self.window.activateWindow()
        QTest.keyClick(self.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(read_run(self.path).done, ())
        self.press("redo")
        self.assertEqual(len(read_run(self.path).done), 1)
        # Each of it is in the record.
        self.wait_for(lambda: not self.desk.record.busy(), "the record")
        record = RecordDb(register_place())
        self.addCleanup(record.close)
        about = Wanted(subject=("run", self.run_desk.run.id))
        said = [each.what.partition(": ")[2] for each in record.page(about) if each.what.startswith("A/face 1: ")]
        self.assertEqual(said[:3], ["done", "to be done again", "done"])
        QTest.keyClick(self.sheet, Qt.Key.Key_Escape)
        self.assertEqual(stage.view, "part")
        QTest.keyClick(self.window, Qt.Key.Key_F4)
        self.assertEqual(stage.view, "run")

    def test_picked_kept_together_and_freed(self):
        band = self.sheet.band
        QTest.mouseClick(band, Qt.MouseButton.LeftButton, pos=band.place_of(self.ref("B/drill 1")).toPoint())
        self.assertEqual(self.rows()[self.sheet.table.currentRow()], "B/drill 1")
        self.assertFalse(self.sheet.buttons["thaw"].isEnabled())
        self.drag("B/drill 1", "A/face 1")
        together = (self.ref("A/face 1"), self.ref("B/drill 1"))
        self.assertEqual(read_run(self.path).frozen, (together,))
        at = self.rows()
        self.assertEqual(at.index("B/drill 1"), at.index("A/face 1") + 1, "seen at once")
        self.ordered()
        at = self.rows()
        self.assertEqual(at.index("B/drill 1"), at.index("A/face 1") + 1)
        # The last face of A has its own call of T1 now, or the drill of A one of T2.
        self.assertIn("Before the last change it was 3 tool calls, 3 offset calls", self.sheet.words.text())
        # What would go round in a circle is refused, and nothing is another.
        self.drag("A/face 1", "A/drill 2")
        self.assertIn("'A/drill 2' comes after 'A/face 1'", self.sheet.said.text())
        self.assertEqual(read_run(self.path).frozen, (together,))
        QTest.mouseClick(band, Qt.MouseButton.LeftButton, pos=band.place_of(together[0]).toPoint())
        self.press("thaw")
        self.assertEqual(read_run(self.path).frozen, ())

    def test_a_whole_block_is_kept_and_lights_its_stations(self):
        band, canvas = self.sheet.band, self.sheet.canvas
        block = band.place_of_block

        def lit():
            (drawing,) = canvas.drawings
            zeros = {item.source for item in drawing.items if isinstance(item, Stroke) and item.line == "zero"}
            return {each.name for each in self.run_desk.run.stations if f"run-{each.id}" in zeros}

        self.assertEqual(lit(), set())
        # Both stand at one plate, one after the other: that which is not done is drawn.
        QTest.mouseClick(band, Qt.MouseButton.LeftButton, pos=block(self.ref("B/drill 1")).toPoint())
        self.assertEqual(lit(), {"A"})
        self.assertTrue(self.sheet.buttons["keep"].isEnabled())
        self.press("keep")
        drills = [self.ref("A/drill 2"), self.ref("B/drill 1")]
        self.assertCountEqual(read_run(self.path).frozen[0], drills)
        self.press("undo")
        # Dropped on itself it stays as it is, on another block it follows all of that.
        start = block(drills[0]).toPoint()
        QTest.mousePress(band, Qt.MouseButton.LeftButton, pos=start)
        for way in (12, 2):
            QTest.mouseMove(band, start + QPoint(way, 0))
        QTest.mouseRelease(band, Qt.MouseButton.LeftButton, pos=start)
        self.assertCountEqual(read_run(self.path).frozen[0], drills)
        self.press("undo")
        self.ordered()
        self.drag("A/drill 2", "A/face 1", block)
        (frozen,) = read_run(self.path).frozen
        self.assertEqual((frozen[0], set(frozen[1:])), (self.ref("A/face 1"), set(drills)))
        # On the table a station picks all that is to be done there.
        box = next(box for box, source in canvas.targets if source.startswith("run-"))
        QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
        self.assertEqual(lit(), {"A"})
        self.assertEqual(self.sheet._picked, {self.ref(f"A/{each}") for each in ("face 1", "drill 2", "face 3")})
        self.press("table")
        self.assertFalse(canvas.isVisible())
        self.press("table")
        self.assertTrue(canvas.isVisible())

    def test_several_rows_are_kept_by_keys(self):
        table = self.sheet.table
        self.assertFalse(self.sheet.buttons["keep"].isEnabled())
        table.setFocus()
        table.setCurrentCell(0, 3)
        QTest.keyClick(table, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
        kept = tuple(self.ref(each) for each in self.rows()[:2])
        self.press("keep")
        self.assertEqual(read_run(self.path).frozen, (kept,))

    def test_by_keys_alone(self):
        table = self.sheet.table
        table.setFocus()
        table.setCurrentCell(0, 3)
        QTest.keyClick(table, Qt.Key.Key_Space)
        self.assertEqual(read_run(self.path).done, (self.ref("A/face 1"),))
        QTest.keyClick(table, Qt.Key.Key_Space)
        self.assertEqual(read_run(self.path).done, ())

    def test_minutes_are_typed(self):
        row = self.rows().index("B/face 2")
        for text, minutes in (("7,5", 7.5), ("long", 7.5), ("-1", 7.5)):
            self.sheet.table.item(row, 6).setText(text)
            task = next(each for each in read_run(self.path).stations[1].tasks if each.name == "face 2")
            self.assertEqual((task.minutes, task.minutes_from), (minutes, "typed"))
            self.assertEqual(self.sheet.said.isHidden(), text == "7,5")
            row = self.rows().index("B/face 2")
            self.assertEqual(self.column(6)[row], "7.5")

    def test_another_hand_has_ticked_something_off(self):
        other = edits.with_done(read_run(self.path), [self.ref("A/face 1")])
        write_run(other, self.path)
        self.sheet.table.item(self.rows().index("B/face 2"), 6).setText("5")
        self.assertIn("changed from elsewhere", self.sheet.said.text())
        self.assertEqual(read_run(self.path), other)
        self.assertEqual(self.column(1)[0], "done")
        # Nor is a program written of what another hand has done by now.
        self.ordered()
        write_run(edits.with_done(other, [self.ref("A/drill 2")]), self.path)
        with mock.patch.object(self.sheet, "ask_folder", return_value=self.folder / "out"):
            self.press("programs")
        self.assertIn("changed from elsewhere", self.sheet.said.text())
        self.assertFalse((self.folder / "out").exists())

    def test_what_counts_and_enough(self):
        self.sheet.count.setCurrentIndex(1)
        self.sheet.count.activated.emit(1)
        self.assertEqual(read_run(self.path).by, "time")
        self.ordered()
        with mock.patch("ledgecliff.app.run_desk._LOOKED_FOR", 1e6):
            self.press("again")
            self.wait_for(lambda: self.run_desk.ordered is not None, "a first order")
            self.press("enough")
            self.ordered()
        self.assertIsNotNone(self.sheet.band.place_of(self.ref("A/face 1")))

    def written(self):
        self.wait_for(lambda: not self.sheet.writing.busy(), "what is written")

    def test_programs_and_list_are_written(self):
        out = self.folder / "out"
        with (
            mock.patch.object(self.sheet, "ask_folder", return_value=out),
            mock.patch.object(self.sheet, "ask_name", return_value=self.folder / "day.html"),
        ):
            # Given up, nothing is written.
            self.press("programs")
            self.assertEqual(self.sheet.buttons["programs"].text(), "Stop writing")
            self.press("programs")
            self.assertEqual(self.sheet.buttons["programs"].text(), "Programs…")
            self.press("programs")
            self.written()
            (program,) = out.iterdir()
            self.assertIn("M0", program.read_text(encoding="utf-8"))
            self.assertIn("Read back and run on the simulated machine", self.sheet.words.text())
            self.press("more")
            self.sheet.adding.by_block.click()
            self.press("programs")
            self.written()
            self.assertEqual(len(list(out.glob("*block*"))), 3)
            self.press("list")
            self.written()
        self.assertTrue(self.sheet.said.isHidden(), self.sheet.said.text())
        self.assertIn("Tuesday&#39;s table", (self.folder / "day.html").read_text(encoding="utf-8"))

    def test_what_differs_when_it_is_run_is_not_written(self):
        out = self.folder / "out"
        with (
            mock.patch.object(self.sheet, "ask_folder", return_value=out),
            mock.patch("ledgecliff.core.runs.posting._Writer._away", return_value=[]),
        ):
            self.press("programs")
            self.wait_for(lambda: not self.sheet.said.isHidden(), "why nothing is written")
        self.assertIn("differs from the plan", self.sheet.said.text())
        self.assertFalse(out.exists())

    def test_lives_of_tools_and_what_is_roughed(self):
        self.press("more")
        more = self.sheet.adding
        for text, minutes in (("20", [20.0]), ("-3", [20.0]), ("", [])):
            more.tool.setCurrentIndex(more.tool.findData(1))
            more.life.clear()
            self.type_in(more.life, text, enter=False)
            QTest.mouseClick(more.buttons["life"], Qt.MouseButton.LeftButton)
            self.assertEqual([each.minutes for each in read_run(self.path).lives], minutes)
        more.task.setCurrentIndex(more.task.findText("A/drill 2"))
        for stage in ("rough", None):
            more.stage.setCurrentIndex(more.stage.findData(stage))
            QTest.mouseClick(more.buttons["stage"], Qt.MouseButton.LeftButton)
            self.assertEqual(read_run(self.path).stations[0].tasks[1].stage, stage)
            self.assertEqual(more.task.currentData(), self.ref("A/drill 2"))
            self.assertEqual("(roughed)" in more.task.currentText(), stage is not None)

    def test_what_the_operator_does_and_what_waits(self):
        self.press("more")
        more = self.sheet.adding
        self.assertTrue(more.isVisible())

        def choose(box, words):
            box.setCurrentIndex(box.findText(words))

        def add(key):
            QTest.mouseClick(more.buttons[key], Qt.MouseButton.LeftButton)

        self.type_in(more.name, "turn it", enter=False)
        self.type_in(more.lasts, "2,5", enter=False)
        choose(more.at, "B")
        choose(more.takes_from, "A")
        add("action")
        (turn,) = read_run(self.path).actions
        self.assertEqual((turn.name, turn.minutes), ("turn it", 2.5))
        self.ordered()
        at = self.rows()
        self.assertEqual(at.index("B/turn it"), 3, at)
        self.type_in(more.name, "brush", enter=False)
        self.type_in(more.lasts, "soon", enter=False)
        add("action")
        self.assertIn("'soon' is no number", self.sheet.said.text())
        self.type_in(more.lasts, "1", enter=False)
        choose(more.takes_from, "nowhere")
        add("action")
        self.assertEqual(len(read_run(self.path).after), 5, "what is not a turn may come at any time")
        choose(more.earlier, "A/face 1")
        choose(more.later, "A/drill 2")
        self.type_in(more.wait, "45", enter=False)
        add("after")
        self.assertEqual(read_run(self.path).after[-1].wait, 45.0)
        self.ordered()
        (wait,) = self.run_desk.picture().lanes[0].waits
        self.assertAlmostEqual(wait.end - wait.start, 45.0)
        # A circle is refused, and nothing is another.
        before = read_run(self.path)
        choose(more.earlier, "B/face 2")
        choose(more.later, "A/face 1")
        add("after")
        self.assertIn("circle", self.sheet.said.text())
        self.assertEqual(read_run(self.path), before)
        choose(more.earlier, "A/face 1")
        choose(more.later, "A/drill 2")
        add("not_after")
        self.assertEqual(len(read_run(self.path).after), 5)
        choose(more.station, "B")
        for key, left in (("stopped", 2), ("found", 1), ("moved", 2)):
            add(key)
            self.assertEqual(len(read_run(self.path).find_again), left, key)
        self.assertIn("has not been found again", self.sheet.words.text())
        choose(more.station, "turn it")
        add("found")
        self.assertIn("is what the operator does", self.sheet.said.text())
        add("out")
        self.assertEqual([each.name for each in read_run(self.path).actions], ["brush"])
        choose(more.station, "B")
        add("out")
        self.assertEqual([each.name for each in read_run(self.path).stations], ["A"])
        self.press("undo")
        self.assertEqual(len(read_run(self.path).stations), 2)

    def test_what_is_said_of_the_whole_day(self):
        self.press("more")
        more = self.sheet.adding
        for name, text, value in (
            ("pockets", "12", 12), ("due", "45,5", 45.5), ("tool_call_s", "6", 6.0), ("due", "", None),
        ):  # fmt: skip
            more.day[name].clear()
            self.type_in(more.day[name], text)
            self.assertEqual(getattr(read_run(self.path), name), value)
        for name, text, words in (
            ("pockets", "12.5", "pockets"), ("pockets", "many", "'many' is no number"), ("index_s", "-1", "index"),
        ):  # fmt: skip
            before = read_run(self.path)
            self.type_in(more.day[name], text)
            self.assertIn(words, self.sheet.said.text())
            self.assertEqual((read_run(self.path), more.day["pockets"].text()), (before, "12"))
        self.assertEqual(more.day["index_s"].text(), "5")
        QTest.mouseClick(more.rough_first, Qt.MouseButton.LeftButton, pos=QPoint(8, more.rough_first.height() // 2))
        self.assertTrue(read_run(self.path).rough_first)
        self.press("undo")
        self.assertFalse(more.rough_first.isChecked())

    def test_a_changed_job_is_taken_over(self):
        def codes():
            return {each.code for each in self.run_desk.findings()}

        self.assertEqual(codes(), {"RUN_STATION_TWICE"})
        write_job(job("A", 1, 2), self.folder / "A.json")
        self.press("again")
        self.ordered()
        self.assertEqual(codes(), {"RUN_STATION_TWICE", "RUN_JOB_CHANGED"})
        with mock.patch.object(self.sheet, "ask_folder", return_value=self.folder / "out"):
            self.press("programs")
            self.wait_for(lambda: not self.sheet.said.isHidden(), "why nothing is posted")
        self.assertIn("RUN_JOB_CHANGED", self.sheet.said.text())
        self.assertFalse((self.folder / "out").exists())
        self.press("more")
        QTest.mouseClick(self.sheet.adding.buttons["take"], Qt.MouseButton.LeftButton)
        self.wait_for(lambda: len(read_run(self.path).stations[0].tasks) == 2, "the job to be taken over")
        self.assertIn("Taken over: ", self.sheet.words.text())
        self.assertEqual(read_run(self.path).stations[0].tasks[0].minutes, 12.0, "what was typed stays")
        self.ordered()
        self.assertEqual(codes(), {"RUN_STATION_TWICE"})
        (self.folder / "A.json").unlink()
        QTest.mouseClick(self.sheet.adding.buttons["take"], Qt.MouseButton.LeftButton)
        self.wait_for(lambda: self.run_desk.no_order, "that it cannot be read")
        self.assertEqual(len(read_run(self.path).stations[0].tasks), 2)

    def test_what_cannot_be_written_leaves_all_as_it_is(self):
        self.tick(0)
        ticked, run = read_run(self.path), self.run_desk.run
        with mock.patch("ledgecliff.app.run_desk.write_run", side_effect=WriteError("the disk is full")):
            for act in (lambda: self.press("undo"), lambda: self.tick(1)):
                act()
                self.assertIn("the disk is full", self.sheet.said.text())
                self.assertEqual((self.run_desk.run, read_run(self.path)), (run, ticked))
                self.assertEqual(self.column(1).count("done"), 1)
        self.press("undo")
        self.press("undo")
        self.assertEqual((read_run(self.path).done, self.sheet.buttons["undo"].isEnabled()), ((), False))
        self.press("redo")
        self.assertEqual(read_run(self.path), ticked)

    def test_where_nothing_can_be_written_it_is_said(self):
        with mock.patch.object(self.sheet, "ask_folder", return_value=self.path / "below a file"):
            self.press("programs")
            self.written()
        self.assertIn("cannot be made", self.sheet.said.text())

    def test_flow_or_batch(self):
        self.press("flow")
        stage, flow = self.desk.stage, self.desk.stage.flow_sheet
        self.assertEqual((stage.view, flow.isVisible(), flow.job.count()), ("run", True, 2))
        for name, text in (("parts", "12"), ("probing", "0,5"), ("setting_up", "12"), ("loading", "1.5")):
            flow.fields[name].clear()
            self.type_in(flow.fields[name], text)
        many = read_run(self.path).many
        self.assertEqual((many.parts, many.probing, many.setting_up, many.loading), (12, 0.5, 12.0, 1.5))
        # 25 min and three calls of 9 s: 12 + 12 * (25 + 0.45 + 0.5 + 1.5).
        self.assertIn("341.4 min in all", flow.words.text())
        flow.loads.setCurrentIndex(1)
        flow.loads.activated.emit(1)
        self.assertEqual(read_run(self.path).many.loads, "outside")
        self.assertIn("324.9 min in all", flow.words.text())
        for text, words in (("0", "parts"), ("2.5", "parts"), ("some", "'some' is no number")):
            flow.fields["parts"].clear()
            self.type_in(flow.fields["parts"], text)
            self.assertIn(words, flow.said.text())
            self.assertEqual((read_run(self.path).many.parts, flow.fields["parts"].text()), (12, "12"))
        flow.job.setCurrentIndex(1)
        flow.job.activated.emit(1)
        self.assertIn("B 21 min with 2 tool calls", flow.words.text())
        self.window.activateWindow()
        QTest.keyClick(self.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(read_run(self.path).many.loads, "inside")
        QTest.keyClick(flow, Qt.Key.Key_Escape)
        self.assertTrue(self.sheet.isVisible())

    def test_begun_from_the_job_on_the_stage(self):
        path = self.folder / "wednesday.json"
        with mock.patch.object(self.sheet, "ask_name", return_value=path):
            self.press("begin")
            self.assertIn("pick one on the route", self.sheet.said.text())
            self.open(self.folder / "A.json")
            self.document.set_value("title", ("title",), "A turned")
            self.desk.stage.show_view("run")
            self.document.show_scene(1)
            self.desk.stage.show_view("run")
            self.press("begin")
            self.assertIn("save it first", self.sheet.said.text())
            self.document.undo_stack.undo()
            self.desk.stage.show_view("run")
            self.press("begin")
        self.assertEqual([each.job for each in read_run(path).jobs], [self.document.job.id])
        self.press("load")
        self.ordered()
        self.assertEqual(len(read_run(path).stations), 2)

    def test_a_file_that_is_no_run_leaves_the_run(self):
        before, bad = self.run_desk.run, self.folder / "bad.json"
        bad.write_text('{"format": "ledgecliff-run", "version": 1}', encoding="utf-8")
        self.desk.files.open(bad)
        self.assertFalse(self.sheet.said.isHidden())
        self.assertEqual((self.run_desk.run, self.run_desk.path), (before, self.path))

    def test_the_demo_is_opened_in_a_copy(self):
        shipped = demo_job("float-housing").parent / "tuesday" / "tuesdays_table.json"
        before = shipped.read_bytes()
        fresh = self.make_window()
        QTest.keyClick(fresh, Qt.Key.Key_F4)
        sheet, desk = fresh.desk.stage.run_sheet, fresh.desk.stage.run_desk
        QTest.mouseClick(sheet.buttons["demo"], Qt.MouseButton.LeftButton)
        self.assertIn(self.folder, desk.path.parents)
        self.wait_for(lambda: desk.ordered is not None, "an order of the demo")
        self.assertEqual((desk.findings(), sheet.buttons["demo"].isVisible()), ((), False))
        self.assertIn("By the shortest time some of that may be filled", sheet.words.text())
        ref = desk.planned.tasks.refs[0]
        desk.tick(ref, done=True)
        # Opened once more, also by its shipped file, what is ticked off still is.
        desk.open(shipped)
        self.assertEqual((desk.run.done, shipped.read_bytes()), ((ref,), before))
        desk.enough()
        self.wait_for(lambda: not desk.busy(), "the order looked for")
        self.assertIn(desk.path, recent_jobs())

    def test_no_order_is_said(self):
        with mock.patch.object(RunDesk, "busy", return_value=False):
            for row in range(self.sheet.table.rowCount()):
                self.tick(row)
        self.assertIn("nothing is left", self.sheet.words.text())
        self.assertIsNone(self.run_desk.picture())
