"""Is a found offset what was to be expected, and if not, which slip of the hand would explain it?

A slip is named when the readings, corrected for it and worked out again, come to where the plan has the offset.
Several may fit, for the setup itself stands only so well: the nearest are told.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass

from ..model.base import Model
from ..quantities import said
from .readings import WallToWall

#: So many slips are told; more would say nothing.
_MOST_TOLD = 3
#: A width may differ from what was expected by so much more than the stock varies (mm).
_WIDTH = 0.5


@dataclass(frozen=True)
class Slip:
    """What may have gone wrong, and the readings as they would be without it.

    ``of_any_size`` fits whatever is found, such as a block of unknown height: it is told last.
    """

    words: str
    corrected: Model
    of_any_size: bool = False


@dataclass(frozen=True)
class Doubt:
    """``away`` is found less expected (mm); ``words`` may hold lengths to be spelled."""

    away: float
    words: str


def doubt(
    axis: str, found: float, expected: float, region: float, slips: Iterable[Slip], worked: Callable[[Model], float]
) -> Doubt | None:
    """None when ``found`` lies within ``region`` of what was expected (all mm, offsets in M).

    ``worked`` gives the offset that corrected readings come to.
    """
    away = found - expected
    if abs(away) <= region + 1e-9:
        return None
    fact = f"{axis.upper()} is {said(abs(away))} off the plan (±{said(region)})"
    fitting: dict[str, tuple[float, float]] = {}
    of_any_size = []
    for slip in slips:
        if slip.of_any_size:
            of_any_size.append(slip.words)
            continue
        corrected = worked(slip.corrected)
        left = abs(corrected - expected)
        if left <= min(region, abs(away) / 2.0) and left < fitting.get(slip.words, (math.inf, 0.0))[0]:
            fitting[slip.words] = (left, abs(found - corrected))
    nearest = sorted(fitting, key=lambda words: fitting[words][0])[: _MOST_TOLD - len(of_any_size)]
    told = [*(f"{words} ({said(fitting[words][1])})" for words in nearest), *of_any_size]
    if not told:
        return Doubt(away, f"{fact}. Look at the reading, the side that was touched, and the offset that is active.")
    return Doubt(away, f"{fact}: just what it is when {', or '.join(told)}.")


def width_doubt(axis: str, reading: Model, varies: float) -> Doubt | None:
    """When the walls are not as far apart as was expected, whatever the middle comes to."""
    if not isinstance(reading, WallToWall) or reading.expected_width is None:
        return None
    between = reading.plus_reading - reading.minus_reading
    outward = 1.0 if reading.inside else -1.0
    around = reading.diameter + 2.0 * reading.gauge
    away = between + outward * around - reading.expected_width
    within = _WIDTH + varies
    if abs(away) <= within + 1e-9:
        return None
    fact = (
        f"The {axis.upper()} walls come out {said(abs(away))} {'further apart' if away > 0 else 'nearer'} than expected"
    )
    for gap, words in (
        (-between + outward * around, "the two readings are exchanged"),
        (between - outward * around, "they are walls of the other kind, inside for outside"),
        (between, "the tool's diameter counts twice"),
        (between + 2.0 * outward * around, "the tool's diameter is forgotten"),
    ):
        if abs(gap - reading.expected_width) <= within:
            return Doubt(away, f"{fact}: just what it is when {words}.")
    if not reading.diameter and away * outward < 0.0:
        return Doubt(away, f"{fact}: just what it is when the diameter is left 0, with a tool of {said(abs(away))}.")
    return Doubt(away, f"{fact}. One of the readings is wrong, and half of it goes into the middle.")
