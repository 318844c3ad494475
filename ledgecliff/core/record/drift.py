"""A number of the record against time: limits from its own scatter, jumps, marks, and when to look again.

Limits are those of a chart for individual values: ``mean ± 2.66 · mean moving range`` (W. A. Shewhart; 2.66 = 3 / d2
with d2 = 1.128 for two values), of the values since the last mark.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from .entries import RecordEntry, standing
from .times import moment

#: So many values must there be before there are limits, and so many in a row on one side of the mean are a jump.
LEAST, RUN = 8, 7
_D2, _SIGMAS = 1.128, 3.0
#: 3 / d2, as it is usually written.
FACTOR = round(_SIGMAS / _D2, 2)
#: Values no further apart are the same (mm, degrees).
_SAME = 1e-12


@dataclass(frozen=True)
class Value:
    """When, how much, and which entry says so."""

    at: str
    value: float
    entry: str


@dataclass(frozen=True)
class Mark:
    """From when on values are not to be compared with those before, and why."""

    at: str
    words: str


@dataclass(frozen=True)
class Limits:
    mean: float
    low: float
    high: float
    moving_range: float


@dataclass(frozen=True)
class Jump:
    """Of which value (from 0), and why."""

    index: int
    why: str


@dataclass(frozen=True)
class Drift:
    """``since`` is the first value after the last mark; ``limits`` are of those from there on, None while there are too
    few.  ``proposal`` says what to do now, empty where there is nothing."""

    values: tuple[Value, ...]
    marks: tuple[Mark, ...]
    since: int
    limits: Limits | None
    jumps: tuple[Jump, ...]
    proposal: str

    @property
    def lacking(self) -> int:
        """How many values more there must be before there are limits."""
        return max(LEAST - (len(self.values) - self.since), 0)


def drift_of(entries: Iterable[RecordEntry], number: str) -> Drift:
    """A number of entries about one thing, corrections in the place of what they correct."""
    about = standing(entries)
    values = [Value(each.at, each.numbers[number], each.id) for each in about if number in each.numbers]
    return drift(values, [Mark(each.at, each.what) for each in about if each.kind == "mark"])


def drift(values: Sequence[Value], marks: Sequence[Mark] = ()) -> Drift:
    """Values in the order of their times."""
    ordered = tuple(sorted(values, key=lambda each: (moment(each.at), each.entry)))
    marked = tuple(sorted(marks, key=lambda each: moment(each.at)))
    last = moment(marked[-1].at) if marked else -math.inf
    since = next((k for k, each in enumerate(ordered) if moment(each.at) >= last), len(ordered))
    mine = [each.value for each in ordered[since:]]
    if len(mine) < LEAST:
        return Drift(ordered, marked, since, None, (), "")
    limits = limits_of(mine)
    jumps = tuple(Jump(since + jump.index, jump.why) for jump in jumps_of(mine, limits))
    return Drift(ordered, marked, since, limits, jumps, _proposal(ordered[since:], limits, jumps, len(ordered)))


def limits_of(values: Sequence[float]) -> Limits:
    """Of at least two values."""
    mean = math.fsum(values) / len(values)
    moving = math.fsum(abs(b - a) for a, b in itertools.pairwise(values)) / (len(values) - 1)
    return Limits(mean, mean - FACTOR * moving, mean + FACTOR * moving, moving)


def jumps_of(values: Sequence[float], limits: Limits) -> list[Jump]:
    """Each value beyond the limits, and each with which seven or more in a row are on one side of the mean of those
    within: one that is far away would else put all others on one side."""
    within = [value for value in values if limits.low - _SAME <= value <= limits.high + _SAME]
    middle = math.fsum(within) / len(within) if within else limits.mean
    found, side, row = list[Jump](), 0, 0
    for k, value in enumerate(values):
        now = 0 if abs(value - middle) <= _SAME else 1 if value > middle else -1
        row = row + 1 if now and now == side else 1 if now else 0
        side = now
        if not limits.low - _SAME <= value <= limits.high + _SAME:
            found.append(Jump(k, "beyond the limits"))
        elif row >= RUN:
            found.append(Jump(k, f"{row} in a row {'above' if side > 0 else 'below'} the mean"))
    return found


def _proposal(values: Sequence[Value], limits: Limits, jumps: Sequence[Jump], count: int) -> str:
    """What to do now: something where the newest value has jumped, or where a straight line leads out of the limits."""
    if jumps and jumps[-1].index == count - 1:
        return f"The newest value is {jumps[-1].why}: find it again, and mark what has changed."
    start = moment(values[0].at)
    days = [(moment(each.at) - start) / 86_400.0 for each in values]
    slope, spread = _slope(days, [each.value for each in values])
    if spread <= 0.0 or abs(slope) < _SIGMAS * spread:
        return ""
    edge = limits.high if slope > 0.0 else limits.low
    left = (edge - values[-1].value) / slope
    soon = f"leaves its limits in about {max(left, 0.0):.0f} days"
    return f"It moves by {slope:+.4f} a day, and {soon}: find it again before."


def _slope(days: Sequence[float], values: Sequence[float]) -> tuple[float, float]:
    """By how much a day values rise, least squares, and how uncertain that is (one standard deviation; nought where
    it cannot be told)."""
    n = len(days)
    mean_d, mean_v = math.fsum(days) / n, math.fsum(values) / n
    square = math.fsum((day - mean_d) ** 2 for day in days)
    if square <= 0.0 or n < 3:
        return 0.0, 0.0
    slope = math.fsum((day - mean_d) * (v - mean_v) for day, v in zip(days, values, strict=True)) / square
    off = math.fsum((v - mean_v - slope * (day - mean_d)) ** 2 for day, v in zip(days, values, strict=True))
    return slope, math.sqrt(off / (n - 2) / square)
