"""Starting the window.

The window comes up first and empty; the job is read in a worker, so that neither a large model
nor the CAD kernel's import keeps anyone waiting for it.
"""

from __future__ import annotations

import signal
import sys
from pathlib import Path

import platformdirs
from PySide6.QtCore import QSettings, Qt, QTimer
from PySide6.QtWidgets import QApplication

from .theme import load_fonts
from .window import MainWindow


def make_window() -> MainWindow:
    """A window with the user's own settings; needs a QApplication."""
    load_fonts()
    folder = Path(platformdirs.user_config_dir("ledgecliff"))
    return MainWindow(QSettings(str(folder / "window.ini"), QSettings.Format.IniFormat))


def run(path: Path | None) -> int:
    """Opens the window on ``path``, or on an empty stage, and stays until it is closed."""
    application = QApplication(sys.argv[:1])
    application.setApplicationName("Ledgecliff")
    window = make_window()
    window.show()
    signal.signal(signal.SIGINT, lambda *_: window.close())

    def begin() -> None:
        """What was left behind is offered once the asked-for job stands, so that neither hides the other."""
        if path is None:
            window.files.offer_recovery()
            return
        window.files.settled.connect(window.files.offer_recovery, Qt.ConnectionType.SingleShotConnection)
        window.files.open(path)

    QTimer.singleShot(0, begin)
    return int(application.exec())
