"""The seated part at the limits of its play, drawn many times larger than it is."""

from __future__ import annotations

import math

import numpy as np

from ..frames import Array
from ..quantities import said
from ..registration.turning import TurnPlan
from .items import Drawing, Item, Label, Stroke
from .line_work import point2
from .turn_overlays import outline_stroke, pin_circle

#: Play is drawn so large that it reaches this share of the part's size.
_SHARE = 0.03
#: Stations of the loop as shares of the play along X and Y, and of the turn.
_STATIONS = ((1, 0, 0), (0, 1, 0), (-1, 0, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1))


def play_moment(turn: TurnPlan, share: float) -> Drawing | None:
    """A moment of the loop, ``share`` from 0 to 1; None where nothing with a fit holds the part."""
    play = turn.play
    if play is None or turn.way not in ("dowel pins", "interlocking frame"):
        return None
    low, high = (corner[:2] - turn.part_middle for corner in turn.before.holding.u_stock)
    size = float((high - low).max())
    larger = max(_SHARE * size / max(play.at(size / 2.0), 1e-6), 1.0)
    x, y, spin = _station(share)
    angle = spin * play.turn_rad * larger
    shift = np.array([x, y]) * play.shift * larger
    turned = np.array([[math.cos(angle), -math.sin(angle)], [math.sin(angle), math.cos(angle)]])
    items: list[Item] = []
    if turn.way == "interlocking frame" and turn.frame is not None:
        items.append(outline_stroke(turn.frame.hole, np.zeros(2), "holding", "border"))
        items.append(_moved(turn.frame.turned.points(0.05), turned, shift, "piece"))
    else:
        middle = turn.middle - turn.part_middle
        corners = np.array([low, (high[0], low[1]), high, (low[0], high[1])])
        items.append(_moved(corners, turned, shift, "blank", middle))
        made = turn.pin_bores
        zero = turn.before.wcs.u_origin[:2] - turn.part_middle
        for bore in turn.bored:
            at = zero + np.array([bore.x, bore.y])
            items.append(pin_circle(at, bore.diameter, "holding", "pin"))
            wide = bore.diameter + (made.clearance * larger if made is not None else 0.0)
            items.append(pin_circle(turned @ (at - middle) + middle + shift, wide, "visible", "bore"))
    items.append(Label((float(low[0]), float(high[1]) + 0.06 * size), f"play drawn {larger:.0f} times larger"))
    rim = 0.1 * size
    name = f"play {said(play.shift)}, {math.degrees(play.turn_rad):.3f}°"
    return Drawing(name, tuple(items), point2(low - rim), point2(high + rim))


def _station(share: float) -> tuple[float, float, float]:
    """Where the loop is: from one station to the next and through the middle again."""
    along = share * len(_STATIONS)
    station = _STATIONS[int(along) % len(_STATIONS)]
    reach = math.sin(math.pi * (along % 1.0))
    x, y, spin = (reach * value for value in station)
    return x, y, spin


def _moved(points: Array, turned: Array, shift: Array, source: str, about: Array | None = None) -> Stroke:
    middle = np.zeros(2) if about is None else about
    moved = (points - middle) @ turned.T + middle + shift
    return Stroke((*(point2(p) for p in moved), point2(moved[0])), "visible", source)
