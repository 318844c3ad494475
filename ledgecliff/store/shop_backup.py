"""The whole of a shop's database in one file, whatever database that is, and back into an empty one."""

from __future__ import annotations

import base64
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from sqlalchemy import func, insert, select, text
from sqlalchemy.exc import DatabaseError

from ledgecliff.core.errors import InvalidValueError

from .atomic import write_atomic
from .shop_database import ShopDatabase
from .shop_schema import CHANGES, ENTRIES, MACHINES, MODEL_FILES, SUBJECTS, THINGS, VERSION

FORMAT = "ledgecliff-shop"
#: In the order in which one refers to another, and which column of each counts by itself.
_TABLES = (
    (MACHINES, "id"), (CHANGES, "id"), (ENTRIES, "number"), (SUBJECTS, ""), (THINGS, "id"), (MODEL_FILES, ""),
)  # fmt: skip
#: Backups of these versions are put back; those of the older have no library.
_READS = (3, VERSION)
#: In which column of which table there are files, which are told in letters.
_FILES = MODEL_FILES.name, "content"
_AT_ONCE = 500


def back_up(database: ShopDatabase, path: Path) -> dict[str, int]:
    """How many rows of each table are in ``path`` now, as they stand at one moment.  Raises ShopDatabaseError and
    WriteError."""
    counts: dict[str, int] = {}
    write_atomic(path, "".join(f"{line}\n" for line in _lines(database, counts)))
    return counts


def _lines(database: ShopDatabase, counts: dict[str, int]) -> Iterator[str]:
    yield json.dumps({"format": FORMAT, "version": VERSION})
    with database.reading() as connection:
        if not database.is_sqlite:
            connection.execute(text("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY"))
        for table, _ in _TABLES:
            counts[table.name] = 0
            for row in connection.execute(select(table).order_by(*table.primary_key.columns)):
                counts[table.name] += 1
                yield json.dumps({table.name: _in_letters(table.name, dict(row._mapping))}, ensure_ascii=False)


def restore(database: ShopDatabase, path: Path) -> dict[str, int]:
    """How many rows of each table were put back; all of them or none.

    Raises InvalidValueError where the file is no backup or something is in the database already, ShopDatabaseError
    where it cannot be written.
    """
    rows = _read(path)
    try:
        with database.writing() as connection:
            for table, _ in _TABLES:
                if connection.scalar(select(func.count()).select_from(table)):
                    raise InvalidValueError(
                        "shop", f"has something in it already ({table.name}); restore into an empty database"
                    )
            for table, number in _TABLES:
                mine = rows[table.name]
                for k in range(0, len(mine), _AT_ONCE):
                    connection.execute(insert(table), mine[k : k + _AT_ONCE])
                if number and not database.is_sqlite:
                    # Numbers that were given do not count there by themselves.
                    after = max((int(row[number]) for row in mine), default=0) + 1
                    counted = {"table": table.name, "column": number, "after": after}
                    connection.execute(
                        text("SELECT setval(pg_get_serial_sequence(:table, :column), :after, false)"), counted
                    )
    except DatabaseError as error:
        raise database.cannot("written", error) from error
    return {name: len(mine) for name, mine in rows.items()}


def _read(path: Path) -> dict[str, list[dict[str, Any]]]:
    rows: dict[str, list[dict[str, Any]]] = {table.name: [] for table, _ in _TABLES}
    columns = {table.name: set(table.columns.keys()) for table, _ in _TABLES}
    try:
        lines = path.read_bytes().decode("utf-8").split("\n")
        head, *others = (json.loads(line) for line in lines if line.strip())
    except (OSError, ValueError) as error:
        raise InvalidValueError(str(path), f"is no backup of a shop: {error}; name one") from None
    if not isinstance(head, dict) or head.get("format") != FORMAT:
        raise InvalidValueError(str(path), f"does not say that it is a backup ('{FORMAT}'); name one")
    if head.get("version") not in _READS:
        known = " and ".join(map(str, _READS))
        raise InvalidValueError(
            str(path), f"is of version {head.get('version')}, and this program puts back {known}; use that Ledgecliff"
        )
    for number, plain in enumerate(others, start=2):
        name = next(iter(plain), "") if isinstance(plain, dict) else ""
        if name not in rows or set(plain[name]) != columns[name]:
            raise InvalidValueError(f"{path.name}, line {number}", "is no row of a shop; it is not as it was written")
        try:
            rows[name].append(_as_kept(name, plain[name]))
        except ValueError:
            raise InvalidValueError(f"{path.name}, line {number}", "has a file in it that cannot be read") from None
    return rows


def _in_letters(table: str, row: dict[str, Any]) -> dict[str, Any]:
    name, column = _FILES
    return row | {column: base64.b64encode(row[column]).decode("ascii")} if table == name else row


def _as_kept(table: str, row: dict[str, Any]) -> dict[str, Any]:
    name, column = _FILES
    return row | {column: base64.b64decode(row[column], validate=True)} if table == name else row
