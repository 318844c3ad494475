"""Pairs drawn many times, every source with the distribution it has (JCGM 101)."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import assert_never

import numpy as np

from ..errors import CancelledError
from ..frames import Array
from ..scatter import Scatter
from ..uncertainty.coverage import COVERAGE
from ..uncertainty.monte_carlo import Drawn, drawn
from .budget import Budget

#: Draws at once.
_BLOCK = 1 << 14


@dataclass(frozen=True, eq=False)
class DrawnPair:
    """``along`` is what was drawn of a pair along each of its ways; ``low`` and ``high`` hold 95 %: of a circle from
    nought to a radius.  ``out`` is the share that lies beyond the tolerance, None without one."""

    along: tuple[Drawn, ...]
    low: float
    high: float
    out: float | None
    draws: int


def draw_pairs(
    budget: Budget, draws: int, seed: int = 1, should_stop: Callable[[], bool] = lambda: False
) -> tuple[DrawnPair, ...]:
    """Raises CancelledError once ``should_stop``."""
    results = results_of(budget, draws, seed, should_stop)
    told, row = [], 0
    for pair in budget.pairs:
        ways = len(pair.asked.ways)
        told.append(_told(results[row : row + ways], pair.asked.tolerance))
        row += ways
    return tuple(told)


def results_of(
    budget: Budget, draws: int, seed: int, should_stop: Callable[[], bool] = lambda: False
) -> Array:  # fmt: skip
    """Every way of every pair (rows), drawn so often (columns), mm."""
    sources = budget.entering
    column = {name: k for k, name in enumerate(name for each in sources for name in each.coordinates)}
    matrix = np.zeros((sum(len(pair.asked.ways) for pair in budget.pairs), len(column)))
    row = 0
    for pair in budget.pairs:
        for way in pair.moved:
            matrix[row, [column[name] for name in pair.coordinates]] = way
            row += 1
    chance = np.random.default_rng(seed)
    results = np.empty((len(matrix), draws))
    for first in range(0, draws, _BLOCK):
        if should_stop():
            raise CancelledError
        count = min(_BLOCK, draws - first)
        deviations = [drawn_of(each.scatter, chance, count) for each in sources]
        if deviations:
            results[:, first : first + count] = matrix @ np.concatenate(deviations)
        else:
            results[:, first : first + count] = 0.0
    return results


def draw_along(
    budget: Budget, draws: int, seed: int = 1, should_stop: Callable[[], bool] = lambda: False
) -> tuple[Array, ...]:
    """Of each pair what it is off the way it is worst, to either side (mm), so often."""
    results, row, along = results_of(budget, draws, seed, should_stop), 0, []
    for pair in budget.pairs:
        ways = len(pair.asked.ways)
        along.append(pair.worst @ results[row : row + ways])
        row += ways
    return tuple(along)


def drawn_of(scatter: Scatter, chance: np.random.Generator, count: int) -> Array:
    """Deviations (1, N) of a source, or (2, N) in its plane."""
    size, few = scatter.size, math.isfinite(scatter.freedom)
    match scatter.kind:
        case "normal" | "one-sided":
            # What is known from few values is drawn from Student's distribution (JCGM 101, 6.4.9).
            off = size * (chance.standard_t(scatter.freedom, count) if few else chance.standard_normal(count))
            return (np.abs(off) if scatter.kind == "one-sided" else off)[None, :]
        case "even":
            return chance.uniform(-size, size, (1, count))
        case "disc":
            out, way = size * np.sqrt(chance.uniform(size=count)), chance.uniform(0.0, 2.0 * math.pi, count)
            return np.array([out * np.cos(way), out * np.sin(way)])
        case _:
            assert_never(scatter.kind)


def _told(along: Array, tolerance: float | None) -> DrawnPair:
    each: Sequence[Drawn] = [drawn(row) for row in along]
    if len(along) == 1:
        off, low, high = np.abs(along[0]), each[0].low, each[0].high
    else:
        off = np.hypot(*along)
        low, high = 0.0, float(np.quantile(off, COVERAGE))
    out = None if tolerance is None else float(np.mean(off > tolerance))
    return DrawnPair(tuple(each), low, high, out, along.shape[1])
