"""Is a found offset what was to be expected, and if not, which slip of the hand fits the difference?"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..quantities import said


@dataclass(frozen=True)
class Slip:
    """What goes wrong by ``mm``: a length that was forgotten, taken twice or with the wrong sign."""

    mm: float
    words: str


@dataclass(frozen=True)
class Doubt:
    """``away`` is found less expected (mm); ``words`` may hold lengths to be spelled."""

    away: float
    words: str


def doubt(axis: str, found: float, expected: float, region: float, slips: Sequence[Slip]) -> Doubt | None:
    """None when ``found`` lies within ``region`` of what was expected (all mm, offsets in M).

    Of the slips that would explain the difference to within ``region`` the nearest is named.
    """
    away = found - expected
    if abs(away) <= region + 1e-9:
        return None
    fact = f"{axis.upper()} comes out {said(abs(away))} from where the plan has it (within ±{said(region)})"
    fitting = [
        (abs(abs(away) - slip.mm), slip) for slip in slips if abs(abs(away) - slip.mm) <= min(region, slip.mm / 4)
    ]
    if not fitting:
        return Doubt(away, f"{fact}. Look at the reading, the side that was touched, and the offset that is active.")
    slip = min(fitting, key=lambda each: each[0])[1]
    return Doubt(away, f"{fact}: just what it is when {slip.words} ({said(slip.mm)}).")
