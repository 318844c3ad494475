"""Steps beside the machine in the real window: put on the route, typed, moved, taken out."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from ledgecliff.core.route import scenes_of
from tests.app.gui import GuiTestCase


class BenchTest(GuiTestCase):
    def kinds(self):
        return [scene.kind for scene in scenes_of(self.document.plan)]

    def press(self, words):
        button = next(each for each in self.panel().widget().findChildren(QPushButton) if each.text() == words)
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)

    def add_before(self, setup, words):
        index = next(i for i, scene in enumerate(scenes_of(self.document.plan)) if scene.title == setup)
        menu = self.desk.route.menu_of(index)
        into = next(each.menu() for each in menu.actions() if each.text() == f"Beside the machine, before {setup}")
        next(each for each in into.actions() if each.text() == words).trigger()

    def test_put_typed_moved_and_taken_out(self):
        self.show_lens(0, "stock")
        self.choose("At the bench", "saw off")
        self.assertEqual(self.document.scene.kind, "bench")
        self.assertEqual(self.kinds(), ["stock", "bench", "setup", "turn", "setup", "finished"])
        self.assertTrue(self.desk.stage.tabs["bench"].isVisible())
        self.choose("Takes off", "+X")
        self.type_in(self.field("Along part X").entry, "96")
        self.type_in(self.field("Wait").entry, "15")
        step = self.document.job.bench[0]
        self.assertEqual((step.off, step.at, step.wait), ("+X", 96.0, 15.0))
        self.assertAlmostEqual(self.document.plan.bench[0][0].after.volume, 98 * 68 * 34, 6)
        self.type_in(self.field("Wait").entry, "soon")
        self.assertIn(
            "minutes" if "minutes" in self.field("Wait").said.text() else "number", self.field("Wait").said.text()
        )
        self.type_in(self.field("Wait").entry, "15")
        self.press("Later")
        self.assertEqual(self.kinds(), ["stock", "setup", "bench", "turn", "setup", "finished"])
        self.assertEqual(self.document.scene.step, step.id)
        self.press("Remove this step")
        self.assertEqual(self.document.job.bench, ())
        self.document.undo_stack.undo()
        self.assertEqual(self.document.job.bench[0].id, step.id)

    def test_a_fixture_is_made_before_the_setup_that_it_holds(self):
        self.show_lens(3, "hold")
        self.choose("Jaws", "soft, cut to shape")
        self.add_before("Op 20", "make the fixture")
        self.assertEqual(self.kinds(), ["stock", "setup", "bench", "turn", "setup", "finished"])
        station = self.document.job.setups[1].station
        before = self.document.job.machine.station(station).at
        self.type_in(self.field("Measured").entry, "60.2 across")
        self.type_in(self.field("Offset holds").entry, "-100, -200, -300")
        self.assertEqual(self.document.job.bench[0].measured, "60.2 across")
        self.assertNotEqual(self.document.job.machine.station(station).at, before)
        self.type_in(self.field("Offset holds").entry, "-100, -200")
        self.assertIn("takes X, Y and Z", self.field("Offset holds").said.text())

    def test_from_the_card_of_a_setup_and_each_kind_shown(self):
        for k, (words, kind) in enumerate((
            ("glue a piece on", "glue"), ("fill what was cut", "fill"), ("take filler out", "take out"),
            ("let it cure", "cure"), ("cut the tabs", "cut tabs"), ("sand", "sand"), ("heat-treat", "heat-treat"),
        )):  # fmt: skip
            with self.subTest(kind=kind):
                self.add_before("Op 20", words)
                self.assertEqual(len(self.document.job.bench), k + 1)
                self.assertEqual(self.document.job.bench[-1].kind, kind)
                self.assertTrue(self.panel().fields)
        self.show_lens(1, "hold")
        self.commands.show_lens("turn")
