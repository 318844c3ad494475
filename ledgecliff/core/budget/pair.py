"""How far off a pair of features will be, and what makes it so.

Independent deviations add as squares of what they move (JCGM 100, 5.1.2), degrees of freedom by Welch-Satterthwaite
(G.4).  Off any way in a plane, what holds 95 % is a circle (two equal normal deviations need 2.45 of them).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from ..frames import Array
from ..uncertainty.coverage import circle_factor, student
from ..uncertainty.propagation import propagate
from .asked import Asked
from .chain import Chain
from .offs import Off, Source


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


#: What a source adds of less than this comes from looking at sensitivities by small steps (mm).
_NOTHING = 1e-7


def every(_source: Source) -> bool:
    return True


def pair_of(chain: Chain, asked: Asked, off: Off, counts: Callable[[Source], bool] = every) -> Pair:
    """By propagation, from how far off it is (in P), of those sources that count."""
    of = {name: each for each in chain.sources.values() for name in each.coordinates}
    terms = {name: asked.factor * (asked.ways @ by) for name, by in off.terms.items() if counts(of[name])}
    terms = {name: by for name, by in terms.items() if float(np.abs(by).max()) * of[name].scatter.size > _NOTHING}
    return _pair(asked, terms, of)


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
