"""Drilling cycles of program text as straight moves.

Source: the public RS-274/NGC interpreter report (NISTIR 6556), section 3.5.16.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from ..contact.first_contact import Triple
from .expressions import ExpressionError

#: How far above the last peck the drill slows down again, and how far it lifts to break the chip (mm).
_PECK_CLEARANCE = 0.5


@dataclass(frozen=True)
class Cycle:
    """``kind`` is the G word in tenths; heights in the active WCS (mm), ``back_to`` the height between holes."""

    kind: int
    bottom: float
    retract: float
    peck: float
    back_to: float


def cycle_moves(cycle: Cycle, at: tuple[float, float], now: Triple) -> list[tuple[Literal["rapid", "feed"], Triple]]:
    """The moves of one hole at ``at`` (x, y), starting from ``now``.

    Raises ExpressionError when its heights are out of order or a peck is missing.
    """
    x, y = at
    if cycle.bottom > cycle.retract + 1e-9:
        raise ExpressionError(f"the cycle's Z {cycle.bottom:g} is above its R {cycle.retract:g}")
    moves: list[tuple[Literal["rapid", "feed"], Triple]] = []
    if now[2] < cycle.retract:
        moves.append(("rapid", (now[0], now[1], cycle.retract)))
    moves.append(("rapid", (x, y, max(now[2], cycle.retract))))
    moves.append(("rapid", (x, y, cycle.retract)))
    if cycle.kind in (730, 830):
        if cycle.peck <= 0.0:
            raise ExpressionError("a peck cycle needs Q above 0")
        count = math.ceil((cycle.retract - cycle.bottom) / cycle.peck - 1e-9)
        for k in range(1, count + 1):
            depth = max(cycle.retract - k * cycle.peck, cycle.bottom)
            moves.append(("feed", (x, y, depth)))
            if k < count:
                up = depth + _PECK_CLEARANCE if cycle.kind == 730 else cycle.retract
                moves.append(("rapid", (x, y, up)))
                if cycle.kind == 830:
                    moves.append(("rapid", (x, y, depth + _PECK_CLEARANCE)))
    else:
        moves.append(("feed", (x, y, cycle.bottom)))
    way: Literal["rapid", "feed"] = "feed" if cycle.kind in (850, 890) else "rapid"
    moves.append((way, (x, y, cycle.retract)))
    if cycle.back_to > cycle.retract:
        moves.append(("rapid", (x, y, cycle.back_to)))
    return moves
