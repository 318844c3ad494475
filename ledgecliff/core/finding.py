"""What a finding is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from .quantities import Unit, spell

Severity = Literal["hazard", "error", "warning", "note"]
#: Worst first.  A hazard can hurt someone or break something; an error spoils the part or stops
#: the work; a warning is worth a look; a note is only said.
SEVERITIES: tuple[Severity, ...] = ("hazard", "error", "warning", "note")


@dataclass(frozen=True)
class Fix:
    """A remedy that can be applied: a label for its button and the one value it changes.

    The label may hold lengths to be spelled (``core.quantities.spell``).
    """

    label: str
    path: tuple[str | int, ...]
    value: object


@dataclass(frozen=True)
class Finding:
    """``setup`` is empty when the finding is about the whole job.

    ``fact`` says what is wrong and what it would cost, ``advice`` what mends it; lengths in both
    are spelled in the unit that is shown.
    """

    code: str
    severity: Severity
    setup: str
    fact: str
    advice: str
    fix: Fix | None = None

    def message(self, unit: Unit = "mm") -> str:
        return spell(self.fact, unit)

    def remedy(self, unit: Unit = "mm") -> str:
        return spell(self.advice, unit)
