"""A job of the run that is made many times: batch by side and flow, as two pictures over time with what each costs."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QComboBox, QLabel, QLineEdit, QVBoxLayout, QWidget

from ledgecliff.core.changing import set_value
from ledgecliff.core.drawing.flow_layout import flow_layout
from ledgecliff.core.drawing.run_layout import RunLayout
from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.model.run import Run
from ledgecliff.core.runs.many import flow_of_run, flow_words, many_of
from ledgecliff.core.scheduling.flow import FlowAsked

from .drawing_painter import text_width
from .run_adding import minutes_of
from .run_desk import RunDesk
from .sheet import Sheet
from .theme import Theme
from .time_band import TimeBand
from .written_sheet import paper, words_label

#: What is said of a part: fields of ``Run.many``.
_FIELDS: Mapping[str, str] = {
    "parts": "Parts", "probing": "Probing a part on a side (min)", "loading": "Loading it (min)",
    "setting_up": "Setting a side up, once (min)",
}  # fmt: skip
_LOADS = (("inside", "between cycles, by the operator"), ("outside", "while it cuts, by a robot or pallet"))
_EMPTY = "No run is open, or it has no job. Load the sides of a job in the Run view first."


class _FlowBand(TimeBand):
    def __init__(self, theme: Theme) -> None:
        super().__init__(theme)
        self.asked: FlowAsked | None = None
        self.setAccessibleName("Batch by side, and flow below it, over time")

    def laid_out(self, width: float) -> RunLayout | None:
        asked = self.asked
        return None if asked is None else flow_layout(asked.sides, asked.ways(), width, text_width)


class FlowSheet(Sheet):
    def __init__(self, desk: RunDesk, theme: Theme) -> None:
        super().__init__("Flow or batch")
        self._desk = desk
        self._of: tuple[Run, str] | None = None
        self.add_head(("close", "Back to the run", "Put this sheet away (Esc)", self.closed.emit))
        row = self.add_row()
        self.job = QComboBox()
        self.job.setAccessibleName("Job that is made many times")
        self.job.activated.connect(lambda _k: self.refresh())
        row.addWidget(QLabel("Job"))
        row.addWidget(self.job)
        self.loads = QComboBox()
        self.loads.setAccessibleName("When it is loaded")
        for who, words in _LOADS:
            self.loads.addItem(words, who)
        self.loads.activated.connect(lambda k: self._say("loads", _LOADS[k][0]))
        row.addWidget(QLabel("is loaded"))
        row.addWidget(self.loads)
        row.addStretch(1)
        row = self.add_row()
        self.fields: dict[str, QLineEdit] = {}
        for name, words in _FIELDS.items():
            entry = self.fields[name] = QLineEdit()
            entry.setAccessibleName(words)
            entry.setFixedWidth(70)
            entry.editingFinished.connect(partial(self._typed, name))
            row.addWidget(QLabel(words))
            row.addWidget(entry)
        row.addStretch(1)
        self.band = _FlowBand(theme)
        self.words = words_label(_EMPTY)
        both = QWidget()
        both.setObjectName("paper")
        column = QVBoxLayout(both)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(14)
        column.addWidget(self.band)
        column.addWidget(self.words)
        column.addStretch(1)
        self.column.addWidget(paper(both), 1)
        desk.changed.connect(self._shown_anew)
        self.refresh()

    def _shown_anew(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        run = self._desk.run
        jobs = () if run is None else many_of(run)
        for field in (self.job, self.loads, *self.fields.values()):
            field.setEnabled(bool(jobs))
        if run is None or not jobs:
            self._of = self.band.asked = None
            self.words.setText(_EMPTY)
            self.band.lay_out()
            return
        chosen = self.job.currentData()
        with QSignalBlocker(self.job), QSignalBlocker(self.loads):
            self.job.clear()
            for each in jobs:
                self.job.addItem(each.title, each.job)
            self.job.setCurrentIndex(max(self.job.findData(chosen), 0))
            self.loads.setCurrentIndex(self.loads.findData(run.many.loads))
        for name, entry in self.fields.items():
            if not entry.hasFocus():
                entry.setText(_shown(run, name))
        of = run, self.job.currentData()
        if self._of is None or self._of[0] is not of[0] or self._of[1] != of[1]:
            self._of = of
            self._count(*of)

    def _count(self, run: Run, job: str) -> None:
        try:
            self.band.asked = flow_of_run(run, job)
        except LedgecliffError as error:
            self.band.asked = None
            self.words.setText(str(error))
        else:
            self.words.setText("\n".join(flow_words(self.band.asked)))
        self.band.lay_out()

    def _typed(self, name: str) -> None:
        run, text = self._desk.run, self.fields[name].text().strip()
        if run is None or text == _shown(run, name):
            return
        self.attempt(lambda: self._desk.apply(_FIELDS[name], lambda run: _with(run, name, _number(text, name))))
        self.fields[name].setText(_shown(self._desk.run or run, name))  # what was refused is not left standing

    def _say(self, name: str, value: object) -> None:
        self.attempt(lambda: self._desk.apply(name, lambda run: _with(run, name, value)))

    def set_theme(self, theme: Theme) -> None:
        self.band.set_theme(theme)


def _number(text: str, name: str) -> float | int:
    value = minutes_of(text, _FIELDS[name])
    return int(value) if value.is_integer() else value


def _with(run: Run, name: str, value: object) -> Run:
    return set_value(run, ("many", name), value)


def _shown(run: Run, name: str) -> str:
    return f"{getattr(run.many, name):g}"
