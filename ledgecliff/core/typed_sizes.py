"""Sizes of blanks as they are typed, pasted or come in a table: one after the other, each with its unit or none."""

from __future__ import annotations

import re
from statistics import median

from .errors import InvalidValueError, QuantityError
from .quantities import Unit
from .typed import parse_length

#: So many sizes are read at most.
_MOST = 2000
#: A size beyond this share of what most are, up or down, is something else: a number, a count, another unit.
_UNLIKE = 2.0
#: Between two sizes of a line; not within one such as 1 1/2 in.
_BETWEEN = r",|\s{2,}|(?<=[\dA-Za-z.\"])\s+(?=\d[\d.]*(?![\d./]))"
#: What the heading of a column of sizes says.
_SIZE_HEADINGS = re.compile(r"size|length|width|thick|measured", re.IGNORECASE)


def parse_sizes(text: str, unit: Unit) -> tuple[float, ...]:
    """Every size in a text (mm), as they come: apart by lines, tabs, semicolons, commas or spaces.

    Where a heading names several columns, the one counts that says size or length.  Where cells are apart by semicolons
    or tabs, a comma is a decimal point.  Raises InvalidValueError, naming the line, also for what is nothing like the
    others: numbers of blanks are no sizes.
    """
    found: list[tuple[int, float]] = []
    apart = ";" in text or "\t" in text
    column: int | None = None
    for number, line in enumerate(text.splitlines(), start=1):
        cells = _cells(line, apart=apart)
        if not any(cells) or line.lstrip().startswith("#"):
            continue
        if not found and all(re.match(r"[A-Za-z]", cell) for cell in cells if cell):
            column = _column(cells, number)
            continue
        for cell in cells if column is None else cells[column : column + 1]:
            if cell:
                found.append((number, _size(cell.replace(",", ".") if apart else cell, unit, number)))
    if len(found) > _MOST:
        raise InvalidValueError("sizes", f"there are {len(found)}, more than {_MOST}; give them in several batches")
    usual = median(size for _, size in found) if found else 0.0
    for number, size in found:
        if not usual / _UNLIKE < size < usual * _UNLIKE:
            raise InvalidValueError(
                f"sizes, line {number}",
                f"{size:g} mm is nothing like the others (about {usual:g} mm); leave numbers of blanks out, or say in "
                "a heading which column is the size",
            )
    return tuple(size for _, size in found)


def _cells(line: str, *, apart: bool) -> list[str]:
    return [cell.strip() for cell in re.split(r"[;\t]" if apart else _BETWEEN, line)]


def _column(cells: list[str], line: int) -> int | None:
    """Which column a heading says the sizes are in; None where it has one."""
    if len([cell for cell in cells if cell]) == 1:
        return None
    named = [k for k, cell in enumerate(cells) if _SIZE_HEADINGS.search(cell)]
    if len(named) != 1:
        raise InvalidValueError(
            f"sizes, line {line}",
            "the heading does not say which one column is the size; call one so, such as 'length'",
        )
    return named[0]


def _size(cell: str, unit: Unit, line: int) -> float:
    try:
        size = parse_length(cell, unit)
    except QuantityError as error:
        raise InvalidValueError(f"sizes, line {line}", str(error)) from error
    if size <= 0.0:
        raise InvalidValueError(f"sizes, line {line}", f"'{cell}' is no size; give one above nought")
    return size
