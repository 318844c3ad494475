"""The tape: arithmetic written out line by line, every number with where it came from."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from .quantities import Unit, format_length, spell

LineKind = Literal["heading", "item", "sum", "total", "note"]


@dataclass(frozen=True)
class TapeLine:
    """One line.  ``mm`` is signed, in millimetres; None where the line is only words.

    ``text`` may hold lengths to be spelled in the unit that is shown.

    ``source`` is the key of the drawn thing this number belongs to, or empty.  ``signed`` shows a
    plus sign, as on every coordinate.
    """

    text: str
    mm: float | None = None
    kind: LineKind = "item"
    source: str = ""
    signed: bool = True


@dataclass(frozen=True)
class Tape:
    title: str
    subtitle: str
    lines: tuple[TapeLine, ...]


def heading(text: str) -> TapeLine:
    return TapeLine(text, kind="heading")


def note(text: str) -> TapeLine:
    return TapeLine(text, kind="note")


def tape_to_paste(tape: Tape, unit: Unit) -> str:
    """The tape as it is copied: a tab before each number, and minus signs that tables and controls read."""
    rows = [tape.title, tape.subtitle]
    for line in tape.lines:
        number = "" if line.mm is None else "\t" + format_length(line.mm, unit, sign=line.signed)
        rows.append(spell(line.text, unit).strip() + number)
    return "\n".join([*rows, f"(lengths in {unit})", ""]).replace("−", "-")


def tape_text(tape: Tape, unit: Unit) -> str:
    """The tape as plain text, as it is printed."""
    rows = [tape.title, tape.subtitle, ""]
    for line in tape.lines:
        number = "" if line.mm is None else format_length(line.mm, unit, sign=line.signed)
        rows.append(f"{spell(line.text, unit):<36}{number:>14}".rstrip())
        if line.kind == "total":
            rows.append("-" * 50)
    return "\n".join(rows) + f"\n(lengths in {unit})\n"
