"""Where a zero would lie that is not taken yet, over the views of a setup."""

from __future__ import annotations

from dataclasses import replace

from ..frames import AXES, Axis
from ..quantities import said_signed
from .items import Drawing, Label, Zero

#: Words begin so far beside the mark (mm on the drawing).
_BESIDE = 4.0


def with_proposed_zero(views: tuple[Drawing, ...], axis: Axis, moves: float) -> tuple[Drawing, ...]:
    """Plan and front with the zero moved along one axis by ``moves`` (mm), and how far that is."""
    drawn = []
    for drawing, (i, j) in zip(views, ((0, 1), (0, 2)), strict=False):
        k = AXES.index(axis)
        if k not in (i, j):
            drawn.append(drawing)
            continue
        x, y = moves if i == k else 0.0, moves if j == k else 0.0
        low = (min(drawing.low[0], x), min(drawing.low[1], y))
        high = (max(drawing.high[0], x), max(drawing.high[1], y))
        mark = Zero((x, y), (AXES[i].upper(), AXES[j].upper()), proposed=True)
        words = Label((x + _BESIDE, y + _BESIDE), f"{axis.upper()} {said_signed(moves)}")
        # The mark of the zero that is taken now lies over it.
        now = next((k for k, item in enumerate(drawing.items) if isinstance(item, Zero)), len(drawing.items))
        items = (*drawing.items[:now], mark, *drawing.items[now:], words)
        drawn.append(replace(drawing, items=items, low=low, high=high))
    return (*drawn, *views[len(drawn) :])
