"""A number against time on paper: values in their order, limits of its own scatter, jumps, marks (pixels)."""

from __future__ import annotations

from dataclasses import dataclass

from ..record.drift import Drift
from ..record.times import moment
from .items import Point2
from .marks import Box

#: Room round the values: for their sizes at the left, for times below, and above (pixels).
_LEFT, _BELOW, _ABOVE, _RIGHT = 76.0, 22.0, 10.0, 12.0
#: Air above and below what is shown, as a share of its height; and how high it is at least (mm, degrees).
_AIR, _LEAST = 0.12, 1e-4


@dataclass(frozen=True)
class Spot:
    """A value: where, what it says, and whether it has jumped."""

    at: Point2
    tip: str
    jumped: bool


@dataclass(frozen=True)
class Level:
    """A line across: its height, its size in words, and whether it is the mean or a limit; from ``left`` on."""

    y: float
    left: float
    words: str
    is_mean: bool


@dataclass(frozen=True)
class Upright:
    x: float
    words: str


@dataclass(frozen=True)
class DriftLayout:
    frame: Box
    spots: tuple[Spot, ...]
    levels: tuple[Level, ...]
    marks: tuple[Upright, ...]
    #: When the first and the last was, at the ends of the frame.
    times: tuple[str, str]


def drift_layout(found: Drift, width: float, height: float) -> DriftLayout | None:
    """None where there is nothing to be shown."""
    if not found.values:
        return None
    frame = Box(_LEFT, _ABOVE, max(width - _LEFT - _RIGHT, 1.0), max(height - _ABOVE - _BELOW, 1.0))
    at = [moment(each.at) for each in found.values]
    numbers = [each.value for each in found.values]
    if found.limits is not None:
        numbers += [found.limits.low, found.limits.high]
    low, high = min(numbers), max(numbers)
    air = max((high - low) * _AIR, _LEAST / 2.0)
    low, high = low - air, high + air
    first, last = at[0], max(at[-1], at[0] + 1.0)

    def x(time: float) -> float:
        return frame.left + (time - first) / (last - first) * frame.width

    def y(value: float) -> float:
        return frame.bottom - (value - low) / (high - low) * frame.height

    jumped = {jump.index for jump in found.jumps}
    spots = tuple(
        Spot((x(time), y(each.value)), f"{each.at[:16].replace('T', ' ')}  {each.value:+.4f}", k in jumped)
        for k, (time, each) in enumerate(zip(at, found.values, strict=True))
    )
    levels: tuple[Level, ...] = ()
    if found.limits is not None:
        left = x(at[found.since])
        said = ((found.limits.mean, True), (found.limits.low, False), (found.limits.high, False))
        levels = tuple(Level(y(value), left, f"{value:+.4f}", is_mean) for value, is_mean in said)
    marks = tuple(Upright(x(time), mark.words) for mark in found.marks if first <= (time := moment(mark.at)) <= last)
    ends = found.values[0].at[:10], found.values[-1].at[:10]
    return DriftLayout(frame, spots, levels, marks, ends)
