"""The seated part at the limits of its play, drawn far larger than it is."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from ..frames import Array
from ..quantities import said
from ..registration.interlock import Frame, make_frame
from ..turns.turn_plan import SeatPlay, TurnPlan
from .items import Drawing, Item, Label, Stroke
from .line_work import point2
from .turn_overlays import outline_stroke, pin_circle

#: Play is drawn so large that it reaches this share of the part's size.
_SHARE = 0.03
#: A frame is shown with a fit of this share of its slot.
_LOOSE_FIT = 0.4
#: Stations of the loop as shares of the play along X and Y, and of the turn.
_STATIONS = ((1, 0, 0), (0, 1, 0), (-1, 0, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1))


def play_moment(turn: TurnPlan, share: float) -> Drawing | None:
    """A moment of the loop, ``share`` from 0 to 1; None where nothing with a fit holds the part."""
    play = turn.play
    if play is None or turn.way not in ("dowel pins", "interlocking frame"):
        return None
    x, y, spin = _station(share)
    low, high = (corner[:2] - turn.part_middle for corner in turn.before.holding.u_stock)
    size = float((high - low).max())
    if turn.way == "interlocking frame" and turn.frame is not None:
        items, words = _frame_items(turn.frame, (x, y, spin))
    else:
        items, words = _pin_items(turn, play, size, (x, y, spin))
    items.append(Label((float(low[0]), float(high[1]) + 0.06 * size), words))
    rim = 0.1 * size
    name = f"play {said(play.shift)}, {math.degrees(play.turn_rad):.3f}°"
    return Drawing(name, tuple(items), point2(low - rim), point2(high + rim))


def _frame_items(frame: Frame, station: tuple[float, float, float]) -> tuple[list[Item], str]:
    """The same frame made with a fit so loose that it is seen, moved until it really touches its border."""
    from ..registration.interlock_check import check_frame  # shapely takes its time to import

    loose = make_frame(replace(frame.sizes, fit=_LOOSE_FIT * frame.sizes.slot))
    checked = check_frame(loose, frame.sizes.slot)
    x, y, spin = station
    shift = np.array([x * checked.play[0 if x > 0 else 1], y * checked.play[2 if y > 0 else 3]])
    angle = math.radians(spin * checked.turn_deg[0 if spin > 0 else 1])
    items: list[Item] = [
        outline_stroke(loose.hole, np.zeros(2), "holding", "border"),
        _moved(loose.turned.points(0.05), angle, shift, "piece"),
    ]
    return items, f"drawn with a fit of {said(loose.sizes.fit)} instead of {said(frame.sizes.fit)}"


def _pin_items(
    turn: TurnPlan, play: SeatPlay, size: float, station: tuple[float, float, float]
) -> tuple[list[Item], str]:
    """Blank and bores moved and turned many times as far as they can be, the bores as much wider."""
    low, high = (corner[:2] - turn.part_middle for corner in turn.before.holding.u_stock)
    larger = max(_SHARE * size / max(play.at(size / 2.0), 1e-6), 1.0)
    x, y, spin = station
    angle, shift = spin * play.turn_rad * larger, np.array([x, y]) * play.shift * larger
    middle = turn.middle - turn.part_middle
    corners = np.array([low, (high[0], low[1]), high, (low[0], high[1])])
    items: list[Item] = [_moved(corners, angle, shift, "blank", middle)]
    made, zero = turn.pin_bores, turn.before.wcs.u_origin[:2] - turn.part_middle
    for bore in turn.bored:
        at = zero + np.array([bore.x, bore.y])
        items.append(pin_circle(at, bore.diameter, "holding", "pin"))
        wide = bore.diameter + (made.clearance * larger if made is not None else 0.0)
        items.append(pin_circle(_turned(at - middle, angle) + middle + shift, wide, "visible", "bore"))
    return items, f"play drawn {larger:.0f} times larger"


def _station(share: float) -> tuple[float, float, float]:
    """Where the loop is: from one station to the next and through the middle again."""
    along = share * len(_STATIONS)
    station = _STATIONS[int(along) % len(_STATIONS)]
    reach = math.sin(math.pi * (along % 1.0))
    x, y, spin = (reach * value for value in station)
    return x, y, spin


def _turned(points: Array, angle: float) -> Array:
    """Points (..., 2) turned by an angle (radians) about the middle."""
    turn = np.array([[math.cos(angle), -math.sin(angle)], [math.sin(angle), math.cos(angle)]])
    turned: Array = points @ turn.T
    return turned


def _moved(points: Array, angle: float, shift: Array, source: str, about: Array | None = None) -> Stroke:
    middle = np.zeros(2) if about is None else about
    moved = _turned(points - middle, angle) + middle + shift
    return Stroke((*(point2(p) for p in moved), point2(moved[0])), "visible", source)
