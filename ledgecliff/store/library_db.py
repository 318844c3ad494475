"""The library in the shop's database: each thing by itself, with everything it was, and files of models beside it."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.engine import Connection, Row
from sqlalchemy.exc import DatabaseError, IntegrityError

from ledgecliff.core.errors import InvalidValueError, LedgecliffError
from ledgecliff.core.library.planned_with import Revision
from ledgecliff.core.library.things import Body, Key, said_difference, same_thing, shop_of, thing_name, things_of

from .shop_database import ShopDatabase
from .shop_schema import MODEL_FILES, THINGS
from .signed import now, who, workstation

#: So often what was written at the same moment is looked at again.
_TURNS = 5


class ThingChangedError(LedgecliffError, ValueError):
    """Somebody else has changed the same thing meanwhile; the text has both values, and nothing was written."""

    def __init__(self, key: Key, mine: Body | None, theirs: Revision) -> None:
        name = thing_name(key, theirs.body or mine)
        at = theirs.at[:16].replace("T", " ")
        where = f" at {theirs.workstation}" if theirs.workstation else ""
        super().__init__(
            f"{name} was changed by {theirs.by}{where}, {at}: {said_difference(mine, theirs.body)}. Theirs stands; "
            "look at it, and make your change once more if it still holds."
        )
        self.key, self.theirs = key, theirs


class LibraryDb:
    def __init__(self, place: Path | str) -> None:
        self._database = ShopDatabase(place, "shop's library")

    def close(self) -> None:
        self._database.close()

    def things(self) -> dict[Key, Body]:
        """As they stand; none where nobody has kept any.  Raises ShopDatabaseError."""
        with self._database.reading() as connection:
            return _bodies(_newest(connection))

    def history(self) -> dict[Key, list[Revision]]:
        """Everything that each thing was, oldest first.  Raises ShopDatabaseError."""
        found: dict[Key, list[Revision]] = {}
        with self._database.reading() as connection:
            for row in connection.execute(select(THINGS).order_by(THINGS.c.id)):
                body = None if row.body is None else json.loads(row.body)
                revision = Revision(body, row.at, row.by, row.workstation)
                found.setdefault(Key(row.kind, row.place, row.which), []).append(revision)
        return found

    def write(self, before: Mapping[Key, Body], changes: Mapping[Key, Body | None]) -> None:
        """All of the changes or none.  ``before`` is what whoever made them had looked at.

        Raises ThingChangedError where one of these things is another by now, ShopDatabaseError.
        """
        for patience in reversed(range(_TURNS)):
            try:
                with self._database.writing() as connection:
                    # Looked at once: whoever writes the same revision after this is refused by the database.
                    newest = _newest(connection)
                    stands = _as_read(_bodies(newest))
                    for key, body in changes.items():
                        row, there = newest.get(key), stands.get(key)
                        if row is not None and not same_thing(there, before.get(key)) and not same_thing(there, body):
                            raise ThingChangedError(key, body, Revision(there, row.at, row.by, row.workstation))
                        if row is None or there != body:
                            _add(connection, key, 1 if row is None else row.revision + 1, body)
                return
            except IntegrityError as error:
                # Somebody else has written the same revision at this very moment: looked at once more, it is told.
                if not patience:
                    raise self._database.cannot("written", error) from error
            except DatabaseError as error:
                raise self._database.cannot("written", error) from error

    def newest(self) -> int:
        """The number of the newest change: another one once anything has changed.  Raises ShopDatabaseError."""
        with self._database.reading() as connection:
            return int(connection.scalar(select(func.max(THINGS.c.id))) or 0)

    def keep_files(self, contents: Iterable[bytes]) -> None:
        """Files of models, by what is in them.  Raises ShopDatabaseError."""
        try:
            with self._database.writing() as connection:
                for content in contents:
                    sha = hashlib.sha256(content).hexdigest()
                    there = select(func.count()).where(MODEL_FILES.c.sha256 == sha)
                    if not connection.scalar(there):
                        connection.execute(MODEL_FILES.insert().values(sha256=sha, content=content))
        except DatabaseError as error:
            raise self._database.cannot("written", error) from error

    def file(self, sha256: str) -> bytes | None:
        """Raises ShopDatabaseError."""
        with self._database.reading() as connection:
            content = connection.scalar(select(MODEL_FILES.c.content).where(MODEL_FILES.c.sha256 == sha256))
        return None if content is None else bytes(content)


def _newest(connection: Connection) -> dict[Key, Row[Any]]:
    """The last change of each thing."""
    rows = connection.execute(select(THINGS).order_by(THINGS.c.id))
    return {Key(row.kind, row.place, row.which): row for row in rows}


def _bodies(newest: Mapping[Key, Row[Any]]) -> dict[Key, Body]:
    return {key: json.loads(row.body) for key, row in newest.items() if row.body is not None}


def _add(connection: Connection, key: Key, revision: int, body: Body | None) -> None:
    values = {
        "kind": key.kind, "place": key.where, "which": key.which, "revision": revision, "at": now(), "by": who()[:100],
        "workstation": workstation()[:200], "body": None if body is None else _text(body),
    }  # fmt: skip
    connection.execute(THINGS.insert().values(**values))


def _as_read(things: dict[Key, Body]) -> dict[Key, Body]:
    """As whoever reads the library has them: what an older program has kept lacks what has come since."""
    try:
        return things_of(shop_of(things)) if things else {}
    except InvalidValueError:
        return things


def _text(body: Body) -> str:
    return json.dumps(body, ensure_ascii=False, sort_keys=True, allow_nan=False)
