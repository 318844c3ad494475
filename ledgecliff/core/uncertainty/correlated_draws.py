"""Sources that are correlated, drawn with the distributions they have.

Normal scores are drawn with a correlation, and each is taken to its source's own distribution (a Gaussian copula).  The
scores' correlation is found so that the sources' own comes out as stated, by integrating over both scores.
"""

from __future__ import annotations

import math

import numpy as np
from scipy import optimize, special

from ..errors import InvalidValueError
from ..frames import Array
from .distributions import deviations
from .sources import Source, Sources, correlation

#: Nodes of the Gauss-Hermite rule for each score, and how near to the stated a correlation is found.
_NODES, _NEAR = 80, 1e-6
#: Student's distribution has a correlation only above this many degrees of freedom.
_LEAST_DOF = 2.0


class Correlated:
    """Draws of all sources.  Raises InvalidValueError where no sources of these distributions can be so correlated."""

    def __init__(self, sources: Sources) -> None:
        self._sources = sources.sources
        stated = correlation(sources)
        bound = sorted({k for k in range(len(stated)) if np.count_nonzero(stated[k]) > 1})
        self._bound = bound
        matrix = np.eye(len(bound))
        for a, i in enumerate(bound):
            for b, j in enumerate(bound[:a]):
                if stated[i, j]:
                    matrix[a, b] = matrix[b, a] = _of_scores(self._sources[i], self._sources[j], float(stated[i, j]))
        values, vectors = np.linalg.eigh(matrix)
        if len(bound) and values.min() < -1e-6:
            raise InvalidValueError("correlated", "sources of these distributions cannot all be correlated so.")
        # Not by Cholesky, which needs more than that none is below nought.
        self._root = vectors * np.sqrt(np.maximum(values, 0.0))

    def draw(self, chance: np.random.Generator, count: int) -> dict[int, Array]:
        """Deviations (count,) of every source that is correlated with another, by its number."""
        scores = chance.standard_normal((count, len(self._bound))) @ self._root.T
        return {k: _deviation(self._sources[k], scores[:, a]) for a, k in enumerate(self._bound)}


def _deviation(source: Source, scores: Array) -> Array:
    if source.distribution == "normal" and math.isinf(source.freedom):
        return (source.size or 0.0) * scores
    # Chances of exactly nought or one would be endless deviations.
    chances = np.clip(special.ndtr(scores), 1e-16, 1.0 - 1e-16)
    return deviations(
        source.distribution, source.size or 0.0, chances, dof=source.freedom, values=source.values
    )  # fmt: skip


def _of_scores(a: Source, b: Source, wanted: float) -> float:
    for each in (a, b):
        if each.distribution == "normal" and each.freedom <= _LEAST_DOF:
            raise InvalidValueError(
                "correlated", f"'{each.name}' has so few degrees of freedom that its draws have no correlation; "
                "leave them out, or give more.",
            )  # fmt: skip
    if a.u == 0.0 or b.u == 0.0 or all(s.distribution == "normal" and math.isinf(s.freedom) for s in (a, b)):
        return wanted
    nodes, weights = special.roots_hermitenorm(_NODES)
    weights = weights / weights.sum()
    of_a = _centred(_deviation(a, nodes), weights)

    def off(rho: float) -> float:
        mixed = rho * nodes[:, None] + math.sqrt(max(1.0 - rho**2, 0.0)) * nodes
        of_b = _deviation(b, mixed.ravel()).reshape(mixed.shape)
        mean = float(weights @ of_b @ weights)
        spread = math.sqrt(max(float(weights @ (of_b - mean) ** 2 @ weights), 0.0))
        return float(weights @ (of_a[:, None] * (of_b - mean) / spread) @ weights) - wanted

    low, high = off(-1.0), off(1.0)
    if low > _NEAR or high < -_NEAR:
        raise InvalidValueError(
            "correlated", f"'{a.name}' and '{b.name}' cannot be correlated by {wanted:g}: as they are spread, between "
            f"{low + wanted:.3f} and {high + wanted:.3f} can be.",
        )  # fmt: skip
    if low >= 0.0 or high <= 0.0:
        return -1.0 if low >= 0.0 else 1.0
    return float(optimize.brentq(off, -1.0, 1.0, xtol=_NEAR))


def _centred(values: Array, weights: Array) -> Array:
    mean = float(weights @ values)
    spread = math.sqrt(float(weights @ (values - mean) ** 2))
    centred: Array = (values - mean) / spread
    return centred
