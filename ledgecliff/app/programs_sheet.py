"""The toolpath programs that will run, as a sheet over the stage: what each calls, how far it goes, and the plan."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Qt, QThreadPool
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QLabel,
    QTableWidget,
)

from ledgecliff.core.changing import set_value
from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import Unit, format_length, spell
from ledgecliff.core.register.checks import PresentValues, values_for
from ledgecliff.core.toolpaths.checks import UNIT_WORDS, Difference, check_program
from ledgecliff.core.toolpaths.control_words import UNKNOWN_CONTROL, control_words
from ledgecliff.core.toolpaths.programs import ProgramOf, differences_of, floor_in, programs_of
from ledgecliff.core.toolpaths.summary import ProgramSummary
from ledgecliff.store.toolpath_files import read_program, size_of

from .document import Document
from .notices import NoticeStrip
from .register_desk import RegisterDesk
from .register_offer import ROW_HEIGHT, fill_row, fit_columns
from .sheet import Sheet
from .workers import Work

_KINDS = "Programs (*.ngc *.nc *.tap *.txt *.cnc);;All files (*)"
_OVERVIEW = ("Setup", "Operation", "Planned", "Program", "Read")
_EXTENTS = ("Offset", "Tool", "X from", "to", "Y from", "to", "Z from", "to", "There the part lies on")
_FOUND = ("", "Line", "What differs")


@dataclass(frozen=True)
class _Row:
    """``of`` is the operation it belongs to, None for a file that was only looked at."""

    of: ProgramOf | None
    path: Path | None


class ProgramsSheet(Sheet):
    def __init__(self, document: Document, register: RegisterDesk) -> None:
        super().__init__("Toolpath programs")
        self._document, self._register = document, register
        self._pool = QThreadPool(self)
        self._work: Work | None = None
        self._rows: list[_Row] = []
        #: Files looked at beside those of the job, and what was read so far.
        self._more: list[Path] = []
        self._read: dict[Path, ProgramSummary] = {}
        self._failed: dict[Path, str] = {}
        self.add_head(
            ("read", "Read all", "Read every program that an operation names", self.read_all),
            ("attach", "Name a file…", "The file of the picked operation", self._ask_attach),
            ("look", "Look at a file…", "Read a program without naming it", self._ask_look),
            ("close", "Back to the job", "Put this sheet away", self.closed.emit),
        )
        self.notices = NoticeStrip()
        self.column.addWidget(self.notices)
        self.overview = _table(_OVERVIEW, "Programs of the job's operations")
        self.overview.itemSelectionChanged.connect(self._show_picked)
        self.column.addWidget(self.overview, 4)
        self.words = QLabel()
        self.words.setTextFormat(Qt.TextFormat.PlainText)
        self.words.setWordWrap(True)
        self.words.setProperty("quiet", True)
        self.column.addWidget(self.words)
        self.extents = _table(_EXTENTS, "How far the picked program goes")
        self.column.addWidget(self.extents, 3)
        self.found = _table(_FOUND, "What differs")
        self.found.setWordWrap(True)
        self.column.addWidget(self.found, 3)

    # --- what is shown --------------------------------------------------------------------

    def refresh(self) -> None:
        plan = self._document.plan
        folder = self._document.path.parent if self._document.path is not None else None
        of = programs_of(plan) if plan is not None else ()
        self._rows = [_Row(each, _beside(folder, each.file)) for each in of]
        self._rows += [_Row(None, path) for path in self._more]
        picked = self.overview.currentRow()
        with QSignalBlocker(self.overview):
            self.overview.setRowCount(len(self._rows))
            for k, row in enumerate(self._rows):
                fill_row(self.overview, k, self._cells(row), ())
            fit_columns(self.overview)
            self.overview.selectRow(min(max(picked, 0), len(self._rows) - 1))
        self._show_picked()

    def _cells(self, row: _Row) -> list[str]:
        of = row.of
        file = row.path.name if row.path is not None else "—"
        words = [of.setup_name, of.operation_name, f"{of.offset}  T{of.tool}"] if of is not None else ["", "", ""]
        return [*words, file, self._state(row)]

    def _state(self, row: _Row) -> str:
        if row.path is None:
            return "no file named"
        if row.path in self._failed:
            return "cannot be read"
        summary = self._read.get(row.path)
        if summary is None:
            return "not read yet" if row.path.is_file() else "not there"
        bad = sum(each.severity in ("hazard", "error") for each in self._differences(row, summary))
        whole = "" if summary.complete else ", not whole" if summary.not_read is None else ", not read"
        return f"{summary.lines} lines{whole}" + (f", {bad} wrong" if bad else "")

    def picked(self) -> _Row | None:
        k = self.overview.currentRow()
        return self._rows[k] if 0 <= k < len(self._rows) else None

    def _differences(self, row: _Row, summary: ProgramSummary) -> tuple[Difference, ...]:
        plan = self._document.plan
        return check_program(summary) if plan is None else differences_of(summary, plan, row.of, self._present())

    def _present(self) -> PresentValues:
        """What the register has found for this job; an unreadable register says nothing here."""
        job = self._document.job
        try:
            return {} if job is None else values_for(job, self._register.entries(), self._register.machine)
        except LedgecliffError:
            return {}

    def _show_picked(self) -> None:
        row = self.picked()
        summary = self._read.get(row.path) if row is not None and row.path is not None else None
        for table in (self.extents, self.found):
            table.setRowCount(0)
            fit_columns(table)
        self.buttons["attach"].setEnabled(row is not None and row.of is not None)
        if row is None or summary is None:
            failed = self._failed.get(row.path, "") if row is not None and row.path is not None else ""
            self.words.setText(failed or "Name the operation's file and read it: what it calls and how far it goes.")
            return
        unit = self._document.unit
        self.words.setText(_calls(summary))
        self.extents.setRowCount(len(summary.extents))
        for k, ((offset, tool), extent) in enumerate(summary.extents.items()):
            cells = [offset or "none", f"T{tool}" if tool else "none"]
            for axis in range(3):
                cells += _reach(extent.bounds(axis), unit)
            own = None if row.of is None else row.of.setup
            cells.append(_lies_on(self._document.plan, offset, own, unit))
            fill_row(self.extents, k, cells, tuple(range(2, 8)))
        fit_columns(self.extents)
        differences = self._differences(row, summary)
        self.found.setRowCount(len(differences))
        for k, each in enumerate(differences):
            cells = [each.severity, str(each.line) if each.line else "", spell(each.message, unit)]
            fill_row(self.found, k, cells, (1,), alarm=each.severity in ("hazard", "error"))
        fit_columns(self.found)
        self.found.resizeRowsToContents()

    # --- reading ----------------------------------------------------------------------------

    def read_all(self) -> None:
        paths = list(dict.fromkeys(row.path for row in self._rows if row.path is not None and row.path.is_file()))
        if not paths:
            raise InvalidValueError("programs", "no operation names a file that is there; pick one and name its file")
        self._start(paths)

    def look_at(self, path: Path) -> None:
        if path not in self._more:
            self._more.append(path)
        self.refresh()
        self.overview.selectRow(len(self._rows) - 1)
        self._start([path])

    def attach(self, path: Path) -> None:
        """The picked operation names this file, from beside the job where it lies there."""
        row, folder = self.picked(), self._document.path.parent if self._document.path is not None else None
        if row is None or row.of is None:
            return
        of = row.of
        name = str(path)
        if folder is not None and path.is_relative_to(folder):
            name = str(path.relative_to(folder))
        where = ("setups", of.setup, "operations", of.operation, "program")
        self._document.apply("program", lambda job: set_value(job, where, name))
        self.refresh()
        self._start([path])

    def _start(self, paths: list[Path]) -> None:
        """One after the other, off the interface thread."""
        if self._work is not None:
            return
        total = max(sum(size_of(path) for path in paths), 1)
        machine = self._document.machine
        control = UNKNOWN_CONTROL if machine is None else control_words(machine)

        def work(
            progress: Callable[[int, int], None], cancelled: Callable[[], bool]
        ) -> tuple[dict[Path, ProgramSummary], dict[Path, str]]:
            read: dict[Path, ProgramSummary] = {}
            failed: dict[Path, str] = {}
            before = 0
            for path in paths:
                told = partial(_tell, progress, before, total)
                try:
                    read[path] = read_program(path, told, cancelled, control=control)
                except LedgecliffError as error:
                    failed[path] = str(error)
                before += size_of(path)
            return read, failed

        self._work = Work(work)
        self._work.progress.connect(self.notices.set_progress)
        self._work.done.connect(self._took)
        self._work.ended.connect(self._ended)
        words = paths[0].name if len(paths) == 1 else f"{len(paths)} programs"
        self.notices.show_busy(f"Reading {words}…", self._work.cancel)
        self._work.start(self._pool)

    def _took(self, result: tuple[dict[Path, ProgramSummary], dict[Path, str]]) -> None:
        read, failed = result
        self._read |= read
        self._failed = {path: text for path, text in self._failed.items() if path not in read} | failed

    def _ended(self) -> None:
        self._work = None
        self.notices.hide()
        self.refresh()

    def busy(self) -> bool:
        return self._work is not None

    def stop(self) -> None:
        """Before the window closes."""
        if self._work is not None:
            self._work.cancel()
        self._pool.waitForDone()

    def _ask_attach(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "The operation's toolpath program", self._folder(), _KINDS)
        if path:
            self.attach(Path(path))

    def _ask_look(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Look at a toolpath program", self._folder(), _KINDS)
        if path:
            self.look_at(Path(path))

    def _folder(self) -> str:
        return str(self._document.path.parent) if self._document.path is not None else ""


def _tell(progress: Callable[[int, int], None], before: int, total: int, done: int) -> None:
    """In kibibytes, which fit a signal's numbers whatever the file."""
    progress((before + done) >> 10, max(total >> 10, 1))


def _beside(folder: Path | None, name: str) -> Path | None:
    if not name:
        return None
    return Path(name) if folder is None else folder / name


def _calls(summary: ProgramSummary) -> str:
    tools = ", ".join(
        f"T{use.tool}" + "".join(f" H{h}" for h in use.h) + "".join(f" D{d}" for d in use.d) for use in summary.tools
    )
    parts = [
        f"calls {', '.join(summary.offsets) or 'no work offset'}",
        f"tools {tools or 'none'}",
        f"in {' and '.join(UNIT_WORDS[unit] for unit in summary.units) or 'no stated unit'}",
        f"{' and '.join(summary.distance) or 'absolute by default'}",
        f"planes {', '.join(summary.planes) or 'none stated'}",
    ]
    if any(use.compensated for use in summary.tools):
        parts.append("cuts with radius compensation")
    return "; ".join(parts) + "."


def _lies_on(plan: Plan | None, offset: str, own: int | None, unit: Unit) -> str:
    floor = floor_in(plan, offset, own) if plan is not None else None
    return "" if floor is None else f"{floor.seat} of {floor.setup}, Z {format_length(floor.w_z, unit, sign=True)}"


def _reach(bounds: tuple[float, float] | None, unit: Unit) -> list[str]:
    return ["", ""] if bounds is None else [format_length(mm, unit, sign=True) for mm in bounds]


def _table(columns: tuple[str, ...], name: str) -> QTableWidget:
    table = QTableWidget(0, len(columns))
    table.setObjectName("tight")
    table.setHorizontalHeaderLabels(list(columns))
    table.verticalHeader().hide()
    table.verticalHeader().setDefaultSectionSize(ROW_HEIGHT)
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    table.setAccessibleName(name)
    table.horizontalHeader().setStretchLastSection(True)
    return table
