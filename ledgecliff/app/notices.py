"""Notices: what has to be said or asked, in a strip over the stage instead of a dialog."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, Qt, QTimer
from PySide6.QtGui import QEnterEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QWidget

#: A notice that goes by itself is there for so long, and so much longer for each letter (ms).
_LOOK_MS, _LETTER_MS = 4000, 50


class NoticeStrip(QWidget):
    """One notice at a time; the latest wins.  Escape or its last button puts it away."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 6, 10, 6)
        self.label = QLabel()
        self.label.setTextFormat(Qt.TextFormat.PlainText)
        self.label.setWordWrap(True)
        self.progress = QProgressBar()
        self.progress.setFixedWidth(160)
        self.progress.setTextVisible(False)
        self._buttons = QHBoxLayout()
        row.addWidget(self.label, 1)
        row.addWidget(self.progress)
        row.addLayout(self._buttons)
        self.buttons: list[QPushButton] = []
        self._passing = False
        self._goes = QTimer(self)
        self._goes.setSingleShot(True)
        self._goes.timeout.connect(self.hide)
        self.hide()

    def say(self, text: str, *answers: tuple[str, Callable[[], object]], bad: bool = False) -> None:
        """Shows ``text`` with a button per answer, and one that only puts the notice away.

        What asks nothing and is nothing bad goes by itself once it can be read, but stays under the pointer.
        """
        self._show(text, (*answers, ("OK" if not answers else "Not now", self.hide)), bad=bad)
        self.progress.hide()
        self._passing = not answers and not bad
        if self._passing:
            self._goes.start(self._reading_ms())

    def enterEvent(self, event: QEnterEvent) -> None:
        self._goes.stop()
        super().enterEvent(event)

    def leaveEvent(self, event: QEvent) -> None:
        if self._passing:
            self._goes.start(self._reading_ms())
        super().leaveEvent(event)

    def _reading_ms(self) -> int:
        return _LOOK_MS + _LETTER_MS * len(self.label.text())

    def show_busy(self, text: str, cancel: Callable[[], None], *answers: tuple[str, Callable[[], None]]) -> None:
        """Work is going on; it can be cancelled, or ended as ``answers`` say."""
        self._show(text, (*answers, ("Cancel", cancel)), bad=False)
        self.progress.setRange(0, 0)
        self.progress.show()

    def set_progress(self, done: int, of: int) -> None:
        self.progress.setRange(0, of)
        self.progress.setValue(done)

    def _show(self, text: str, answers: tuple[tuple[str, Callable[[], object]], ...], *, bad: bool) -> None:
        self._goes.stop()
        self._passing = False
        for button in self.buttons:
            self._buttons.removeWidget(button)
            button.hide()  # it is gone only when the loop turns, and until then would stand under the new ones
            button.deleteLater()
        self.buttons = []
        for words, action in answers:
            button = QPushButton(words)
            button.clicked.connect(self.hide)
            if action != self.hide:
                button.clicked.connect(lambda _checked=False, action=action: action())
            self._buttons.addWidget(button)
            self.buttons.append(button)
        self.label.setProperty("bad", bad)
        self.label.style().unpolish(self.label)
        self.label.style().polish(self.label)
        self.label.setText(text)
        self.label.setAccessibleName(text)
        self.show()
