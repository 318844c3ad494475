"""How one source is spread: its standard uncertainty, and how it is drawn.

``size`` is the standard uncertainty of ``normal`` and ``one-sided``, the half width of ``uniform``, ``triangular`` and
``arcsine``, the radius of ``disc``.  Standard uncertainties are those of JCGM 100, 4.3, and JCGM 101, 6.4:

========== ======================= ==============================================================
uniform    ``a / sqrt(3)``         equally likely anywhere within ``a`` to either side
triangular ``a / sqrt(6)``         the sum of two even ones of half the width
arcsine    ``a / sqrt(2)``         what swings to and fro within ``a``
disc       ``r / 2``               along any line through its middle, of a place anywhere in it
one-sided  ``s``                   the size of a normal deviation, all to the side of plus: root of the mean square
samples    their own               the values themselves, about their mean
========== ======================= ==============================================================
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal, assert_never

import numpy as np
from scipy import special

from ..frames import Array

Distribution = Literal["normal", "uniform", "triangular", "arcsine", "disc", "one-sided", "samples"]


def standard_of(distribution: Distribution, size: float, values: Sequence[float] = ()) -> float:
    """Standard uncertainty (of the unit of ``size``) along one axis, about what is told."""
    match distribution:
        case "normal" | "one-sided":
            return size
        case "uniform":
            return size / math.sqrt(3.0)
        case "triangular":
            return size / math.sqrt(6.0)
        case "arcsine":
            return size / math.sqrt(2.0)
        case "disc":
            return size / 2.0
        case "samples":
            return float(np.std(np.asarray(values, dtype=float), ddof=1))
        case _:
            assert_never(distribution)


def deviations(
    distribution: Distribution,
    size: float,
    chances: Array,
    *,
    dof: float = math.inf,
    values: Sequence[float] = (),
) -> Array:
    """How far off (N,) what is told it is, at ``chances`` (N,) between 0 and 1: the inverse of the distribution
    function.

    A normal one that is known from ``dof + 1`` values only is drawn from Student's distribution, as JCGM 101, 6.4.9,
    has it.  Samples are drawn about their mean, and a little wider than they lie, so that their variance is the one
    that is estimated from them.
    """
    match distribution:
        case "normal":
            scores = special.ndtri(chances) if math.isinf(dof) else special.stdtrit(dof, chances)
            return np.asarray(size * scores)
        case "one-sided":
            # Of |N(0, s)|, from the side on which doubles are close.
            return np.asarray(-size * special.ndtri((1.0 - chances) / 2.0))
        case "uniform":
            return size * (2.0 * chances - 1.0)
        case "triangular":
            below = chances < 0.5
            near = np.sqrt(2.0 * np.where(below, chances, 1.0 - chances))
            return size * np.where(below, near - 1.0, 1.0 - near)
        case "arcsine":
            return size * np.sin(math.pi * (chances - 0.5))
        case "disc":
            # The marginal of a disc is a half circle: of x = (1 + y/r) / 2 that is the beta distribution (3/2, 3/2).
            return np.asarray(size * (2.0 * special.betaincinv(1.5, 1.5, chances) - 1.0))
        case "samples":
            known = np.sort(np.asarray(values, dtype=float))
            count = len(known)
            wider = math.sqrt(count / (count - 1.0))
            which = np.minimum((chances * count).astype(int), count - 1)
            return np.asarray(wider * (known[which] - known.mean()))
        case _:
            assert_never(distribution)


def draw(
    distribution: Distribution,
    size: float,
    chance: np.random.Generator,
    count: int,
    *,
    dof: float = math.inf,
    values: Sequence[float] = (),
) -> Array:
    """As many independent deviations (N,), by what is quickest for each."""
    match distribution:
        case "normal":
            return size * (chance.standard_normal(count) if math.isinf(dof) else chance.standard_t(dof, count))
        case "one-sided":
            return size * np.abs(chance.standard_normal(count))
        case "uniform":
            return chance.uniform(-size, size, count)
        case "triangular":
            return chance.triangular(-size, 0.0, size, count) if size > 0.0 else np.zeros(count)
        case "disc":
            out, way = np.sqrt(chance.uniform(size=count)), chance.uniform(0.0, 2.0 * math.pi, count)
            return size * out * np.cos(way)
        case "arcsine" | "samples":
            return deviations(distribution, size, chance.uniform(size=count), dof=dof, values=values)
        case _:
            assert_never(distribution)
