"""Entries into the shop's record, whether its database is there or not: what cannot be sent waits, and is sent once and
in its order."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.record.entries import RecordEntry

from .outbox import Outbox
from .pictures import send_pictures
from .record_db import RecordDb
from .register_place import waiting_file
from .shop_database import ShopDatabaseError


@dataclass(frozen=True)
class Kept:
    """How many entries still ``wait`` and why, and how many were refused by the database and stay here."""

    waiting: int = 0
    why: str = ""
    refused: int = 0

    @property
    def words(self) -> str:
        """Nothing where all is where it belongs."""
        said = f"{self.waiting} entries wait for the shop's database and are sent once it is back ({self.why})"
        refused = f"{self.refused} entries were refused by it; 'shop status' tells why"
        return "; ".join(([said] if self.waiting else []) + ([refused] if self.refused else []))


class RecordKeeper:
    """``place`` is the shop's database, ``waiting`` the file in which entries wait for it."""

    def __init__(self, place: Path | str, waiting: Path | None = None) -> None:
        self._place = place
        self.outbox = Outbox(waiting_file(place) if waiting is None else waiting)
        self._db: RecordDb | None = None

    def close(self) -> None:
        if self._db is not None:
            self._db.close()
            self._db = None

    def opened(self) -> RecordDb:
        """To read from.  Raises ShopDatabaseError while it is away."""
        if self._db is None:
            self._db = RecordDb(self._place)
        return self._db

    def add(self, entries: Sequence[RecordEntry]) -> Kept:
        """All of them are on a disk when this returns: here first, and then there.  Raises OutboxError."""
        self.outbox.keep(entries)
        return self.send()

    def send(self) -> Kept:
        """What waits, in its order, as far as the database takes it.  Raises OutboxError."""
        why = ""
        try:
            db = self.opened()
            while batch := self.outbox.first():
                self._send(db, batch)
        except ShopDatabaseError as error:
            self.close()  # a connection that broke is not used again
            why = str(error)
        waiting, refused = self.outbox.counts()
        return Kept(waiting, why, refused)

    def _send(self, db: RecordDb, batch: Sequence[tuple[int, RecordEntry]]) -> None:
        """Sent twice is there once, for each entry has an id of its own; its pictures before it."""
        send_pictures(self._place, [entry for _, entry in batch])
        try:
            db.add([entry for _, entry in batch])
        except InvalidValueError:
            # One of them: each by itself, so that the others are not held up by it.
            for number, entry in batch:
                try:
                    db.add([entry])
                except InvalidValueError as error:
                    self.outbox.refuse(number, str(error))
                else:
                    self.outbox.sent([number])
            return
        self.outbox.sent([number for number, _ in batch])
