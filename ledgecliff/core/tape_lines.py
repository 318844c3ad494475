"""The tape: arithmetic written out line by line, every number with where it came from."""

from __future__ import annotations

from dataclasses import dataclass, replace
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
    """``simulated`` marks numbers that were read on the simulated machine and on no real one.  Of ``lines`` the first
    ``on_ladder`` stand beside the drawing too, where there is room for their names."""

    title: str
    subtitle: str
    lines: tuple[TapeLine, ...]
    simulated: bool = False
    on_ladder: int = 0

    def beside_ladder(self) -> Tape:
        """Without what the ladder tells already."""
        return replace(self, lines=self.lines[self.on_ladder :], on_ladder=0)


#: What stands with every copy of a simulated tape, and in each of its totals.
SIMULATED, SIMULATED_MARK = "SIMULATED, measured on no machine", "sim."


def heading(text: str) -> TapeLine:
    return TapeLine(text, kind="heading")


def note(text: str) -> TapeLine:
    return TapeLine(text, kind="note")


def line_words(tape: Tape, line: TapeLine, unit: Unit) -> str:
    """What a line says, a simulated total with its mark."""
    words = spell(line.text, unit).strip()
    return f"{words} · {SIMULATED_MARK}" if tape.simulated and line.kind == "total" else words


def _head(tape: Tape) -> list[str]:
    return [tape.title, tape.subtitle, *([SIMULATED] if tape.simulated else [])]


def tape_to_paste(tape: Tape, unit: Unit) -> str:
    """The tape as it is copied: a tab before each number, and minus signs that tables and controls read."""
    rows = _head(tape)
    for line in tape.lines:
        number = "" if line.mm is None else "\t" + format_length(line.mm, unit, sign=line.signed)
        rows.append(line_words(tape, line, unit) + number)
    return "\n".join([*rows, f"(lengths in {unit})", ""]).replace("−", "-")


def tape_text(tape: Tape, unit: Unit) -> str:
    """The tape as plain text, as it is printed."""
    rows = [*_head(tape), ""]
    for line in tape.lines:
        number = "" if line.mm is None else format_length(line.mm, unit, sign=line.signed)
        indent = " " * (len(line.text) - len(line.text.lstrip()))
        rows.append(f"{indent + line_words(tape, line, unit):<36}{number:>14}".rstrip())
        if line.kind == "total":
            rows.append("-" * 50)
    return "\n".join(rows) + f"\n(lengths in {unit})\n"
