"""How far something may be off what is told of it: the one description that drawn worlds and expected errors read.

Standard uncertainties are those of JCGM 100: an even spread of at most ``a`` to either side has ``a / sqrt(3)``, and a
place anywhere in a disc of radius ``r`` has ``r / 2`` along any line through its middle.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal, assert_never

import numpy as np

from .frames import Array

Kind = Literal["normal", "one-sided", "even", "disc"]
Origin = Literal["assumed", "stated", "from the record"]


@dataclass(frozen=True)
class Scatter:
    """``size`` is, by ``kind``: of ``normal`` the standard deviation; of ``one-sided`` that of a normal deviation
    counted to one side alone, as stock lies off what it is pushed against; of ``even`` the most to either side; of
    ``disc`` the most to any side in a plane.  ``freedom`` says from how many independent values it comes.
    """

    kind: Kind
    size: float
    freedom: float = math.inf
    origin: Origin = "stated"

    @property
    def standard(self) -> float:
        """Standard uncertainty along one axis: the root of the mean square about what is told."""
        match self.kind:
            case "normal" | "one-sided":
                return self.size
            case "even":
                return self.size / math.sqrt(3.0)
            case "disc":
                return self.size / 2.0
            case _:
                assert_never(self.kind)

    @property
    def mean(self) -> float:
        """How far off it is on the average: nought, but for what is off to one side."""
        return self.size * math.sqrt(2.0 / math.pi) if self.kind == "one-sided" else 0.0

    @property
    def deviation(self) -> float:
        """Standard deviation about that mean, along one axis."""
        return math.sqrt(max(self.standard**2 - self.mean**2, 0.0))

    @property
    def excess(self) -> float:
        """Excess kurtosis: below nought of what has an end."""
        match self.kind:
            case "normal":
                return 0.0
            case "one-sided":
                return 8.0 * (math.pi - 3.0) / (math.pi - 2.0) ** 2
            case "even":
                return -1.2
            case "disc":
                return -1.0
            case _:
                assert_never(self.kind)

    @property
    def most(self) -> float:
        """How far off it may be at worst; endless where that has no bound."""
        return self.size if self.kind in ("even", "disc") else math.inf

    def averaged(self, readings: int) -> Scatter:
        """Of the mean of so many independent readings, which only what is normally spread has in this form."""
        if self.kind != "normal":
            raise ValueError(f"the mean of {self.kind} readings is not {self.kind}")
        return replace(self, size=self.size / math.sqrt(readings))

    def draw(self, chance: np.random.Generator) -> float:
        """How far off it is this time, along one axis.  Raises ValueError for a disc, which needs two."""
        match self.kind:
            case "normal":
                return float(chance.normal(0.0, self.size))
            case "one-sided":
                return abs(float(chance.normal(0.0, self.size)))
            case "even":
                return float(chance.uniform(-self.size, self.size))
            case "disc":
                raise ValueError("a disc is drawn in its plane")
            case _:
                assert_never(self.kind)

    def draw_in_plane(self, chance: np.random.Generator) -> Array:
        """How far off (2,) it is this time in its plane, equally likely anywhere in the disc."""
        if self.kind != "disc":
            raise ValueError(f"{self.kind} scatter is drawn along one axis")
        way, out = chance.uniform(0.0, 2.0 * math.pi), self.size * math.sqrt(chance.uniform())
        return np.array([out * math.cos(way), out * math.sin(way)])
