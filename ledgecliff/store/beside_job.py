"""What is known beside a job: the shop's offset register, and the toolpath programs that its operations name."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from time import monotonic

from ledgecliff.core.errors import CancelledError, InvalidValueError, LedgecliffError
from ledgecliff.core.finding import Finding
from ledgecliff.core.findings.everything import Beside
from ledgecliff.core.findings.released_rules import Released
from ledgecliff.core.first_article.measured import article_findings
from ledgecliff.core.library.planned_with import History, library_findings
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.work_offsets import Code, codes_of
from ledgecliff.core.plan import Plan
from ledgecliff.core.record.entries import RecordEntry
from ledgecliff.core.record.rules import record_findings, subjects_used
from ledgecliff.core.register.entries import Entry
from ledgecliff.core.toolpaths.control_words import ControlWords
from ledgecliff.core.toolpaths.programs import ProgramOf, programs_of
from ledgecliff.core.toolpaths.summary import ProgramSummary

from .record_about import history_about, record_about
from .register_place import is_there, register_place
from .release_folder import standing_releases
from .toolpath_files import read_program


def register_entries(place: Path | str, machine: Machine) -> tuple[Entry, ...]:
    """What the register keeps for a machine; nothing is begun by looking.  Raises ShopDatabaseError."""
    if not is_there(place):
        return tuple(Entry(code.code) for code in codes_of(machine))
    from .register_db import RegisterDb  # slow to import, and not wanted before there is a register

    db = RegisterDb(place)
    try:
        return db.entries(machine)
    finally:
        db.close()


#: So long (s) the register counts as it was read, unless somebody in this window writes to it.
_FRESH_S = 3.0
#: A file as it was when it was read: its place, size, time of its last change, and for which control.
_State = tuple[Path, int, int, ControlWords]


class BesideJob:
    """Reads what is beside jobs; a program is read again only once its file is another one."""

    def __init__(self) -> None:
        self._read: dict[_State, ProgramSummary | str] = {}
        #: The register's entries by what they were asked for, and when they were read (s).
        self._about: dict[tuple[Path | str, tuple[tuple[str, str], ...]], tuple[float, tuple[RecordEntry, ...]]] = {}
        #: What happened with a job, by where the record is and the job's id.
        self._history: dict[tuple[Path | str, str], tuple[float, tuple[RecordEntry, ...]]] = {}
        #: Of the library when it was looked at (s), its newest change, and all that its things were.
        self._things: dict[Path | str, tuple[float, int, History]] = {}
        self._entries: dict[tuple[Path | str, str, tuple[Code, ...]], tuple[float, tuple[Entry, ...]]] = {}

    def read(
        self,
        plan: Plan,
        folder: Path | None,
        place: Path | str | None = None,
        cancelled: Callable[[], bool] = lambda: False,
    ) -> Beside:
        """``folder`` is the one the job lies in, ``place`` the register's, its usual one where none is named.

        Raises CancelledError once ``cancelled``.
        """
        entries, why = {}, ""
        try:
            for machine in plan.job.machines:
                entries[machine.id] = self._entries_of(place or register_place(), machine)
        except LedgecliffError as error:
            why = str(error)
        programs = {
            (each.file, each.control): self._program(each, folder, cancelled) for each in programs_of(plan) if each.file
        }
        recorded: tuple[Finding, ...] = ()
        released: tuple[Released, ...] = ()
        if not why:  # the record is where the register is
            try:
                entries_of = self._recorded(place or register_place(), plan.job)
                recorded = (
                    *record_findings(plan.job, entries_of),
                    *article_findings(plan.job, entries_of),
                    *library_findings(plan.job, self._library(place or register_place())),
                )
                released = standing_releases(plan.job, self.history(plan.job, place))
            except LedgecliffError as error:
                why = str(error)
        return Beside(entries, why, programs, recorded, released)

    def history(self, job: Job, place: Path | str | None = None) -> tuple[RecordEntry, ...]:
        """Rehearsals, releases and what was ticked off of a job, as it was a moment ago.  Raises ShopDatabaseError."""
        where = place or register_place()
        at, entries = self._history.get((where, job.id), (-_FRESH_S, ()))
        if monotonic() - at >= _FRESH_S:
            entries = history_about(where, job)
            self._history = {(where, job.id): (monotonic(), entries)}
        return entries

    def forget_register(self) -> None:
        """Somebody has written to it."""
        self._entries.clear()
        self._about.clear()
        self._history.clear()
        self._things = {place: (-_FRESH_S, newest, history) for place, (_, newest, history) in self._things.items()}

    def _recorded(self, place: Path | str, job: Job) -> tuple[RecordEntry, ...]:
        """What the record says about anything that the job uses, as it was a moment ago."""
        subjects = tuple(subjects_used(job))
        asked = (place, tuple((each.kind, each.id) for each in subjects))
        at, entries = self._about.get(asked, (-_FRESH_S, ()))
        if monotonic() - at >= _FRESH_S:
            entries = record_about(place, subjects)
            self._about = {asked: (monotonic(), entries)}
        return entries

    def _library(self, place: Path | str) -> History:
        """Everything that the things of the library were, read again only once one of them has changed."""
        at, newest, history = self._things.get(place, (-_FRESH_S, 0, {}))
        if monotonic() - at >= _FRESH_S and is_there(place):
            from .library_db import LibraryDb  # slow to import, and not wanted before there is a library

            db = LibraryDb(place)
            try:
                if db.newest() != newest:
                    newest, history = db.newest(), db.history()
            finally:
                db.close()
            self._things = {place: (monotonic(), newest, history)}
        return history

    def _entries_of(self, place: Path | str, machine: Machine) -> tuple[Entry, ...]:
        """As they were a moment ago, so that no edit waits for a register."""
        asked = (place, machine.id, codes_of(machine))
        at, entries = self._entries.get(asked, (-_FRESH_S, ()))
        if monotonic() - at >= _FRESH_S:
            entries = register_entries(place, machine)
            self._entries = {asked: (monotonic(), entries)} | {
                key: known for key, known in self._entries.items() if key[:2] != asked[:2]
            }
        return entries

    def knows(self, plan: Plan, folder: Path | None) -> bool:
        """Whether every program that is named was read already as it is."""
        states = [_state(each, folder) for each in programs_of(plan) if each.file]
        return all(state is None or state in self._read for state in states)

    def _program(self, of: ProgramOf, folder: Path | None, cancelled: Callable[[], bool]) -> ProgramSummary | str:
        state = _state(of, folder)
        if state is None:
            return f"'{of.file}' is not there to be read."
        if state not in self._read:
            read: ProgramSummary | str
            try:
                read = read_program(state[0], should_stop=cancelled, control=of.control)
            except InvalidValueError as error:
                read = str(error)
            if cancelled():
                raise CancelledError  # what was read of it is not all of it
            self._read[state] = read
        return self._read[state]


def _state(of: ProgramOf, folder: Path | None) -> _State | None:
    """None for a file that is not there."""
    path = Path(of.file) if folder is None else folder / of.file
    try:
        stat = path.stat()
    except OSError:
        return None
    return (path, stat.st_size, stat.st_mtime_ns, of.control) if path.is_file() else None
