"""The record as JSON Lines and as a table: all of it, and back again without loss."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterable, Iterator

from pydantic import ValidationError

from ..errors import InvalidValueError
from ..plain_text import FORMULA
from .entries import RecordEntry

FORMAT, VERSION = "ledgecliff-record", 1
_COLUMNS = ("id", "kind", "at", "by", "workstation", "job_checksum", "what", "on", "numbers", "data", "corrects",
            "withdrawn")  # fmt: skip
#: Cells that hold JSON.
_JSON = ("on", "numbers", "data", "withdrawn")


def lines_of(entries: Iterable[RecordEntry]) -> Iterator[str]:
    """One line that says what it is, then one an entry."""
    yield json.dumps({"format": FORMAT, "version": VERSION})
    for entry in entries:
        yield json.dumps(entry.model_dump(mode="json"), ensure_ascii=False, allow_nan=False)


def read_lines(lines: Iterable[str]) -> Iterator[RecordEntry]:
    """Raises InvalidValueError that names the line and what is wrong with it."""
    begun = False
    for number, line in enumerate(lines, start=1):
        if not line.strip():
            continue
        where = f"line {number}"
        try:
            plain = json.loads(line)
        except (ValueError, RecursionError):
            raise InvalidValueError(where, "is no JSON; give a record as it was exported") from None
        if not begun:
            if not isinstance(plain, dict) or plain.get("format") != FORMAT:
                raise InvalidValueError(where, f"does not say that it is a record ('{FORMAT}'); give one")
            if plain.get("version") != VERSION:
                raise InvalidValueError(where, f"is of version {plain.get('version')}; use a newer Ledgecliff")
            begun = True
            continue
        yield _entry(plain, where)
    if not begun:
        raise InvalidValueError("file", "is empty; give a record as it was exported")


def _entry(plain: object, where: str) -> RecordEntry:
    try:
        return RecordEntry.model_validate(plain)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        field = ".".join(str(part) for part in first["loc"]) or "entry"
        raise InvalidValueError(f"{where}, {field}", f"{first['msg'].lower()}; correct it, or leave it out") from None


def table_of(entries: Iterable[RecordEntry]) -> str:
    """As CSV, each cell harmless to a spreadsheet."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(_COLUMNS)
    for entry in entries:
        plain = entry.model_dump(mode="json")
        writer.writerow([_cell(name, plain[name]) for name in _COLUMNS])
    return out.getvalue()


def read_table(text: str) -> Iterator[RecordEntry]:
    """Raises InvalidValueError that names the line and what is wrong with it."""
    rows = csv.reader(io.StringIO(text, newline=""))
    head = tuple(next(rows, ()))
    if head != _COLUMNS:
        raise InvalidValueError("line 1", f"has other headings than {', '.join(_COLUMNS)}; give a record as exported")
    for row in rows:
        where = f"line {rows.line_num}"
        if len(row) != len(_COLUMNS):
            raise InvalidValueError(where, f"has {len(row)} cells instead of {len(_COLUMNS)}; give it as exported")
        plain: dict[str, object] = {}
        for name, cell in zip(_COLUMNS, row, strict=True):
            text_of = cell[1:] if cell.startswith("'") else cell
            try:
                plain[name] = json.loads(text_of) if name in _JSON else text_of
            except ValueError:
                raise InvalidValueError(f"{where}, {name}", "is no JSON; give it as exported") from None
        yield _entry(plain | {"corrects": plain["corrects"] or None}, where)


def _cell(name: str, value: object) -> str:
    text = json.dumps(value, ensure_ascii=False) if name in _JSON else str(value or "")
    return f"'{text}" if text[:1] == "'" or (text and text[0] in FORMULA) else text
