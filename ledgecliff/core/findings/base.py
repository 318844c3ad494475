"""What a finding is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Severity = Literal["hazard", "error", "warning", "note"]
#: Worst first.  A hazard can hurt someone or break something; an error spoils the part or stops
#: the work; a warning is worth a look; a note is only said.
SEVERITIES: tuple[Severity, ...] = ("hazard", "error", "warning", "note")


@dataclass(frozen=True)
class Fix:
    """A remedy that can be applied: a label for its button and the one value it changes."""

    label: str
    path: tuple[str | int, ...]
    value: object


@dataclass(frozen=True)
class Finding:
    """``setup`` is empty when the finding is about the whole job; ``message`` says fact and cost."""

    code: str
    severity: Severity
    setup: str
    message: str
    remedy: str
    fix: Fix | None = None
