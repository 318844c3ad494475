"""What is measured of a part: a line for each size and place that the drawing gives its features."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ..feature_places import distance_between, wall_between
from ..model.job import Job
from ..model.part import Feature, Tolerance

#: Sizes of a feature that its tolerance of size is of; its depth has none.
_SIZES = ("diameter", "width", "length")


@dataclass(frozen=True)
class Line:
    """``what`` is called so of that feature, should be ``nominal``, and passes from ``low`` to ``high`` (mm); without
    those it is told and not judged.

    Of a place the number is how far it lies from where it should, seen from another feature or P zero; of an edge
    break by how much it is wider on one side than on the other.
    """

    feature: str
    what: str
    nominal: float
    low: float | None = None
    high: float | None = None

    @property
    def key(self) -> tuple[str, str]:
        return self.feature, self.what

    @property
    def is_judged(self) -> bool:
        return self.low is not None and self.high is not None

    def passes(self, value: float) -> bool:
        """What lies on a limit passes; a value is known no better than a double tells it.  Raises ValueError for a line
        without limits."""
        if self.low is None or self.high is None:
            raise ValueError(f"{self.feature}: {self.what} has no tolerance")
        slack = 4.0 * math.ulp(max(abs(self.low), abs(self.high), abs(self.nominal)))
        return self.low - slack <= value <= self.high + slack


def lines_of(job: Job) -> tuple[Line, ...]:
    """Of every part of the blank, in the order of features; what was in the blank before is no drawing's."""
    return tuple(line for feature in job.part.features if not feature.found for line in _of(job, feature))


def _of(job: Job, feature: Feature) -> list[Line]:
    asked = feature.tolerance or Tolerance()
    lines = [
        Line(feature.name, name, size, *(() if asked.size is None else (size - asked.size, size + asked.size)))
        for name in _SIZES
        if (size := getattr(feature, name)) is not None
    ]
    if feature.depth is not None and not feature.through:
        lines.append(Line(feature.name, "depth", feature.depth))
    if asked.position is not None:
        seen = f"position from {asked.to}" if asked.to is not None else "position"
        lines.append(Line(feature.name, seen, 0.0, 0.0, asked.position))
    other = None if asked.to is None else job.part.feature(asked.to)
    if other is not None:
        for name, nominal, value in (
            ("distance from", distance_between(feature, other), asked.distance),
            ("wall to", wall_between(feature, other), asked.wall),
        ):
            if value is not None:
                lines.append(Line(feature.name, f"{name} {other.name}", nominal, nominal - value, nominal + value))
    if asked.even is not None:
        lines.append(Line(feature.name, "edge uneven by", 0.0, 0.0, asked.even))
    return lines


def sampled(every: int, parts: int) -> tuple[int, ...]:
    """Numbers of the parts that are measured: the first, then each ``every``-th after it, and the last."""
    if every < 1 or parts < 1:
        raise ValueError("every and parts count from 1")
    return tuple(dict.fromkeys((*range(1, parts + 1, every), parts)))
