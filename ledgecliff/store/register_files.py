"""The register as files: a table, a program that loads it, and one that looks whether the control has it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from ledgecliff.core.model.machine import Machine
from ledgecliff.core.register.entries import Entry
from ledgecliff.core.register.offset_programs import loading_program, verify_program
from ledgecliff.core.register.present_table import table_text

from .atomic import write_atomic

#: What a verify program lets pass where nothing is said (mm).
TOLERANCE = 0.01
_TITLE = "offset register"


def write_register_file(
    machine: Machine, entries: Sequence[Entry], path: Path, *, verify: bool = False, tolerance: float = TOLERANCE
) -> None:
    """A table where the name ends in ``.csv``, else a program.  Raises RegisterError or WriteError."""
    if verify:
        text = verify_program(machine, entries, _TITLE, tolerance)
    elif path.suffix.lower() == ".csv":
        text = table_text(entries)
    else:
        text = loading_program(machine, entries, _TITLE)
    write_atomic(path, text)
