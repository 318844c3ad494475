"""The picked code of the register: its label, value, fixture and owner, and what it held before."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QVBoxLayout,
    QWidget,
)

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.quantities import format_length
from ledgecliff.core.register import entries as register
from ledgecliff.core.register.allocation import use_of
from ledgecliff.core.register.entries import Entry, Value
from ledgecliff.core.typed import parse_length

from .document import Document
from .register_desk import RegisterDesk
from .register_offer import ROW_HEIGHT, fill_row, fit_columns

_AXES = ("x", "y", "z")


class EntryPane(QWidget):
    def __init__(self, document: Document, desk: RegisterDesk, attempt: Callable[[Callable[[], object]], None]) -> None:
        super().__init__()
        self._document, self._desk, self._attempt = document, desk, attempt
        self._entry: Entry | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.title = QLabel()
        self.title.setTextFormat(Qt.TextFormat.PlainText)
        self.title.setProperty("head", True)
        column.addWidget(self.title)
        self.who = QLabel()
        self.who.setTextFormat(Qt.TextFormat.PlainText)
        self.who.setWordWrap(True)
        self.who.setProperty("quiet", True)
        column.addWidget(self.who)
        column.addLayout(self._fields())
        column.addLayout(self._owner_buttons())
        column.addStretch(1)
        #: Wants the sheet's whole width, so the sheet places it.
        self.history = QTableWidget(0, 6)
        self.history.setObjectName("tight")
        self.history.setHorizontalHeaderLabels(["When", "By", "X", "Y", "Z", "What changed"])
        self.history.verticalHeader().hide()
        self.history.verticalHeader().setDefaultSectionSize(ROW_HEIGHT)
        self.history.setWordWrap(False)
        self.history.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.history.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        self.history.horizontalHeader().setStretchLastSection(True)
        self.history.setAccessibleName("History of the picked code")

    def _fields(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setVerticalSpacing(4)
        self.label = QLineEdit()
        self.label.editingFinished.connect(lambda: self._attempt(self._set_label))
        self.resident = QComboBox()
        self.resident.activated.connect(lambda _row: self._attempt(self._set_resident))
        self.values = {axis: QLineEdit() for axis in _AXES}
        self.set_value = QPushButton("Set value")
        self.set_value.setToolTip("Type X, Y and Z as the control shows them; the origin is then 'typed'")
        self.set_value.clicked.connect(lambda: self._attempt(self._set_value))
        for row, (words, widget) in enumerate((("Label", self.label), ("Stays with", self.resident))):
            grid.addWidget(_named(words, widget), row, 0)
            grid.addWidget(widget, row, 1, 1, 2)
        for column, axis in enumerate(_AXES):
            grid.addWidget(_named(axis.upper(), self.values[axis]), 2, column)
            grid.addWidget(self.values[axis], 3, column)
        grid.addWidget(self.set_value, 4, 0, 1, 2)
        for entry in self.values.values():
            entry.returnPressed.connect(lambda: self._attempt(self._set_value))
        return grid

    def _owner_buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.buttons: dict[str, QPushButton] = {}
        for key, words, tip, action in (
            ("claim", "Claim", "Keep this code for the setup on the stage", self._claim),
            ("release", "Release", "Give the code back; its value stays", self._release),
            ("clear", "Forget value", "What the control holds there is not known any more", self._clear),
        ):
            button = self.buttons[key] = QPushButton(words)
            button.setToolTip(tip)
            button.clicked.connect(lambda _checked=False, action=action: self._attempt(action))
            row.addWidget(button)
        row.addStretch(1)
        return row

    # --- what is shown --------------------------------------------------------------------

    def show_entry(self, entry: Entry | None, history: Sequence[Entry]) -> None:
        """Another code, or the same one changed; what is being typed into it stays."""
        same = entry is not None and self._entry is not None and entry.code == self._entry.code
        self._entry = entry
        self.setEnabled(entry is not None)
        if entry is None:
            self.title.setText("No code is picked")
            return
        self.title.setText(f"{entry.code} · {entry.state()}")
        self.who.setText(_owner(entry))
        for field, text in self._texts(entry).items():
            if not (same and field.hasFocus() and field.isModified()):
                with QSignalBlocker(field):
                    field.setText(text)
                    field.setModified(False)
        self._fill_fixtures(entry)
        self.buttons["claim"].setEnabled(self._setup() is not None)
        self.buttons["release"].setEnabled(entry.use is not None)
        self.buttons["clear"].setEnabled(entry.value is not None)
        self._fill_history(history)

    def _texts(self, entry: Entry) -> dict[QLineEdit, str]:
        value, unit = entry.value, self._document.unit
        texts = {self.label: entry.label}
        for axis in _AXES:
            texts[self.values[axis]] = "" if value is None else format_length(getattr(value, axis), unit)
        return texts

    def _fill_fixtures(self, entry: Entry) -> None:
        machine = self._desk.machine
        names = [fixture.name for fixture in machine.fixtures] if machine is not None else []
        if entry.resident and entry.resident not in names:
            names.append(entry.resident)
        with QSignalBlocker(self.resident):
            self.resident.clear()
            self.resident.addItems(["nothing", *names])
            self.resident.setCurrentText(entry.resident or "nothing")

    def _fill_history(self, changes: Sequence[Entry]) -> None:
        unit = self._document.unit
        self.history.setRowCount(len(changes))
        for row, change in enumerate(changes):
            value = change.value
            numbers = [""] * 3
            if value is not None:
                numbers = [format_length(mm, unit, sign=True) for mm in (value.x, value.y, value.z)]
            fill_row(self.history, row, [shown_time(change.at), change.by, *numbers, change.what], (2, 3, 4))
        fit_columns(self.history)

    # --- changes ----------------------------------------------------------------------------

    def _change(self, change: Callable[[Entry], Entry]) -> None:
        if self._entry is not None:
            self._desk.write([change(self._entry)])

    def _set_label(self) -> None:
        if self._entry is not None and self.label.text().strip() != self._entry.label:
            self._change(lambda entry: register.labelled(entry, self.label.text()))

    def _set_resident(self) -> None:
        name = "" if self.resident.currentIndex() == 0 else self.resident.currentText()
        if self._entry is not None and name != self._entry.resident:
            self._change(lambda entry: register.made_resident(entry, name))

    def _set_value(self) -> None:
        texts = {axis: self.values[axis].text().strip() for axis in _AXES}
        missing = next((axis for axis, text in texts.items() if not text), None)
        if missing is not None:
            raise InvalidValueError(missing.upper(), "a whole offset has X, Y and Z; type all three")
        x, y, z = (parse_length(texts[axis], self._document.unit) for axis in _AXES)
        turn = self._entry.value.turn_deg if self._entry is not None and self._entry.value is not None else 0.0
        for entry in self.values.values():
            entry.setModified(False)
        self._change(lambda entry: register.with_value(entry, Value(x, y, z, turn), "typed"))

    def _setup(self) -> int | None:
        plan, scene = self._document.plan, self._document.scene
        return scene.setup if plan is not None and scene is not None and scene.kind == "setup" else None

    def _claim(self) -> None:
        job, setup = self._document.job, self._setup()
        if job is None or setup is None or self._entry is None:
            return
        code, use, others = self._entry.code, use_of(job, job.setups[setup]), self._desk.entries()
        self._change(lambda entry: register.claimed(entry, use, others))
        if job.setups[setup].offset != code:
            self._document.set_value("work offset", ("setups", setup, "offset"), code)

    def _release(self) -> None:
        self._change(register.released)

    def _clear(self) -> None:
        self._change(register.cleared)


def _named(words: str, widget: QWidget) -> QLabel:
    name = QLabel(words)
    name.setBuddy(widget)
    widget.setAccessibleName(f"{words} of the picked code")
    return name


def shown_time(at: str) -> str:
    """Day and minute of a change."""
    return at[:16].replace("T", " ")


def _owner(entry: Entry) -> str:
    if entry.use is None:
        return "Nobody has it." if not entry.resident else f"It stays with the {entry.resident}."
    words = f"Kept for {entry.use.words()}."
    if entry.is_stale:
        found = entry.found_for.words() if entry.found_for is not None else "nobody known"
        words += f" Its value was found for {found}: find it again before anything runs."
    return words
