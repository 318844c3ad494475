"""A guided page for finding the centre of a rotary axis, or its nought: steps, readings, arithmetic, keeping it."""

from __future__ import annotations

from datetime import date
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QComboBox, QGridLayout, QLabel, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from ledgecliff.core.edits.rotary import rotaries, with_centre
from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.stations import Rotary
from ledgecliff.core.tape_lines import Tape
from ledgecliff.core.touchoff.centre_guides import (
    CAUTIONS,
    Asked,
    Guide,
    guides_for,
    reading_of,
)
from ledgecliff.core.touchoff.centre_program import CentreProgram, centre_program
from ledgecliff.core.touchoff.centres import CentreFound, centre_from
from ledgecliff.core.touchoff.probe_guides import probe_guides, probing_of

from .document import Document
from .sheet import Sheet


class CentreSheet(Sheet):
    #: A Tape of what the readings come to.
    tape_wanted = Signal(object)

    def __init__(self, document: Document) -> None:
        super().__init__("Find a centre")
        self._document, self._axis = document, ""
        #: What was pasted of a program's results.
        self._results = ""
        self._typed: dict[str, str] = {}
        self._shown: tuple[str, Guide] | None = None
        self.add_head(
            ("copy", "Copy the program", "For the machine's control: it turns, touches and keeps results", self._copy),
            ("paste", "Paste results", "Lines as #500 = 1.234, what the program's variables hold", self._paste),
            ("keep", "Keep it", "Enters what was found on the machine, with today's day", self._keep),
            ("close", "Back to the job", "Put this sheet away", self.closed.emit),
        )
        row = self.add_row()
        self.way = QComboBox()
        self.way.setAccessibleName("How it is found")
        self.way.activated.connect(lambda _index: self._begin())
        row.addWidget(self.way)
        row.addStretch(1)
        self.steps, self.left = QLabel(), QLabel()
        page = QWidget()
        page.setObjectName("paper")
        self._form = QWidget()
        self._form.setObjectName("paper")
        column = QVBoxLayout(page)
        for widget in (self.steps, self._form, self.left):
            column.addWidget(widget)
        column.addStretch(1)
        for label in (self.steps, self.left):
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setWordWrap(True)
        area = QScrollArea()
        area.setObjectName("paper")
        area.setWidgetResizable(True)
        area.setWidget(page)
        self.column.addWidget(area, 1)

    def of_axis(self, axis: str, title: str = "") -> None:
        """The axis whose centre is looked for, by its id, and the page to begin with."""
        self._axis, self._typed, self._shown = axis, {}, None
        self.refresh()
        if title:
            self.way.setCurrentText(title)
            self._begin()

    @property
    def _rotary(self) -> tuple[int, Rotary] | None:
        job = self._document.job
        found = [(k, each) for k, machine in enumerate(job.machines) for each in rotaries(machine)] if job else []
        named = [pair for pair in found if pair[1].id == self._axis]
        return named[0] if named else found[0] if found else None

    def refresh(self) -> None:
        found = self._rotary
        if found is None:
            self.title.setText("Find a centre: the machine has no rotary axis")
            return
        _, rotary = found
        self._axis = rotary.id
        self.title.setText(f"Find the centre of {rotary.word}, {rotary.name}")
        titles = [guide.title for guide in self._guides()]
        if [self.way.itemText(k) for k in range(self.way.count())] != titles:
            self.way.clear()
            self.way.addItems(titles)
        if self._shown is None or self._shown[0] != rotary.id:
            self._begin()
        self._work_out()

    def _guides(self) -> tuple[Guide, ...]:
        """By hand, then by probe."""
        found, job = self._rotary, self._document.job
        if found is None or job is None:
            return ()
        machine, rotary = found
        return (*guides_for(rotary), *probe_guides(job.machines[machine], rotary))

    def _guide(self) -> Guide:
        return self._guides()[max(self.way.currentIndex(), 0)]

    def _begin(self) -> None:
        """The page of the way that is chosen; what was typed for another is kept while the sheet lies there."""
        found = self._rotary
        if found is None:
            return
        guide = self._guide()
        self._results = ""
        self._shown = (found[1].id, guide)
        self.steps.setText(
            "\n".join([*(f"{k}. {words}" for k, words in enumerate(guide.steps, start=1)), "", CAUTIONS])
        )
        old = self._form.layout()
        if old is not None:
            QWidget().setLayout(old)  # takes the fields of another way with it
        grid = QGridLayout(self._form)
        grid.setContentsMargins(0, 8, 0, 0)
        for row, asked in enumerate(guide.asked):
            label, entry = QLabel(asked.label), self._entry(asked)
            label.setBuddy(entry)
            grid.addWidget(label, row, 0)
            grid.addWidget(entry, row, 1)
        grid.setColumnStretch(2, 1)
        self._work_out()

    def _entry(self, asked: Asked) -> QWidget:
        typed = self._typed.get(asked.key, asked.begins)
        if asked.kind == "choice":
            box = QComboBox()
            box.addItems(list(asked.choices))
            box.setCurrentText(typed)
            box.setAccessibleName(asked.label)
            box.currentTextChanged.connect(partial(self._take, asked.key))
            return box
        entry = QLineEdit(typed)
        entry.setAlignment(Qt.AlignmentFlag.AlignRight)
        entry.setFixedWidth(120)
        entry.setAccessibleName(asked.label)
        entry.textEdited.connect(partial(self._take, asked.key))
        return entry

    def _take(self, key: str, text: str) -> None:
        self._typed[key] = text
        self._work_out()

    def _program(self) -> CentreProgram | None:
        """The program of a way by probe, None of one by hand."""
        found, job, guide = self._rotary, self._document.job, self._guide()
        assert found is not None and job is not None, "the sheet shows an axis"
        if not guide.kind.startswith("by probe"):
            return None
        asked = probing_of(guide, self._typed, self._document.unit)
        return centre_program(job.machines[found[0]], found[1], asked)

    def _found(self) -> CentreFound:
        found, program = self._rotary, self._program()
        assert found is not None, "the sheet shows an axis"
        if program is None:
            return centre_from(reading_of(found[1], self._guide(), self._typed, self._document.unit))
        if not self._results:
            raise InvalidValueError("results", "run the program, then paste what its variables hold")
        return centre_from(program.reading_of(self._results))

    def _copy(self) -> None:
        try:
            program = self._program()
        except LedgecliffError as error:
            self._say(str(error), ready=False)
            return
        if program is not None:
            QGuiApplication.clipboard().setText(program.text)
            rows = ", ".join(f"#{row.parameter} {row.text}" for row in program.rows)
            self._say(f"The program is on the clipboard. Its results: {rows}.", ready=False)

    def _paste(self) -> None:
        self._results = QGuiApplication.clipboard().text()
        self._work_out()

    def _work_out(self) -> None:
        """What the readings come to so far, or what is still to be typed."""
        for name in ("copy", "paste"):
            self.buttons[name].setVisible(self._guide().kind.startswith("by probe"))
        try:
            worked_out = self._found()
        except LedgecliffError as error:
            self._say(str(error), ready=False)
            self.tape_wanted.emit(Tape(self.title.text(), self.way.currentText(), ()))
            return
        words = worked_out.left or "All of it is read; what it comes to is on the tape."
        if worked_out.shift:
            words += " Kept now, it is told of every setup there until it is moved back."
        self._say(words, ready=bool(worked_out.shift) or not worked_out.left)
        self.tape_wanted.emit(Tape(self.title.text(), self.way.currentText(), worked_out.lines))

    def _say(self, words: str, *, ready: bool) -> None:
        """What is still to be typed or done, and whether it may be kept."""
        self.left.setText(words)
        self.buttons["keep"].setEnabled(ready)

    def _keep(self) -> None:
        found, worked_out = self._rotary, self._found()
        assert found is not None, "the sheet shows an axis"
        machine, rotary = found

        def kept(job: Job) -> Job:
            return with_centre(job, machine, rotary.id, worked_out, date.today().isoformat())

        self._document.apply(f"centre of {rotary.name}", kept)
        self.closed.emit()
