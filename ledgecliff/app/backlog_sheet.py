"""Jobs that wait, as a sheet over the stage: their loads over time, frozen and split again as jobs come and go."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QItemSelectionModel, QSignalBlocker
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
)

from ledgecliff.core.backlogs.edits import stations_of, stations_words
from ledgecliff.core.backlogs.listing import BacklogRow, backlog_rows, split_words
from ledgecliff.core.drawing.loads_layout import loads_layout
from ledgecliff.core.drawing.run_layout import RunLayout
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.backlog import BacklogList, LoadRoom
from ledgecliff.core.model.identity import Id
from ledgecliff.core.model.run import TaskRef
from ledgecliff.core.scheduling.backlog import Backlog, Split

from .backlog_desk import BacklogDesk
from .drawing_painter import text_width
from .register_offer import fit_columns
from .run_adding import minutes_of
from .theme import Theme
from .time_band import TimeBand
from .written_sheet import CAN_PICK, CAN_TYPE, WrittenSheet, made_into_rows, paper, words_label

#: Columns: their words, and the field that is typed there.
_COLUMNS: tuple[tuple[str, str], ...] = (
    ("Load", ""), ("Kept in", "load"), ("Job", "name"), ("Kind", "kind"), ("Stations", "stations"),
    ("Offsets", "offsets"), ("Steps", "steps"), ("Due (h)", "due"), ("Done after", ""),
)  # fmt: skip
#: What a load has room for: the field, its words, how wide (pixels).
_ROOM: tuple[tuple[str, str, int], ...] = (
    ("stations", "Stations", 190), ("pockets", "Pockets", 56), ("offsets", "Offsets", 56), ("minutes", "Hours", 56),
    ("between", "Between two (min)", 56),
)  # fmt: skip
_BACKLOGS, _TABLES = "Backlogs (*.json)", "Tables (*.csv *.txt)"
_EMPTY = (
    "No backlog is open. A backlog is jobs that wait, and what a load has room for; it is split into loads: what is "
    "set up together. Open one, begin one and take a table of jobs in, or look at the demo."
)


class LoadsBand(TimeBand):
    """Picked is a job, or all of a load."""

    def __init__(self, theme: Theme, picked: Callable[[frozenset[Id]], None]) -> None:
        super().__init__(theme)
        self._of: tuple[Backlog, Split, tuple[str, ...]] | None = None
        self._picked = picked
        self.setAccessibleName("Loads over time")

    def show_loads(self, of: tuple[Backlog, Split, tuple[str, ...]] | None) -> None:
        self._of = of
        self.lay_out()

    def laid_out(self, width: float) -> RunLayout | None:
        if self._of is None:
            return None
        backlog, split, ids = self._of
        return loads_layout(backlog, split, ids, width, text_width)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        piece = None if self.shown is None else self.shown.at((at.x(), at.y()))
        self._picked(frozenset() if piece is None else frozenset(ref.of for ref in piece.refs))


class BacklogSheet(WrittenSheet):
    def __init__(self, desk: BacklogDesk, theme: Theme) -> None:
        super().__init__("Backlog", desk)
        self._desk = desk
        self._rows: tuple[BacklogRow, ...] = ()
        self._picked: frozenset[Id] = frozenset()
        head = self.add_head(
            ("open", "Open…", "Open a backlog", self._ask_open),
            ("demo", "Open the demo", "Brackets and plates of the Brackwater Tide Works, in a copy of its own",
             desk.open_demo),
            ("begin", "Begin…", "An empty one", self._ask_begin),
            ("take", "Take a table in…", "Jobs as CSV: known names are said anew, others added", self._ask_take),
            ("add", "Add a job", "To be typed into the table", self._add),
            ("keep", "Keep", "What is picked stays in the load where it is", lambda: self._freeze(keep=True)),
            ("thaw", "Free", "What is picked may go into any load again", lambda: self._freeze(keep=False)),
            ("out", "Take out", "What is picked does not wait any more (undo brings it back)", self._take_out),
            ("done", "First load is done", "What is in it is cut; the next load becomes the first",
             desk.first_load_done),
            ("table", "Table…", "What waits now, as CSV", self._ask_table),
            ("close", "Back to the run", "Put this sheet away (Esc)", self.closed.emit),
            beside_title=False,
        )  # fmt: skip
        self.add_hands(head, "loads")
        row = self.add_row()
        row.addWidget(QLabel("A load has room for:"))
        self.fields: dict[str, QLineEdit] = {}
        for name, words, width in _ROOM:
            entry = self.fields[name] = QLineEdit()
            entry.setAccessibleName(words)
            entry.setFixedWidth(width)
            entry.editingFinished.connect(partial(self._room_typed, name))
            row.addWidget(QLabel(words))
            row.addWidget(entry)
        row.addStretch(1)
        self.band = LoadsBand(theme, self._pick)
        self._area = paper(self.band)
        self.column.addWidget(self._area, 5)
        below = QHBoxLayout()
        below.setSpacing(14)
        headings = [words for words, _ in _COLUMNS]
        self.table = made_into_rows(QTableWidget(), headings, "Jobs that wait, load for load")
        self.table.itemChanged.connect(self._typed)
        self.table.itemSelectionChanged.connect(self._rows_picked)
        below.addWidget(self.table, 9)
        self.words = words_label(_EMPTY)
        below.addWidget(paper(self.words), 5)
        self.column.addLayout(below, 6)
        desk.changed.connect(self.refresh)
        self.refresh()

    # --- what is shown --------------------------------------------------------------------

    def refresh(self) -> None:
        held, found = self._desk.held, self._desk.split
        self.title.setText("Backlog" if held is None else f"Backlog · {held.title}")
        self.show_hands()
        for key in ("take", "add", "table"):
            self.buttons[key].setEnabled(held is not None)
        self.buttons["done"].setEnabled(found is not None)
        self.buttons["demo"].setVisible(held is None)
        for each in (self._area, self.table):
            each.setVisible(held is not None)
        for name, entry in self.fields.items():
            entry.setEnabled(held is not None)
            if not entry.hasFocus():
                entry.setText(_shown(self._desk.room, name) if held is not None else "")
        self._fill(held, found)
        backlog = self._desk.plain()
        if held is None or backlog is None:
            self.band.show_loads(None)
            self.words.setText(_EMPTY)
        else:
            self.band.show_loads(None if found is None else (backlog, found, tuple(each.id for each in held.jobs)))
            why = [f"No loads: {self._desk.no_loads}"] if self._desk.no_loads else []
            busy = ["Better loads are being looked for…"] if self._desk.busy() else []
            self.words.setText("\n\n".join([*why, *busy, *(split_words(backlog, found) if found is not None else [])]))
        self._mark()

    def _fill(self, held: BacklogList | None, found: Split | None) -> None:
        self._rows = () if held is None else backlog_rows(held, found)
        with QSignalBlocker(self.table):
            self.table.setRowCount(len(self._rows))
            for number, row in enumerate(self._rows):
                for column, text in enumerate(row.cells):
                    item = self.table.item(number, column)
                    if item is None:
                        item = QTableWidgetItem()
                        self.table.setItem(number, column, item)
                    item.setText(f"{text} late" if row.late and column == len(_COLUMNS) - 1 else text)
                    item.setFlags(CAN_TYPE if _COLUMNS[column][1] else CAN_PICK)
            fit_columns(self.table)
        self._select()

    def _mark(self) -> None:
        self.band.mark(frozenset(TaskRef(of=job) for job in self._picked))
        for key in ("keep", "thaw", "out"):
            self.buttons[key].setEnabled(bool(self._picked))

    def set_theme(self, theme: Theme) -> None:
        self.band.set_theme(theme)

    # --- hands ----------------------------------------------------------------------------

    def _pick(self, jobs: frozenset[Id]) -> None:
        self._picked = jobs
        self._select()
        self._mark()

    def _select(self) -> None:
        """The rows of what is picked, wherever they are by now."""
        rows, model = [n for n, row in enumerate(self._rows) if row.job in self._picked], self.table.selectionModel()
        whole = QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows
        with QSignalBlocker(self.table):
            model.clearSelection()
            if rows and self.table.currentRow() not in rows:
                model.setCurrentIndex(self.table.model().index(rows[0], 0), QItemSelectionModel.SelectionFlag.NoUpdate)
            for row in rows:
                model.select(self.table.model().index(row, 0), whole)

    def _rows_picked(self) -> None:
        rows = {index.row() for index in self.table.selectedIndexes()}
        self._picked = frozenset(self._rows[row].job for row in rows if row < len(self._rows))
        self._mark()

    def _typed(self, item: QTableWidgetItem) -> None:
        job, field, text = self._rows[item.row()].job, _COLUMNS[item.column()][1], item.text()
        self.attempt(lambda: self._desk.change(job, field, text))
        self.refresh()  # what was refused is not left standing

    def _room_typed(self, name: str) -> None:
        text = self.fields[name].text().strip()
        if self._desk.held is None or text == _shown(self._desk.room, name):
            return
        self.attempt(lambda: self._desk.set_room(name, _room_value(name, text)))
        self.fields[name].setText(_shown(self._desk.room, name))

    def _freeze(self, *, keep: bool) -> None:
        """Each in the load in which it is begun."""
        if not keep:
            self._desk.thaw(self._picked)
            return
        of: dict[int, list[Id]] = {}
        for row in self._rows:
            if row.job in self._picked:
                of.setdefault(_load_of(row), []).append(row.job)
        self._desk.keep(of)

    def _take_out(self) -> None:
        self._desk.take_out(self._picked)
        self._picked = frozenset()
        self._mark()

    def _add(self) -> None:
        job = self._desk.add()
        self._pick(frozenset({job}))
        self.table.setFocus()

    # --- files ----------------------------------------------------------------------------

    def ask_file(self, words: str, kinds: str) -> Path | None:
        """One to read.  Replaced in tests."""
        name, _ = QFileDialog.getOpenFileName(self, words, str(self._folder()), kinds)
        return Path(name) if name else None

    def ask_name(self, words: str, suggested: str, kinds: str) -> Path | None:
        """One to write.  Replaced in tests."""
        name, _ = QFileDialog.getSaveFileName(self, words, str(self._folder() / suggested), kinds)
        return Path(name) if name else None

    def _folder(self) -> Path:
        return self._desk.path.parent if self._desk.path is not None else Path.home()

    def _ask_open(self) -> None:
        path = self.ask_file("Open a backlog", _BACKLOGS)
        if path is not None:
            self._desk.open(path)

    def _ask_begin(self) -> None:
        path = self.ask_name("Begin a backlog", "backlog.json", _BACKLOGS)
        if path is not None:
            self._desk.begin(path.with_suffix(".json"))

    def _ask_take(self) -> None:
        path = self.ask_file("Take a table of jobs in", _TABLES)
        if path is not None:
            self._desk.take_in(path)

    def _ask_table(self) -> None:
        path = self.ask_name("Write what waits", "backlog.csv", _TABLES)
        if path is not None:
            self._desk.write_out(path)


def _load_of(row: BacklogRow) -> int:
    first = row.cells[0].split(" ")[0]
    if not first:
        raise InvalidValueError("load", "is not known yet; wait until the loads are found")
    return int(first)


def _shown(room: LoadRoom, name: str) -> str:
    if name == "stations":
        return stations_words(room.stations)
    return f"{room.minutes / 60.0:g}" if name == "minutes" else f"{getattr(room, name):g}"


def _room_value(name: str, text: str) -> object:
    if name == "stations":
        return stations_of(text)
    value = minutes_of(text, name)
    return value * 60.0 if name == "minutes" else int(value) if value.is_integer() else value
