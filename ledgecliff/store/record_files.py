"""The record in files: all of it as JSON Lines or CSV, by the ending, and back again."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.record.entries import RecordEntry
from ledgecliff.core.record.exchange import lines_of, read_lines, read_table, table_of

from .atomic import write_atomic
from .pictures import beside_export, export_pictures, import_pictures, send_pictures

_LINES, _TABLE = (".jsonl", ".ndjson"), (".csv",)


def export_with_pictures(place: Path | str, entries: Sequence[RecordEntry], path: Path) -> int:
    """Entries in a file, and how many pictures of theirs in the folder beside it.  Raises as ``export_record``."""
    export_record(entries, path)
    return export_pictures(place, entries, beside_export(path))


def import_with_pictures(place: Path | str, path: Path) -> list[RecordEntry]:
    """The entries of a file, whose pictures are here and in the shop's database now.  Raises as ``import_record``, and
    ShopDatabaseError."""
    entries = import_record(path)
    import_pictures(entries, beside_export(path))
    send_pictures(place, entries)
    return entries


def export_record(entries: Iterable[RecordEntry], path: Path) -> None:
    """Raises InvalidValueError for another ending, and WriteError."""
    match path.suffix.lower():
        case ending if ending in _LINES:
            write_atomic(path, "".join(f"{line}\n" for line in lines_of(entries)))
        case ending if ending in _TABLE:
            write_atomic(path, table_of(entries))
        case ending:
            raise InvalidValueError("file", f"'{ending or path.name}' is not .jsonl or .csv; name it so")


def import_record(path: Path) -> list[RecordEntry]:
    """Raises InvalidValueError that names the line and what is wrong with it."""
    try:
        # Line ends inside of cells stay as they are.
        text = path.read_bytes().decode("utf-8")
    except (OSError, ValueError) as error:
        raise InvalidValueError(str(path), f"cannot be read: {error}; give a record as it was exported") from error
    if path.suffix.lower() in _TABLE:
        return list(read_table(text))
    return list(read_lines(text.split("\n")))
