"""What the budget says of pairs beside what rehearsals have seen of them, on paper: both distributions of a pair on one
scale (pixels), with as much area."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..frames import Array
from ..quantities import Unit, format_length
from ..rehearsal.spread import SpreadPair
from .items import Point2
from .marks import Box

#: Room at the left and right, how high a row is, and within it where its curves stand and how high (pixels).
_SIDE, _ROW, _FOOT, _HIGH = 12.0, 128.0, 96.0, 66.0
#: Classes of what was rehearsed, and of what the budget was drawn for, from end to end.
_CLASSES, _FINE = 25, 75
#: What lies beyond this share of the draws to either side is left off the paper.
_TAIL = 0.001


@dataclass(frozen=True)
class SpreadRow:
    """``curve`` is the budget's distribution, ``bars`` what was rehearsed; ``means`` where either has its mean, the
    budget's first.  ``ends`` are what the ends of the scale are, in words."""

    feature: str
    top: float
    words: str
    verdict: str
    agrees: bool
    curve: tuple[Point2, ...]
    bars: tuple[Box, ...]
    means: tuple[float, float]
    zero: float
    ends: tuple[str, str]


@dataclass(frozen=True)
class SpreadLayout:
    rows: tuple[SpreadRow, ...]
    left: float
    right: float
    height: float

    @property
    def foot(self) -> float:
        """Of a row, where its curves stand."""
        return _FOOT


def spread_layout(pairs: Sequence[SpreadPair], drawn: Sequence[Array], width: float, unit: Unit) -> SpreadLayout:
    """``drawn`` is what the budget was drawn to, of each pair the way it is worst (mm)."""
    left, right = _SIDE, max(width - _SIDE, _SIDE + 1.0)
    rows = tuple(
        _row(pair, along, k * _ROW, left, right, unit)
        for k, (pair, along) in enumerate(zip(pairs, drawn, strict=True))
    )  # fmt: skip
    return SpreadLayout(rows, left, right, len(rows) * _ROW)


def _row(pair: SpreadPair, along: Array, top: float, left: float, right: float, unit: Unit) -> SpreadRow:
    ends = np.abs([*np.quantile(along, (_TAIL, 1.0 - _TAIL)), pair.off.min(), pair.off.max()])
    reach = float(ends.max()) * 1.05 or 1.0
    per_mm = (right - left) / (2.0 * reach)
    middle = (left + right) / 2.0
    fine, fine_at = _density(along, reach, _FINE)
    coarse, coarse_at = _density(pair.off, reach, _CLASSES)
    highest = max(float(fine.max()), float(coarse.max())) or 1.0
    foot, per_density = top + _FOOT, _HIGH / highest
    curve = [(middle + at * per_mm, foot - value * per_density) for at, value in zip(fine_at, fine, strict=True)]
    wide = 2.0 * reach / _CLASSES * per_mm
    bars = [
        Box(middle + at * per_mm - wide / 2.0, foot - value * per_density, wide, value * per_density)
        for at, value in zip(coarse_at, coarse, strict=True)
        if value > 0.0
    ]
    (mean, sd), asked = pair.expected, pair.budget.asked
    seen = f" from {asked.to}" if asked.to else ""
    told = [format_length(value, unit) for value in (sd, pair.sd)]
    end = format_length(reach, unit)
    return SpreadRow(
        feature=asked.feature,
        top=top,
        words=f"{asked.feature}{seen}, {asked.what} {asked.direction}, {len(pair.off)} parts",
        verdict=f"deviation {told[0]} by the budget, {told[1]} rehearsed",
        agrees=pair.agrees,
        curve=tuple(curve),
        bars=tuple(bars),
        means=(middle + mean * per_mm, middle + pair.mean * per_mm),
        zero=middle,
        ends=(f"−{end}", f"+{end}"),
    )


def _density(values: Array, reach: float, classes: int) -> tuple[Array, Array]:
    """How many of the values lie in each class, as a share of all for each mm, and the middles of the classes."""
    counts, edges = np.histogram(np.clip(values, -reach, reach), bins=classes, range=(-reach, reach))
    return counts / (max(len(values), 1) * (edges[1] - edges[0])), (edges[:-1] + edges[1:]) / 2.0
