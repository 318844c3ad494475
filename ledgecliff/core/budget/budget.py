"""The budget of a plan: of each pair of features how far off they will be, and what makes them so."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from ..once import once_each
from ..plan import Plan
from .asked import asked_of, off_of
from .chain import chain_of
from .offs import Source
from .pair import Pair, every, pair_of


@dataclass(frozen=True, eq=False)
class Budget:
    pairs: tuple[Pair, ...]
    sources: Mapping[str, Source]

    @property
    def entering(self) -> tuple[Source, ...]:
        """Every source that enters any pair, the one that adds most first."""
        most: dict[str, float] = {}
        for pair in self.pairs:
            for each in pair.enters:
                most[each.source.key] = max(most.get(each.source.key, 0.0), each.u)
        return tuple(self.sources[key] for key in sorted(most, key=lambda key: -most[key]))

    @property
    def assumed(self) -> tuple[Source, ...]:
        """Those whose figure nobody has stated or measured."""
        return tuple(each for each in self.entering if each.scatter.origin == "assumed")


@once_each
def budget_of(plan: Plan) -> Budget:
    """By propagation."""
    return _budget(plan, every)


@once_each
def budget_rehearsed(plan: Plan) -> Budget:
    """The same of those sources alone that the simulated machine has too."""
    return _budget(plan, lambda source: source.rehearsed)


def _budget(plan: Plan, counts: Callable[[Source], bool]) -> Budget:
    chain = chain_of(plan)
    offs = [(asked, off_of(chain, asked)) for asked in asked_of(chain)]
    pairs = tuple(pair_of(chain, asked, off, counts) for asked, off in offs)
    return Budget(pairs, chain.sources)
