"""From a standard uncertainty to what 95 % stay within: degrees of freedom, coverage factors, circles.

Along one axis the factor is Student's for the effective degrees of freedom (JCGM 100, G.3 and G.4), and never less than
the 2 that is usual where a figure is well known, which holds 95.4 % of what is normal.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from functools import lru_cache

import numpy as np

#: How much is covered, and the least factor that is told for it along one axis.
COVERAGE, USUAL = 0.95, 2.0
#: The factor of a normal deviation whose size is fully known: the 97.5 % point of the normal distribution.
_NORMAL = 1.959963984540054
#: Steps all round, none of them where one deviation alone counts.
_ROUND = (np.arange(1024) + 0.5) * (2.0 * math.pi / 1024)
_COS, _SIN = np.cos(_ROUND), np.sin(_ROUND)


def effective_dof(parts: Iterable[tuple[float, float]]) -> float:
    """Welch-Satterthwaite (JCGM 100, G.4.1): of standard uncertainties with their degrees of freedom."""
    parts = tuple(parts)
    largest = max((abs(u) for u, _ in parts), default=0.0)
    if largest == 0.0:
        return math.inf
    # In shares of the largest, so that neither tiny nor huge ones leave the range of doubles.
    total = math.fsum((u / largest) ** 2 for u, _ in parts)
    slack = math.fsum((u / largest) ** 4 / dof for u, dof in parts if math.isfinite(dof))
    return total**2 / slack if slack > 0.0 else math.inf


def student(dof: float) -> float:
    """What holds 95 % of Student's distribution, to either side."""
    if math.isinf(dof):
        return _NORMAL
    from scipy import special  # the desk starts without it

    return float(special.stdtrit(dof, 0.5 + COVERAGE / 2.0))


def coverage_factor(dof: float) -> float:
    return max(USUAL, student(dof))


@lru_cache(maxsize=1024)
def circle_factor(ratio: float) -> float:
    """The radius that holds 95 % of two independent normal deviations about nought, in standard deviations of the
    larger; ``ratio`` is the smaller over the larger.

    Of equal ones that is ``sqrt(-2 ln 0.05)`` = 2.448, of one alone 1.960.  Raises ValueError for a ratio that is none.
    """
    if not 0.0 <= ratio <= 1.0:
        raise ValueError("the ratio is that of the smaller to the larger")
    low, high = 1.9, 2.5
    while high - low > 1e-12:
        middle = (low + high) / 2.0
        low, high = (middle, high) if within_circle(middle, 1.0, ratio) < COVERAGE else (low, middle)
    return high


def within_circle(radius: float, u_a: float, u_b: float) -> float:
    """How likely two independent normal deviations about nought together are no longer than ``radius``.

    In polar coordinates of what both are in units of their own that is ``1 - mean(exp(-R^2 / 2 (a^2 c^2 + b^2 s^2)))``
    all round, which equal steps integrate to rounding.
    """
    larger = max(u_a, u_b)
    if larger == 0.0:
        return 1.0
    a, b, reach = u_a / larger, u_b / larger, radius / larger
    squares = (a * _COS) ** 2 + (b * _SIN) ** 2
    return 1.0 - float(np.exp(-(reach**2) / (2.0 * np.maximum(squares, 1e-300))).mean())
