"""What is typed of a touch-off by hand: undone, left and found again, brought back, and asked about before it goes."""

from __future__ import annotations

import json
import unittest

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ledgecliff.app.drafts import Drafts
from ledgecliff.core.touchoff.draft import draft_for
from ledgecliff.store import recovery
from ledgecliff.store.demo import demo_job
from tests.app.gui import GuiTestCase
from tests.helpers import demo, demo_plan


class TypedTest(GuiTestCase):
    def setUp(self):
        super().setUp()
        self.show_lens(1, "hand")
        self.panel().show_page("x")

    def read(self, label, text):
        self.type_in(self.field(label).entry, text)

    def readings(self):
        return [self.field(label).entry.text() for label in ("Left wall", "Right wall")]

    def answer(self, words):
        (button,) = (each for each in self.desk.notices.buttons if each.text() == words)
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)

    def test_it_is_undone_step_by_step_and_is_no_change_of_the_job(self):
        blank = self.readings()
        self.read("Left wall", "-574.9")
        self.read("Right wall", "-464.9")
        whole = ["−574.900", "−464.900"]
        self.assertEqual(self.readings(), whole)
        self.assertIn("−519.900", self.panel().number.text())
        self.commands.undo()
        self.assertEqual(self.readings(), [whole[0], blank[1]])
        self.assertNotIn("−519.900", self.panel().number.text())
        self.commands.undo()
        self.assertEqual(self.readings(), blank)
        self.assertFalse(self.document.drafts)
        self.commands.redo()
        self.commands.redo()
        self.assertEqual(self.readings(), whole)
        self.assertIs(self.document.unsaved, False)
        self.assertEqual(self.document.job, demo())

    def test_each_setup_has_its_readings_and_the_page_that_was_left(self):
        self.read("Left wall", "-574.9")
        self.document.show_scene(3)
        self.assertEqual(self.panel().page, "start")
        self.panel().show_page("z")
        self.document.show_scene(1)
        self.assertEqual((self.panel().page, self.readings()[0]), ("x", "−574.900"))
        self.document.show_scene(3)
        self.assertEqual(self.panel().page, "z")

    def test_another_job_and_back(self):
        self.read("Left wall", "-574.9")
        self.open(demo_job("lamp-lid"))
        self.show_lens(1, "hand")
        self.assertEqual(self.panel().page, "start")
        self.assertEqual(self.document.typed_setups(), [])
        self.open(demo_job("float-housing"))
        self.show_lens(1, "hand")
        self.assertEqual((self.panel().page, self.readings()[0]), ("x", "−574.900"))
        self.assertEqual(self.document.typed_setups(), ["Op 10"])

    def test_a_job_that_is_saved_elsewhere_takes_it_along(self):
        self.read("Left wall", "-574.9")
        before = self.document.job.id
        self.desk.files.ask_save = lambda *_: self.folder / "mine.json"
        self.assertTrue(self.desk.files.save())
        self.assertNotEqual(self.document.job.id, before)
        self.assertEqual((self.panel().page, self.readings()[0]), ("x", "−574.900"))

    def test_renamed_meanwhile_and_with_another_zero_it_stays_typed(self):
        self.read("Left wall", "-574.9")
        self.document.set_value("name", ("setups", 0, "name"), "Op 15")
        self.document.set_value("offset", ("setups", 0, "offset"), "G57")
        self.assertEqual(self.readings()[0], "−574.900")
        self.assertIn("G57", self.panel().number.text())

    def test_it_is_in_the_recovery_copy_and_comes_back_with_its_page(self):
        self.read("Left wall", "-574.9")
        self.desk.files.keep_copy()
        (copy,) = recovery.recovery_folder().glob("*.json")
        record = json.loads(copy.read_text())
        record["process"] = 2**22 + 1
        (copy.parent / "dead.json").write_text(json.dumps(record))
        fresh = self.make_window()
        self.assertTrue(fresh.desk.files.offer_recovery())
        QTest.mouseClick(fresh.desk.notices.buttons[0], Qt.MouseButton.LeftButton)
        self.wait_for(lambda: fresh.desk.document.job is not None, "the recovered job")
        fresh.desk.document.show_scene(1)
        fresh.desk.document.show_lens("hand")
        panel = fresh.desk.stage.hand_panel
        self.assertEqual(panel.page, "x")
        self.assertEqual(panel.desk.subject.x.reading, -574.9)

    def test_closing_asks_and_what_is_kept_is_not_asked_about(self):
        self.read("Left wall", "-574.9")
        self.window.close()
        self.assertTrue(self.window.isVisible())
        self.assertIn("Readings typed by hand for Op 10 are not kept", self.desk.notices.label.text())
        self.answer("Not now")
        self.read("Right wall", "-464.9")
        for axis, label, text in (
            ("y", "Front wall", "-253.1"),
            ("y", "Back wall", "-175.1"),
            ("z", "Reading", "-310"),
        ):
            self.panel().show_page(axis)
            self.read(label, text)
        self.read("Tool length", "96")
        self.panel().desk.write()
        self.assertFalse(self.document.drafts)
        self.panel().show_page("x")
        self.assertEqual(self.readings(), ["−574.900", "−464.900"], "kept, and there to be corrected")
        self.window.close()
        self.assertFalse(self.window.isVisible())

    def test_both_are_asked_about_one_after_the_other(self):
        self.read("Left wall", "-574.9")
        self.document.set_value("title", ("title",), "Another")
        self.window.close()
        self.answer("Drop the changes")
        self.assertTrue(self.window.isVisible())
        self.answer("Drop the readings")
        self.assertFalse(self.window.isVisible())


class DraftsTest(unittest.TestCase):
    def test_a_record_comes_back_and_what_cannot_be_read_is_left_out(self):
        setup = demo_plan().setups[0]
        drafts, again = Drafts(), Drafts()
        drafts.put("job", "a", draft_for(setup))
        drafts.turn_to("job", "a", "y")
        drafts.put("another", "b", draft_for(setup))
        record = json.loads(json.dumps(drafts.record("job")))
        again.take("job", record | {"b": {"draft": {"setup": 7}}, "c": 3, "d": {}})
        self.assertEqual(again.setups("job"), {"a"})
        self.assertEqual(again.typed("job", "a"), draft_for(setup))
        self.assertEqual(again.page("job", "a"), "y")

    def test_only_the_job_that_moves_moves(self):
        drafts = Drafts()
        for job in ("one", "two"):
            drafts.put(job, "s", draft_for(demo_plan().setups[0]))
            drafts.turn_to(job, "s", job)
        drafts.move("one", "three")
        self.assertEqual([bool(drafts.typed(job, "s")) for job in ("one", "two", "three")], [False, True, True])
        self.assertEqual([drafts.page(job, "s") for job in ("one", "two", "three")], [None, "two", "one"])
