"""At the machine: one step of a setup's checklist after the other in large letters, on a window of its own for a second
screen or a tablet; readings are taken and judged, and everything that is ticked off is kept in the record."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QCloseEvent, QKeyEvent
from PySide6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from ledgecliff.core.checklist.walk import AGAIN, DONE, LEFT, Walk, of_check, refusal, walk_of
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import spell
from ledgecliff.core.record.entries import RecordEntry
from ledgecliff.core.typed import parse_length

from .document import Document
from .record_desk import RecordDesk
from .record_reading import HistoryReading
from .theme import Theme

#: Sizes of letters (pixels): what is to be done is read at arm's length and farther.
_HEAD, _LARGE, _CAUTION = 22, 40, 24


class AtMachine(QWidget):
    #: An operation of a setup was done (its id), by its name.
    task_done = Signal(str, str)
    closed = Signal()

    def __init__(self, document: Document, record: RecordDesk, theme: Theme) -> None:
        super().__init__(None, Qt.WindowType.Window)
        self._document, self._record = document, record
        self._plan: Plan | None = None
        self._read_to: Plan | None = None
        self.walk: Walk | None = None
        self.reading = HistoryReading(document)
        self.setWindowTitle("At the machine — Ledgecliff")
        self.resize(1180, 760)
        self.head, self.part, self.words, self.caution, self.said = (QLabel() for _ in range(5))
        for label in (self.head, self.part, self.words, self.caution, self.said):
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setWordWrap(True)
        self.said.setAccessibleName("What is wrong")
        self.entry = QLineEdit()
        self.entry.setAccessibleName("Reading")
        self.back, self.on = QPushButton("Back"), QPushButton("On")
        self.done, self.left, self.again = QPushButton("Done"), QPushButton("Leave it out"), QPushButton("Not done yet")
        for button, action in (
            (self.back, lambda: self._move(-1)), (self.on, lambda: self._move(1)), (self.done, self._done),
            (self.left, lambda: self._tick(LEFT)), (self.again, lambda: self._tick(AGAIN)),
        ):  # fmt: skip
            button.clicked.connect(action)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        column = QVBoxLayout(self)
        column.setContentsMargins(36, 24, 36, 24)
        column.setSpacing(14)
        for widget, stretch in ((self.head, 0), (self.part, 0), (self.words, 5), (self.caution, 0)):
            column.addWidget(widget, stretch)
        row = QHBoxLayout()
        self.asked = QLabel()
        self.asked.setTextFormat(Qt.TextFormat.PlainText)
        row.addWidget(self.asked)
        row.addWidget(self.entry)
        row.addStretch(1)
        column.addLayout(row)
        column.addWidget(self.said)
        column.addStretch(1)
        buttons = QHBoxLayout()
        for button in (self.back, self.on):
            buttons.addWidget(button)
        buttons.addStretch(1)
        for button in (self.again, self.left, self.done):
            buttons.addWidget(button)
        column.addLayout(buttons)
        self.set_theme(theme)
        self.reading.found.connect(self._read)
        self.reading.failed.connect(self._say)
        document.plan_changed.connect(self._plan_changed)

    def set_theme(self, theme: Theme) -> None:
        self.setStyleSheet(
            f"QWidget {{ background: {theme.paper}; color: {theme.ink}; font-size: {_CAUTION}px; }}"
            f"QPushButton {{ font-size: {_CAUTION}px; padding: 14px 26px; border: 2px solid {theme.ink}; }}"
            f"QPushButton:disabled {{ color: {theme.faint}; border-color: {theme.faint}; }}"
            f"QLineEdit {{ font-size: {_LARGE}px; border: 2px solid {theme.ink}; padding: 4px 10px; }}"
        )
        self.head.setStyleSheet(f"font-size: {_HEAD}px; color: {theme.quiet};")
        self.part.setStyleSheet(f"font-size: {_CAUTION}px; font-weight: bold;")
        self.words.setStyleSheet(f"font-size: {_LARGE}px;")
        self.caution.setStyleSheet(f"font-size: {_CAUTION}px; border: 3px solid {theme.warning}; padding: 10px;")
        self.said.setStyleSheet(f"font-size: {_CAUTION}px; color: {theme.error}; font-weight: bold;")

    def begin(self, plan: Plan, index: int) -> None:
        """With setup ``index``; what the record has of it comes as soon as it is read."""
        self._plan = plan
        self.walk = walk_of(plan, index)
        self._read_to = plan
        self.reading.ask(plan.job)
        self._show()
        self.show()
        self.raise_()

    def _plan_changed(self) -> None:
        """A list of what was planned before is not gone on with."""
        before, after, walk = self._plan, self._document.plan, self.walk
        if not self.isVisible() or before is None or after is None or walk is None:
            return
        setup = before.job.setups[walk.index].id
        index = next((k for k, each in enumerate(after.job.setups) if each.id == setup), None)
        if before.job.id != after.job.id or index is None:
            self.close()
        elif walk_of(after, index).of != walk.of:
            self.begin(after, index)
            self._say("The plan was changed: the list begins anew.")

    def _read(self, entries: Sequence[RecordEntry]) -> None:
        """Once: from then on what is ticked here is known here."""
        plan, walk = self._plan, self.walk
        if plan is not None and walk is not None and plan is self._read_to:
            self._read_to = None
            self.walk = walk_of(plan, walk.index, entries)
            self._show()

    def _say(self, words: str) -> None:
        self.said.setText(spell(words, self._document.unit))

    def _show(self) -> None:
        walk, plan, unit = self.walk, self._plan, self._document.unit
        if walk is None or plan is None:
            return
        check, state = walk.check, walk.states.get(walk.at, "")
        over = walk.is_over
        setup = plan.job.setups[walk.index]
        done = sum(each == DONE for each in walk.states.values())
        place = f"step {walk.at + 1} of {len(walk.checks)}, {done} done"
        self.head.setText(f"{plan.job.title} · {setup.name} · {setup.offset} · {place}")
        self.part.setText(f"{check.part[:1].upper()}{check.part[1:]}{f' — {state}' if state else ''}")
        self.words.setText(self._over_words(walk) if over and state else spell(check.words, unit))
        self.caution.setText(spell(check.caution, unit))
        self.caution.setVisible(bool(check.caution) and not (over and state))
        asked = check.asked
        for widget in (self.asked, self.entry):
            widget.setVisible(asked is not None)
        if asked is not None:
            self.asked.setText(f"{spell(asked.what, unit)} ({unit})")
        self.entry.clear()
        self.said.clear()
        self.back.setEnabled(walk.at > 0)
        self.on.setEnabled(walk.at + 1 < len(walk.checks))
        self.done.setEnabled(state != DONE)
        self.left.setEnabled(state not in (DONE, LEFT))
        self.again.setEnabled(state in (DONE, LEFT))
        (self.entry if asked is not None else self).setFocus()

    @staticmethod
    def _over_words(walk: Walk) -> str:
        left = walk.left_out()
        return "All of it is done." if not left else f"Done, but for {len(left)} that were left out."

    def _move(self, by: int) -> None:
        if self.walk is not None:
            self.walk = self.walk.moved(by)
            self._show()

    def _done(self) -> None:
        if self.done.isEnabled():
            self._tick(DONE)

    def _tick(self, state: str) -> None:
        walk, plan = self.walk, self._plan
        if walk is None or plan is None:
            return
        try:
            read = self._typed()
            if state == DONE and (why := refusal(walk.check, read)):
                self._say(why)
                return
            self._record.keep([of_check(plan.job, walk, state, read)])
        except LedgecliffError as error:
            self._say(str(error))
            return
        if state == DONE and walk.check.task:
            self.task_done.emit(plan.job.setups[walk.index].id, walk.check.task)
        self.walk = walk.with_state(state)
        self._show()

    def _typed(self) -> float | None:
        text = self.entry.text().strip()
        return parse_length(text, self._document.unit) if text else None

    def keyPressEvent(self, event: QKeyEvent) -> None:
        match event.key():
            case Qt.Key.Key_Escape:
                self.close()
            case Qt.Key.Key_F11:
                self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)
            case Qt.Key.Key_Left:
                self._move(-1)
            case Qt.Key.Key_Right:
                self._move(1)
            case Qt.Key.Key_Return | Qt.Key.Key_Enter:
                self._done()  # a field passes it on, too
            case _:
                super().keyPressEvent(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        self.closed.emit()
        super().closeEvent(event)
