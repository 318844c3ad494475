"""A backlog as the window holds it: edited, undone, written at once, and split into loads behind the window."""

from __future__ import annotations

import time
from collections.abc import Iterable, Mapping
from pathlib import Path

from PySide6.QtCore import Signal

from ledgecliff.core.backlogs import edits
from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.core.model.backlog import BacklogList, LoadRoom
from ledgecliff.core.model.identity import Id
from ledgecliff.core.scheduling.backlog import Backlog, Split, checked_backlog
from ledgecliff.core.scheduling.loads import split
from ledgecliff.core.scheduling.solver import Stopper
from ledgecliff.store.backlog_files import read_backlog_list, read_table, write_backlog_list, write_table
from ledgecliff.store.demo import demo_backlog, is_shipped
from ledgecliff.store.identity import new_id

from .document import Document
from .written_desk import WrittenDesk

#: So long better loads are looked for (s), and so long after an edit that is begun (ms).
_LOOKED_FOR, _PAUSE_MS = 20.0, 150


class BacklogDesk(WrittenDesk):
    _told = Signal(object, object)

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.split: Split | None = None
        #: Why there are no loads.
        self.no_loads = ""
        self._told.connect(self._take)
        self.failed.connect(self._cannot)

    # --- files ------------------------------------------------------------------------------

    def open(self, path: Path) -> None:
        """Raises InvalidValueError, and leaves all as it is, where it cannot be read; the demo is opened in a copy."""
        self.take_up(demo_backlog() if is_shipped(path) else path)

    def open_demo(self) -> None:
        self.open(demo_backlog())

    def begin(self, path: Path) -> None:
        """An empty one.  Raises WriteError."""
        write_backlog_list(edits.new_backlog(new_id(), path.stem[:80]), path)
        self.open(path)

    def read(self, path: Path) -> BacklogList:
        return read_backlog_list(path)

    def write(self, held: BacklogList, path: Path) -> None:
        write_backlog_list(held, path)

    def take_in(self, path: Path) -> None:
        """A table of jobs.  Raises LedgecliffError."""
        jobs = read_table(path)
        self.apply("take a table in", lambda held: edits.with_table(held, jobs, new_id))

    def write_out(self, path: Path) -> None:
        """What waits now as a table.  Raises LedgecliffError."""
        write_table(self.as_written(), path)

    # --- edits ------------------------------------------------------------------------------

    def set_room(self, name: str, value: object) -> None:
        self.apply("room of a load", lambda held: edits.with_room(held, {name: value}))

    def keep(self, loads: Mapping[int, Iterable[Id]]) -> None:
        """Jobs in their loads (from 1)."""

        def kept(held: BacklogList) -> BacklogList:
            for load, jobs in loads.items():
                held = edits.with_load(held, jobs, load)
            return held

        self.apply("keep in its load", kept)

    def thaw(self, jobs: Iterable[Id]) -> None:
        self.apply("free again", lambda held: edits.with_load(held, jobs, None))

    def take_out(self, jobs: Iterable[Id]) -> None:
        self.apply("take out", lambda held: edits.without_jobs(held, jobs))

    def change(self, job: Id, field: str, text: str) -> None:
        """What is typed into a table.  Raises LedgecliffError."""
        self.apply(field, lambda held: edits.with_typed(held, job, field, text))

    def add(self) -> Id:
        """One more job, to be typed; which it is."""
        job = new_id()
        self.apply("add a job", lambda held: edits.with_new_job(held, job))
        return job

    def first_load_done(self) -> None:
        found = self.split
        if found is None:
            raise InvalidValueError("load", self.no_loads or "is not known yet; wait until the loads are found")
        self.apply("the first load is done", lambda held: edits.with_load_done(held, found))

    # --- its loads --------------------------------------------------------------------------

    def show(self, held: BacklogList) -> None:
        super().show(held)
        self.split, self.no_loads = None, ""
        try:
            if not held.jobs:
                raise InvalidValueError("backlog", "has no jobs; take a table in, or add one")
            checked_backlog(edits.plain_backlog(held))
        except LedgecliffError as error:
            self._cancel()
            self.no_loads = str(error)
        else:
            self._begin_in(_PAUSE_MS)

    def _begin(self) -> None:
        held = self.held
        if held is None:
            return
        self._stopper = stopper = Stopper()

        def work(_progress: object, _cancelled: object) -> None:
            def tell(found: Split) -> None:
                self._told.emit(held, found)

            tell(split(edits.plain_backlog(held), _LOOKED_FOR, time.monotonic, stopper=stopper, told=tell))

        self._run(work)
        self.changed.emit()

    def _take(self, held: BacklogList, found: Split) -> None:
        if held is self.held and not self._over:
            self.split = found
            self.changed.emit()

    def _cannot(self, why: str) -> None:
        self.no_loads = why
        self.changed.emit()

    def _all_done(self) -> None:
        self.changed.emit()

    def plain(self) -> Backlog | None:
        return None if self.held is None else edits.plain_backlog(self.held)

    @property
    def room(self) -> LoadRoom:
        return LoadRoom() if self.held is None else self.held.room
