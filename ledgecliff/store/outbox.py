"""What waits in a file of this workstation for the shop's database: kept before it is sent, and sent in order."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator, Sequence
from contextlib import closing, contextmanager
from pathlib import Path

from ledgecliff.core.errors import LedgecliffError
from ledgecliff.core.record.entries import RecordEntry

#: How long one window waits for another's write (s), and how many entries are sent at once.
_PATIENCE_S, AT_ONCE = 10.0, 200
_TABLES = """
CREATE TABLE IF NOT EXISTS waiting (number INTEGER PRIMARY KEY AUTOINCREMENT, entry TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS refused (number INTEGER PRIMARY KEY, entry TEXT NOT NULL, why TEXT NOT NULL);
"""


class OutboxError(LedgecliffError, ValueError):
    """What should wait cannot even be kept here."""


class Outbox:
    """Raises OutboxError from everything that cannot be read or written."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def keep(self, entries: Sequence[RecordEntry]) -> None:
        """On the disk before this returns."""
        with self._writing() as connection:
            connection.executemany(
                "INSERT INTO waiting (entry) VALUES (?)", [(each.model_dump_json(),) for each in entries]
            )

    def first(self) -> list[tuple[int, RecordEntry]]:
        """The oldest of those that wait, with their numbers."""
        with self._reading() as connection:
            rows = connection.execute("SELECT number, entry FROM waiting ORDER BY number LIMIT ?", (AT_ONCE,))
            return [(number, RecordEntry.model_validate_json(text)) for number, text in rows]

    def sent(self, numbers: Sequence[int]) -> None:
        with self._writing() as connection:
            connection.executemany("DELETE FROM waiting WHERE number = ?", [(number,) for number in numbers])

    def refuse(self, number: int, why: str) -> None:
        """One that the database does not take lets the others go on; it stays here, with the reason."""
        with self._writing() as connection:
            move = "INSERT OR REPLACE INTO refused SELECT number, entry, ? FROM waiting WHERE number = ?"
            connection.execute(move, (why, number))
            connection.execute("DELETE FROM waiting WHERE number = ?", (number,))

    def counts(self) -> tuple[int, int]:
        """How many wait, and how many were refused."""
        if not self._path.is_file():
            return 0, 0
        with self._reading() as connection:
            waiting, refused = (
                int(connection.execute(f"SELECT count(*) FROM {table}").fetchone()[0])
                for table in ("waiting", "refused")
            )
        return waiting, refused

    def refused(self) -> list[tuple[RecordEntry, str]]:
        with self._reading() as connection:
            rows = connection.execute("SELECT entry, why FROM refused ORDER BY number").fetchall()
        return [(RecordEntry.model_validate_json(text), why) for text, why in rows]

    @contextmanager
    def _reading(self) -> Iterator[sqlite3.Connection]:
        try:
            self._path.parent.mkdir(parents=True, exist_ok=True)
            with closing(sqlite3.connect(self._path, timeout=_PATIENCE_S, isolation_level=None)) as connection:
                connection.execute("PRAGMA journal_mode=WAL")
                connection.execute("PRAGMA synchronous=FULL")
                connection.executescript(_TABLES)
                yield connection
        except (sqlite3.Error, OSError) as error:
            raise OutboxError(
                f"What waits for the shop's database cannot be kept in '{self._path}': {error}. Look at the disk and "
                "its rights; what was told as written is still there."
            ) from error

    @contextmanager
    def _writing(self) -> Iterator[sqlite3.Connection]:
        with self._reading() as connection:
            connection.execute("BEGIN IMMEDIATE")
            try:
                yield connection
            except BaseException:
                connection.execute("ROLLBACK")
                raise
            connection.execute("COMMIT")
