"""What window tests share: one application, a real window on its own settings, waiting for facts.

A test fails on any message of Qt that was not expected, and on work still running at its end.
"""

from __future__ import annotations

import os
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path
from unittest import mock

from PySide6.QtCore import QElapsedTimer, QEvent, Qt, QtMsgType, qInstallMessageHandler
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLineEdit, QPushButton

from ledgecliff.app.adding import AddHere
from ledgecliff.app.findings_bar import FindingsBar
from ledgecliff.app.main import make_window
from ledgecliff.app.window import MainWindow
from ledgecliff.store.demo import demo_job

#: Harmless words of Qt on a bare screen: no clipboard manager, no input method, no colour scheme.
_HARMLESS = ("propagateSizeHints", "XDG_RUNTIME_DIR", "QXcbClipboard", "xkbcommon", "Theme")


def application() -> QApplication:
    return QApplication.instance() or QApplication(["ledgecliff"])


class GuiTestCase(unittest.TestCase):
    """``self.window`` is open on the demo, at 1280 x 800, with settings of its own."""

    opens_demo = True

    def setUp(self):
        self.app = application()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        places = {f"XDG_{kind}_HOME": str(self.folder / kind.lower()) for kind in ("CONFIG", "DATA", "STATE")}
        patch = mock.patch.dict(os.environ, places)
        patch.start()
        self.addCleanup(patch.stop)
        self.qt_said: list[str] = []
        qInstallMessageHandler(self._hear)
        self.addCleanup(self._check_silence)
        self.window = self.make_window()
        self.desk, self.commands = self.window.desk, self.window.commands
        self.document = self.desk.document
        if self.opens_demo:
            self.open(demo_job("float-housing"))

    def make_window(self) -> MainWindow:
        window = make_window()
        window.resize(1280, 800)
        window.show()
        self.assertTrue(QTest.qWaitForWindowExposed(window, 5000), "the window did not come up")
        window.activateWindow()
        self.assertTrue(QTest.qWaitForWindowActive(window, 5000), "the window got no keyboard")
        self.addCleanup(self._close, window)
        return window

    def _close(self, window):
        window._closing = True
        window.close()
        window.deleteLater()
        self.app.processEvents()
        self.app.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        # As when the program starts: a sheet laid on each widget as it is put in its place takes twice as long.
        self.app.setStyleSheet("")

    def _hear(self, kind, _context, message):
        if kind in (QtMsgType.QtWarningMsg, QtMsgType.QtCriticalMsg) and not any(w in message for w in _HARMLESS):
            self.qt_said.append(message)

    def _check_silence(self):
        qInstallMessageHandler(None)
        self.assertEqual(self.qt_said, [], "Qt complained; find the call or list the message as harmless")

    def wait_for(self, fact: Callable[[], object], what: str, milliseconds: int = 20_000) -> None:
        """Lets events run until ``fact`` holds."""
        clock = QElapsedTimer()
        clock.start()
        while not fact():
            self.assertLess(clock.elapsed(), milliseconds, f"waited in vain for: {what}")
            self.app.processEvents()
            QTest.qWait(2)

    def open(self, path: Path) -> None:
        self.desk.files.open(path)
        self.wait_for(lambda: not self.desk.files.busy(), f"{path.name} to be read")

    def show_lens(self, scene: int, lens: str) -> None:
        self.document.show_scene(scene)
        self.document.show_lens(lens)

    def panel(self):
        return self.desk.stage.panels[self.desk.stage.panel_key()]

    def field(self, label: str, nth: int = 0):
        """The field of that label on the panel that is shown."""
        return [field for field in self.panel().fields if field.spec.label == label][nth]

    def choice(self, label: str):
        return next(choice for choice in self.panel().choices if choice.box.accessibleName() == label)

    def choose(self, label: str, words: str) -> None:
        box = self.choice(label).box
        index = box.findText(words)
        self.assertGreaterEqual(index, 0, f"'{words}' is not offered")
        box.setCurrentIndex(index)
        box.activated.emit(index)

    def add_something(self, group: str, words: str) -> None:
        """Takes an entry of the menu of what can be added through the panel's lens."""
        menu = self.panel().findChild(AddHere).more.menu()
        menu.aboutToShow.emit()
        into = next(each.menu() for each in menu.actions() if each.text() == group)
        next(each for each in into.actions() if each.text() == words).trigger()

    def type_in(self, entry: QLineEdit, text: str, *, enter: bool = True) -> None:
        entry.setFocus()
        entry.selectAll()
        QTest.keyClicks(entry, text)
        if enter:
            QTest.keyClick(entry, Qt.Key.Key_Return)

    def findings(self) -> FindingsBar:
        """The findings below, once they are those of the plan that is shown, and the route's pictures too."""
        self.wait_for(lambda: not self.desk.following.busy(), "what follows the plan")
        return self.desk.findings

    def remedy_button(self) -> QPushButton:
        """The worst finding's remedy, once everything was tried."""
        self.findings()
        self.wait_for(lambda: self.document.all_tried, "remedies")
        return self.desk.findings.rows()[0].fix_button

    def codes(self) -> set[str]:
        return {finding.code for finding in self.findings().findings}
