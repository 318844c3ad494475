"""Opening, saving, asking in place, autosave and recovery in the real window."""

from __future__ import annotations

import json
import os

from PySide6.QtCore import QMimeData, QPointF, Qt, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtTest import QTest

from ledgecliff.app.actions import ACTIONS
from ledgecliff.core.changing import set_value
from ledgecliff.store import recent, recovery
from ledgecliff.store.demo import demo_job
from ledgecliff.store.job_files import job_text, read_job
from tests.app.gui import GuiTestCase
from tests.helpers import demo


class FileTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.desk.files.ask_save = lambda *_: self.folder / "mine.json"

    def answer(self, words):
        button = next(button for button in self.desk.notices.buttons if button.text() == words)
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)

    def edit(self):
        self.document.set_value("facing", ("stock", "allowance", "plus_z"), 2.0)

    def test_the_demo_is_saved_elsewhere_with_its_model(self):
        self.edit()
        self.assertIn("not saved", self.window.state.text())
        self.commands.save()
        self.assertEqual(read_job(self.folder / "mine.json").stock.allowance.plus_z, 2.0)
        self.assertTrue((self.folder / "float_housing.step").exists())
        self.assertNotIn("not saved", self.window.state.text())
        self.assertEqual(read_job(demo_job("float-housing")), demo())
        self.assertIn((self.folder / "mine.json").resolve(), recent.recent_jobs())

    def test_saving_again_writes_where_it_came_from(self):
        self.commands.save()
        self.edit()
        self.desk.files.ask_save = lambda *_: self.fail("asked for a name again")
        self.commands.save()
        self.assertEqual(read_job(self.folder / "mine.json").stock.allowance.plus_z, 2.0)
        self.open(self.folder / "mine.json")
        self.assertEqual(self.document.job.stock.allowance.plus_z, 2.0)

    def test_saved_elsewhere_it_is_another_job_and_saved_again_the_same(self):
        """Also after undo, which brings back what was, but not which job it was."""
        self.edit()
        demo_id = self.document.job.id
        self.commands.save()
        mine = self.document.job.id
        self.assertNotEqual(mine, demo_id)
        self.assertEqual(read_job(self.folder / "mine.json").id, mine)
        self.edit()
        self.document.set_value("name", ("setups", 0, "name"), "First clamping")
        self.commands.save()
        self.assertEqual(self.document.job.id, mine)
        self.desk.files.ask_save = lambda *_: self.folder / "copy.json"
        self.desk.files.save_as()
        copy = self.document.job.id
        self.assertEqual(len({demo_id, mine, copy}), 3)
        self.assertEqual(self.document.job.setups[0].name, "First clamping")
        self.assertTrue(self.document.undo_stack.canUndo(), "what led here can still be taken back")
        self.commands.undo()
        self.assertEqual((self.document.job.setups[0].name, self.document.job.id), ("Op 10", copy))
        self.commands.save()
        self.assertEqual(read_job(self.folder / "copy.json").id, copy)
        self.assertEqual(read_job(self.folder / "mine.json").id, mine)

    def test_a_save_that_fails_leaves_the_job_the_one_it_was(self):
        before = self.document.job.id
        self.desk.files.ask_save = lambda *_: self.folder / "no folder" / "mine.json"
        self.assertFalse(self.desk.files.save_as())
        self.assertEqual(self.document.job.id, before)

    def test_undo_back_to_the_saved_state_is_saved_again(self):
        self.commands.save()
        self.edit()
        self.assertTrue(self.document.unsaved)
        self.commands.undo()
        self.assertFalse(self.document.unsaved)

    def test_a_bad_file_leaves_the_open_job_untouched(self):
        self.edit()
        before = self.document.job
        for name, text, words in (
            ("cut.json", "{", "not a whole JSON document"),
            ("alone.json", demo_job("float-housing").read_text(), "the model 'float_housing.step' is not there"),
        ):
            (self.folder / name).write_text(text)
            self.desk.files.open(self.folder / name)
            self.answer("Drop the changes")
            self.wait_for(lambda: not self.desk.files.busy(), "the refusal")
            self.assertIn(words, self.desk.notices.label.text())
            self.assertIs(self.document.job, before)
            self.assertTrue(self.document.undo_stack.canUndo())

    def test_unsaved_work_is_asked_about_before_another_job(self):
        self.edit()
        self.commands.open_demo()
        self.assertIn("changes that are not saved", self.desk.notices.label.text())
        self.answer("Not now")
        self.assertEqual(self.document.job.stock.allowance.plus_z, 2.0)
        self.commands.open_demo()
        self.answer("Save first")
        self.wait_for(lambda: self.document.job == demo(), "the demo")
        self.assertEqual(read_job(self.folder / "mine.json").stock.allowance.plus_z, 2.0)

    def test_closing_asks_in_place(self):
        self.edit()
        self.window.close()
        self.assertTrue(self.window.isVisible())
        self.answer("Drop the changes")
        self.assertFalse(self.window.isVisible())

    def test_a_failed_save_is_said_and_loses_nothing(self):
        self.edit()
        self.desk.files.ask_save = lambda *_: self.folder / "no folder" / "mine.json"
        self.assertFalse(self.desk.files.save())
        self.assertIn("cannot be written", self.desk.notices.label.text())
        self.assertTrue(self.document.unsaved)

    def test_a_file_can_be_dropped_in(self):
        self.commands.save()
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(self.folder / "mine.json"))])
        drop = QDropEvent(
            QPointF(50, 300), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
        )
        self.window.dropEvent(drop)
        self.wait_for(lambda: self.document.path == self.folder / "mine.json", "the dropped job")


class RecoveryTest(GuiTestCase):
    def test_unsaved_work_is_kept_offered_and_brought_back(self):
        self.document.set_value("facing", ("stock", "allowance", "plus_z"), 2.0)
        self.desk.files.keep_copy()
        (copy,) = recovery.recovery_folder().glob("*.json")
        record = json.loads(copy.read_text())
        record["process"] = 2**22 + 1  # as if another program had kept it and died
        (copy.parent / "dead.json").write_text(json.dumps(record))
        fresh = self.make_window()
        self.assertTrue(fresh.desk.files.offer_recovery())
        self.assertIn("Unsaved work of float_housing.json", fresh.desk.notices.label.text())
        QTest.mouseClick(fresh.desk.notices.buttons[0], Qt.MouseButton.LeftButton)
        self.wait_for(lambda: fresh.desk.document.job is not None, "the recovered job")
        self.assertEqual(fresh.desk.document.job.stock.allowance.plus_z, 2.0)
        self.assertTrue(fresh.desk.document.unsaved)
        self.assertFalse((copy.parent / "dead.json").exists())

    def test_each_copy_is_offered_by_itself(self):
        """Three are left; one is passed over, one thrown away, one brought back: what is not thrown away stays."""
        folder = recovery.recovery_folder()
        folder.mkdir(parents=True, exist_ok=True)
        for k, title in enumerate(("oldest", "middle", "newest")):
            job = set_value(self.document.job, ("title",), title)
            path = folder / f"{title}.json"
            record = {"process": 2**22 + 1, "origin": None, "model_folder": str(self.document.path.parent)}
            path.write_text(json.dumps(record | {"job": json.loads(job_text(job))}))
            os.utime(path, (1000 + k, 1000 + k))
        fresh = self.make_window()

        def press(words):
            (button,) = (each for each in fresh.desk.notices.buttons if each.text() == words)
            QTest.mouseClick(button, Qt.MouseButton.LeftButton)

        fresh.desk.files.offer_recovery()
        self.assertIn("(1 of 3): 'newest'", fresh.desk.notices.label.text())
        press("Show the next")
        self.assertIn("(2 of 3): 'middle'", fresh.desk.notices.label.text())
        press("Discard this one")
        self.assertIn("(2 of 2): 'oldest'", fresh.desk.notices.label.text())
        self.assertEqual({path.name for path in folder.glob("*.json")}, {"oldest.json", "newest.json"})
        press("Bring it back")
        self.wait_for(lambda: fresh.desk.document.job is not None, "the recovered job")
        self.assertEqual(fresh.desk.document.job.title, "oldest")
        self.assertIn("'newest'", fresh.desk.notices.label.text())
        press("Not now")
        self.assertTrue((folder / "newest.json").exists())

    def test_edits_without_end_do_not_put_the_copy_off(self):
        """An edit every tenth of a second: the copy is there while they go on."""
        for k in range(200):
            self.document.set_value("facing", ("stock", "allowance", "plus_z"), 2.0 + 0.01 * k)
            QTest.qWait(100)
            if list(recovery.recovery_folder().glob("*.json")):
                break
        else:
            self.fail("no copy was kept")
        (copy,) = recovery.recovery_folder().glob("*.json")
        kept = json.loads(copy.read_text())["job"]["stock"]["allowance"]["plus_z"]
        self.assertAlmostEqual(kept, 2.0 + 0.01 * k, delta=0.011)

    def test_bringing_back_asks_before_it_takes_the_place_of_other_work(self):
        self.document.set_value("facing", ("stock", "allowance", "plus_z"), 2.0)
        self.desk.files.keep_copy()
        (copy,) = recovery.recovery_folder().glob("*.json")
        record = json.loads(copy.read_text())
        record["process"] = 2**22 + 1
        (copy.parent / "dead.json").write_text(json.dumps(record))
        self.desk.files.offer_recovery()
        QTest.mouseClick(self.desk.notices.buttons[0], Qt.MouseButton.LeftButton)
        self.assertIn("changes that are not saved", self.desk.notices.label.text())
        self.assertTrue((copy.parent / "dead.json").exists())

    def test_saving_drops_the_copy(self):
        self.document.set_value("facing", ("stock", "allowance", "plus_z"), 2.0)
        self.desk.files.keep_copy()
        self.desk.files.ask_save = lambda *_: self.folder / "mine.json"
        self.commands.save()
        self.assertEqual(list(recovery.recovery_folder().glob("*.json")), [])

    def test_the_copy_is_kept_by_itself_soon_after_an_edit(self):
        self.document.set_value("facing", ("stock", "allowance", "plus_z"), 2.0)
        self.wait_for(lambda: list(recovery.recovery_folder().glob("*.json")), "the recovery copy")


class EmptyStageTest(GuiTestCase):
    opens_demo = False

    def test_it_says_what_to_do_and_nothing_falls_over(self):
        for spec in ACTIONS:
            if spec.needs_job:
                self.assertFalse(self.window.actions_by_id[spec.id].isEnabled(), spec.id)
        self.commands.switch_unit()
        self.window.switch_theme()
        self.commands.next_scene()
        self.assertIsNone(self.document.scene)
