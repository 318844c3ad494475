"""The offset register as a sheet over the stage: every code at the left, the picked one or an offer at the right."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSignalBlocker, QTimer, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QStackedWidget,
    QTableWidget,
)

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.quantities import format_length
from ledgecliff.core.register import entries as register
from ledgecliff.core.register.allocation import allocate, allocated, claims
from ledgecliff.core.register.entries import Entry
from ledgecliff.core.register.entry_tape import entry_tape
from ledgecliff.core.register.present_table import differences, read_table, taken_over

from .document import Document
from .register_desk import RegisterDesk
from .register_entry import EntryPane
from .register_offer import ROW_HEIGHT, Offer, OfferPane, fill_row, fit_columns
from .sheet import Sheet

_COLUMNS = ("Code", "State", "For, or stays with", "X", "Y", "Z", "Label", "From")
_NUMBERS = (3, 4, 5)
_TABLE, _PROGRAM = "Table (*.csv)", "Program (*.ngc *.nc)"
#: Lower than this the history gives way; the tape still says what was before (pixels).
_ROOM_FOR_HISTORY = 480
#: So many changes of the picked code are shown.
_SHOWN = 40
#: How often others' changes are looked for while the sheet is open (ms).
_LOOK_MS = 1500


class RegisterSheet(Sheet):
    #: A Tape of the picked code.
    tape_wanted = Signal(object)

    def __init__(self, document: Document, desk: RegisterDesk) -> None:
        super().__init__("Offset register")
        self._document, self._desk = document, desk
        self._entries: tuple[Entry, ...] = ()
        self._shown: tuple[Entry, ...] = ()
        head = self.add_head(
            ("allocate", "Codes for this job", "Proposes a code for every setup, none for two", self.offer_codes),
            ("import", "Compare…", "The control's present table against the register: CSV, or a program of G10 blocks",
             self._ask_import),
            ("export", "Write a table…", "The register as CSV", lambda: self._ask_export("offsets.csv", _TABLE)),
            ("load", "Write a loading program…", "Puts what has a value into the control's table",
             lambda: self._ask_export("load-offsets.ngc", _PROGRAM)),
            ("verify", "Write a verifying program…", "Stops with a message where the control's table differs",
             lambda: self._ask_export("verify-offsets.ngc", _PROGRAM, verify=True)),
            ("close", "Back to the job", "Put this sheet away", self.closed.emit),
            beside_title=False,
        )  # fmt: skip
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search code, label, job, fixture, state")
        self.search.setFixedWidth(280)
        self.search.setAccessibleName("Search the register")
        self.search.textChanged.connect(self._fill)
        head.addWidget(self.search)
        row = QHBoxLayout()
        row.setSpacing(14)
        self.table = _table()
        self.table.itemSelectionChanged.connect(self._show_picked)
        row.addWidget(self.table, 8)
        self.entry_pane = EntryPane(document, desk, self.attempt)
        self.offer_pane = OfferPane(self.attempt, self.close_offer)
        self._side = QStackedWidget()
        self._side.addWidget(self.entry_pane)
        self._side.addWidget(self.offer_pane)
        row.addWidget(self._side, 5)
        self.column.addLayout(row, 5)
        self._held = QLabel("What the picked code held, newest first")
        self._held.setProperty("head", True)
        self.column.addWidget(self._held)
        self.column.addWidget(self.entry_pane.history, 2)
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(lambda: self.guarded(self._desk.look_again))
        desk.changed.connect(self.refresh)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        for widget in (self._held, self.entry_pane.history):
            widget.setVisible(self.height() >= _ROOM_FOR_HISTORY)

    # --- what is shown --------------------------------------------------------------------

    def open(self) -> None:
        self.close_offer()
        self.said.hide()
        self.refresh()
        self._timer.start()

    def put_away(self) -> None:
        self._timer.stop()

    def refresh(self) -> None:
        """All codes anew; what was picked stays picked, what is being typed stays typed."""
        self.guarded(self._read)

    def _read(self) -> None:
        self._entries = self._desk.entries()
        machine = self._desk.machine
        self.title.setText(f"Offset register · {machine.name}" if machine is not None else "Offset register")
        self.buttons["allocate"].setEnabled(self._document.job is not None)
        self._fill()

    def _fill(self) -> None:
        picked = self.picked()
        self._shown = register.found(self._entries, self.search.text())
        with QSignalBlocker(self.table):
            self.table.setRowCount(len(self._shown))
            for row, entry in enumerate(self._shown):
                fill_row(self.table, row, self._cells(entry), _NUMBERS, alarm=entry.is_stale)
            fit_columns(self.table)
            at = next((k for k, entry in enumerate(self._shown) if entry.code == picked), 0)
            if self._shown:
                self.table.selectRow(at)
        self._show_picked()

    def _cells(self, entry: Entry) -> list[str]:
        numbers = ["", "", ""]
        if entry.value is not None:
            value, unit = entry.value, self._document.unit
            numbers = [format_length(mm, unit, sign=True) for mm in (value.x, value.y, value.z)]
        who = entry.use.words() if entry.use is not None else entry.resident
        return [entry.code, entry.state(), who, *numbers, entry.label, entry.origin or ""]

    def picked(self) -> str:
        """The picked code, empty when there is none."""
        rows = {index.row() for index in self.table.selectedIndexes()}
        return self._shown[min(rows)].code if rows and min(rows) < len(self._shown) else ""

    def pick(self, code: str) -> None:
        row = next((k for k, entry in enumerate(self._shown) if entry.code == code), None)
        if row is not None:
            self.table.selectRow(row)

    def _show_picked(self) -> None:
        entry = next((entry for entry in self._shown if entry.code == self.picked()), None)
        history = () if entry is None else self._desk.history(entry.code, _SHOWN)
        self.entry_pane.show_entry(entry, history)
        if entry is not None:
            self.tape_wanted.emit(entry_tape(entry, history))

    # --- offers -----------------------------------------------------------------------------

    def close_offer(self) -> None:
        self._side.setCurrentWidget(self.entry_pane)

    def _show_offer(self, offer: Offer) -> None:
        self.offer_pane.show_offer(offer)
        self._side.setCurrentWidget(self.offer_pane)

    def offer_codes(self) -> None:
        """A code for every setup of the job on the stage."""
        job = self._document.job
        if job is None:
            return
        offered = allocate(job, self._entries, self._desk.machine)
        new = claims(self._entries, offered)

        def claim() -> None:
            self._desk.write(list(new))
            self._document.apply("codes from the register", lambda job: allocated(job, offered))

        rows = tuple((each.use.setup, each.planned, each.code, each.why) for each in offered)
        moved = sum(each.changes for each in offered)
        said = f"{moved} setup{'s' if moved != 1 else ''} would get another code than planned." if moved else ""
        action = claim if new or moved else None
        self._show_offer(
            Offer("Codes for this job", said, ("Setup", "Planned", "Code", "Why"), rows, (), "Claim these", action)
        )

    def compare(self, path: Path) -> None:
        """The control's present table against the register, code by code."""
        machine = self._desk.machine
        if machine is None:
            return
        try:
            text = path.read_text(encoding="utf-8")
        except (OSError, UnicodeDecodeError) as error:
            raise InvalidValueError(path.name, f"cannot be read: {error}") from error
        found = differences(self._entries, read_table(text, machine, path.name))
        changed = [each for each in found if each.kind in ("differs", "not in the register")]
        unit = self._document.unit
        rows = tuple(
            (each.code, each.kind, *(format_length(mm, unit, sign=True) for mm in each.moved or ()))
            for each in sorted(found, key=lambda each: each.kind == "same")
        )
        said = f"{len(changed)} of {len(found)} codes differ; by how much the control's value lies off is shown."

        def take() -> None:
            self._desk.write(taken_over(self._entries, changed, path.name))

        offer = Offer(
            f"{path.name} against the register", said, ("Code", "", "X", "Y", "Z"), rows, (2, 3, 4),
            "Take over what differs", take if changed else None,
        )  # fmt: skip
        self._show_offer(offer)

    def _ask_import(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, "The control's present table", "", "Tables and programs (*.csv *.ngc *.nc *.txt);;All files (*)"
        )
        if path:
            self.compare(Path(path))

    def _ask_export(self, name: str, kinds: str, *, verify: bool = False) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Write the register", name, kinds)
        if path:
            self.write_file(Path(path), verify=verify)

    def write_file(self, path: Path, *, verify: bool) -> None:
        """What the search shows."""
        from ledgecliff.store.register_files import write_register_file  # slow to import

        machine = self._desk.machine
        if machine is not None:
            write_register_file(machine, self._shown, path, verify=verify)


def _table() -> QTableWidget:
    table = QTableWidget(0, len(_COLUMNS))
    table.setObjectName("tight")
    table.setHorizontalHeaderLabels(list(_COLUMNS))
    table.verticalHeader().hide()
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
    table.setAlternatingRowColors(True)
    table.verticalHeader().setDefaultSectionSize(ROW_HEIGHT)
    table.setWordWrap(False)
    table.setAccessibleName("Work offsets of the machine")
    table.horizontalHeader().setStretchLastSection(True)
    return table
