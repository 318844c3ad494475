"""The tape: arithmetic written out line by line, every number with where it came from."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

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
