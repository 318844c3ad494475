"""Where the numbers of one work offset came from, as a tape: its value, how it was found, and what it was before."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ..quantities import coordinate_at_end
from ..tape_lines import Tape, TapeLine, heading, note
from .entries import Entry

_AXES = "XYZ"
#: How numbers were written down before 0.9.0: bare, always of millimetres or degrees.
_BARE = re.compile(r"[+−-]\d+\.\d{3,4}$")


def entry_tape(entry: Entry, history: Sequence[Entry] = ()) -> Tape:
    """``history`` is the code's changes, newest first."""
    lines: list[TapeLine] = [heading("Holds")]
    value = entry.value
    if value is None:
        lines.append(note("nothing yet"))
    else:
        lines += [TapeLine(f"{entry.code} {_AXES[k]}", mm, "total", "wcs") for k, mm in enumerate(_numbers(entry))]
        if value.turn_deg:
            lines.append(note(f"turned {value.turn_deg:+.4f}° about Z"))
    if entry.origin is not None:
        lines += [
            heading("Where it came from"),
            note(_came_from(entry)),
            *map(_line, entry.lines),
        ]
    before = next((each for each in history if each.value is not None and each.value != value), None)
    if value is not None and before is not None and before.value is not None:
        lines.append(heading("What it was before"))
        lines += [TapeLine(_AXES[k], mm) for k, mm in enumerate(_numbers(before))]
        lines += [
            TapeLine(f"moved in {_AXES[k]}", mm, "note") for k, mm in enumerate(value.moved_from(before.value))
        ]  # fmt: skip
        lines.append(note(f"{before.at[:16].replace('T', ' ')} {before.by}".strip()))
    title = " · ".join(part for part in (entry.code, entry.label) if part)
    return Tape(title, entry.state(), tuple(lines))


def _numbers(entry: Entry) -> tuple[float, float, float]:
    assert entry.value is not None, "the caller has looked"
    return (entry.value.x, entry.value.y, entry.value.z)


def _came_from(entry: Entry) -> str:
    who = f", for {entry.found_for.words()}" if entry.found_for is not None else ""
    return f"{entry.origin}{who}"


def _line(told: str) -> TapeLine:
    """What was written down with a value; a coordinate at its end stands in the column of numbers."""
    if _BARE.search(told) is not None:
        return note(f"{told}°" if "turned about" in told else f"{told} mm")
    text, mm = coordinate_at_end(told)
    return TapeLine(text, mm, "note")
