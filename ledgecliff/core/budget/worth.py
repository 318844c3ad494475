"""What measuring would be worth most: the figures that nobody has measured, by how much doubt they leave.

A standard uncertainty that is itself unsure by a share ``d`` is known as from ``1 / (2 d^2)`` degrees of freedom (JCGM
100, G.3 and E.4.3).  One that is only assumed counts as unsure by half; of ``n`` repeats it is ``1 / sqrt(2 (n - 1))``.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from ..quantities import Unit, decimals, mm_per
from .budget import Budget
from .offs import Source
from .pair import Pair

#: How unsure a figure is that is only assumed, and how often something is measured again to know it better.
ASSUMED, REPEATS = 0.5, 9


@dataclass(frozen=True)
class Worth:
    """A ``source`` whose figure is only assumed: by how much (mm) the ``pair`` that hangs on it most may be off more
    than is told, as it is unsure ``now``, and ``then``, after so many ``repeats``."""

    source: Source
    pair: Pair
    now: float
    then: float
    repeats: int = REPEATS

    def said_in(self, unit: Unit) -> str:
        """In a sentence."""
        asked = self.pair.asked
        seen = f" from {asked.to}" if asked.to else ""
        places = decimals(unit) + 1
        now, then = (f"{mm / mm_per(unit):.{places}f} {unit}" for mm in (self.now, self.then))
        return (
            f"{self.repeats} repeats of '{self.source.name}' would take the doubt about {asked.feature}{seen} from "
            f"{now} to {then}."
        )


def repeats_leave(repeats: int) -> float:
    """How unsure a standard deviation is that comes from so many values."""
    return 1.0 / math.sqrt(2.0 * (repeats - 1))


def worth_measuring(budget: Budget) -> tuple[Worth, ...]:
    """The one that is worth most first; of a pair with a tolerance, in shares of that, before those without."""
    found = []
    for source in budget.assumed:
        hanging = [
            (each.share * pair.expanded, pair)
            for pair in budget.pairs
            for each in pair.enters
            if each.source.key == source.key
        ]
        most, pair = max(hanging, key=lambda each: (each[1].asked.tolerance is not None, each[0]))
        # What the sum gains where one part of its square is larger by a share: that share of it, times its own.
        found.append(Worth(source, pair, most * ASSUMED, most * repeats_leave(REPEATS)))
    return tuple(sorted(found, key=_rank))


def _rank(worth: Worth) -> tuple[bool, float]:
    tolerance = worth.pair.asked.tolerance
    return tolerance is None, -worth.now / (tolerance or 1.0)
