"""Release: how far each setup has come, what stands against it, who takes which hazard upon themselves; written into a
folder under one seal, and a folder compared with what was released."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QFormLayout, QLabel, QLineEdit, QTableWidget, QTableWidgetItem, QWidget

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.finding import Finding
from ledgecliff.core.release.seals import Seal
from ledgecliff.sheets.wanted import PAPERS
from ledgecliff.store.signed import who

from .document import Document
from .register_offer import fit_columns
from .sheet import Sheet
from .written_sheet import CAN_PICK, made_into_rows, paper, words_label

_COLUMNS = ("Release", "Setup", "Seal", "Since", "Changed since")
_CAUTION = (
    "A hazard that is released is somebody's own decision, by name and reason: it is printed on the sheet and kept. "
    "Follow the machine builder's manual, the shop's own rules and local safety law; where a licensed or trained "
    "person must approve the work, that person decides."
)


class ReleaseSheet(Sheet):
    #: A folder is wanted for the release: who, setups, reasons by code, paper.
    release_wanted = Signal(str, list, dict, str)
    compare_wanted = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__("Release")
        self._document = document
        self._hazards: dict[str, str] = {}
        self._came = ""
        self.reasons: dict[str, QLineEdit] = {}
        self.add_head(
            ("release", "Release into…", "Programs, toolpath programs and sheets into an empty folder, under one seal",
             self._release),
            ("compare", "Compare a folder…", "Whether a released folder is still what was released",
             self.compare_wanted.emit),
            ("close", "Back to the job", "Put this sheet away (Esc)", self.closed.emit),
        )  # fmt: skip
        row = self.add_row()
        self.by = QLineEdit(who())
        self.by.setAccessibleName("Who releases it")
        self.by.setFixedWidth(180)
        self.paper = QComboBox()
        self.paper.setAccessibleName("Paper of its sheets")
        for size in PAPERS:
            self.paper.addItem(size.capitalize(), size)
        for part in (QLabel("Released by"), self.by, QLabel("sheets on"), self.paper):
            row.addWidget(part)
        row.addStretch(1)
        self.table = made_into_rows(QTableWidget(), _COLUMNS, "How far each setup has come")
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.column.addWidget(self.table, 2)
        self._asked = QWidget()
        self._asked.setObjectName("paper")
        self._form = QFormLayout(self._asked)
        self.column.addWidget(self._asked)
        self.words = words_label("")
        self.column.addWidget(paper(self.words), 3)
        document.findings_changed.connect(self._look_again)
        document.seals_changed.connect(self._look_again)

    def _look_again(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        document = self._document
        seals, findings = document.seals, document.findings
        self.buttons["release"].setEnabled(document.plan is not None and document.beside is not None)
        self._show_seals(seals)
        self._ask_reasons([each for each in findings or () if each.severity == "hazard"])
        if findings is None or document.beside is None:
            self.words.setText("Being checked…")
            return
        bad = [each for each in findings if each.severity in ("hazard", "error")]
        told = [f"{each.severity}: {each.message(document.unit)}" for each in bad]
        came = [self._came, ""] if self._came else []
        self.words.setText("\n".join([*came, *(told or ["No hazard or error stands."]), "", _CAUTION]))

    def _show_seals(self, seals: tuple[Seal, ...]) -> None:
        before = self.wanted()
        self.table.setRowCount(len(seals))
        for row, seal in enumerate(seals):
            since = f"{seal.at[:16].replace('T', ' ')} {seal.by}".strip()
            for column, text in enumerate(("", seal.name, seal.stage, since, seal.changed_words())):
                item = QTableWidgetItem(text)
                item.setFlags(CAN_PICK)
                if not column:
                    item.setFlags(CAN_PICK | Qt.ItemFlag.ItemIsUserCheckable)
                    on = row in before or not before
                    item.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
                self.table.setItem(row, column, item)
        fit_columns(self.table)

    def wanted(self) -> list[int]:
        """Setups that are ticked, from 0."""
        items = ((row, self.table.item(row, 0)) for row in range(self.table.rowCount()))
        return [row for row, item in items if item is not None and item.checkState() == Qt.CheckState.Checked]

    def _ask_reasons(self, hazards: list[Finding]) -> None:
        """A field for each kind of hazard; what was typed stays."""
        wanted = {each.code: each.message(self._document.unit) for each in hazards}
        if wanted == self._hazards:
            return
        self._hazards = wanted
        typed = {code: entry.text() for code, entry in self.reasons.items()}
        while self._form.rowCount():
            self._form.removeRow(0)
        self.reasons = {}
        for code, message in wanted.items():
            label = QLabel(f"{code}: {message}")
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setWordWrap(True)
            self._form.addRow(label)
            entry = self.reasons[code] = QLineEdit(typed.get(code, ""))
            entry.setPlaceholderText("Why it may be released all the same; empty: it is not")
            entry.setAccessibleName(f"Reason for {code}")
            self._form.addRow("Reason", entry)
        self._asked.setVisible(bool(wanted))

    def _release(self) -> None:
        by, setups = self.by.text().strip(), self.wanted()
        if not by:
            raise InvalidValueError("released by", "is empty; write who releases it")
        if not setups:
            raise InvalidValueError("release", "no setup is ticked; tick those that are to be released")
        reasons = {code: entry.text() for code, entry in self.reasons.items() if entry.text().strip()}
        self.release_wanted.emit(by, setups, reasons, self.paper.currentData())

    def show_words(self, words: str) -> None:
        """What came of it, until the sheet is opened anew."""
        self._came = words
        self.refresh()

    def open(self) -> None:
        self._came = ""
        super().open()
