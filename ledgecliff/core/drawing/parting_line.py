"""The parting plane on a drawing: a line wherever it is seen edge on."""

from __future__ import annotations

from ..frames import Array
from ..model.orientation import Orientation
from ..model.parting import PartingPlane
from .items import Item, Label, Point2, Stroke
from .projection import PLAN

#: How far the line stands out over what it parts (mm).
_OUT = 8.0


def parting_line(
    plane: PartingPlane | None,
    orientation: Orientation,
    view: Array,
    low: Point2,
    high: Point2,
    zero: Point2,
    *,
    told: bool = False,
) -> list[Item]:
    """Through what reaches from ``low`` to ``high`` in a view whose own zero lies at ``zero`` of it; nothing where
    there is no such plane, or it is not seen edge on.  It has no words where the heights beside it have told it."""
    if plane is None:
        return []
    across, up = (0, 1) if view is PLAN else (0, 2)
    level, upright = plane.place(orientation, up), plane.place(orientation, across)
    if level is not None:
        y = level - zero[1]
        line: tuple[Point2, Point2] = ((low[0] - _OUT, y), (high[0] + _OUT, y))
    elif upright is not None:
        x = upright - zero[0]
        line = ((x, low[1] - _OUT), (x, high[1] + _OUT))
    else:
        return []
    words = Label((line[1][0] + 1.0, line[1][1]), "parting plane", "left", "parting")
    return [Stroke(line, "center", "parting"), *(() if told else (words,))]
