"""The shop's record as a sheet over the stage: entries a page at a time, the picked one, and a number against time."""

from __future__ import annotations

from pathlib import Path

from pydantic import JsonValue
from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QTableWidget,
    QVBoxLayout,
)

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.record.drift import Drift
from ledgecliff.core.record.entries import Kind, RecordEntry, Subject, correction
from ledgecliff.core.record.listing import KIND_WORDS, drift_words, entry_words, row_of
from ledgecliff.core.record.made import Draft
from ledgecliff.core.record.subjects import subjects_of_job, subjects_of_machine, subjects_of_setup
from ledgecliff.store.pictures import PICTURES, keep_picture, pictures_of

from .document import Document
from .drift_chart import DriftChart
from .picture_row import PictureRow
from .record_desk import RecordDesk
from .record_reading import DriftReading, PageReading, RecordPage
from .register_offer import fill_row, fit_columns
from .sheet import Sheet
from .theme import Theme
from .written_sheet import made_into_rows, paper, words_label

_COLUMNS = ("When", "What happened", "In words", "Numbers", "About", "Who")
_FILES = "Record (*.jsonl *.csv)"
_PICTURE_FILES = "Pictures (*.png *.jpg *.jpeg)"
_NOTHING = "Nothing is recorded yet, or nothing that is looked for."


class RecordSheet(Sheet):
    def __init__(self, document: Document, desk: RecordDesk, theme: Theme) -> None:
        super().__init__("Record")
        self._document, self._desk = document, desk
        self._page = RecordPage((), 0, 0)
        self._picked: str = ""
        #: What goes with the note that is being typed.
        self._attached: tuple[dict[str, JsonValue], ...] = ()
        self.pages, self.drifts = PageReading(document), DriftReading(document)
        head = self.add_head(
            ("newer", "Newer", "The page of newer entries", lambda: self._turn(-1)),
            ("older", "Older", "The page of older entries", lambda: self._turn(1)),
            ("correct", "Correct", "What is typed below stands in the picked entry's place, which stays to be seen",
             self._correct),
            ("withdraw", "Withdraw", "Nothing stands in the place of the picked entry any more", self._withdraw),
            ("export", "Write all…", "All of the record as JSON Lines or CSV", self._ask_export),
            ("import", "Take in…", "A record that was written before; what is there already is passed over",
             self._ask_import),
            ("close", "Back to the job", "Put this sheet away", self.closed.emit),
            beside_title=False,
        )  # fmt: skip
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search words, names, numbers' names")
        self.search.setFixedWidth(250)
        self.search.setAccessibleName("Search the record")
        self.search.returnPressed.connect(self._search)
        self.search.textEdited.connect(lambda _text: self._search())
        self.kind, self.about = _choice("Kind"), _choice("About")
        self.kind.addItem("all kinds", None)
        for kind, words in KIND_WORDS.items():
            self.kind.addItem(words, kind)
        for box in (self.kind, self.about):
            box.activated.connect(lambda _k: self._search())
        for widget in (self.search, self.kind, QLabel("about"), self.about):
            head.addWidget(widget)
        row = self.add_row()
        self.note, self.on, self.is_mark = QLineEdit(), _choice("On what"), QCheckBox("a mark: values begin anew")
        self.note.setPlaceholderText("A note, such as: left jaw chipped at the front")
        self.note.setAccessibleName("Note")
        self.note.returnPressed.connect(lambda: self.attempt(self._add))
        for part in (QLabel("Note"), self.note, QLabel("on"), self.on, self.is_mark):
            row.addWidget(part)
        row.addWidget(self._button("picture", "Picture…", "A PNG or JPEG that goes with the note", self._ask_picture))
        row.addWidget(self._button("add", "Add", "Into the record, with your name and the time", self._add))
        body = QHBoxLayout()
        body.setSpacing(14)
        self.table = made_into_rows(QTableWidget(), _COLUMNS, "Entries of the record, newest first")
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.itemSelectionChanged.connect(self._show_picked)
        body.addWidget(self.table, 9)
        side = QVBoxLayout()
        self.words = words_label(_NOTHING)
        side.addWidget(paper(self.words), 3)
        self.pictures = PictureRow(document)
        side.addWidget(self.pictures)
        choices = QHBoxLayout()
        self.subject, self.number = _choice("Of what"), _choice("Number")
        self.subject.activated.connect(lambda _k: self._ask_drift())
        self.number.activated.connect(lambda _k: self._ask_drift())
        for part in (QLabel("Against time:"), self.number, QLabel("of"), self.subject):
            choices.addWidget(part)
        choices.addStretch(1)
        side.addLayout(choices)
        self.chart = DriftChart(theme)
        side.addWidget(self.chart, 3)
        self.drift = words_label("")
        side.addWidget(self.drift)
        body.addLayout(side, 6)
        self.column.addLayout(body, 1)
        self.pages.found.connect(self._show_page)
        self.pages.failed.connect(self._refuse)
        self.drifts.found.connect(self._show_drift)
        self.drifts.failed.connect(self._refuse)
        desk.kept.connect(self._look_again)

    def set_theme(self, theme: Theme) -> None:
        self.chart.theme = theme
        self.chart.update()

    def stop(self) -> None:
        for each in (self.pages, self.drifts, self.pictures.reading):
            each.stop()

    # --- what is shown --------------------------------------------------------------------

    def refresh(self) -> None:
        """What can be chosen, and the page that is shown, read anew."""
        known = self._known()
        for box, first in ((self.about, "anything"), (self.on, "nothing")):
            chosen = box.currentData()
            with QSignalBlocker(box):
                box.clear()
                box.addItem(first, None)
                for subject in known:
                    box.addItem(f"{subject.kind} {subject.name}", subject)
                found = (k for k in range(box.count()) if box.itemData(k) == chosen)
                box.setCurrentIndex(next(found, 0))
        self._ask(self._page.skip)

    def _known(self) -> list[Subject]:
        """What notes are pinned to: what the setup on the stage uses first, then all of the job, or of the shop."""
        job, scene, shop = self._document.job, self._document.scene, self._document.shop
        found: list[Subject] = []
        if job is not None:
            if scene is not None and scene.setup is not None:
                found += subjects_of_setup(job, job.setups[scene.setup])
            found += subjects_of_job(job)
        elif shop is not None:
            found += subjects_of_machine(shop.machine)
        return list(dict.fromkeys(found))

    def _look_again(self) -> None:
        if self.isVisible():
            self._ask(self._page.skip)

    def _search(self) -> None:
        self._ask(0)

    def _turn(self, by: int) -> None:
        from ledgecliff.store.record_db import PAGE

        self._ask(max(self._page.skip + by * PAGE, 0))

    def _ask(self, skip: int) -> None:
        from ledgecliff.store.record_db import Wanted

        about: Subject | None = self.about.currentData()
        subject = None if about is None else (about.kind, about.id)
        self.pages.ask(Wanted(self.kind.currentData(), subject, words=self.search.text()), skip)

    def _show_page(self, page: RecordPage) -> None:
        self._page = page
        last = page.skip + len(page.entries)
        self.title.setText(f"Record · {page.skip + 1} to {last} of {page.count}" if page.entries else "Record")
        self.buttons["newer"].setEnabled(page.skip > 0)
        self.buttons["older"].setEnabled(last < page.count)
        with QSignalBlocker(self.table):
            self.table.setRowCount(len(page.entries))
            for number, entry in enumerate(page.entries):
                fill_row(self.table, number, list(row_of(entry)), ())
            fit_columns(self.table)
            row = next((k for k, each in enumerate(page.entries) if each.id == self._picked), 0)
            if page.entries:
                self.table.selectRow(row)
        self._show_picked()

    def picked(self) -> RecordEntry | None:
        row = self.table.currentRow()
        return self._page.entries[row] if 0 <= row < len(self._page.entries) else None

    def _show_picked(self) -> None:
        entry = self.picked()
        for key in ("correct", "withdraw"):
            self.buttons[key].setEnabled(entry is not None)
        if entry is None:
            self.words.setText(_NOTHING)
            self.pictures.show_pictures([])
            self.chart.show_drift(None)
            self.drift.setText("")
            return
        self._picked = entry.id
        self.words.setText("\n".join(entry_words(entry)))
        self.pictures.show_pictures([sha for _, sha in pictures_of(entry)])
        for box, choices in (
            (self.number, [(name, name) for name in entry.numbers]),
            (self.subject, [(f"{each.kind} {each.name}", each) for each in reversed(entry.on)]),
        ):
            chosen = box.currentData()
            with QSignalBlocker(box):
                box.clear()
                for words, data in choices:
                    box.addItem(words, data)
                box.setCurrentIndex(next((k for k, (_, data) in enumerate(choices) if data == chosen), 0))
            box.setEnabled(bool(choices))
        self._ask_drift()

    def _ask_drift(self) -> None:
        subject, number = self.subject.currentData(), self.number.currentData()
        if subject is None or number is None:
            self.chart.show_drift(None)
            self.drift.setText("The picked entry has no number." if self.picked() is not None else "")
            return
        self.drifts.ask(subject, number)

    def _show_drift(self, found: Drift, subject: Subject, number: str) -> None:
        if (subject, number) == (self.subject.currentData(), self.number.currentData()):
            self.chart.show_drift(found)
            self.drift.setText("\n".join(drift_words(found)))

    def _refuse(self, why: str) -> None:
        self.said.setText(why)
        self.said.show()

    # --- hands ----------------------------------------------------------------------------

    def _add(self) -> None:
        text, on = self.note.text().strip(), self.on.currentData()
        if not text:
            raise InvalidValueError("note", "says nothing; write what is to be remembered")
        kind: Kind = "mark" if self.is_mark.isChecked() else "note"
        if kind == "mark" and on is None:
            raise InvalidValueError("on", "a mark must say of what values begin anew; choose it")
        data: dict[str, JsonValue] = {PICTURES: list(self._attached)} if self._attached else {}
        self._desk.keep([Draft(kind, text, () if on is None else (on,), {}, data)])
        self._attach(())
        self.note.clear()
        self.is_mark.setChecked(False)

    def _ask_picture(self) -> None:
        path = self.ask_picture()
        if path is not None:
            self._attach((*self._attached, keep_picture(path)))

    def _attach(self, pictures: tuple[dict[str, JsonValue], ...]) -> None:
        self._attached = pictures
        self.buttons["picture"].setText(f"Pictures: {len(pictures)}" if pictures else "Picture…")

    def ask_picture(self) -> Path | None:
        """Replaced in tests."""
        name, _ = QFileDialog.getOpenFileName(self, "A picture for the note", str(Path.home()), _PICTURE_FILES)
        return Path(name) if name else None

    def _correct(self) -> None:
        text = self.note.text().strip()
        if not text:
            raise InvalidValueError("note", "says nothing; type what stands in its place")
        self._in_place(what=text)
        self.note.clear()

    def _withdraw(self) -> None:
        self._in_place(withdrawn=True)

    def _in_place(self, **fields: object) -> None:
        from ledgecliff.store.recording import dated

        entry = self.picked()
        if entry is None:
            raise InvalidValueError("entry", "none is picked; pick the wrong one")
        if any(each.corrects == entry.id for each in self._page.entries):
            raise InvalidValueError("entry", "is corrected already; pick its correction, and correct that")
        self._desk.keep_entries([correction(entry, **(dated() | fields))])

    # --- files ----------------------------------------------------------------------------

    def ask_file(self, words: str) -> Path | None:
        """One to read.  Replaced in tests."""
        name, _ = QFileDialog.getOpenFileName(self, words, str(Path.home()), _FILES)
        return Path(name) if name else None

    def ask_name(self, words: str) -> Path | None:
        """One to write.  Replaced in tests."""
        name, _ = QFileDialog.getSaveFileName(self, words, str(Path.home() / "record.jsonl"), _FILES)
        return Path(name) if name else None

    def _ask_export(self) -> None:
        path = self.ask_name("Write all of the record")
        if path is not None:
            self._desk.export(path)

    def _ask_import(self) -> None:
        path = self.ask_file("Take a record in")
        if path is not None:
            self._desk.take_in(path)


def _choice(words: str) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(words)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(12)
    box.view().setTextElideMode(Qt.TextElideMode.ElideNone)
    return box
