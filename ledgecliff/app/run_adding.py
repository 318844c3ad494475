"""What a run is told besides its jobs: what the operator does, what comes before what, and what is taken out."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtCore import QSignalBlocker
from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.identity import Id
from ledgecliff.core.model.run import Run, RunAction, Stage, TaskRef
from ledgecliff.core.runs import edits
from ledgecliff.core.runs.tasks import every_task, problem_of, ref_words, task_of
from ledgecliff.core.runs.tool_table import tool_list
from ledgecliff.store.identity import new_id

from .run_desk import RunDesk

#: What is said of the whole day: fields of a run.
_OF_THE_DAY = {"pockets": "Pockets", "due": "Due after (min)", "tool_call_s": "Tool call (s)",
               "offset_call_s": "Offset call (s)", "index_s": "Index (s)"}  # fmt: skip

_STAGES: tuple[tuple[str, Stage | None], ...] = (("neither", None), ("roughed", "rough"), ("finished", "finish"))


def minutes_of(text: str, field: str = "minutes") -> float:
    """A number as it is typed, with a point or a comma.  Raises InvalidValueError."""
    try:
        return float(text.strip().replace(",", ".")) + 0.0  # of -0 that makes 0
    except ValueError:
        raise InvalidValueError(field, f"'{text}' is no number; write one such as 12.5") from None


class RunAdding(QWidget):
    def __init__(self, desk: RunDesk, attempt: Callable[[Callable[[], object]], None]) -> None:
        super().__init__()
        self._desk, self._attempt = desk, attempt
        self.setObjectName("paper")
        self.name, self.lasts = _entry("what the operator does", 220), _entry("minutes", 80)
        self.at, self.takes_from = _choice("Station"), _choice("Takes the part from")
        self.earlier, self.later = _choice("First"), _choice("Then")
        self.wait = _entry("minutes, or none", 130)
        self.station = _choice("Station to take out")
        self.task, self.stage, self.tool = _choice("Task"), _choice("Roughed or finished"), _choice("Tool")
        for words, stage in _STAGES:
            self.stage.addItem(words, stage)
        self.life = _entry("minutes, or none", 130)
        self.buttons: dict[str, QPushButton] = {}
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 6)
        rows.addLayout(self._row(
            "The operator", self.name, self.lasts, "at", self.at, "with the part from", self.takes_from,
            self._button("action", "Add", "One more thing that the operator does", self._add_action),
        ))  # fmt: skip
        rows.addLayout(self._row(
            "First", self.earlier, "then", self.later, "after a wait of", self.wait,
            self._button("after", "Add", "What comes before what", self._add_after),
            self._button("not_after", "Not any more", "These two in any order again", self._not_after),
        ))  # fmt: skip
        rows.addLayout(self._row(
            "Station or act", self.station, self._button("out", "Take it out", "Undo brings it back", self._take_out),
            self._button("moved", "Must be found again", "Something may have moved there at a stop", self._moved),
            self._button("found", "Is found again", "Its zero was probed or touched off again", self._is_found),
        ))  # fmt: skip
        self.by_block = QCheckBox("One program a tool block")
        self.by_block.setToolTip("In place of one main program")
        rows.addLayout(self._row(
            "All", self._button("stopped", "Must be found again after a stop", "Power was off, or the table moved",
                                self._all_stopped),
            self._button("take", "Take over what jobs say now", "Setups and tools of changed jobs",
                         lambda: desk.take_over(times=False)),
            self._button("times", "And the times of their programs", "In place of what is typed",
                         lambda: desk.take_over(times=True)),
            self.by_block,
        ))  # fmt: skip
        rows.addLayout(self._row(
            "Task", self.task, "is", self.stage,
            self._button("stage", "Say so", "For a day on which all is roughed first", self._say_stage),
            "Tool", self.tool, "lasts", self.life,
            self._button("life", "Say so", "A tool that wears out in mid-block is told", self._say_life),
        ))  # fmt: skip
        self.day = {name: _entry(words, 62) for name, words in _OF_THE_DAY.items()}
        for name, entry in self.day.items():
            entry.setPlaceholderText("none")
            entry.editingFinished.connect(partial(self._typed, name))
        self.rough_first = QCheckBox("All is roughed first")
        self.rough_first.clicked.connect(
            lambda checked: attempt(lambda: desk.apply("rough first", partial(_set, "rough_first", checked)))
        )
        parts = [part for name, entry in self.day.items() for part in (_OF_THE_DAY[name], entry)]
        rows.addLayout(self._row(*parts, self.rough_first))

    def _typed(self, name: str) -> None:
        run, text = self._desk.run, self.day[name].text().strip()
        if run is None or text == _shown(run, name):
            return

        def change(run: Run) -> Run:
            value = None if name == "due" and not text else minutes_of(text, _OF_THE_DAY[name])
            return _set(name, int(value) if value is not None and value.is_integer() else value, run)

        self._attempt(lambda: self._desk.apply(_OF_THE_DAY[name], change))
        self.day[name].setText(_shown(self._desk.run or run, name))  # what was refused is not left standing

    def _row(self, *parts: QWidget | str) -> QHBoxLayout:
        row = QHBoxLayout()
        for part in parts:
            row.addWidget(QLabel(part) if isinstance(part, str) else part)
        row.addStretch(1)
        return row

    def _button(self, key: str, words: str, tip: str, action: Callable[[], object]) -> QPushButton:
        button = self.buttons[key] = QPushButton(words)
        button.setToolTip(tip)
        button.clicked.connect(lambda: self._attempt(action))
        return button

    def show_run(self, run: Run) -> None:
        """What can be chosen, with what was chosen before."""
        stations = [(each.name, each.id) for each in run.stations]
        tasks = [(ref_words(run, ref), ref) for ref in every_task(run)]
        for name, entry in self.day.items():
            if not entry.hasFocus():
                entry.setText(_shown(run, name))
        self.rough_first.setChecked(run.rough_first)
        _fill(self.at, [("no station", None), *stations])
        _fill(self.takes_from, [("nowhere", None), *stations])
        _fill(self.earlier, tasks)
        _fill(self.later, tasks)
        cuts = [(words, ref) for words, ref in tasks if ref.task is not None]
        _fill(self.task, [(f"{words} ({_stage(run, ref)})" if _stage(run, ref) else words, ref) for words, ref in cuts])
        lives = {life.tool: f" lasts {life.minutes:g} min" for life in run.lives}
        _fill(self.tool, [(f"T{tool}{lives.get(tool, '')}", tool) for tool in tool_list(run)])
        _fill(self.station, [*stations, *((each.name, each.id) for each in run.actions)])

    def _add_action(self) -> None:
        action = edits.made(
            RunAction, id=new_id(), name=self.name.text().strip(), minutes=minutes_of(self.lasts.text() or "0"),
            station=self.at.currentData(), takes_from=self.takes_from.currentData(),
        )  # fmt: skip
        # A turn comes after all at the one station and before all at the other; where else it comes is to be said.
        add = edits.with_action if action.takes_from is None else edits.with_turn
        self._desk.apply("add an action", lambda run: _in_order(add(run, action)))
        self.name.clear()
        self.lasts.clear()

    def _add_after(self) -> None:
        first, then = self._pair()
        wait = minutes_of(self.wait.text() or "0")
        self._desk.apply("what comes first", lambda run: _in_order(edits.with_after(run, first, then, wait)))

    def _not_after(self) -> None:
        first, then = self._pair()
        self._desk.apply("in any order", lambda run: edits.without_after(run, first, then))

    def _pair(self) -> tuple[TaskRef, TaskRef]:
        return self.earlier.currentData(), self.later.currentData()

    def _all_stopped(self) -> None:
        self._desk.apply("a stop", lambda run: edits.stopped(run, [each.id for each in run.stations]))

    def _moved(self) -> None:
        of = self._station()
        self._desk.apply("a stop", lambda run: edits.stopped(run, [of]))

    def _is_found(self) -> None:
        of = self._station()
        self._desk.apply("found again", lambda run: edits.found_again(run, [of]))

    def _station(self) -> Id:
        of: Id = self.station.currentData()
        if self._desk.run is None or self._desk.run.station(of) is None:
            raise InvalidValueError("station", "is what the operator does; choose a station")
        return of

    def _say_stage(self) -> None:
        ref, stage = self.task.currentData(), self.stage.currentData()
        if ref is None:
            raise InvalidValueError("task", "there is none; load a setup")
        self._desk.apply("roughed or finished", lambda run: edits.with_stage(run, ref, stage))

    def _say_life(self) -> None:
        tool, text = self.tool.currentData(), self.life.text().strip()
        if tool is None:
            raise InvalidValueError("tool", "there is none; load a setup")
        minutes = minutes_of(text, "lasts") if text else None
        self._desk.apply("how long a tool lasts", lambda run: edits.with_life(run, tool, minutes))
        self.life.clear()

    def _take_out(self) -> None:
        of: Id = self.station.currentData()

        def out(run: Run) -> Run:
            return edits.without_action(run, of) if run.action(of) is not None else edits.without_station(run, of)

        self._desk.apply("take out", out)


def _set(name: str, value: object, run: Run) -> Run:
    return set_value(run, (name,), value)


def _shown(run: Run, name: str) -> str:
    value = getattr(run, name)
    return "" if value is None else f"{value:g}"


def _stage(run: Run, ref: TaskRef) -> str:
    task = task_of(run, ref)
    return next((words for words, stage in _STAGES if stage and task is not None and task.stage == stage), "")


def _in_order(run: Run) -> Run:
    """The run, where what is left of it can be done.  Raises InvalidValueError where it goes round in a circle."""
    if len(run.done) < len(every_task(run)):
        problem_of(run, done=frozenset(run.done))
    return run


def _entry(words: str, width: int) -> QLineEdit:
    entry = QLineEdit()
    entry.setPlaceholderText(words)
    entry.setAccessibleName(words)
    entry.setFixedWidth(width)
    return entry


def _choice(words: str) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(words)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(14)
    return box


def _fill(box: QComboBox, choices: Sequence[tuple[str, object]]) -> None:
    chosen = box.currentData()
    with QSignalBlocker(box):
        box.clear()
        for words, data in choices:
            box.addItem(words, data)
        box.setCurrentIndex(next((k for k, (_, data) in enumerate(choices) if data == chosen), 0))
