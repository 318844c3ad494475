"""The offset register as the window holds it: opened when it is first asked for, and looked at for others' changes."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from ledgecliff.core.model.machine import Machine
from ledgecliff.core.register.entries import Entry
from ledgecliff.store.register_place import register_place

from .document import Document

if TYPE_CHECKING:
    from ledgecliff.store.register_db import RegisterDb


class RegisterDesk(QObject):
    """Every change is written at once: the register belongs to the shop, not to the job."""

    changed = Signal()

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self._document = document
        self._db: RegisterDb | None = None
        self._seen = -1

    @property
    def machine(self) -> Machine | None:
        """The machine of what is on the stage, else the one that new jobs begin with."""
        if self._document.job is not None:
            return self._document.machine
        return self._document.shop.machine if self._document.shop is not None else None

    def open(self, path: Path | None = None) -> RegisterDb:
        """Raises ShopDatabaseError."""
        from ledgecliff.store.register_db import RegisterDb  # slow to import, and seldom wanted at once

        if self._db is None:
            self._db = RegisterDb(path or register_place())
        return self._db

    def entries(self) -> tuple[Entry, ...]:
        db, machine = self.open(), self.machine
        self._seen = db.last_change()
        return () if machine is None else db.entries(machine)

    def entry(self, code: str) -> Entry:
        return next((entry for entry in self.entries() if entry.code == code), Entry(code))

    def history(self, code: str, most: int) -> tuple[Entry, ...]:
        """What the code held, newest first."""
        machine = self.machine
        return () if machine is None else self.open().history(machine, code, most=most)

    def write(self, changed: Sequence[Entry]) -> None:
        """Raises RegisterError when somebody else was quicker, ShopDatabaseError when it cannot be written."""
        machine = self.machine
        if machine is not None and changed:
            self.open().write(machine, changed)
            self.changed.emit()

    def look_again(self) -> None:
        """Tells when another window has changed something since the register was last read."""
        if self._db is not None and self._db.last_change() != self._seen:
            self.changed.emit()

    def close(self) -> None:
        if self._db is not None:
            self._db.close()
            self._db = None
