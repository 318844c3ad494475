"""How long a toolpath program takes: what is fed by its feed, what is rapid by its length, and dwells.

Accelerations, and the pecks of drilling cycles, are not counted; a rapid counts by its straight way.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..frames import Array

#: How a feed counts: length a minute, moves a minute (inverse time), length a revolution.
PER_MINUTE, INVERSE, PER_TURN = 940, 930, 950


@dataclass
class Duration:
    """Minutes of feeding, the length of all rapids (mm), and dwells (s).

    ``not_timed`` is the first line with a move whose time is not known, nought without one.
    """

    feed_minutes: float = 0.0
    rapid_mm: float = 0.0
    dwell_s: float = 0.0
    not_timed: int = 0

    def minutes(self, rapid: float) -> float:
        """All of it, with rapids at so many mm a minute."""
        return self.feed_minutes + self.rapid_mm / rapid + self.dwell_s / 60.0


@dataclass
class Clock:
    """What of the feed is in force while a program is read; ``feed`` in mm, or moves a minute."""

    duration: Duration
    feed: float | None = None
    mode: int = PER_MINUTE
    turns: float | None = None

    def per_minute(self) -> float | None:
        """mm a minute; None where that is not known, or each move has its own time."""
        if self.mode == PER_TURN:
            return None if self.feed is None or self.turns is None else self.feed * self.turns
        return self.feed if self.mode == PER_MINUTE else None

    def fed(self, mm: float | None, line: int) -> None:
        """A move of so many mm at the feed in force; None: how long it is, is not known."""
        if self.mode == INVERSE:
            if self.feed:
                self.duration.feed_minutes += 1.0 / self.feed
            else:
                self.lost(line)
            return
        rate = self.per_minute()
        if mm is None or (mm > 0.0 and not rate):
            self.lost(line)
        elif rate:
            self.duration.feed_minutes += mm / rate

    def rapid(self, mm: float) -> None:
        self.duration.rapid_mm += mm

    def lost(self, line: int) -> None:
        self.duration.not_timed = self.duration.not_timed or line

    def run(self, mm: Array, is_rapid: NDArray[np.bool_], feeds: Array, line: int) -> None:
        """Many moves (N,) at once: their lengths, which are rapid, and the feed word of each (mm, nan without one)."""
        self.duration.rapid_mm += float(mm[is_rapid].sum())
        cut = ~is_rapid & (mm > 0.0)
        rates = feeds[cut] * (self.turns or math.nan) if self.mode == PER_TURN else feeds[cut]
        if bool(np.any(~(rates > 0.0))):
            self.lost(line)
        sound = rates > 0.0
        self.duration.feed_minutes += float((mm[cut][sound] / rates[sound]).sum())


def way(start: Sequence[float | None], end: Sequence[float | None]) -> float | None:
    """The length of a straight move; None where an axis comes from, or goes to, a place that is not known."""
    gone = [(a, b) for a, b in zip(start, end, strict=True) if a != b]
    if any(a is None or b is None for a, b in gone):
        return None
    return math.sqrt(sum((float(b) - float(a)) ** 2 for a, b in gone if a is not None and b is not None))


def known_way(start: Sequence[float | None], end: Sequence[float | None]) -> float:
    """The same of the axes that are known."""
    both = zip(start, end, strict=True)
    return math.sqrt(sum((b - a) ** 2 for a, b in both if a is not None and b is not None))
