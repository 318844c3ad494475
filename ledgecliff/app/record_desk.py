"""What happens in the window into the shop's record: kept here at once, and sent behind the window."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

from PySide6.QtCore import Signal

from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.record.entries import RecordEntry
from ledgecliff.core.record.made import Draft, of_rehearsal
from ledgecliff.core.rehearsal.results import Rehearsal
from ledgecliff.core.release.seals import rests_on
from ledgecliff.store.register_place import register_place, waiting_file
from ledgecliff.store.run_files import checksum_where_there

from .behind import Behind
from .document import Document

#: Kinds that findings or seals may be about.
_TOLD = ("note", "mark", "measured", "rehearsal", "ticked", "release")


class RecordDesk(Behind):
    #: Entries wait for the shop's database, in words.
    waits = Signal(str)
    #: What was written or taken in, in words.
    told = Signal(str)
    #: Entries were sent; and among them some that findings or seals may be about.
    kept = Signal()
    noted = Signal()
    _sent = Signal(str)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._last_said, self._has_told = "", False
        self._sent.connect(self._say)

    def send_what_waits(self) -> None:
        """Of an earlier day."""
        from ledgecliff.store.outbox import Outbox

        try:
            waiting, _ = Outbox(waiting_file(register_place())).counts()
        except LedgecliffError as error:
            self.failed.emit(str(error))
            return
        if waiting:
            self._begin_in(0)

    def keep(self, drafts: Iterable[Draft]) -> None:
        """On this workstation's disk when this returns; whatever is wrong is told, and work goes on."""
        from ledgecliff.store.recording import signed

        self.keep_entries(signed(drafts, checksum_where_there(self._document.path)))

    def keep_entries(self, entries: Sequence[RecordEntry]) -> None:
        """The same of entries that are signed."""
        from ledgecliff.store.record_keeper import RecordKeeper

        if not entries or self._over:
            return
        try:
            RecordKeeper(register_place()).outbox.keep(entries)
        except LedgecliffError as error:
            self.failed.emit(str(error))
            return
        self._has_told |= any(each.kind in _TOLD or each.corrects for each in entries)
        self._begin_in(0)

    def keep_rehearsal(self, rehearsal: Rehearsal) -> None:
        job = self._document.job
        if job is not None:
            self.keep([of_rehearsal(job, rehearsal, rests_on(job))])

    def export(self, path: Path) -> None:
        """All of the record, behind the window."""

        def work(_progress: object, _cancelled: object) -> None:
            from ledgecliff.store.record_db import RecordDb
            from ledgecliff.store.record_files import export_with_pictures

            db = RecordDb(register_place())
            try:
                entries = list(db.every())
            finally:
                db.close()
            export_with_pictures(register_place(), entries, path)
            self.told.emit(f"{len(entries)} entries written to {path}.")

        self._run(work)

    def take_in(self, path: Path) -> None:
        """What was exported, behind the window."""

        def work(_progress: object, _cancelled: object) -> None:
            from ledgecliff.store.record_db import RecordDb
            from ledgecliff.store.record_files import import_with_pictures

            entries = import_with_pictures(register_place(), path)
            db = RecordDb(register_place())
            try:
                new = db.add(entries)
            finally:
                db.close()
            self.told.emit(f"{new} of {len(entries)} entries taken in; the others were there already.")
            self.kept.emit()

        self._run(work)

    def _begin(self) -> None:
        place = register_place()

        def work(_progress: object, _cancelled: object) -> None:
            from ledgecliff.store.record_keeper import RecordKeeper

            keeper = RecordKeeper(place)
            try:
                self._sent.emit(keeper.send().words)
            finally:
                keeper.close()

        self._run(work)

    def _say(self, words: str) -> None:
        """Each trouble once."""
        if words and words != self._last_said:
            self.waits.emit(words)
        self._last_said = words
        self.kept.emit()
        if self._has_told:
            self._has_told = False
            self.noted.emit()
