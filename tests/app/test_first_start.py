"""The first start: ways to begin and nothing else, and a look round that a new user gets through alone."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from ledgecliff.core.look_round import STATIONS
from ledgecliff.core.programs.profile import SHIPPED
from ledgecliff.store.demo import DEMOS, demo_job, demo_names, demo_picture
from ledgecliff.store.recent import remember_job
from ledgecliff.store.shop import read_shop, shop_file
from tests.app.gui import GuiTestCase


class FirstPageTest(GuiTestCase):
    opens_demo = False

    def test_before_a_job_there_is_nothing_but_ways_to_begin(self):
        stage = self.desk.stage
        self.assertTrue(stage.first_page.isVisible())
        for view in (self.desk.route, self.desk.tape, self.desk.findings, stage.lens_bar):
            self.assertFalse(view.isVisible())
        self.assertEqual(len(stage.first_page.ways), 3)
        self.open(demo_job("float-housing"))
        self.assertFalse(stage.first_page.isVisible())
        for view in (self.desk.route, self.desk.tape, self.desk.findings, stage.lens_bar):
            self.assertTrue(view.isVisible())

    def test_every_demo_has_its_sentence_its_picture_and_opens(self):
        self.assertEqual({demo.name for demo in DEMOS}, set(demo_names()))
        for demo in DEMOS:
            self.assertTrue(demo_picture(demo.name).startswith(b"\x89PNG"))
            self.assertTrue(demo.sentence.endswith("."))
        self.desk.stage.first_page.demo_buttons["lamp-lid"].click()
        self.wait_for(lambda: self.document.job is not None, "the demo")
        self.assertEqual(self.document.job.title, read_title("lamp-lid"))

    def test_each_way_leads_where_it_says(self):
        page, asked = self.desk.stage.first_page, []
        self.desk.files.ask_open = lambda: asked.append("job")
        self.desk.files.ask_model = lambda: asked.append("model")
        page.ways["job"].click()
        page.ways["model"].click()
        self.assertEqual(asked, ["job", "model"])
        page.ways["dimensions"].click()
        self.wait_for(lambda: self.document.job is not None, "the new job")
        self.assertIsNone(self.document.job.part.model)

    def test_the_controls_style_is_asked_for_once_and_counts_for_new_jobs(self):
        page = self.desk.stage.first_page
        self.wait_for(lambda: self.document.shop is not None, "the shop")
        self.assertEqual(set(page.style_buttons), set(SHIPPED))
        page.style_buttons["numbered-variable skip style"].click()
        self.assertEqual(read_shop().machine.profile, "numbered-variable skip style")
        page.ways["dimensions"].click()
        self.wait_for(lambda: self.document.job is not None, "the new job")
        self.assertEqual(self.document.job.machine.profile, "numbered-variable skip style")
        self.assertTrue(shop_file().exists())
        page.refresh()
        self.assertEqual(page.style_buttons, {}, "it was asked for")

    def test_jobs_opened_lately_are_there_again(self):
        file = self.folder / "mine.json"
        file.write_bytes(demo_job("float-housing").read_bytes())
        remember_job(file)
        page = self.desk.stage.first_page
        page.refresh()
        self.assertEqual([button.text() for button in page.recent_buttons], ["mine.json"])


def read_title(name):
    from ledgecliff.store.job_files import read_job

    return read_job(demo_job(name)).title


class LookRoundTest(GuiTestCase):
    opens_demo = False

    def test_from_the_empty_window_to_a_plan_that_was_changed_mended_rehearsed_and_is_ready(self):
        """As the strip says, step by step, without anything that it does not say."""
        strip = self.desk.look_round
        QTest.mouseClick(self.desk.stage.first_page.look_round, Qt.MouseButton.LeftButton)
        self.wait_for(lambda: self.document.job is not None and strip.isVisible(), "the demo")
        self.assertEqual((strip.station, strip.count.text()), (0, f"1 of {len(STATIONS)}"))
        strip.show_me.click()
        self.type_in(self.field("Height").entry, "36")
        self.findings()
        self.assertEqual(strip.station, 1)
        QTest.mouseClick(self.remedy_button(), Qt.MouseButton.LeftButton)
        self.findings()
        self.assertEqual(strip.station, 2)
        QTest.keyClick(self.window, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
        self.wait_for(lambda: not self.commands.busy(), "the rehearsal")
        self.assertEqual(strip.station, 3)
        strip.show_me.click()
        self.assertEqual((self.document.lens, strip.station), ("release", 4))
        self.assertIn("Rehearsed in trial", self.panel()._proof.text())
        self.assertEqual(strip.leave.text(), "Done")

    def test_it_can_be_left_and_found_again_where_it_was(self):
        self.commands.look_round()
        self.wait_for(lambda: self.document.job is not None and self.desk.look_round.isVisible(), "the demo")
        self.document.set_value("height", ("setups", 0, "hold", "parallels_height"), 36.0)
        self.findings()
        self.desk.look_round.leave.click()
        self.assertFalse(self.desk.look_round.isVisible())
        self.commands.look_round()
        self.assertEqual((self.desk.look_round.isVisible(), self.desk.look_round.station), (True, 1))

    def test_another_job_has_no_round(self):
        self.commands.look_round()
        self.wait_for(lambda: self.document.job is not None and self.desk.look_round.isVisible(), "the demo")
        self.open(demo_job("lamp-lid"))
        self.assertFalse(self.desk.look_round.isVisible())
