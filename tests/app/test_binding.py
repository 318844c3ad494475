"""The Qt binding keeps its references: on CPython 3.11 a lost one ends the program after a while."""

from __future__ import annotations

import sys

from PySide6.QtWidgets import QLabel

from tests.app.gui import GuiTestCase


class ReferenceTest(GuiTestCase):
    opens_demo = False

    def test_calls_that_return_nothing_lose_no_none(self):
        label = QLabel("x")
        before = sys.getrefcount(None)
        for _ in range(2000):
            label.update()
            label.setVisible(False)
        self.assertGreater(sys.getrefcount(None) - before, -500)
