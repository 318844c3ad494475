"""Pages of the record and numbers against time, read behind the window: a server may take its time, or be away."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal

from ledgecliff.core.model.job import Job
from ledgecliff.core.record.drift import Drift, drift_of
from ledgecliff.core.record.entries import RecordEntry, Subject
from ledgecliff.store.register_place import register_place

from .behind import Behind
from .document import Document

if TYPE_CHECKING:
    from ledgecliff.store.record_db import Wanted


@dataclass(frozen=True)
class RecordPage:
    """Entries newest first, of how many there are, from the ``skip``-th on."""

    entries: tuple[RecordEntry, ...]
    skip: int
    count: int


class PageReading(Behind):
    found = Signal(object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._asked: tuple[Wanted, int] | None = None

    def ask(self, wanted: Wanted, skip: int) -> None:
        self._asked = wanted, skip
        self._begin_in(0)

    def _begin(self) -> None:
        if self._asked is None:
            return
        wanted, skip = self._asked
        place = register_place()

        def work(_progress: object, _cancelled: object) -> None:
            from ledgecliff.store.record_db import RecordDb

            db = RecordDb(place)
            try:
                self.found.emit(RecordPage(db.page(wanted, skip), skip, db.count(wanted)))
            finally:
                db.close()

        self._run(work)


class DriftReading(Behind):
    #: A Drift, and of which subject and number.
    found = Signal(object, object, str)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._asked: tuple[Subject, str] | None = None

    def ask(self, subject: Subject, number: str) -> None:
        self._asked = subject, number
        self._begin_in(0)

    def _begin(self) -> None:
        if self._asked is None:
            return
        subject, number = self._asked
        place = register_place()

        def work(_progress: object, _cancelled: object) -> None:
            from ledgecliff.store.record_db import RecordDb, Wanted

            db = RecordDb(place)
            try:
                found: Drift = drift_of(db.every(Wanted(subject=(subject.kind, subject.id))), number)
            finally:
                db.close()
            self.found.emit(found, subject, number)

        self._run(work)


class _OfJob(Behind):
    """Entries that say something of a job."""

    found = Signal(object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._job: Job | None = None

    def ask(self, job: Job) -> None:
        self._job = job
        self._begin_in(0)

    def _begin(self) -> None:
        job, place = self._job, register_place()
        if job is not None:
            self._run(lambda _progress, _cancelled: self.found.emit(self._entries(place, job)))

    def _entries(self, place: Path | str, job: Job) -> tuple[RecordEntry, ...]:
        raise NotImplementedError


class ArticleReading(_OfJob):
    """What was measured and touched of a job's parts."""

    def _entries(self, place: Path | str, job: Job) -> tuple[RecordEntry, ...]:
        from ledgecliff.store.record_about import articles_about

        return articles_about(place, job)


class HistoryReading(_OfJob):
    """Rehearsals, releases and what was ticked off."""

    def _entries(self, place: Path | str, job: Job) -> tuple[RecordEntry, ...]:
        from ledgecliff.store.record_about import history_about

        return history_about(place, job)


class FiguresReading(_OfJob):
    """What figures for the budget come from."""

    def _entries(self, place: Path | str, job: Job) -> tuple[RecordEntry, ...]:
        from ledgecliff.store.record_about import figures_about

        return figures_about(place, job)
