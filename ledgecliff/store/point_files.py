"""Measured points as CSV: two or three numbers a row, with or without a heading."""

from __future__ import annotations

import csv
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import numpy.typing as npt

from ledgecliff.core.errors import InvalidValueError


def read_points(path: Path) -> npt.NDArray[np.float64]:
    """Points (N, 2) or (N, 3) in the file's own unit.

    Raises InvalidValueError when the file cannot be read, or names the first row that is not like the others.
    """
    try:
        text = path.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        reason = getattr(error, "strerror", None) or "it is not text in UTF-8"
        raise InvalidValueError(str(path), f"cannot be read: {reason}") from error
    rows: list[list[float]] = []
    for number, cells in enumerate(_rows_of(path, text), start=1):
        cells = [cell.strip() for cell in cells]
        if not any(cells) or cells[0].startswith("#"):
            continue
        try:
            row = [float(cell) for cell in cells]
        except ValueError:
            if not rows and not any(_is_number(cell) for cell in cells):
                continue  # the heading
            raise InvalidValueError(f"{path}, row {number}", f"'{','.join(cells)}' is not all numbers") from None
        if len(row) not in (2, 3) or (rows and len(row) != len(rows[0])):
            wanted = len(rows[0]) if rows else "2 or 3"
            raise InvalidValueError(f"{path}, row {number}", f"has {len(row)} numbers; every row needs {wanted}")
        rows.append(row)
    if not rows:
        raise InvalidValueError(str(path), "holds no points; give x,y or x,y,z in each row")
    return np.array(rows)


def _rows_of(path: Path, text: str) -> Iterator[list[str]]:
    reader = csv.reader(text.splitlines(), delimiter=_delimiter(text))
    try:
        yield from reader
    except csv.Error as error:
        reason = f"{error}; look for a quotation mark that is not closed"
        raise InvalidValueError(f"{path}, row {reader.line_num}", reason) from error


def _delimiter(text: str) -> str:
    """Semicolons where there are any (as some spreadsheets write), else tabs, else commas."""
    return next((sign for sign in (";", "\t") if sign in text), ",")


def _is_number(cell: str) -> bool:
    try:
        float(cell)
    except ValueError:
        return False
    return True
