"""The control's present table, as a CSV file or as a saved program of offset writes, and how it differs.

Nothing is guessed: a row or block that is not understood refuses the whole file, with its line.
"""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from ..errors import InvalidValueError, ProgramError
from ..model.machine import Machine
from ..model.work_offsets import Code, by_words, codes_of, plain_words
from ..plain_text import harmless_cell, plain_cell
from ..simulator.blocks import Block, read_block
from ..simulator.modal import WORK_OFFSET, Dialect
from .entries import Entry, Value, labelled, with_value

#: Columns of the table, in and out.
COLUMNS = ("code", "x", "y", "z", "turn", "unit", "label", "use", "resident", "origin", "at", "by")
_NEEDED = ("code", "x", "y", "z")
#: Words of a program of offset writes that neither move nor change anything else.
_HARMLESS = frozenset((170, 180, 190, 400, 490, 800, 900, 910, 940))


@dataclass(frozen=True)
class Present:
    """What the control holds under one code, with the line it stands in."""

    code: str
    value: Value
    label: str
    line: int


@dataclass(frozen=True)
class Difference:
    """One code as the register has it and as the control does; ``same`` is of what is not listed otherwise."""

    code: str
    kind: Literal["same", "differs", "not in the register", "not in the file"]
    register: Value | None
    present: Value | None
    label: str = ""

    @property
    def moved(self) -> tuple[float, float, float] | None:
        if self.register is None or self.present is None:
            return None
        return self.present.moved_from(self.register)


def read_table(text: str, machine: Machine, name: str = "table") -> tuple[Present, ...]:
    """Either kind of file, told apart by whether its first line that says something has a comma.

    Raises InvalidValueError, naming the line.
    """
    first = next((line for line in text.lstrip("\ufeff").splitlines() if line.strip()), "")
    rows = _from_csv(text, machine, name) if "," in first and "(" not in first else _from_program(text, machine, name)
    if not rows:
        raise InvalidValueError(name, "there is no work offset in it; give a CSV file with code,x,y,z or G10 blocks")
    seen: dict[str, int] = {}
    for row in rows:
        if row.code in seen:
            raise InvalidValueError(name, f"line {row.line}: {row.code} stands in line {seen[row.code]} already")
        seen[row.code] = row.line
    return rows


def differences(entries: Iterable[Entry], present: Sequence[Present]) -> tuple[Difference, ...]:
    """Every code that either side has a value for."""
    told = {row.code: row for row in present}
    result: list[Difference] = []
    for entry in entries:
        row = told.get(entry.code)
        if row is None:
            if entry.value is not None:
                result.append(Difference(entry.code, "not in the file", entry.value, None, entry.label))
        elif entry.value is None:
            result.append(Difference(entry.code, "not in the register", None, row.value, row.label or entry.label))
        else:
            same = entry.value.same_as(row.value)
            result.append(
                Difference(entry.code, "same" if same else "differs", entry.value, row.value, entry.label or row.label)
            )
    return tuple(result)


def taken_over(entries: Iterable[Entry], changed: Iterable[Difference], name: str) -> list[Entry]:
    """Entries with the control's values in place of the register's; ``name`` is the file they come from."""
    now = {entry.code: entry for entry in entries}
    result = []
    for each in changed:
        if each.present is None:
            continue
        entry = with_value(now[each.code], each.present, "imported", (f"from {name}",))
        result.append(labelled(entry, each.label) if each.label and not entry.label else entry)
    return result


# --- CSV ------------------------------------------------------------------------------------------


def _from_csv(text: str, machine: Machine, name: str) -> tuple[Present, ...]:
    reader = csv.reader(io.StringIO(text.lstrip("\ufeff")))
    columns: list[str] = []
    codes = by_words(machine)
    rows: list[Present] = []
    for cells in _rows_of(reader, name):
        if not any(cell.strip() for cell in cells):
            continue
        if not columns:
            columns = [cell.strip().lower() for cell in cells]
            missing = [column for column in _NEEDED if column not in columns]
            if missing:
                raise InvalidValueError(name, f"line {reader.line_num}: the column '{missing[0]}' is missing")
            continue
        row = dict(zip(columns, (cell.strip() for cell in cells), strict=False))
        rows += _csv_row(row, codes, machine, name, reader.line_num)
    return tuple(rows)


def _rows_of(reader: Iterator[list[str]], name: str) -> Iterator[list[str]]:
    try:
        yield from reader
    except csv.Error as error:
        line = reader.line_num  # type: ignore[attr-defined]
        raise InvalidValueError(name, f"line {line}: {error}; look for a quotation mark that is not closed") from error


def _csv_row(row: dict[str, str], codes: dict[str, Code], machine: Machine, name: str, line: int) -> list[Present]:
    words = row.get("code", "")
    code = codes.get(plain_words(words))
    if code is None:
        raise InvalidValueError(
            name, f"line {line}: {machine.name} has no work offset '{words}'; correct the code or the machine's offsets"
        )
    texts = [row.get(axis, "") for axis in ("x", "y", "z")]
    if not any(texts):
        return []  # a code that holds nothing, as the register writes it
    unit = row.get("unit", "").lower() or machine.program_units
    if unit not in ("mm", "in"):
        raise InvalidValueError(name, f"line {line}: the unit '{unit}' is neither mm nor in")
    per_unit = 25.4 if unit == "in" else 1.0
    x, y, z = (_number(text, name, line) * per_unit for text in texts)
    turn = _number(row["turn"], name, line) if row.get("turn") else 0.0
    return [Present(code.code, Value(x, y, z, turn), plain_cell(row.get("label", "")), line)]


def _number(text: str, name: str, line: int) -> float:
    try:
        value = float(text.replace("−", "-"))
    except ValueError:
        value = math.nan
    if not math.isfinite(value):
        raise InvalidValueError(name, f"line {line}: '{text}' is no number; use a point for decimals")
    return value


def table_text(entries: Iterable[Entry]) -> str:
    """The register as CSV, lengths in mm; ``read_table`` takes it in again."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for entry in entries:
        value = entry.value
        numbers = (
            ["", "", "", ""] if value is None else [f"{n:.4f}" for n in (value.x, value.y, value.z, value.turn_deg)]
        )
        use = entry.use.words() if entry.use is not None else ""
        cells = [entry.code, *numbers, "mm", entry.label, use, entry.resident, entry.origin or "", entry.at, entry.by]
        writer.writerow([harmless_cell(cell) for cell in cells])
    return out.getvalue()


# --- programs -------------------------------------------------------------------------------------


def _from_program(text: str, machine: Machine, name: str) -> tuple[Present, ...]:
    reader = _ProgramReader(machine, name)
    for number, line in enumerate(text.splitlines(), start=1):
        reader.line(number, line)
    return tuple(reader.rows)


class _ProgramReader:
    """Blocks of ``G10 L… P… X… Y… Z…``; anything that would move the machine or work something out is refused."""

    def __init__(self, machine: Machine, name: str) -> None:
        from ..programs.dialect import dialect_of

        self._machine, self._name = machine, name
        self._dialect: Dialect = dialect_of(machine)
        self._codes = {(code.level, code.number): code for code in codes_of(machine)}
        self._per_unit = 25.4 if machine.program_units == "in" else 1.0
        self.rows: list[Present] = []

    def line(self, number: int, text: str) -> None:
        if text.strip() in ("", "%"):
            return
        try:
            block = read_block(number, text, self._dialect)
            self._block(block, number, text)
        except ProgramError as error:
            raise InvalidValueError(self._name, str(error)) from error

    def _block(self, block: Block, number: int, text: str) -> None:
        if block.assigns or (block.flow and block.flow != "PROGRAM"):
            raise self._refused(number, "only plain G10 blocks can be read, nothing that is worked out")
        for word in block.g:
            if word in (200, 210):
                self._per_unit = 25.4 if word == 200 else 1.0
            elif word == 910:
                raise self._refused(number, "offsets that are added to (G91) cannot be known from the file alone")
            elif word != 100 and word not in _HARMLESS and self._dialect.group(word) != WORK_OFFSET:
                raise self._refused(number, f"G{word / 10:g} has no place in a program of offset writes")
        if 100 in block.g:
            self.rows.append(self._write(block, number, text))
        elif any(letter in block.words for letter in "XYZ"):
            raise self._refused(number, "it would move the machine")

    def _write(self, block: Block, number: int, text: str) -> Present:
        if not block.plain:
            raise self._refused(number, "the values must stand there as numbers")
        words: dict[str, float] = block.words  # type: ignore[assignment]
        level, which = round(words.get("L", 0)), round(words.get("P", 0))
        code = self._codes.get((level, which))
        if code is None:
            raise self._refused(number, f"G10 L{level} P{which} writes no work offset of {self._machine.name}")
        missing = [axis for axis in "XYZ" if axis not in words]
        if missing:
            raise self._refused(number, f"{missing[0]} is missing; a whole offset has X, Y and Z")
        x, y, z = (words[axis] * self._per_unit for axis in "XYZ")
        label = text[text.index("(") + 1 : text.index(")")].strip() if "(" in text and ")" in text else ""
        return Present(code.code, Value(x, y, z, words.get("R", 0.0)), label, number)

    def _refused(self, number: int, why: str) -> InvalidValueError:
        return InvalidValueError(self._name, f"line {number}: {why}")
