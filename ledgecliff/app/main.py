"""Starting the window.

Its frame comes up first; then what stands in it, and last the job, which is read in a worker, so that neither the
program's own size nor a large model nor the CAD kernel's import keeps anyone waiting for a window.
"""

from __future__ import annotations

import signal
import sys
from pathlib import Path

import platformdirs
from PySide6.QtCore import QSettings, Qt
from PySide6.QtWidgets import QApplication

from .theme import font, load_fonts
from .window import MainWindow


def make_frame() -> MainWindow:
    """A window with the user's own settings that is not furnished yet; needs a QApplication."""
    load_fonts()
    QApplication.setFont(font())
    folder = Path(platformdirs.user_config_dir("ledgecliff"))
    return MainWindow(QSettings(str(folder / "window.ini"), QSettings.Format.IniFormat))


def make_window() -> MainWindow:
    """A window ready for work; needs a QApplication."""
    window = make_frame()
    window.furnish()
    return window


def run(path: Path | None) -> int:
    """Opens the window on ``path``, or on an empty stage, and stays until it is closed."""
    application = QApplication(sys.argv[:1])
    application.setApplicationName("Ledgecliff")
    window = make_frame()
    window.show()
    signal.signal(signal.SIGINT, lambda *_: window.close())

    def begin() -> None:
        """What was left behind is offered once the asked-for job stands, so that neither hides the other."""
        if not window.isVisible():
            return  # closed before there was anything in it
        window.furnish()
        if path is None:
            window.desk.files.offer_recovery()
            return
        window.desk.files.settled.connect(window.desk.files.offer_recovery, Qt.ConnectionType.SingleShotConnection)
        window.desk.files.open(path)

    window.seen.connect(begin)
    return int(application.exec())
