"""Small displacements as sums over sources: what each source moves, with its sign.

A source that moves two things moves both by the same deviation, so that in their difference it counts once, as what is
left of it.  All of this is linear: a turn moves what is ``arm`` from it by ``turn x arm``.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from ..frames import Array
from ..scatter import Scatter

#: What a source is: how what holds the part stands; how the part lies in it, and turned; play in what registers it; the
#: blank's sizes; centres of axes, and how these repeat; how readings repeat; where a cut lands; what
#: treatment has moved; where a station is in its pattern; how well the ball's radius is known; how well the length of a
#: cutter or a probe is; how warm a part is while it is cut.
Kind = Literal[
    "stands",
    "lies",
    "skew",
    "play",
    "blank",
    "centre",
    "index",
    "reading",
    "lands",
    "treatment",
    "station",
    "ball",
    "length",
    "temperature",
]


@dataclass(frozen=True)
class Source:
    """One thing that may be off what is told of it.

    ``key`` tells it from all others, by ids; ``name`` is what people call it.  ``figure`` is where in the job its size
    stands, empty where it stands nowhere.  ``rehearsed`` says whether the simulated machine has it too.
    """

    key: str
    kind: Kind
    name: str
    scatter: Scatter
    figure: tuple[str | int, ...] = ()
    rehearsed: bool = True

    @property
    def coordinates(self) -> tuple[str, ...]:
        """What is drawn of it: of a disc two, in its plane."""
        return (f"{self.key}, one way", f"{self.key}, across") if self.scatter.kind == "disc" else (self.key,)


@dataclass(frozen=True, eq=False)
class Off:
    """A displacement: by coordinate of a source, what a deviation of one (mm, or radian of a turn) moves (3,)."""

    terms: Mapping[str, Array]

    def __add__(self, other: Off) -> Off:
        terms = dict(self.terms)
        for key, by in other.terms.items():
            terms[key] = terms[key] + by if key in terms else by
        return Off(terms)

    def __sub__(self, other: Off) -> Off:
        return self + other.times(-1.0)

    def times(self, factor: float) -> Off:
        return Off({key: factor * by for key, by in self.terms.items()})

    def turned(self, matrix: Array) -> Off:
        """In other axes, or taken along by a turn."""
        return Off({key: matrix @ by for key, by in self.terms.items()})

    def about(self, arm: Array) -> Off:
        """Of a turn: what it moves at a place that is ``arm`` (3,) from what it turns about."""
        x, y, z = arm
        # A matrix that makes "by x arm" of "by": far quicker than a cross product of each.
        return self.turned(np.array([[0.0, z, -y], [-z, 0.0, x], [y, -x, 0.0]]))

    def along(self, way: Array, moves: Array) -> Off:
        """What moves by ``moves`` (3,) for each mm that this lies along ``way`` (3,)."""
        return Off({key: float(way @ by) * moves for key, by in self.terms.items()})


NOTHING = Off({})


def added(parts: Iterable[Off]) -> Off:
    """Their sum."""
    terms: dict[str, Array] = {}
    for part in parts:
        for key, by in part.terms.items():
            terms[key] = terms[key] + by if key in terms else by
    return Off(terms)
