"""What many draws of a result say: mean, spread, and the intervals that hold 95 % of them (JCGM 101, 7)."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ..frames import Array
from .coverage import COVERAGE

#: Fewer tell nothing of the last fortieth to either side.
LEAST_DRAWS, MOST_DRAWS = 1_000, 20_000_000
#: In so many parts the draws are looked at again, for how far their ends are known.
_PARTS = 10


@dataclass(frozen=True)
class Drawn:
    """Of ``draws`` results: their ``mean`` and standard deviation ``sd``; ``low`` and ``high``, below and above which
    lie 2.5 % each; the ``shortest`` interval with 95 %; ``unsure`` is how far (one standard error) either end of it is
    known, by comparing tenths of the draws with each other."""

    draws: int
    mean: float
    sd: float
    low: float
    high: float
    shortest: tuple[float, float]
    unsure: float

    @property
    def half(self) -> float:
        """Half of what lies between ``low`` and ``high``."""
        return (self.high - self.low) / 2.0


def drawn(results: Array) -> Drawn:
    """Of results (N,).  Raises ValueError for fewer than ``LEAST_DRAWS``."""
    count = len(results)
    if count < LEAST_DRAWS:
        raise ValueError(f"{count} draws tell nothing of 95 %; draw {LEAST_DRAWS} at least")
    inside = round(COVERAGE * count)
    tenths = results[: count - count % _PARTS].reshape(_PARTS, -1)
    ends = np.quantile(tenths, [(1.0 - COVERAGE) / 2.0, (1.0 + COVERAGE) / 2.0], axis=1)
    unsure = float(np.max(np.std(ends, axis=1, ddof=1))) / math.sqrt(_PARTS)
    in_order = np.sort(results)
    low, high = np.quantile(in_order, [(1.0 - COVERAGE) / 2.0, (1.0 + COVERAGE) / 2.0])
    widths = in_order[inside:] - in_order[: count - inside]
    at = int(np.argmin(widths))
    return Drawn(
        draws=count,
        mean=float(results.mean()),
        sd=float(results.std(ddof=1)),
        low=float(low),
        high=float(high),
        shortest=(float(in_order[at]), float(in_order[at + inside])),
        unsure=unsure,
    )
