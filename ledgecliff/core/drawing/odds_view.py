"""The picture of a batch: how many blanks are of which size, from where on they clean up, and those that do not."""

from __future__ import annotations

import itertools
import math

import numpy as np

from ..blank_batches import BatchTold
from ..clean_up import Batch
from ..frames import Array
from ..quantities import said
from .items import Drawing, Fill, Item, Label, Point2, Stroke

#: How wide and high the picture is, and the room below it for the sizes (its own units).
_WIDE, _HIGH, _BELOW = 150.0, 44.0, 12.0
#: So much room is left beside what is drawn, of its width.
_SPARE = 0.06
#: Places of a curve.
_PLACES = 81
#: Sizes that are all alike are drawn over so much (mm).
_LEAST_WIDTH = 0.1


def odds_view(told: BatchTold) -> Drawing:
    """Sizes to the right and how many blanks up; those that do not clean up by the stop are hatched."""
    from_mm, to_mm = _reach(told)
    corners = _corners(told)
    scale = _WIDE / (to_mm - from_mm)
    highest = max(float(corners[:, 1].max()), 1e-12)

    def at(place: Array) -> Point2:
        return (float(place[0]) - from_mm) * scale, float(place[1]) / highest * _HIGH

    centre, edge = told.limits
    items: list[Item] = []
    # By the edge nothing cleans up where less comes off at the stop than must.
    limit = to_mm if told.at_stop < told.batch.least - 1e-9 else edge
    for ring, surface in ((_beside(corners, limit, -1.0), "section"), (_beside(corners, limit, 1.0), "finished")):
        if len(ring):
            items.append(Fill((tuple(at(place) for place in ring),), surface))  # type: ignore[arg-type]
    items.append(Stroke(tuple(at(place) for place in corners), "visible"))
    items.append(Stroke(((0.0, 0.0), (_WIDE, 0.0)), "thin"))
    for k, (mm, words) in enumerate(((centre, "middle found"), (edge, "by the stop"))):
        x = (mm - from_mm) * scale
        high = _HIGH + 8.0 + 12.0 * k
        items.append(Stroke(((x, 0.0), (x, high)), "center"))
        anchor = "right" if x > _WIDE / 2.0 else "left"
        items.append(Label((x - 1.5 if anchor == "right" else x + 1.5, high), f"{words} {said(mm)}", anchor))  # type: ignore[arg-type]
    small, large = told.bounds
    items.append(Label(((small - from_mm) * scale, -_BELOW * 0.7), said(small), "centre"))
    if large - small > _LEAST_WIDTH:
        items.append(Label(((large - from_mm) * scale, -_BELOW * 0.7), said(large), "centre"))
    return Drawing("Sizes of blanks", tuple(items), (0.0, -_BELOW), (_WIDE, _HIGH + 26.0))


def _reach(told: BatchTold) -> tuple[float, float]:
    """From where to where sizes are drawn (mm)."""
    ends = (*told.bounds, *told.limits)
    width = max(max(ends) - min(ends), _LEAST_WIDTH)
    return min(ends) - _SPARE * width, max(ends) + _SPARE * width


def _corners(told: BatchTold) -> Array:
    """The outline (N, 2) over the sizes: steps of counted blanks, a flat top, or a bell."""
    sizes = told.sizes
    if isinstance(sizes, Batch):
        return _steps(sizes)
    small, large = told.bounds
    if large - small < _LEAST_WIDTH:
        middle = (small + large) / 2.0
        small, large = middle - _LEAST_WIDTH / 2.0, middle + _LEAST_WIDTH / 2.0
    if sizes.shape == "uniform" or sizes.varies <= 0.0:
        return np.array([(small, 0.0), (small, 1.0), (large, 1.0), (large, 0.0)])
    x = np.linspace(small, large, _PLACES)
    bell = np.exp(-(((x - sizes.nominal) / sizes.varies) ** 2) / 2.0)
    return np.array([(small, 0.0), *zip(x, bell, strict=True), (large, 0.0)])


def _steps(sizes: Batch) -> Array:
    """A column over every stretch of sizes as high as there are blanks in it."""
    width = sizes.largest - sizes.smallest
    count = max(1, math.ceil(math.sqrt(len(sizes.sizes))))
    reach = (sizes.smallest, sizes.largest)
    if width < _LEAST_WIDTH:
        count, reach = 1, (sizes.middle - _LEAST_WIDTH / 2.0, sizes.middle + _LEAST_WIDTH / 2.0)
    heights, ends = np.histogram(sizes.sizes, bins=count, range=reach)
    corners = [(ends[0], 0.0)]
    for k, high in enumerate(heights):
        corners += [(ends[k], float(high)), (ends[k + 1], float(high))]
    return np.array([*corners, (ends[-1], 0.0)])


def _beside(corners: Array, limit: float, side: float) -> Array:
    """The part (N, 2) of the outline that lies above ``limit`` (``side`` 1) or below it (-1)."""
    kept = [place for place in corners if side * (place[0] - limit) > 0.0]
    if not kept:
        return np.zeros((0, 2))
    for a, b in itertools.pairwise(corners):
        # The stretch that reaches it from this side: where the outline steps up or down, the other has another height.
        if a[0] < b[0] and (a[0] < limit <= b[0] if side < 0.0 else a[0] <= limit < b[0]):
            high = a[1] + (limit - a[0]) / (b[0] - a[0]) * (b[1] - a[1])
            cut = [np.array([limit, 0.0]), np.array([limit, high])]
            return np.array([*cut, *kept] if side > 0.0 else [*kept, *reversed(cut)])
    return np.array(kept)
