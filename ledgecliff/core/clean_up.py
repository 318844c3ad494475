"""Blanks that vary: groups by size, the allowance at the stop's end, and how many will clean up.

Each blank of length ``S`` lies against a stop; the finished part, ``L`` long, begins ``a`` from the stop's end, so that
``a`` comes off there and ``S - L - a`` at the other end.  With ``c`` to clean up at least everywhere, a blank whose
middle is found needs ``S >= L + 2 c``, one that lies by its stop alone ``S >= L + a + c``, and ``a >= c``.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

from .errors import InvalidValueError

Shape = Literal["uniform", "normal"]
#: Sizes this near to a limit count as on it (mm).
_ON = 1e-9


@dataclass(frozen=True)
class Batch:
    """Measured ``sizes`` (mm), the smallest first."""

    sizes: tuple[float, ...]

    @property
    def smallest(self) -> float:
        return self.sizes[0]

    @property
    def largest(self) -> float:
        return self.sizes[-1]

    @property
    def middle(self) -> float:
        return (self.smallest + self.largest) / 2.0

    def share_from(self, least: float) -> float:
        """Which share is at least so large."""
        return sum(size >= least - _ON for size in self.sizes) / len(self.sizes)


@dataclass(frozen=True)
class Spread:
    """A size as it is told of a batch: ``nominal``, and how far it ``varies``: uniform, at most so much to either side;
    normal, that as its standard deviation (mm)."""

    nominal: float
    varies: float
    shape: Shape = "uniform"

    @property
    def middle(self) -> float:
        return self.nominal

    def share_from(self, least: float) -> float:
        """Which share is at least so large."""
        if self.varies <= 0.0:
            return float(self.nominal >= least - _ON)
        if self.shape == "normal":
            return math.erfc((least - self.nominal) / self.varies / math.sqrt(2.0)) / 2.0
        return min(max((self.nominal + self.varies - least) / (2.0 * self.varies), 0.0), 1.0)


@dataclass(frozen=True)
class Allowance:
    """``at_stop`` comes off at the stop's end, and the ``least`` anywhere is that (mm)."""

    at_stop: float
    least: float


@dataclass(frozen=True)
class BlankGroup:
    """Blanks that take one allowance: ``equal_load``, where both ends differ by at most half the group's spread, or
    ``equal_least``, where the smallest blank has as much at both."""

    batch: Batch
    finished: float

    @property
    def equal_load(self) -> Allowance:
        return self._with((self.batch.middle - self.finished) / 2.0)

    @property
    def equal_least(self) -> Allowance:
        return self._with((self.batch.smallest - self.finished) / 2.0)

    def _with(self, at_stop: float) -> Allowance:
        return Allowance(at_stop, min(at_stop, self.batch.smallest - self.finished - at_stop))


@dataclass(frozen=True)
class Odds:
    """Which share of a batch cleans up: where the ``centre`` of each blank is found, and by its stop's ``edge``."""

    centre: float
    edge: float


def batch_of(sizes: Iterable[float]) -> Batch:
    """Raises InvalidValueError for none, or one that is no size."""
    ordered = tuple(sorted(sizes))
    if not ordered:
        raise InvalidValueError("sizes", "there are none; give one for each blank, such as 97.62 97.05")
    if not all(math.isfinite(size) and size > 0.0 for size in ordered):
        raise InvalidValueError("sizes", "every size must be above nought; correct the one that is not")
    return Batch(ordered)


def grouped(batch: Batch, finished: float, spread: float) -> tuple[BlankGroup, ...]:
    """The fewest groups of which none spreads by more than ``spread`` (mm): the smallest begins one, and who would
    spread it too far the next.  Raises InvalidValueError for a spread below nought."""
    if not math.isfinite(spread) or spread < 0.0:
        raise InvalidValueError("spread", "blanks of a group differ by at least nothing; give 0 or more")
    groups: list[list[float]] = []
    for size in batch.sizes:
        if not groups or size - groups[-1][0] > spread + _ON:
            groups.append([])
        groups[-1].append(size)
    return tuple(BlankGroup(Batch(tuple(sizes)), finished) for sizes in groups)


def odds_of(sizes: Batch | Spread, finished: float, least: float, at_stop: float) -> Odds:
    """``least`` is what must come off everywhere, ``at_stop`` what comes off at the stop's end (mm)."""
    by_edge = sizes.share_from(finished + at_stop + least) if at_stop >= least - _ON else 0.0
    return Odds(sizes.share_from(finished + 2.0 * least), by_edge)


def usual_allowance(sizes: Batch | Spread, finished: float) -> float:
    """Half of what the middle size has too much (mm)."""
    return (sizes.middle - finished) / 2.0


def too_small(sizes: Sequence[float], finished: float, least: float, at_stop: float) -> tuple[int, ...]:
    """Which of them (from 0) do not clean up by the stop's edge."""
    return tuple(k for k, size in enumerate(sizes) if at_stop < least - _ON or size < finished + at_stop + least - _ON)
