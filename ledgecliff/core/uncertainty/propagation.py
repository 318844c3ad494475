"""The law of propagation of uncertainty (JCGM 100, 5.1 and 5.2), with degrees of freedom (G.4)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..frames import Array
from .coverage import coverage_factor, effective_dof


@dataclass(frozen=True)
class Propagated:
    """``u`` is the combined standard uncertainty, ``expanded`` what 95 % stay within to either side: ``k`` times
    ``u``; ``shares`` are what each source has in the square of ``u``, which add up to 1 (with correlation some may be
    below nought)."""

    u: float
    dof: float
    k: float
    expanded: float
    shares: tuple[float, ...]


def propagate(parts: Array, freedom: Sequence[float], correlation: Array | None = None) -> Propagated:
    """``parts`` (N,) are standard uncertainties times how they enter, with their sign; ``freedom`` (N,) their degrees
    of freedom; ``correlation`` (N, N) their coefficients, none correlated where it is not given.

    What is correlated counts, for degrees of freedom, as one thing that is known as well as the worst known of it.
    """
    # In shares of the largest, so that no square leaves the range of doubles.
    largest = float(np.abs(parts).max(initial=0.0))
    if largest == 0.0:
        return Propagated(0.0, math.inf, coverage_factor(math.inf), 0.0, (0.0,) * len(parts))
    scaled = parts / largest
    if correlation is None:
        squares, groups = scaled**2, [(float(part), dof) for part, dof in zip(scaled, freedom, strict=True)]
    else:
        squares = scaled * (correlation @ scaled)
        groups = [(math.sqrt(max(float(squares[list(of)].sum()), 0.0)), min(freedom[k] for k in of))
                  for of in _together(correlation)]  # fmt: skip
    total = max(math.fsum(squares.tolist()), 0.0)
    u = largest * math.sqrt(total)
    dof = effective_dof(groups)
    k = coverage_factor(dof)
    shares = tuple(float(square) / total if total > 0.0 else 0.0 for square in squares)
    return Propagated(u, dof, k, k * u, shares)


def _together(correlation: Array) -> list[tuple[int, ...]]:
    """Which are correlated with each other, directly or through others."""
    left, groups = set(range(len(correlation))), []
    while left:
        group, ahead = set(), {min(left)}
        while ahead:
            group |= ahead
            ahead = {int(j) for i in ahead for j in np.nonzero(correlation[i])[0]} - group
        groups.append(tuple(sorted(group)))
        left -= group
    return groups
