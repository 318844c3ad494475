"""A whole fourth axis or trunnion, step by step: what is known of each axis, and the way to what is not."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QComboBox, QGridLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.carriers import carrier_path
from ledgecliff.core.edits.rotary import rotaries, with_sense
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.stations import Rotary
from ledgecliff.core.programs.sense_test import sense_test
from ledgecliff.core.quantities import spell
from ledgecliff.core.touchoff.axis_steps import AxisStep, axis_steps
from ledgecliff.core.touchoff.centre_guides import CAUTIONS

from .document import Document
from .sheet import Sheet

_SENSES = (("not known yet", None), ("right-handed", "right-handed"), ("left-handed", "left-handed"))


class AxesSheet(Sheet):
    #: A page to find a centre or level by: the axis's id, and the page's title.
    page_wanted = Signal(str, str)

    def __init__(self, document: Document) -> None:
        super().__init__("Rotary axes, step by step")
        self._document = document
        self.add_head(("close", "Back to the job", "Put this sheet away", self.closed.emit))
        self.state = QLabel()
        self.state.setWordWrap(True)
        self.column.addWidget(self.state)
        self._page = QWidget()
        self._page.setObjectName("paper")
        self._rows = QWidget()
        self._column = QVBoxLayout(self._page)
        self._column.setContentsMargins(0, 0, 8, 0)
        self._column.addWidget(self._rows)
        self._column.addStretch(1)
        area = QScrollArea()
        area.setObjectName("paper")
        area.setWidgetResizable(True)
        area.setWidget(self._page)
        self.column.addWidget(area, 1)

    def refresh(self) -> None:
        machine = self._document.machine
        if machine is None:
            return
        steps = axis_steps(machine)
        left = sum(not step.is_done for step in steps)
        if not steps:
            self.state.setText(f"{machine.name} has no rotary axis; put one on it (Table).")
        else:
            known = "Everything is known." if not left else f"{left} of {len(steps)} steps are still to be done."
            self.state.setText(f"{known} {CAUTIONS}")
        rows = QWidget()
        rows.setObjectName("paper")
        grid = QGridLayout(rows)
        grid.setContentsMargins(0, 8, 0, 0)
        grid.setVerticalSpacing(10)
        for row, step in enumerate(steps):
            self._show(grid, row, step)
        grid.setColumnStretch(2, 1)
        self._column.replaceWidget(self._rows, rows)
        # What stood here may be just sending the signal that led here.
        self._rows.hide()
        self._rows.deleteLater()
        self._rows = rows
        rows.show()

    def _show(self, grid: QGridLayout, row: int, step: AxisStep) -> None:
        mark, title = QLabel("✓" if step.is_done else "○"), QLabel(step.title)
        mark.setAccessibleName(f"{step.title}: {'done' if step.is_done else 'to be done'}")
        title.setProperty("head", not step.is_done)
        words = QLabel(spell(step.said, self._document.unit))
        words.setTextFormat(Qt.TextFormat.PlainText)
        words.setWordWrap(True)
        for column, label in enumerate((mark, title, words)):
            grid.addWidget(label, row, column, Qt.AlignmentFlag.AlignTop)
        for column, widget in enumerate(self._ways(step), start=3):
            grid.addWidget(widget, row, column, Qt.AlignmentFlag.AlignTop)

    def _ways(self, step: AxisStep) -> list[QWidget]:
        if step.key == "sense":
            return [self._sense(step), self._step_button("Copy the test", step, partial(self._copy_test, step.axis))]
        if step.way:
            words = "Find it…" if step.key == "centre" else "Sweep it…"
            return [self._step_button(words, step, lambda: self.page_wanted.emit(step.axis, step.way))]
        if step.key == "shift" and not step.is_done:
            return [self._step_button("It is moved back", step, partial(self._moved_back, step.axis))]
        return []

    def _step_button(self, words: str, step: AxisStep, action: Callable[[], object]) -> QPushButton:
        button = QPushButton(words)
        button.setAccessibleName(f"{step.title}: {words}")
        button.clicked.connect(lambda: self.attempt(action))
        return button

    def _sense(self, step: AxisStep) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(step.title)
        now = next(each.sense for each in self._rotaries() if each.id == step.axis)
        for words, sense in _SENSES:
            box.addItem(words, sense)
        box.setCurrentIndex([sense for _, sense in _SENSES].index(now))
        box.activated.connect(lambda _index: self.attempt(partial(self._seen, step.axis, box.currentData())))
        return box

    # --- what hands ask for -------------------------------------------------------------------

    def _rotaries(self) -> tuple[Rotary, ...]:
        machine = self._document.machine
        return () if machine is None else rotaries(machine)

    def _seen(self, axis: str, sense: str | None) -> None:
        self._change("sense", lambda job, number: with_sense(job, number, axis, sense, date.today().isoformat()))

    def _moved_back(self, axis: str) -> None:
        self._change(
            "moved back",
            lambda job, number: set_value(job, (*carrier_path(job, number, axis), "shift_in_place"), 0.0),
        )

    def _change(self, words: str, change: Callable[[Job, int], Job]) -> None:
        job, machine = self._document.job, self._document.machine
        if job is not None and machine is not None:
            number = job.number_of(machine)
            self._document.apply(words, lambda old: change(old, number))
            self.refresh()

    def _copy_test(self, axis: str) -> None:
        machine = self._document.machine
        assert machine is not None, "the sheet shows its axes"
        rotary = next(each for each in rotaries(machine) if each.id == axis)
        QGuiApplication.clipboard().setText(sense_test(machine, rotary))
