"""Presence and seating: one light touch of the top in a window, and what such a window can tell apart.

The top of a seated part varies by the stock's thickness, normal with standard deviation ``sigma``.
A part that rides on a jaw step or a chip stands higher by at least ``rise``.  With limits -a and
+b about the expected height (docs/methods/expected-errors.md): false stops are the share of good parts outside,
missed rises the share of lifted parts that still read at most +b.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from ..model.machine import StopCosts

#: A limit is proposed to a micrometre: a probe tells no more.
_PLACES = 3
#: What is assumed where nobody has stated what stops and misses cost.
USUAL_COSTS = StopCosts()
#: A window separates good from lifted parts where it errs on both sides in fewer than one of so many parts.
ONE_IN = 1000.0


@dataclass(frozen=True)
class Window:
    """Limits (mm) below and above the expected height, with the shares of false stops and missed rises."""

    below: float
    above: float
    false_stops: float
    missed: float

    @property
    def separates(self) -> bool:
        return max(self.false_stops, self.missed) < 1.0 / ONE_IN


def _normal(x: float) -> float:
    """Share of a standard normal below ``x``."""
    return math.erfc(-x / math.sqrt(2.0)) / 2.0


def window(sigma: float, rise: float, below: float, above: float) -> Window:
    """What limits ``-below`` and ``+above`` do (all mm); with ``sigma`` nought every seated part reads alike."""
    if sigma <= 0.0:
        return Window(below, above, 0.0 if min(below, above) >= 0.0 else 1.0, float(rise <= above))
    outside = float(_normal(-below / sigma) + _normal(-above / sigma))
    return Window(below, above, outside, float(_normal((above - rise) / sigma)))


def proposed_window(sigma: float, rise: float, costs: StopCosts = USUAL_COSTS) -> Window:
    """The limit above where false stops and missed rises together cost least.

    Of the cost ``S P(false) + p M P(missed)`` the derivative is nought where both densities are as ``p M / S``:
    ``b = rise / 2 - sigma^2 ln(p M / S) / rise``.  Below, four standard deviations: nothing is riding there, a missing
    or wrong part lies further down.
    """
    above = rise / 2.0 - sigma**2 * math.log(costs.wrong * costs.miss / costs.stop) / rise
    above = min(max(round(above, _PLACES), 0.0), rise)
    return window(sigma, rise, below=max(4.0 * sigma, rise / 2.0), above=above)
