"""The tape of a turn: what becomes of each axis, what registers it, and what enters the error."""

from __future__ import annotations

import math

import numpy as np

from ..budget.sides import far_side
from ..frames import AXES, Axis
from ..plan import Plan
from ..setup_plan import SetupPlan
from ..tape_lines import Tape, TapeLine, heading, note
from ..turns.clearances import bored_deep, bores_deep, pin_top
from ..turns.surface_words import surface_words
from ..turns.try_on_scrap import scrap_words
from ..turns.turn_plan import TurnPlan, order_of_boring

#: What makes less of the squares than this is told together.
_WORTH_A_LINE = 0.01
_SIDEWAYS: tuple[Axis, Axis] = ("x", "y")


def turn_tape(plan: Plan, turn: TurnPlan, picked: str = "") -> Tape:
    """``picked`` may name a feature whose play is asked for instead of the farthest one's."""
    before, after = turn.before, turn.after
    lines = [heading(turn.turn.in_shop_words())]
    for k, axis in enumerate(AXES):
        row = turn.turn.matrix[k]
        j = int(np.argmax(np.abs(row)))
        lines.append(note(f"machine {axis.upper()} was {'+' if row[j] > 0 else '−'}{AXES[j].upper()}"))
    lines.append(heading(f"Registered by {turn.way}"))
    for axis in _SIDEWAYS:
        lines += [
            note(f"{axis.upper()} before: {surface_words(before, axis)}"),
            note(f"{axis.upper()} after: {surface_words(after, axis)}"),
        ]
    if scrap := scrap_words(turn.way):
        lines.append(note(scrap))
    lines += [*_pins(turn), *_play(turn, picked), *_error(plan, turn)]
    lines.append(heading("Heights before the turn"))
    lines += _heights(before)
    lines.append(heading("Heights after the turn"))
    lines += _heights(after)
    if turn.way == "dowel pins" and (top := pin_top(turn)) is not None:
        lines.append(TapeLine("tops of the pins", top - float(after.wcs.u_origin[2]), "note"))
    return Tape("Turn", f"{before.setup.name} to {after.setup.name}", tuple(lines))


def _pins(turn: TurnPlan) -> list[TapeLine]:
    """Where bores are made, and where pins stand, both in the WCS of the setup before."""
    if turn.way != "dowel pins":
        return []
    made, deep = turn.pin_bores, bores_deep(turn)
    lines = [heading(f"Bores in the blank, {turn.before.setup.offset}")]
    bored = bored_deep(turn)
    if bored is not None and deep is not None:
        lines.append(TapeLine("blind, below the face then", bored, signed=False))
        lines.append(TapeLine("deep as it lies on the board", deep, "total", signed=False))
    for number, pin in enumerate(turn.bored, start=1):
        lines.append(TapeLine(f"pin {number}, X", pin.x, source=f"pin-{number}"))
        lines.append(TapeLine(f"pin {number}, Y", pin.y, source=f"pin-{number}"))
    if turn.one_program:
        lines.append(note("The board takes the same bores."))
        return lines
    if made is not None and made.board_offset is not None:
        lines.append(heading(f"Bores in the board, {made.board_offset}"))
        lines.append(note("X and Y of the same zero, Z0 on the bare board's top"))
        lines.append(note(order_of_boring(turn)))
    else:
        lines.append(heading("Bores in the board, same zero"))
    for number, pin in enumerate(turn.board_pins, start=1):
        lines.append(TapeLine(f"pin {number}, X", pin.x, source=f"pin-{number}"))
        lines.append(TapeLine(f"pin {number}, Y", pin.y, source=f"pin-{number}"))
    return lines


def _play(turn: TurnPlan, picked: str) -> list[TapeLine]:
    play = turn.play
    if play is None:
        return []
    known = picked in {reading.name for reading in turn.before.readings}
    name, place = (picked, turn.place_of(picked)) if known else (turn.farthest.name, turn.farthest.place)
    arm = math.hypot(*place)
    return [
        heading(f"Play at {name}"),
        TapeLine("any way", play.shift, signed=False),
        TapeLine("how far from the middle", arm, "note", signed=False),
        TapeLine(f"turned {math.degrees(play.turn_rad):.4f}° there", play.turn_rad * arm, signed=False),
        TapeLine("both at once would be", play.at(arm), "sum", signed=False),
        TapeLine("worst that the pins allow" if play.held else "worst", play.worst_at(place), "total", signed=False),
    ]


def _error(plan: Plan, turn: TurnPlan) -> list[TapeLine]:
    """Squares add, the way it is worst; any way across, a circle holds 95 %."""
    pair = far_side(turn, plan)
    if pair is None:
        return [heading("Nothing holds it to its place")]
    lines = [heading("What enters the error, standard")]
    lines += [TapeLine(each.source.name, each.u, signed=False) for each in pair.enters if each.share >= _WORTH_A_LINE]
    rest = math.sqrt(sum(each.u**2 for each in pair.enters if each.share < _WORTH_A_LINE))
    if rest > 0.0:
        lines.append(TapeLine("all the rest", rest, signed=False))
    lines.append(TapeLine("root of the sum of squares", pair.u, "sum", signed=False))
    lines.append(TapeLine("95 % within, any way across", pair.expanded, "total", signed=False))
    return lines


def _heights(setup: SetupPlan) -> list[TapeLine]:
    zero = float(setup.wcs.u_origin[2])
    return [TapeLine(rung.name, rung.u_z - zero, source=rung.key) for rung in setup.heights()]
