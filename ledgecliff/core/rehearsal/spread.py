"""How far pairs of features come to be off over many true worlds, beside what the budget says of them.

Worlds are drawn from the same sources as the budget's, but for where cuts land: the simulated machine cuts exactly
where its control says, so that both leave it out.  Mean and standard deviation are held against what the sources have
together: what is off to one side has a mean, and what is bounded or lopsided scatters otherwise about its deviation
(``var(s^2) = s^4 (2 / (n - 1) + excess / n)``).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from ..budget.budget import Budget
from ..budget.pair import Pair
from ..errors import CancelledError
from ..frames import Array
from .drawn_world import drawn_world
from .rehearse import rehearse
from .results import WrittenPlan

#: Sampling alone puts one budget in so many out of these bounds.
_ONE_IN = 10_000
#: What is below this is of the simulated machine's resolution and of facets on rounds (mm, standard).
_RESOLVED = 0.002


@dataclass(frozen=True, eq=False)
class SpreadPair:
    """Of a pair along the way in which the budget has it worst: ``off`` (N,) of every part that was made, its ``mean``
    and standard deviation ``sd``, and within which bounds sampling leaves those by the ``budget`` (mm)."""

    budget: Pair
    off: Array
    mean: float
    sd: float
    means: tuple[float, float]
    sds: tuple[float, float]

    @property
    def expected(self) -> tuple[float, float]:
        """Mean and deviation by the budget."""
        return self.budget.mean_and_deviation

    def words(self) -> str:
        """In a sentence (mm)."""
        asked, (mean, sd) = self.budget.asked, self.expected
        seen = f" from {asked.to}" if asked.to else ""
        ends = "as the budget has it" if self.agrees else "which is not what the budget says"
        return (
            f"{asked.feature}{seen}, {asked.direction}, {len(self.off)} parts: {self.mean:+.4f} with a deviation of "
            f"{self.sd:.4f}; the budget {mean:+.4f} and {sd:.4f}: {ends}."
        )

    @property
    def agrees(self) -> bool:
        return self.means[0] <= self.mean <= self.means[1] and self.sds[0] <= self.sd <= self.sds[1]


@dataclass(frozen=True, eq=False)
class Spread:
    """``failed`` are the seeds in which a program stopped, which count for nothing here."""

    seeds: tuple[int, ...]
    pairs: tuple[SpreadPair, ...]
    failed: tuple[int, ...]


def spread_over(
    written: WrittenPlan,
    budget: Budget,
    seeds: Sequence[int],
    progress: Callable[[int, int], None] = lambda _done, _of: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> Spread:
    """``budget`` is the one of what is rehearsed alone.  Raises CancelledError once ``should_stop``."""
    seen: list[dict[tuple[str, str], Array]] = []
    failed: list[int] = []
    for done, seed in enumerate(seeds):
        progress(done, len(seeds))
        if should_stop():
            raise CancelledError
        rehearsal = rehearse(written, drawn_world(written, seed), should_stop=should_stop)
        seen += rehearsal.seen
        failed += [seed] if rehearsal.has_stopped else []
    progress(len(seeds), len(seeds))
    return Spread(tuple(seeds), spread_of(seen, budget), tuple(failed))


def spread_of(seen: Sequence[dict[tuple[str, str], Array]], budget: Budget) -> tuple[SpreadPair, ...]:
    """Of parts that were rehearsed already, what is asked of each; nothing of fewer than two."""
    pairs = [each for each in budget.pairs if each.asked.what != "size"] if len(seen) > 1 else []
    return tuple(_of(each, seen, len(pairs)) for each in pairs)


def _of(pair: Pair, seen: Sequence[dict[tuple[str, str], Array]], pairs: int) -> SpreadPair:
    from scipy import special  # the desk starts without it

    asked = pair.asked
    off = np.array([each[asked.feature, asked.to] for each in seen]) @ (asked.factor * asked.ways).T @ pair.worst
    mean, sd = pair.mean_and_deviation
    count, chance = len(off), 0.25 / (_ONE_IN * max(pairs, 1))
    reach = float(special.ndtri(1.0 - chance)) * sd / math.sqrt(count) + _RESOLVED
    # As many degrees of freedom as a normal quantity would need, whose variance scatters as much.
    freedom = 2.0 / (2.0 / max(count - 1, 1) + pair.excess / count)
    low, high = (math.sqrt(float(special.chdtri(freedom, 1.0 - p)) / freedom) for p in (chance, 1.0 - chance))
    return SpreadPair(
        pair,
        off,
        float(off.mean()),
        float(off.std(ddof=1)) if count > 1 else 0.0,
        (mean - reach, mean + reach),
        (max(low * sd - _RESOLVED, 0.0), high * sd + _RESOLVED),
    )
