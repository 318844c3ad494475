"""Waiting for the window as its user does: asleep between events."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication

#: So often it is asked whether it is so (ms).
_BEAT_MS = 5


def wait_until(application: QApplication, fact: Callable[[], bool]) -> None:
    """Runs the events until ``fact`` holds.

    A loop that spins takes its share of every other thread's time; with a longest time to stay, Qt's own
    ``processEvents`` does not wait for events, whatever it is asked.
    """
    beat = QTimer()
    beat.start(_BEAT_MS)
    while not fact():
        application.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
