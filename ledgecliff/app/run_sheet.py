"""A day at the machine as a sheet over the stage: its picture, what is to be done in order, what stands against it."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QSplitter,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from ledgecliff.core.drawing.run_table import run_table_drawing
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.identity import Id
from ledgecliff.core.model.run import Run, TaskRef
from ledgecliff.core.runs import edits
from ledgecliff.core.runs.listing import RunRow, run_rows, run_words
from ledgecliff.core.runs.rules import Planned
from ledgecliff.core.scheduling.ordering import By, Ordered

from .canvas import Canvas
from .document import Document
from .register_offer import fit_columns
from .run_adding import RunAdding, minutes_of
from .run_band import RunBand
from .run_desk import RunDesk
from .run_writing import RunWriting
from .theme import SEVERITY_MARKS, Theme
from .written_sheet import CAN_PICK, CAN_TYPE, WrittenSheet, made_into_rows, paper, words_label

_COLUMNS = ("", "At", "Station", "Task", "Tool", "Offset", "Minutes", "Program")
_TICK, _MINUTES = 0, 6
_RUNS, _PAPERS = "Runs (*.json)", "Pages (*.pdf *.html)"
_COUNT: tuple[tuple[By, str], ...] = (("lexicographic", "Fewest tool calls"), ("time", "Shortest time"))
#: Wider than any screen (pixels).
_WIDE = 10_000
_EMPTY = (
    "No run is open. A run is what is loaded on one machine today: setups of one or several jobs, what the operator "
    "does between them, and what waits. Open one, drop its file here, or begin one with the setup on the stage."
)


class RunSheet(WrittenSheet):
    #: Flow or batch is asked for, or the jobs that wait.
    flow_wanted = Signal()
    backlog_wanted = Signal()

    def __init__(self, document: Document, desk: RunDesk, theme: Theme) -> None:
        super().__init__("A day at the machine", desk)
        self._document, self._desk = document, desk
        self.writing = RunWriting(document)
        #: What was written last, in words, or why it could not be.
        self._wrote = ""
        self._rows: tuple[RunRow, ...] = ()
        self._picked: frozenset[TaskRef] = frozenset()
        head = self.add_head(
            ("open", "Open…", "Open a run document", self._ask_open),
            ("demo", "Open Tuesday's table", "The demo run of the Brackwater Tide Works, in a copy of its own",
             desk.open_demo),
            ("begin", "Begin…", "A run for this machine, with the setup on the stage loaded", self._ask_begin),
            ("load", "Load setup", "The setup on the stage, at one more station of this run", desk.load_setup),
            ("more", "More…", "What the operator does, what waits, what is taken over or out", self._show_more),
            ("table", "Table", "What stands on the machine, beside the hours", self._show_table),
            ("keep", "Keep", "What is picked, a block or several rows, stays one after the other as it is", self._keep),
            ("thaw", "Free", "The picked task need not follow another one any more", self._thaw),
            ("flow", "Flow…", "A job that is made many times: batch by side, or flow", self.flow_wanted.emit),
            ("backlog", "Backlog…", "Jobs that wait, split into loads", self.backlog_wanted.emit),
            ("programs", "Programs…", "The main program of what is left", self._ask_programs),
            ("list", "List…", "What is done, on paper", self._ask_list),
            ("close", "Back to the job", "Put this sheet away (Esc)", self.closed.emit),
            beside_title=False,
        )  # fmt: skip
        self.buttons["table"].setCheckable(True)
        self.buttons["table"].setChecked(True)
        self.count = QComboBox()
        for _, words in _COUNT:
            self.count.addItem(words)
        self.count.setAccessibleName("What counts")
        self.count.setToolTip("Fewest tool calls, then indexes, then offset calls, then time; or time alone")
        self.count.activated.connect(lambda k: self.attempt(lambda: desk.count_by(_COUNT[k][0])))
        self.add_hands(head, "order", QLabel("What counts"), self.count)
        self.adding = RunAdding(desk, self.attempt)
        self.adding.hide()
        self.column.addWidget(self.adding)
        self.band = RunBand(theme)
        self.band.picked.connect(self._pick)
        self.band.joined.connect(lambda ref, then: self.attempt(lambda: desk.follow(ref, then)))
        self.band.kept.connect(lambda refs: self.attempt(lambda: desk.keep(refs)))
        self._area = paper(self.band)
        self.canvas = Canvas(theme)
        self.canvas.setAccessibleName("What stands on the machine, from above")
        self.canvas.picked.connect(self._pick_station)
        above = QSplitter(Qt.Orientation.Horizontal)
        above.setChildrenCollapsible(False)
        above.addWidget(self._area)
        above.addWidget(self.canvas)
        above.setSizes([_WIDE, _WIDE])  # half and half
        self.column.addWidget(above, 5)
        self._below = QWidget()
        row = QHBoxLayout(self._below)
        row.setContentsMargins(0, 6, 0, 0)
        row.setSpacing(14)
        self.table = made_into_rows(_Rows(), _COLUMNS, "What is to be done, in order")
        self.table.itemChanged.connect(self._typed)
        self.table.itemSelectionChanged.connect(self._row_picked)
        row.addWidget(self.table, 8)
        self.words = words_label(_EMPTY)
        row.addWidget(paper(self.words), 5)
        self.column.addWidget(self._below, 5)
        desk.changed.connect(self.refresh)
        desk.opened.connect(lambda _path: self._tell(""))
        self.writing.changed.connect(self.refresh)
        self.writing.written.connect(self._tell)
        self.writing.failed.connect(self._refused)
        self.refresh()

    # --- what is shown --------------------------------------------------------------------

    def refresh(self) -> None:
        run, planned, ordered = self._desk.run, self._desk.planned, self._desk.ordered
        self.title.setText("A day at the machine" if run is None else f"{run.title} · {run.machine_name}")
        for key in ("load", "more", "programs", "list", "flow"):
            self.buttons[key].setEnabled(run is not None)
        self.show_hands()
        self.buttons["programs"].setText("Stop writing" if self.writing.busy() else "Programs…")
        self.buttons["demo"].setVisible(run is None)
        self.count.setEnabled(run is not None)
        self._area.setVisible(run is not None)
        self.canvas.setVisible(run is not None and self.buttons["table"].isChecked())
        self.table.setVisible(run is not None)
        if run is None:
            for key in ("keep", "thaw"):
                self.buttons[key].setEnabled(False)
            self.words.setText(_EMPTY)
            return
        with QSignalBlocker(self.count):
            self.count.setCurrentIndex(next(k for k, (by, _) in enumerate(_COUNT) if by == run.by))
        self.band.show_picture(self._desk.picture())
        self._fill(run, planned)
        self.adding.show_run(run)
        self.words.setText("\n\n".join(self._said(run, planned, ordered)))
        self._mark()

    def _said(self, run: Run, planned: Planned | None, ordered: Ordered | None) -> list[str]:
        busy = ["A better order is being looked for…"] if self._desk.busy() else []
        worst, others = list[str](), list[str]()
        for each in self._desk.findings():
            unit = self._document.unit
            words = f"{SEVERITY_MARKS[each.severity]} {each.severity}: {each.message(unit)} {each.remedy(unit)}"
            (worst if each.severity in ("hazard", "error") else others).append(words)
        table = self._desk.table(self._shown())
        if table is not None and table.lacking:
            others.append(f"Not drawn, for their jobs have them no more: {', '.join(table.lacking)}.")
        no_order = [f"No order: {self._desk.no_order}"] if self._desk.no_order else []
        said = [f"Taken over: {self._desk.said}."] if self._desk.said else []
        compared = self._desk.compared()
        said += [compared] if compared else []
        writing = ["Programs are run on the simulated machine and written…"] if self.writing.busy() else []
        said += [*writing, *([self._wrote] if self._wrote else [])]
        return [*said, *no_order, *worst, *busy, *run_words(run, planned, ordered), *others]

    def _fill(self, run: Run, planned: Planned | None) -> None:
        self._rows = run_rows(run, planned)
        with QSignalBlocker(self.table):
            self.table.setRowCount(len(self._rows))
            for number, row in enumerate(self._rows):
                for column, text in enumerate(row.cells):
                    item = self.table.item(number, column)
                    if item is None:
                        item = QTableWidgetItem()
                        self.table.setItem(number, column, item)
                    item.setText(text)
                    if column == _TICK:
                        item.setFlags(_CAN_TICK)
                        item.setCheckState(Qt.CheckState.Checked if row.done else Qt.CheckState.Unchecked)
                        item.setToolTip("Done")
                    else:
                        item.setFlags(CAN_TYPE if column == _MINUTES else CAN_PICK)
                    if column == _MINUTES:
                        item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            fit_columns(self.table)

    def _show_more(self) -> None:
        self.adding.setVisible(self.adding.isHidden())

    def set_theme(self, theme: Theme) -> None:
        self.band.set_theme(theme)
        self.canvas.theme = theme
        self.canvas.update()

    # --- hands ----------------------------------------------------------------------------

    def _pick(self, refs: frozenset[TaskRef]) -> None:
        self._picked = refs
        row = next((k for k, each in enumerate(self._rows) if each.ref in refs), None)
        with QSignalBlocker(self.table):
            if row is None:
                self.table.clearSelection()
            else:
                self.table.selectRow(row)
        self._mark()

    def _row_picked(self) -> None:
        rows = {index.row() for index in self.table.selectedIndexes()}
        self._picked = frozenset(self._rows[row].ref for row in rows if row < len(self._rows))
        self._mark()

    def _pick_station(self, source: str) -> None:
        """All that is to be done at the station, or the stations, that were pressed on the table."""
        table, planned = self._desk.table(self._shown()), self._desk.planned
        stations = table.stations_of.get(source, ()) if table is not None else ()
        refs = planned.tasks.refs if planned is not None else ()
        self._pick(frozenset(ref for ref in refs if self._station_of(ref) in stations))

    def _station_of(self, ref: TaskRef) -> Id | None:
        run = self._desk.run
        action = None if run is None else run.action(ref.of)
        return ref.of if action is None else action.station

    def _shown(self) -> Id | None:
        """The station that the axes are shown for: one that is picked."""
        return min((of for ref in self._picked if (of := self._station_of(ref)) is not None), default=None)

    def _show_table(self) -> None:
        self.canvas.setVisible(self.buttons["table"].isChecked())
        self._mark()

    def _mark(self) -> None:
        self.band.mark(self._picked)
        run, table = self._desk.run, self._desk.table(self._shown())
        if self.canvas.isVisibleTo(self) and run is not None:
            self.canvas.unit = self._document.unit
            lit = {of for ref in self._picked if (of := self._station_of(ref)) is not None}
            self.canvas.show_drawings(() if table is None else (run_table_drawing(run, table, lit),))
        self.buttons["keep"].setEnabled(len(self._picked) > 1)
        self.buttons["thaw"].setEnabled(self._frozen() is not None)

    def _frozen(self) -> TaskRef | None:
        run = self._desk.run
        frozen = {ref for each in run.frozen for ref in each} if run is not None else set()
        return next(iter(self._picked & frozen), None)

    def _keep(self) -> None:
        self._desk.keep([row.ref for row in self._rows if row.ref in self._picked and not row.done])

    def _thaw(self) -> None:
        ref = self._frozen()
        if ref is not None:
            self._desk.thaw(ref)

    def _typed(self, item: QTableWidgetItem) -> None:
        ref = self._rows[item.row()].ref
        if item.column() == _TICK:
            done = item.checkState() == Qt.CheckState.Checked
            self.attempt(lambda: self._desk.tick(ref, done=done))
        elif item.column() == _MINUTES:
            text = item.text()
            self.attempt(
                lambda: self._desk.apply("minutes", lambda run: edits.with_minutes(run, ref, minutes_of(text)))
            )
        self.refresh()  # what was refused is not left standing

    # --- files ----------------------------------------------------------------------------

    def ask_name(self, words: str, suggested: str, kinds: str) -> Path | None:
        """Replaced in tests."""
        name, _ = QFileDialog.getSaveFileName(self, words, str(self._folder() / suggested), kinds)
        return Path(name) if name else None

    def ask_folder(self) -> Path | None:
        """Replaced in tests."""
        name = QFileDialog.getExistingDirectory(self, "Folder to write to", str(self._folder()))
        return Path(name) if name else None

    def _folder(self) -> Path:
        beside = self._desk.path or self._document.path
        return beside.parent if beside is not None else Path.home()

    def _ask_open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open a run", str(self._folder()), _RUNS)
        if name:
            self._desk.open(Path(name))

    def _ask_begin(self) -> None:
        path = self.ask_name("Begin a run", "run.json", _RUNS)
        if path is not None:
            self._desk.begin(path.with_suffix(".json"))

    def _ask_programs(self) -> None:
        if self.writing.busy():
            self.writing.give_up()
            return
        run, planned, path, _ = self._whole()
        folder = self.ask_folder()
        if folder is not None:
            self.writing.programs(run, path, planned, folder, by_block=self.adding.by_block.isChecked())

    def _ask_list(self) -> None:
        run, planned, path, ordered = self._whole()
        to = self.ask_name("Write the list", f"{path.stem}.pdf", _PAPERS)
        if to is not None:
            self.writing.list(run, path, planned, ordered, to, self._document.unit)

    def _tell(self, words: str) -> None:
        self._wrote = words
        self.refresh()

    def _refused(self, why: str) -> None:
        self.said.setText(why)
        self.said.show()

    def _whole(self) -> tuple[Run, Planned, Path, Ordered]:
        """What is written is of the run as its file says it."""
        desk = self._desk
        desk.as_written()
        if desk.run is None or desk.path is None or desk.planned is None or desk.ordered is None:
            raise InvalidValueError("run", desk.no_order or "has no order yet; wait until one is found")
        return desk.run, desk.planned, desk.path, desk.ordered


_CAN_TICK = CAN_PICK | Qt.ItemFlag.ItemIsUserCheckable


class _Rows(QTableWidget):
    """Space ticks the row off, whichever of its cells is current."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        tick = self.item(self.currentRow(), _TICK)
        if event.key() == Qt.Key.Key_Space and tick is not None:
            done = tick.checkState() == Qt.CheckState.Checked
            tick.setCheckState(Qt.CheckState.Unchecked if done else Qt.CheckState.Checked)
            return
        super().keyPressEvent(event)
