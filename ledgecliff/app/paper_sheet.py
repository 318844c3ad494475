"""What goes on paper: every kind of sheet, looked at in rows before it is written or printed; and the first article,
whose measured values are typed there."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHeaderView,
    QLabel,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QWidget,
)

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.first_article.lines import lines_of
from ledgecliff.core.first_article.measured import FIRST, article, from_touches, of_values
from ledgecliff.core.first_article.tables import article_csv, measured_in
from ledgecliff.core.programs.text import file_stem
from ledgecliff.core.record.entries import RecordEntry
from ledgecliff.core.typed import parse_length
from ledgecliff.sheets.contents import Contents, contents
from ledgecliff.sheets.wanted import KIND_WORDS, PAPERS, SHEET_KINDS, Paper, Wanted
from ledgecliff.store.atomic import write_atomic
from ledgecliff.store.plain_documents import read_words

from .document import Document
from .record_desk import RecordDesk
from .record_reading import ArticleReading
from .register_offer import fit_columns
from .sheet import Sheet
from .written_sheet import CAN_PICK, CAN_TYPE, made_into_rows

_PAPER_WORDS: dict[Paper, str] = {"A4": "A4", "letter": "Letter"}
_ARTICLE = "first-article"
_TABLES = "Tables (*.csv)"
#: Which columns hold sentences.
_SENTENCES = {"setup": (2, 3), "turn": (2, 3)}
_MODE = QHeaderView.ResizeMode
#: No batch is larger.
_MOST_PARTS = 10_000


class PaperSheet(Sheet):
    #: A sheet is to be written, or printed: its kind, what is wanted on it, and the paper.
    write_wanted = Signal(str, object, str)
    print_wanted = Signal(str, object, str)
    #: What was written, in words.
    told = Signal(str)

    def __init__(self, document: Document, record: RecordDesk) -> None:
        super().__init__("On paper")
        self._document, self._record = document, record
        self._entries: tuple[RecordEntry, ...] = ()
        self._shown: Contents | None = None
        self.reading = ArticleReading(document)
        self.add_head(
            ("write", "Write…", "As PDF or HTML, by the ending of the name", self._write),
            ("print", "Print", "On a printer of this computer", self._print),
            ("touches", "Take touches", "Sizes that a probe touched last of these features", self._take_touches),
            ("take_in", "Take in…", "Measured values from a table: feature, what, measured", self._take_in),
            ("table", "Write table…", "Nominal, limits and measured values as CSV", self._write_table),
            ("close", "Back to the job", "Put this sheet away (Esc)", self.closed.emit),
        )  # fmt: skip
        row = self.add_row()
        self.kind, self.paper, self.setup = _choice("Kind of sheet"), _choice("Paper"), _choice("Of which setup")
        for kind in SHEET_KINDS:
            self.kind.addItem(KIND_WORDS[kind], kind)
        for size in PAPERS:
            self.paper.addItem(_PAPER_WORDS[size], size)
        for words, box in (("Sheet", self.kind), ("of", self.setup), ("on", self.paper)):
            row.addWidget(QLabel(words))
            row.addWidget(box)
        for box in (self.kind, self.setup):
            box.activated.connect(lambda _k: self.refresh())
        row.addStretch(1)
        row = self.add_row()
        self.part, self.parts, self.every = _entry("Part", 90), _entry("Parts of the batch", 60), _entry("Every", 60)
        self.by, self.with_what = _entry("Measured by", 130), _entry("Measured with", 130)
        self.part.setText(FIRST)
        self.parts.setText("1")
        self.every.setText("1")
        self._of_article: list[QWidget] = []
        for words, entry in (
            ("Part", self.part), ("measured by", self.by), ("with", self.with_what), ("of a batch of", self.parts),
            ("measure every", self.every),
        ):  # fmt: skip
            label = QLabel(words)
            row.addWidget(label)
            row.addWidget(entry)
            self._of_article += [label, entry]
        row.addStretch(1)
        self.part.editingFinished.connect(self._show)
        self.table = made_into_rows(QTableWidget(), ("",), "What the sheet will say")
        self.table.setWordWrap(True)
        self.table.itemChanged.connect(lambda item: self.attempt(lambda: self._typed(item)))
        self.column.addWidget(self.table, 1)
        self.reading.found.connect(self._read)
        self.reading.failed.connect(self._refuse)
        record.kept.connect(self._look_again)
        document.plan_changed.connect(self._look_again)

    def stop(self) -> None:
        self.reading.stop()

    def _refuse(self, words: str) -> None:
        self.said.setText(words)
        self.said.show()

    def show_kind(self, kind: str) -> None:
        self.kind.setCurrentIndex(self.kind.findData(kind))
        self.refresh()

    def _kind(self) -> str:
        return str(self.kind.currentData())

    def _look_again(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """What can be chosen; what was measured is read behind the window."""
        plan, chosen = self._document.plan, self.setup.currentData()
        with QSignalBlocker(self.setup):
            self.setup.clear()
            self.setup.addItem("all setups", None)
            for index, each in enumerate([] if plan is None else plan.job.setups):
                self.setup.addItem(each.name, index)
            self.setup.setCurrentIndex(max(self.setup.findData(chosen), 0))
        is_article = self._kind() == _ARTICLE
        for widget in (*self._of_article, *(self.buttons[key] for key in ("touches", "take_in", "table"))):
            widget.setVisible(is_article)
        self.setup.setEnabled(not is_article)
        if is_article and plan is not None:
            self.reading.ask(plan.job)
        self._show()

    def _read(self, entries: tuple[RecordEntry, ...]) -> None:
        self._entries = entries
        self._show()

    def wanted(self) -> Wanted:
        """Raises InvalidValueError for a batch that is none."""
        plan, index = self._document.plan, self.setup.currentData()
        if plan is None or self._kind() != _ARTICLE:
            return Wanted([] if index is None else [index])
        parts, every = (_whole(entry) for entry in (self.parts, self.every))
        part = self._part()
        return Wanted((), article(plan.job, self._entries, part), part, parts, every)

    def _part(self) -> str:
        return self.part.text().strip() or FIRST

    def _show(self) -> None:
        plan = self._document.plan
        if plan is None:
            self.table.setRowCount(0)
            return
        self.guarded(lambda: self._fill(contents(self._kind(), plan, self._document.unit, self.wanted())))

    def _fill(self, shown: Contents) -> None:
        if shown == self._shown:
            return
        self._shown = shown
        with QSignalBlocker(self.table):
            self.table.setColumnCount(len(shown.columns))
            self.table.setHorizontalHeaderLabels(list(shown.columns))
            self.table.setRowCount(len(shown.rows))
            for row, cells in enumerate(shown.rows):
                for column, text in enumerate(cells):
                    item = QTableWidgetItem(text)
                    item.setFlags(CAN_TYPE if column == shown.typed else CAN_PICK)
                    if column in shown.numbers:
                        item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                    self.table.setItem(row, column, item)
            self._fit()

    def _fit(self) -> None:
        """Sentences share what is left of the width, in as many lines as they need."""
        header, sentences = self.table.horizontalHeader(), _SENTENCES.get(self._kind(), ())
        for column in range(self.table.columnCount()):
            wide = column in sentences
            header.setSectionResizeMode(column, _MODE.Stretch if wide else _MODE.Interactive)
        fit_columns(self.table)
        if sentences:
            self.table.resizeRowsToContents()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    # --- what was measured ----------------------------------------------------------------------

    def _typed(self, item: QTableWidgetItem) -> None:
        job, shown = self._document.job, self._shown
        if job is None or shown is None or item.column() != shown.typed:
            return
        self._shown = None  # whatever comes of it, the cell is drawn anew
        line = lines_of(job)[item.row()]
        try:
            value = parse_length(item.text(), self._document.unit)
        finally:
            self._show()
        self._record.keep(of_values(job, self._part(), [(line, value)], self.by.text(), self.with_what.text()))

    def _take_touches(self) -> None:
        job = self._document.job
        if job is None:
            return
        found = from_touches(job, self._entries)
        if not found:
            why = "none of these features is in the record; keep what was probed by 'measure --keep'"
            raise InvalidValueError("touches", why)
        with_what = self.with_what.text() or "probe"
        self._record.keep(of_values(job, self._part(), [each[:2] for each in found], self.by.text(), with_what))

    def _take_in(self) -> None:
        job = self._document.job
        name = self.ask_table()
        if job is None or name is None:
            return
        made = []
        for line, value, instrument in measured_in(read_words(name), job, self._document.unit):
            with_what = instrument or self.with_what.text()
            made += of_values(job, self._part(), [(line, value)], self.by.text(), with_what)
        self._record.keep(made)

    def ask_table(self) -> Path | None:
        name, _ = QFileDialog.getOpenFileName(self, "Measured values", "", _TABLES)
        return Path(name) if name else None

    def ask_save(self) -> Path | None:
        suggested = f"first-article-{file_stem(self._part())}.csv"
        name, _ = QFileDialog.getSaveFileName(self, "Measured values", suggested, _TABLES)
        return Path(name) if name else None

    def _write_table(self) -> None:
        plan = self._document.plan
        if plan is None:
            return
        path = self.ask_save()
        if path is not None:
            write_atomic(path, article_csv(self.wanted().measured, self._document.unit))
            self.told.emit(f"Table written to {path}.")

    # --- on paper -------------------------------------------------------------------------------

    def _write(self) -> None:
        self.write_wanted.emit(self._kind(), self.wanted(), self.paper.currentData())

    def _print(self) -> None:
        self.print_wanted.emit(self._kind(), self.wanted(), self.paper.currentData())


def _choice(name: str) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(name)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
    return box


def _entry(name: str, width: int) -> QLineEdit:
    entry = QLineEdit()
    entry.setAccessibleName(name)
    entry.setFixedWidth(width)
    return entry


def _whole(entry: QLineEdit) -> int:
    text = entry.text().strip()
    if not text.isdecimal() or not 1 <= int(text) <= _MOST_PARTS:
        raise InvalidValueError(entry.accessibleName().lower(), f"takes 1 to {_MOST_PARTS}; correct '{text}'")
    return int(text)
