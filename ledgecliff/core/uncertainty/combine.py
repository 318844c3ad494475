"""All sources of one result combined: by propagation, and by Monte Carlo with the distributions they have."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from ..errors import CancelledError, InvalidValueError
from ..frames import Array
from .correlated_draws import Correlated
from .distributions import draw
from .expressions import Expression
from .monte_carlo import LEAST_DRAWS, MOST_DRAWS, Drawn, drawn
from .propagation import Propagated, propagate
from .sources import Sources, correlation

#: Draws at once: all sources of a block fit into memory.
_BLOCK = 1 << 16


@dataclass(frozen=True)
class Entered:
    """A source in the result: what it adds by itself (``u``, with its ``sensitivity``), and its share of the whole."""

    name: str
    sensitivity: float
    u: float
    share: float


@dataclass(frozen=True)
class Combined:
    value: float
    propagated: Propagated
    entered: tuple[Entered, ...]
    drawn: Drawn

    @property
    def agree(self) -> bool:
        """Whether both intervals end alike, to a tenth of how wide they are (JCGM 101, 8.1); where not, the model bends
        or the distributions have an end, and the drawn one is right."""
        low, high = self.value - self.propagated.expanded, self.value + self.propagated.expanded
        apart = max(abs(low - self.drawn.low), abs(high - self.drawn.high))
        return apart <= 0.1 * max(self.propagated.expanded, self.drawn.half) + 1e-12 * abs(self.value)


def combine(sources: Sources, draws: int, seed: int = 1, should_stop: Callable[[], bool] = lambda: False) -> Combined:
    """Raises InvalidValueError where the model has no value, or the draws are too few or too many; CancelledError once
    ``should_stop``."""
    if not LEAST_DRAWS <= draws <= MOST_DRAWS:
        raise InvalidValueError("draws", f"there are {LEAST_DRAWS} to {MOST_DRAWS:,} of them, not {draws}.")
    names = [each.name for each in sources.sources]
    at = {each.name: each.at for each in sources.sources}
    model = None if sources.model is None else Expression(sources.model, names)
    if model is None:
        enters = {each.name: 1.0 if each.sensitivity is None else each.sensitivity for each in sources.sources}
        value = math.fsum(enters[name] * at[name] for name in names)
    else:
        value, enters = model.at(at)
    sensitivities = np.array([enters[name] for name in names])
    parts = sensitivities * np.array([each.u for each in sources.sources])
    matrix = correlation(sources) if sources.correlated else None
    propagated = propagate(parts, [each.freedom for each in sources.sources], matrix)
    results = np.concatenate(list(_results(sources, model, sensitivities, value, draws, seed, should_stop)))
    entered = tuple(
        Entered(name, float(by), abs(float(part)), share)
        for name, by, part, share in zip(names, sensitivities, parts, propagated.shares, strict=True)
    )
    return Combined(value, propagated, entered, drawn(results))


def _results(
    sources: Sources, model: Expression | None, sensitivities: Array, value: float, draws: int, seed: int,
    should_stop: Callable[[], bool],
) -> Iterator[Array]:  # fmt: skip
    together, chance = Correlated(sources), np.random.default_rng(seed)
    for first in range(0, draws, _BLOCK):
        if should_stop():
            raise CancelledError
        count = min(_BLOCK, draws - first)
        bound = together.draw(chance, count)
        results, given = np.full(count, value), {}
        for k, source in enumerate(sources.sources):
            off = bound.get(k)
            if off is None:
                off = draw(source.distribution, source.size or 0.0, chance, count, dof=source.freedom,
                           values=source.values)  # fmt: skip
            if model is None:
                results += sensitivities[k] * off
            else:
                given[source.name] = source.at + off
        yield results if model is None else model.values(given)
