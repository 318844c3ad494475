"""Drawings of a turn: the stock before and after it, and any moment on the way."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from ..frames import Turn
from ..plan import Plan
from .bodies import stock_solid
from .items import Drawing, Item, Label, Line, Point2, Stroke
from .line_work import Views, body_items, both_works, point2

#: A hole's name stands this far below its edge (mm).
_LABEL_DROP = 3.0


def turn_views(plan: Plan, index: int) -> Views:
    """The part from above before and after the turn that leads to setup ``index``, with the turn's axis."""
    before, after = plan.setups[index - 1], plan.setups[index]
    turn = Turn(before.setup.orientation, after.setup.orientation)
    drawings = []
    for name, setup in ((f"{before.setup.name}, as cut", before), (f"{after.setup.name}, as it comes in", after)):
        orientation = setup.setup.orientation
        items = body_items(both_works(stock_solid(before.after, orientation))[0], np.zeros(2))
        both = np.array(before.after.u_corners(orientation))
        low, high = point2(both[0]), point2(both[1])
        items += _turn_axis(turn, low, high)
        for feature in plan.job.part.features:
            if feature.is_round() and feature.opens_to[1] == orientation.up[1] and not feature.partner:
                at = orientation.matrix() @ np.array(feature.at.as_tuple())
                beside = (float(at[0]), float(at[1]) - (feature.diameter or 0.0) / 2.0 - _LABEL_DROP)
                items.append(Label(beside, feature.name, "centre", feature.name))
        drawings.append(Drawing(name, tuple(items), low, high))
    return drawings[0], drawings[1]


def _turn_axis(turn: Turn, low: Point2, high: Point2) -> Iterable[Item]:
    """The axis where it lies in the view; its letter at the end."""
    axis = turn.axis()
    middle = ((low[0] + high[0]) / 2.0, (low[1] + high[1]) / 2.0)
    line: Line = "center"
    if abs(axis[0]) > 0.999:
        yield Stroke(((low[0] - 10.0, middle[1]), (high[0] + 10.0, middle[1])), line, "turn-axis")
        yield Label((high[0] + 12.0, middle[1]), "X")
    elif abs(axis[1]) > 0.999:
        yield Stroke(((middle[0], low[1] - 10.0), (middle[0], high[1] + 10.0)), line, "turn-axis")
        yield Label((middle[0] + 2.0, high[1] + 10.0), "Y")
