"""From a standard uncertainty to what 95 % stay within: degrees of freedom, coverage factors, circles.

Along one axis the factor is Student's for the effective degrees of freedom (JCGM 100, G.3 and G.4), and never less than
the 2 that is usual where a figure is well known, which holds 95.4 % of what is normal.
"""

from __future__ import annotations

import math
from collections.abc import Iterable

from scipy import integrate, optimize, special

#: How much is covered, and the least factor that is told for it along one axis.
COVERAGE, USUAL = 0.95, 2.0
#: The factor of a normal deviation whose size is fully known.
_NORMAL = float(special.ndtri(0.5 + COVERAGE / 2.0))


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
    return _NORMAL if math.isinf(dof) else float(special.stdtrit(dof, 0.5 + COVERAGE / 2.0))


def coverage_factor(dof: float) -> float:
    return max(USUAL, student(dof))


def circle_factor(ratio: float) -> float:
    """The radius that holds 95 % of two independent normal deviations about nought, in standard deviations of the
    larger; ``ratio`` is the smaller over the larger.

    Of equal ones that is ``sqrt(-2 ln 0.05)`` = 2.448, of one alone 1.960.  Raises ValueError for a ratio that is none.
    """
    if not 0.0 <= ratio <= 1.0:
        raise ValueError("the ratio is that of the smaller to the larger")
    return float(optimize.brentq(lambda radius: within_circle(radius, 1.0, ratio) - COVERAGE, 1.9, 2.5, xtol=1e-12))


def within_circle(radius: float, u_a: float, u_b: float) -> float:
    """How likely two independent normal deviations about nought together are no longer than ``radius``."""
    larger, smaller = max(u_a, u_b), min(u_a, u_b)
    if larger == 0.0:
        return 1.0
    if smaller < 1e-9 * larger:
        return float(special.erf(radius / larger / math.sqrt(2.0)))
    # Along the smaller to where the larger leaves the circle; the substitution takes out the edge's steepness.
    reach = min(radius / smaller, 9.0)

    def at(score: float) -> float:
        rest = math.sqrt(max(radius**2 - (smaller * score) ** 2, 0.0))
        return math.exp(-(score**2) / 2.0) * float(special.erf(rest / larger / math.sqrt(2.0)))

    value, error = integrate.quad(at, 0.0, reach, epsabs=1e-12, epsrel=1e-10, limit=200)
    if error > 1e-7:
        raise ArithmeticError("the share within a circle did not converge")
    return min(math.sqrt(2.0 / math.pi) * float(value), 1.0)
