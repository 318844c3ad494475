"""Measured values as a table in and out: ``feature, what, nominal, low, high, measured, verdict, by, with, at``."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Sequence

from ..errors import InvalidValueError
from ..model.job import Job
from ..plain_text import harmless_cell, plain_cell
from ..quantities import Unit, mm_per
from .lines import Line, lines_of
from .measured import Judged

COLUMNS = ("feature", "what", "unit", "nominal", "low", "high", "measured", "verdict", "by", "with", "at")
_LARGEST = 1e6


def article_csv(judged: Sequence[Judged], unit: Unit = "mm") -> str:
    """With a header; what is not there yet is empty."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(COLUMNS)
    for each in judged:
        line = each.line
        numbers = (line.nominal, line.low, line.high, each.value)
        said = ["" if value is None else repr(value / mm_per(unit)) for value in numbers]
        words = [harmless_cell(text) for text in (each.by, each.with_what, each.at)]
        table.writerow([harmless_cell(line.feature), harmless_cell(line.what), unit, *said, each.verdict, *words])
    return out.getvalue()


def measured_in(text: str, job: Job, unit: Unit = "mm") -> list[tuple[Line, float, str]]:
    """Each measured value of a table with its line and what it was measured with (empty where that is not said).

    Wanted are columns ``feature``, ``what`` and ``measured`` in any order; ``with`` and ``unit`` may be there.  Raises
    InvalidValueError that names the line and the column.
    """
    dialect = ";" if text.partition("\n")[0].count(";") > text.partition("\n")[0].count(",") else ","
    rows = csv.DictReader(io.StringIO(text.lstrip("\ufeff")), delimiter=dialect)
    try:
        header = [name.strip().lower() for name in rows.fieldnames or ()]
    except csv.Error as error:
        raise InvalidValueError("table", f"cannot be read: {error}; write it as CSV") from error
    missing = [name for name in ("feature", "what", "measured") if name not in header]
    if missing:
        raise InvalidValueError(
            "table", f"has no column '{missing[0]}'; its first line must name feature, what, measured"
        )
    rows.fieldnames = header
    known = {line.key: line for line in lines_of(job)}
    found: dict[tuple[str, str], tuple[Line, float, str]] = {}
    try:
        for row in rows:
            each = _row(rows.line_num, row, known, unit, comma=dialect == ";")
            if each is None:
                continue
            if each[0].key in found:
                raise InvalidValueError(f"line {rows.line_num}", "is of what was there before; leave one of them out")
            found[each[0].key] = each
    except csv.Error as error:
        raise InvalidValueError(f"line {rows.line_num}", f"cannot be read: {error}") from error
    return list(found.values())


def _row(
    number: int, row: dict[str, str | None], known: dict[tuple[str, str], Line], unit: Unit, *, comma: bool
) -> tuple[Line, float, str] | None:
    """None where nothing was measured."""
    feature, what = (plain_cell((row.get(name) or "").strip()) for name in ("feature", "what"))
    text = (row.get("measured") or "").strip()
    if not text:
        return None
    line = known.get((feature, what))
    if line is None:
        raise InvalidValueError(
            f"line {number}", f"the job has no '{what}' of '{feature}'; write both as its list has them"
        )
    said = (row.get("unit") or unit).strip()
    if said not in ("mm", "in"):
        raise InvalidValueError(f"line {number}, unit", f"'{said}' is neither mm nor in; write one of them")
    try:
        value = float(text.replace(",", ".") if comma else text)
    except ValueError:
        value = math.nan
    if not abs(value) <= _LARGEST:
        raise InvalidValueError(f"line {number}, measured", f"'{text}' is no number; write such as 12.345")
    return line, value * mm_per("mm" if said == "mm" else "in"), plain_cell((row.get("with") or "").strip())
