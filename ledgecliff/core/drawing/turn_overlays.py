"""What registers a turn, drawn over the part before and after it: pins, frame, jig, and a seat that is looked at."""

from __future__ import annotations

import cmath
import math
from collections.abc import Callable, Iterable

import numpy as np

from ..frames import Array
from ..holding.jigs import pocket_area
from ..model.holding import Jig, JigHold, JigPocket
from ..quantities import said
from ..registration.outlines import RoundedOutline
from ..registration.seats import Seat
from ..setup_plan import SetupPlan
from ..turns.turn_plan import TurnPlan
from .items import Item, Label, Line, Point2, Stroke
from .line_work import point2

#: Circles are drawn with so many corners; arcs keep to their circle within the second (mm).
_CORNERS, _ARC = 48, 0.05
#: The cross on the end that stays put: its half size, and how far in from the blank's edge (mm).
_CROSS, _CROSS_IN = 4.0, 10.0


def before_items(turn: TurnPlan) -> list[Item]:
    """In ``u`` of the setup before."""
    items = [*_pins(turn.bored, turn.before.wcs.u_origin[:2]), *_cross(turn, turn.before)]
    if turn.frame is not None and turn.way == "interlocking frame":
        middle = turn.part_middle
        items += [
            outline_stroke(turn.frame.hole, middle, "holding", "border"),
            outline_stroke(turn.frame.piece, middle, "visible", "piece"),
            *(outline_stroke(line, middle, "center", "cutter") for line in turn.frame.cutter_lines(_cutter(turn))),
        ]
    return [*items, *_jig(turn.before)]


def after_items(turn: TurnPlan, picked: str) -> list[Item]:
    """In ``u`` of the setup after; ``picked`` may name a seat, or another way to lay a frame's piece in."""
    items: list[Item] = [*_jig(turn.after)]
    if turn.way == "dowel pins":
        items += _pins(turn.board_pins, _board_zero(turn))
        items += _picked_seat(turn, picked)
    elif turn.frame is not None and turn.way == "interlocking frame":
        middle = _frame_middle(turn)
        items.append(outline_stroke(turn.frame.hole, middle, "holding", "border"))
        items += _picked_way(turn, picked, middle)
    if not items or not picked.startswith(("seat-", "way-")):
        items += _cross(turn, turn.after)
    return items


def _cutter(turn: TurnPlan) -> float:
    slot = turn.frame_slot
    cutter = turn.before.machine.cutter(slot.tool) if slot is not None else None
    assert slot is not None and cutter is not None, "names are checked by the job"
    return min(cutter.diameter, slot.slot)


def _board_zero(turn: TurnPlan) -> Array:
    """The zero of the setup before (2,), in ``u`` of the setup after: the board has not moved."""
    return turn.after.u_of(turn.before, turn.before.wcs.u_origin)[:2]


def _frame_middle(turn: TurnPlan) -> Array:
    return turn.after.u_of(turn.before, np.array([*turn.part_middle, 0.0]))[:2]


def pin_circle(at: Array, diameter: float, line: Line, source: str) -> Stroke:
    angles = 2.0 * math.pi * np.arange(_CORNERS + 1) / _CORNERS
    points = at + diameter / 2.0 * np.column_stack([np.cos(angles), np.sin(angles)])
    return Stroke(tuple(point2(p) for p in points), line, source)


def _pins(pins: Iterable[object], zero: Array) -> list[Item]:
    items: list[Item] = []
    for number, pin in enumerate(pins, start=1):
        x, y, diameter = pin.x, pin.y, pin.diameter  # type: ignore[attr-defined]
        at = zero + (x, y)  # noqa: RUF005 - a sum of places
        items.append(pin_circle(at, diameter, "visible", f"pin-{number}"))
        items.append(Label((float(at[0]) + diameter / 2.0 + 2.0, float(at[1])), f"{number}", source=f"pin-{number}"))
    return items


def outline_stroke(outline: RoundedOutline, at: Array, line: Line, source: str) -> Stroke:
    points = outline.points(_ARC) + at
    return Stroke((*(point2(p) for p in points), point2(points[0])), line, source)


def _cross(turn: TurnPlan, setup: SetupPlan) -> list[Item]:
    """The end that stays left is marked with a cross; where a turn leaves none, the front left corner is.  What stays
    clamped needs none."""
    if turn.stays:
        return []
    # On what goes on to the next setup: of a frame on its piece.
    low, high = turn.after.before.u_corners(turn.before.setup.orientation)
    middle = float(low[1] + high[1]) / 2.0
    place = np.array([float(low[0]) + _CROSS_IN, middle, float(high[2])])
    at = setup.setup.orientation.matrix() @ turn.before.setup.orientation.matrix().T @ place
    strokes: list[Item] = []
    for sign in (1.0, -1.0):
        ends = ((at[0] - _CROSS, at[1] - sign * _CROSS), (at[0] + _CROSS, at[1] + sign * _CROSS))
        strokes.append(Stroke(tuple((float(x), float(y)) for x, y in ends), "search", "cross"))
    return strokes


def _jig(setup: SetupPlan) -> list[Item]:
    hold, jig = setup.setup.hold, setup.holding.fixture
    if not isinstance(hold, JigHold) or not isinstance(jig, Jig):
        return []
    zero = setup.holding.u_zero[:2]
    half = np.array([jig.length, jig.width]) / 2.0
    corners = [zero + half * way for way in ((-1, -1), (1, -1), (1, 1), (-1, 1), (-1, -1))]
    items: list[Item] = [
        Stroke(tuple(point2(c) for c in corners), "holding", "jig"),
        pin_circle(zero, jig.zero_diameter, "visible", "wcs"),
        Label((float(zero[0]) + jig.zero_diameter / 2.0 + 2.0, float(zero[1])), "jig zero", source="wcs"),
    ]
    for name, pocket in (("first", jig.first), ("second", jig.second)):
        items += _pocket(jig, pocket, zero, "visible" if name == hold.pocket else "hidden", name)
    items += [pin_circle(zero + (s.x, s.y), s.head_diameter, "thin", "jig") for s in jig.screws]  # noqa: RUF005
    return items


def _pocket(jig: Jig, pocket: JigPocket, zero: Array, line: Line, name: str) -> list[Item]:
    at = zero + (pocket.x, pocket.y)  # noqa: RUF005
    strokes: list[Item] = []
    for ring in pocket_area(jig, pocket).to_polygons():
        points = np.asarray(ring) + at
        strokes.append(Stroke((*(point2(p) for p in points), point2(points[0])), line, f"pocket-{name}"))
    return strokes


# --- a seat that is looked at -----------------------------------------------------------------


def _picked_seat(turn: TurnPlan, picked: str) -> list[Item]:
    number = picked.removeprefix("seat-")
    if not picked.startswith("seat-") or not number.isdigit() or int(number) >= len(turn.seats):
        return []
    seat = turn.seats[int(number)]
    zero, made = _board_zero(turn), turn.pin_bores
    assert made is not None, "seats are of pins"
    low, high = (corner[:2] - turn.before.wcs.u_origin[:2] for corner in turn.before.holding.u_stock)
    corners = [complex(low[0], low[1]), complex(high[0], low[1]), complex(high[0], high[1]), complex(low[0], high[1])]
    cross = complex(low[0] + _CROSS_IN, (low[1] + high[1]) / 2.0)
    place = _seated(turn, seat)
    ring = [place(corner) for corner in (*corners, corners[0])]
    items: list[Item] = [Stroke(tuple(_moved(point, zero) for point in ring), "phantom", picked)]
    for pin in turn.bored:
        at = np.array(_moved(place(complex(pin.x, pin.y)), zero))
        items.append(pin_circle(at, pin.diameter + made.clearance, "phantom", picked))
    marked = place(cross)
    for sign in (1.0, -1.0):
        arm = complex(_CROSS, sign * _CROSS)
        items.append(Stroke((_moved(marked - arm, zero), _moved(marked + arm, zero)), "search", picked))
    words = seat.name if seat.seats else f"{seat.name}: misses by {said(seat.miss)}"
    top = max(point.imag for point in ring)
    left = min(point.real for point in ring)
    items.append(Label(_moved(complex(left, top + 6.0), zero), words, source=picked))
    return items


def _seated(turn: TurnPlan, seat: Seat) -> Callable[[complex], complex]:
    """From a place on the blank as it was bored to where it lies in a seat; both complex, in the zero's plan."""

    def turned(place: complex) -> complex:
        if not seat.turned:
            return place
        return place.conjugate() if turn.axis == "x" else -place.conjugate()

    places = [turned(complex(pin.x, pin.y)) for pin in turn.bored]
    middle = sum(places) / len(places)
    factor = cmath.rect(1.0, math.radians(seat.spin_deg))
    return lambda place: factor * (turned(place) - middle) + middle + complex(*seat.shift)


def _moved(point: complex, zero: Array) -> Point2:
    return (point.real + float(zero[0]), point.imag + float(zero[1]))


def _picked_way(turn: TurnPlan, picked: str, middle: Array) -> list[Item]:
    """The piece as it is wanted, or laid in another way: where it overlaps its border, it does not go in."""
    assert turn.frame is not None and turn.frame_check is not None, "asked before"
    number = picked.removeprefix("way-")
    if not picked.startswith("way-") or not number.isdigit() or int(number) >= len(turn.frame_check.others):
        return [outline_stroke(turn.frame.turned, middle, "visible", "piece")]
    way = turn.frame_check.others[int(number)]
    points = turn.frame.piece.points(_ARC) * way.factors + middle
    stroke = Stroke((*(point2(p) for p in points), point2(points[0])), "phantom", picked)
    words = f"{way.name}: goes in, {said(way.play)} loose" if way.seats else f"{way.name}: does not go in"
    top = float(points[:, 1].max())
    return [stroke, Label((float(points[:, 0].min()), top + 6.0), words, source=picked)]
