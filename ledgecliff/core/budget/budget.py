"""The budget of a plan: of each pair of features how far off they will be, and what makes them so.

Independent deviations add as squares of what they move (JCGM 100, 5.1.2), degrees of freedom by Welch-Satterthwaite
(G.4).  Off any way in a plane, what holds 95 % is a circle (two equal normal deviations need 2.45 of them).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ..frames import Array
from ..once import once_each
from ..patterns.instances import pattern_of
from ..plan import Plan
from ..uncertainty.coverage import circle_factor, student
from ..uncertainty.propagation import propagate
from .asked import Asked, asked_of, off_of
from .chain import Chain
from .offs import Source


@dataclass(frozen=True)
class Enters:
    """What a source adds to a pair (``u``, standard, mm) the way it is worst off, and its ``share`` of the square."""

    source: Source
    u: float
    share: float


@dataclass(frozen=True, eq=False)
class Pair:
    """``moved`` (ways, N) is how far it is off, times its factor, for a deviation of one of each of the N
    ``coordinates`` of its ``sources``.  ``u`` is the standard uncertainty along the way it is worst (``worst``, in
    shares of its ways), ``expanded`` what 95 % stay within: to either side, or as a radius."""

    asked: Asked
    coordinates: tuple[str, ...]
    sources: tuple[Source, ...]
    moved: Array
    worst: Array
    u: float
    dof: float
    expanded: float
    enters: tuple[Enters, ...]

    @property
    def share(self) -> float | None:
        """Of the tolerance, where there is one."""
        if self.asked.tolerance is None:
            return None
        return self.expanded / self.asked.tolerance if self.asked.tolerance > 0.0 else math.inf

    @property
    def mean_and_deviation(self) -> tuple[float, float]:
        """Of what it is off the way it is worst: what is off to one side moves the mean."""
        along = self.worst @ self.moved
        mean = sum(float(by) * each.scatter.mean for by, each in zip(along, self.sources, strict=True))
        return mean, math.hypot(*self._deviations)

    @property
    def _deviations(self) -> list[float]:
        along = self.worst @ self.moved
        return [float(by) * each.scatter.deviation for by, each in zip(along, self.sources, strict=True)]

    @property
    def excess(self) -> float:
        """Excess kurtosis of their sum."""
        squares = [by**2 for by in self._deviations]
        fourth = sum(square**2 * each.scatter.excess for square, each in zip(squares, self.sources, strict=True))
        return fourth / sum(squares) ** 2 if sum(squares) > 0.0 else 0.0


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


#: What a source adds of less than this comes from looking at sensitivities by small steps (mm).
_NOTHING = 1e-7


def left_out(plan: Plan) -> str:
    """In a sentence, what of a plan its budget does not count; empty where that is nothing."""
    if all(pattern_of(plan.job, index) is None for index in range(len(plan.setups))):
        return ""
    return "Stations of a pattern: it is of one that finds its own zero; how stations differ is not counted."


@once_each
def budget_of(plan: Plan) -> Budget:
    """By propagation."""
    return _budget(plan, rehearsed_only=False)


@once_each
def budget_rehearsed(plan: Plan) -> Budget:
    """The same of those sources alone that the simulated machine has too."""
    return _budget(plan, rehearsed_only=True)


def _budget(plan: Plan, *, rehearsed_only: bool) -> Budget:
    chain = Chain(plan)
    offs = [(asked, off_of(chain, asked)) for asked in asked_of(chain)]
    of = {name: each for each in chain.sources.values() for name in each.coordinates}
    pairs = []
    for asked, off in offs:
        terms = {
            name: asked.factor * (asked.ways @ by)
            for name, by in off.terms.items()
            if not rehearsed_only or of[name].rehearsed
        }
        terms = {name: by for name, by in terms.items() if float(np.abs(by).max()) * of[name].scatter.size > _NOTHING}
        pairs.append(_pair(asked, terms, of))
    return Budget(tuple(pairs), chain.sources)


def _pair(asked: Asked, terms: Mapping[str, Array], of: Mapping[str, Source]) -> Pair:
    names = tuple(terms)
    moved = np.column_stack([terms[name] for name in names]) if names else np.zeros((len(asked.ways), 0))
    standard = np.array([of[name].scatter.standard for name in names])
    spread = (moved * standard) @ (moved * standard).T
    values, vectors = np.linalg.eigh(spread)
    worst = vectors[:, -1]
    along = (worst @ moved) * standard
    # Both coordinates of a disc are one source.
    keys = list(dict.fromkeys(of[name].key for name in names))
    parts = np.array([math.hypot(*along[[of[name].key == key for name in names]]) for key in keys])
    freedom = [next(of[name] for name in names if of[name].key == key).scatter.freedom for key in keys]
    added = propagate(parts, freedom)
    expanded = added.expanded
    if asked.is_circle and added.u > 0.0:
        ratio = math.sqrt(max(float(values[0]), 0.0)) / added.u
        expanded = circle_factor(min(ratio, 1.0)) * added.u * student(added.dof) / student(math.inf)
        expanded = max(expanded, added.expanded)
    sources = [next(of[name] for name in names if of[name].key == key) for key in keys]
    enters = sorted(
        (Enters(source, float(part), share) for source, part, share in zip(sources, parts, added.shares, strict=True)),
        key=lambda each: -each.share,
    )
    return Pair(
        asked, names, tuple(of[name] for name in names), moved, worst, added.u, added.dof, expanded, tuple(enters)
    )
