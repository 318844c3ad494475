"""A view cut short to its heart, where the paper is narrow: jaws and beds that reach far out leave the part no room.

Lines and areas are cut at a window; what is marked lies within it, and a dimension that reaches beyond is broken there.
Segments are cut after Liang and Barsky (ACM Transactions on Graphics 3, 1984), areas one side after another after
Sutherland and Hodgman (Communications of the ACM 17, 1974), which for a window without dents is exact.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from .items import Ball, Dimension, Drawing, Fill, Item, Label, Lines, Point2, Spot, Stroke, Touchable, Zero

#: So much is shown left and right of the heart, and above and below it, as shares of its width.
Round = tuple[float, float]
SLIM, BROAD = (0.03, 0.045), (0.12, 0.12)

Window = tuple[Point2, Point2]


def cut_short(drawing: Drawing, round_it: Round) -> Drawing:
    """The drawing cut to its heart, some room round it, and what is marked on it; itself where it has none, or nothing
    would be cut."""
    if drawing.heart is None:
        return drawing
    low, high = _window(drawing, drawing.heart, round_it)
    low = (max(low[0], drawing.low[0]), max(low[1], drawing.low[1]))
    high = (min(high[0], drawing.high[0]), min(high[1], drawing.high[1]))
    if (low, high) == (drawing.low, drawing.high):
        return drawing
    first, *rest = drawing.name.split(" · ")
    items = tuple(short for item in drawing.items if (short := _cut(item, (low, high))) is not None)
    return Drawing(" · ".join([f"{first}, cut short", *rest]), items, low, high, points_down=drawing.points_down)


def _window(drawing: Drawing, heart: Window, round_it: Round) -> Window:
    """Round the heart and whatever is marked."""
    (x0, y0), (x1, y1) = heart
    beside, above = (share * (x1 - x0) for share in round_it)
    points = [(x0 - beside, y0 - above), (x1 + beside, y1 + above)]
    for item in drawing.items:
        points += _marked(item, heart)
    xs, ys = zip(*points, strict=True)
    return (min(xs), min(ys)), (max(xs), max(ys))


def _marked(item: Item, heart: Window) -> list[Point2]:
    match item:
        case Zero(at=at) | Spot(at=at):
            return [at]
        case Ball():
            around = 1.5 * item.radius
            return [item.start, item.end, *((item.at[0] + d, item.at[1] + d) for d in (-around, around))]
        case Stroke(line="search"):
            return list(item.points)
        case Touchable():
            # Some of it, to be picked by.
            ends = zip(item.start, item.end, *heart, strict=True)
            x, y = (min(max((low + high) / 2.0, min(a, b)), max(a, b)) for a, b, low, high in ends)
            return [(x, y)]
    return []


def _cut(item: Item, window: Window) -> Item | None:
    """What is left of it within the window; None where that is nothing."""
    match item:
        case Lines():
            segments = cut_segments(item.segments, window)
            return replace(item, segments=segments) if len(segments) else None
        case Stroke():
            ends = np.array(item.points, dtype=float)
            segments = cut_segments(np.stack([ends[:-1], ends[1:]], axis=1), window)
            return Lines(segments, item.line, item.source) if len(segments) else None
        case Fill():
            rings = tuple(ring for each in item.rings if len(ring := cut_ring(each, window)) > 2)
            return replace(item, rings=rings) if rings else None
        case Touchable():
            (short, *_) = (*cut_segments(np.array([[item.start, item.end]], dtype=float), window), None)
            if short is None:
                return item
            start, end = ((float(x), float(y)) for x, y in short)
            return replace(item, start=start, end=end)
        case Label():
            return replace(item, at=_inside(item.at, window))
        case Dimension():
            return _broken(item, window)
    return item


def _broken(item: Dimension, window: Window) -> Dimension | None:
    """The dimension with an end that lies beyond broken off; none where both do."""
    start, end, k = _inside(item.start, window), _inside(item.end, window), 0 if item.side == "below" else 1
    beyond = start[k] != item.start[k], end[k] != item.end[k]
    if all(beyond):
        return None
    return replace(item, start=start, end=end, broken="start" if beyond[0] else "end" if beyond[1] else "")


def _inside(at: Point2, window: Window) -> Point2:
    (x0, y0), (x1, y1) = window
    return min(max(at[0], x0), x1), min(max(at[1], y0), y1)


def cut_segments(segments: NDArray[np.float64], window: Window) -> NDArray[np.float64]:
    """What of segments (N, 2, 2) lies within a window, as segments (M, 2, 2); those that only touch it are none."""
    start, along = segments[:, 0], segments[:, 1] - segments[:, 0]
    first, last = np.zeros(len(segments)), np.ones(len(segments))
    with np.errstate(divide="ignore", invalid="ignore"):
        for axis in (0, 1):
            for bound, way in ((window[0][axis], -1.0), (window[1][axis], 1.0)):
                out, left = way * along[:, axis], way * (bound - start[:, axis])
                share = left / out
                first = np.where(out < 0.0, np.maximum(first, share), first)
                last = np.where(out > 0.0, np.minimum(last, share), last)
                last = np.where((out == 0.0) & (left < 0.0), -1.0, last)
    kept = last > first
    ends = [start[kept] + share[kept, None] * along[kept] for share in (first, last)]
    return np.stack(ends, axis=1)


def cut_ring(ring: Sequence[Point2], window: Window) -> tuple[Point2, ...]:
    """What of a ring lies within a window, as a ring: along the window's sides where it leaves it."""
    points: list[Point2] = list(ring)
    for axis in (0, 1):
        for bound, way in ((window[0][axis], -1.0), (window[1][axis], 1.0)):
            points = list(_cut_at(points, axis, bound, way))
            if not points:
                return ()
    return tuple(points)


def _cut_at(points: Sequence[Point2], axis: int, bound: float, way: float) -> Iterable[Point2]:
    before = points[-1]
    for now in points:
        out_before, out_now = way * (before[axis] - bound), way * (now[axis] - bound)
        if (out_before > 0.0) != (out_now > 0.0):
            share = out_before / (out_before - out_now)
            other = before[1 - axis] + share * (now[1 - axis] - before[1 - axis])
            yield (bound, other) if axis == 0 else (other, bound)
        if out_now <= 0.0:
            yield now
        before = now
