"""The record in the shop's database: entries are added and read, never changed."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import Row, Select, func, insert, select, tuple_
from sqlalchemy.engine import Connection
from sqlalchemy.exc import DatabaseError, IntegrityError

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.record.entries import Kind, RecordEntry, Subject
from ledgecliff.core.record.times import moment

from .record_rows import entry_row
from .shop_database import ShopDatabase
from .shop_schema import ENTRIES, SUBJECTS

#: Entries are shown so many at a time, and written and read at once no more than that.
PAGE, _AT_ONCE = 100, 500


@dataclass(frozen=True)
class Wanted:
    """Which entries: of a kind, about a subject (by its kind and id, or by what it is or was called), with all these
    words anywhere in them, and no sooner or later than (seconds since 1970)."""

    kind: Kind | None = None
    subject: tuple[str, str] | None = None
    name: str = ""
    words: str = ""
    since: float | None = None
    until: float | None = None


class RecordDb:
    def __init__(self, place: Path | str) -> None:
        """Raises ShopDatabaseError."""
        self._database = ShopDatabase(place, "record")

    def close(self) -> None:
        self._database.close()

    # --- reading --------------------------------------------------------------------------------

    def page(self, wanted: Wanted, skip: int = 0, most: int = PAGE) -> tuple[RecordEntry, ...]:
        """Newest first.  Raises ShopDatabaseError."""
        newest = ENTRIES.c.moment.desc(), ENTRIES.c.number.desc()
        # Only of those that are shown is more read than what they are sorted by.
        which = _wanted(select(ENTRIES.c.number), wanted).order_by(*newest).limit(most).offset(skip)
        with self._database.reading() as connection:
            rows = connection.execute(select(ENTRIES).where(ENTRIES.c.number.in_(which)).order_by(*newest)).all()
            return _read(connection, rows)

    def count(self, wanted: Wanted) -> int:
        """Raises ShopDatabaseError."""
        with self._database.reading() as connection:
            return int(connection.scalar(_wanted(select(func.count()).select_from(ENTRIES), wanted)) or 0)

    def every(self, wanted: Wanted | None = None) -> Iterator[RecordEntry]:
        """Oldest first, a page at a time, however many there are.  Raises ShopDatabaseError."""
        last: tuple[float, int] | None = None
        while True:
            query = _wanted(select(ENTRIES), wanted or Wanted())
            if last is not None:
                at, number = last
                later = ENTRIES.c.moment > at
                query = query.where(later | ((ENTRIES.c.moment == at) & (ENTRIES.c.number > number)))
            with self._database.reading() as connection:
                ordered = query.order_by(ENTRIES.c.moment, ENTRIES.c.number).limit(_AT_ONCE)
                rows = connection.execute(ordered).all()
                found = _read(connection, rows)
            yield from found
            if len(rows) < _AT_ONCE:
                return
            last = rows[-1].moment, rows[-1].number

    def entry(self, entry: str) -> RecordEntry | None:
        """Raises ShopDatabaseError."""
        with self._database.reading() as connection:
            rows = connection.execute(select(ENTRIES).where(ENTRIES.c.id == entry)).all()
            return next(iter(_read(connection, rows)), None)

    def corrections(self, entries: Iterable[str]) -> tuple[RecordEntry, ...]:
        """Of these entries, and of those again, oldest first.  Raises ShopDatabaseError."""
        found: dict[str, RecordEntry] = {}
        left = list(entries)
        with self._database.reading() as connection:
            while left:
                some, left = left[:_AT_ONCE], left[_AT_ONCE:]
                rows = connection.execute(select(ENTRIES).where(ENTRIES.c.corrects.in_(some))).all()
                for each in _read(connection, rows):
                    if each.id not in found:
                        found[each.id] = each
                        left.append(each.id)
        return tuple(sorted(found.values(), key=lambda each: (moment(each.at), each.id)))

    def about(self, subjects: Sequence[Subject], kinds: Sequence[Kind], most: int = 2000) -> tuple[RecordEntry, ...]:
        """The newest entries of some kinds about any of these, oldest first.  Raises ShopDatabaseError."""
        if not subjects:
            return ()
        mine = [(each.kind, each.id) for each in subjects]
        on = select(SUBJECTS.c.entry).where(tuple_(SUBJECTS.c.kind, SUBJECTS.c.id).in_(mine))
        newest = ENTRIES.c.moment.desc(), ENTRIES.c.number.desc()
        which = select(ENTRIES).where(ENTRIES.c.number.in_(on), ENTRIES.c.kind.in_(kinds)).order_by(*newest).limit(most)
        with self._database.reading() as connection:
            return tuple(reversed(_read(connection, connection.execute(which).all())))

    def subjects(self, name: str) -> tuple[Subject, ...]:
        """Everything that is or was called so, each once, as it was called last.  Raises ShopDatabaseError."""
        query = (
            select(SUBJECTS.c.kind, SUBJECTS.c.id, SUBJECTS.c.name)
            .where(SUBJECTS.c.name == name)
            .group_by(SUBJECTS.c.kind, SUBJECTS.c.id, SUBJECTS.c.name)
            .order_by(SUBJECTS.c.kind, SUBJECTS.c.id)
        )
        with self._database.reading() as connection:
            rows = connection.execute(query).all()
        return tuple(Subject(kind=row.kind, id=row.id, name=row.name) for row in rows)

    # --- writing --------------------------------------------------------------------------------

    def add(self, entries: Sequence[RecordEntry]) -> int:
        """How many were not there yet; all of them are now, or none.

        Raises InvalidValueError where another entry of the same id is there, or one corrects what is not;
        ShopDatabaseError where nothing can be written.
        """
        try:
            with self._database.writing() as connection:
                return sum(add_entries(connection, entries[k : k + _AT_ONCE]) for k in range(0, len(entries), _AT_ONCE))
        except IntegrityError as error:
            raise InvalidValueError("record", "was written to at this very moment; do it once more") from error
        except DatabaseError as error:
            raise self._database.cannot("written", error) from error


def add_entries(connection: Connection, entries: Sequence[RecordEntry]) -> int:
    """Within a transaction of the shop's database.  Raises InvalidValueError as ``RecordDb.add`` does."""
    ids = [each.id for each in entries]
    rows = connection.execute(select(ENTRIES).where(ENTRIES.c.id.in_(ids))).all()
    known = {each.id: each for each in _read(connection, rows)}
    new: dict[str, RecordEntry] = {}
    for each in entries:
        there = known.get(each.id) or new.get(each.id)
        if there is not None and there != each:
            raise InvalidValueError("record", f"another entry {each.id} is there already ({there.what}); it stays")
        if there is None:
            new[each.id] = each
    _refuse_correcting_nothing(connection, new)
    if not new:
        return 0
    connection.execute(insert(ENTRIES), [entry_row(each) for each in new.values()])
    numbers = dict(connection.execute(select(ENTRIES.c.id, ENTRIES.c.number).where(ENTRIES.c.id.in_(new))).all())
    subjects = [
        {"entry": numbers[each.id], "place": place, "kind": subject.kind, "id": subject.id, "name": subject.name}
        for each in new.values()
        for place, subject in enumerate(each.on)
    ]
    if subjects:
        connection.execute(insert(SUBJECTS), subjects)
    return len(new)


def _refuse_correcting_nothing(connection: Connection, new: dict[str, RecordEntry]) -> None:
    wrong = {each.corrects for each in new.values() if each.corrects is not None and each.corrects not in new}
    if not wrong:
        return
    there = set(connection.scalars(select(ENTRIES.c.id).where(ENTRIES.c.id.in_(wrong))))
    if wrong - there:
        raise InvalidValueError("record", f"there is no entry {min(wrong - there)} to be corrected; take that in first")


def _wanted(query: Select[Any], wanted: Wanted) -> Select[Any]:
    if wanted.kind is not None:
        query = query.where(ENTRIES.c.kind == wanted.kind)
    if wanted.subject is not None:
        kind, subject = wanted.subject
        about = select(SUBJECTS.c.entry).where(SUBJECTS.c.kind == kind, SUBJECTS.c.id == subject)
        query = query.where(ENTRIES.c.number.in_(about))
    if wanted.name:
        query = query.where(ENTRIES.c.number.in_(select(SUBJECTS.c.entry).where(SUBJECTS.c.name == wanted.name)))
    for word in wanted.words.lower().split():
        query = query.where(ENTRIES.c.words.contains(word, autoescape=True))
    if wanted.since is not None:
        query = query.where(ENTRIES.c.moment >= wanted.since)
    if wanted.until is not None:
        query = query.where(ENTRIES.c.moment <= wanted.until)
    return query


def _read(connection: Connection, rows: Sequence[Row[Any]]) -> tuple[RecordEntry, ...]:
    """Rows with what they are about."""
    on: dict[int, list[Subject]] = {}
    numbers = [row.number for row in rows]
    for k in range(0, len(numbers), _AT_ONCE):
        query = select(SUBJECTS).where(SUBJECTS.c.entry.in_(numbers[k : k + _AT_ONCE]))
        for row in connection.execute(query.order_by(SUBJECTS.c.entry, SUBJECTS.c.place)):
            on.setdefault(row.entry, []).append(Subject(kind=row.kind, id=row.id, name=row.name))
    return tuple(
        RecordEntry(
            id=row.id, kind=row.kind, at=row.at, by=row.by, workstation=row.workstation, job_checksum=row.job_checksum,
            on=tuple(on.get(row.number, ())), what=row.what, numbers=json.loads(row.numbers),
            data=json.loads(row.data), corrects=row.corrects, withdrawn=row.withdrawn,
        )
        for row in rows
    )  # fmt: skip
