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
    """What might mend a finding: a label for its button, and the values it puts at paths of the job.

    The label may hold lengths to be spelled (``core.quantities.spell``).  With ``promise`` it states what hands have
    done or will do at machine or bench, which no change of the plan brings about.
    """

    label: str
    changes: tuple[tuple[tuple[str | int, ...], object], ...]
    promise: bool = False


def fix(label: str, path: tuple[str | int, ...], value: object, *, promise: bool = False) -> Fix:
    """A fix that changes one value."""
    return Fix(label, ((path, value),), promise)


@dataclass(frozen=True)
class Finding:
    """``setup`` is empty when the finding is about the whole job; ``about`` tells apart what the same rule may find
    several times in one setup (an operation, a touch, a pin), also after its numbers have changed.

    ``fact`` says what is wrong and what it would cost, ``advice`` what mends it; lengths in both are spelled in the
    unit that is shown.  ``fixes`` are worth trying, the best first; whether one cures is only known once it was tried
    (``core.remedies``).
    """

    code: str
    severity: Severity
    setup: str
    fact: str
    advice: str
    fixes: tuple[Fix, ...] = ()
    about: str = ""

    @property
    def key(self) -> tuple[str, str, str]:
        """The same for what is found wrong of the same thing after a change."""
        return (self.code, self.setup, self.about)

    def message(self, unit: Unit = "mm") -> str:
        return spell(self.fact, unit)

    def remedy(self, unit: Unit = "mm") -> str:
        return spell(self.advice, unit)
