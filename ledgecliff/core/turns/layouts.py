"""Pins and frames as the application lays them out for a turn, from part, tools and blank."""

from __future__ import annotations

import math

import numpy as np

from ..errors import RegistrationError
from ..model.machine import Cutter, Machine
from ..model.operations import FrameSlot, Pin, PinBores
from ..registration.interlock import FrameSizes, make_frame
from ..registration.pins import Margin, PinLayout, laid_out
from .clearances import board_top, fitting_length
from .turn_plan import TurnPlan

#: Pins that are begun with (mm): diameter, wall round a bore, and how far they stand in the board, how much wider
#: bores are.
_PIN, _WALL, _IN_BOARD, _CLEARANCE = 8.0, 4.0, 10.0, 0.04
#: Pins stand this share of the part's half width off the turn axis.
_ACROSS = 0.5
#: A frame's fit, and what stays outside of its slot (mm).
_FIT, _BORDER = 0.1, 8.0


def default_pins(turn: TurnPlan, layout: PinLayout = "three, one on the axis", diameter: float = _PIN) -> PinBores:
    """Pins in the strips at both ends of the turn axis, on a blank as large as they ask for."""
    margin = pin_margin(turn)
    margin = margin.extended(margin.lacking(diameter + _CLEARANCE))
    axis = turn.axis or "x"
    places = laid_out(layout, margin, _across(turn, diameter), diameter, axis, _CLEARANCE)
    pins = tuple(Pin(x=round(p.x, 3), y=round(p.y, 3), diameter=p.diameter) for p in places)
    tool = _mill_up_to(turn.before.machine, min(pin.diameter for pin in pins))
    made = PinBores(
        name="bores for the pins", tool=tool.tool, pins=pins, clearance=_CLEARANCE, wall=_WALL, into_board=_IN_BOARD
    )
    # What stands over the finished part after the turn is going to be faced away.
    room = float(turn.after.holding.u_part[1][2]) - board_top(turn)
    return made.model_copy(update={"pin_length": fitting_length(made, room)})


def _across(turn: TurnPlan, diameter: float) -> float:
    """How far off the turn axis pins are to lie: far enough to hold, with a wall to the blank's edge."""
    k = 1 if turn.axis != "y" else 0
    low, high = turn.before.holding.u_stock
    middle = turn.part_middle[k]
    room = float(min(high[k] - middle, middle - low[k])) - (diameter + _CLEARANCE) / 2.0 - _WALL
    return min(
        max(_ACROSS * _half_part(turn)[k], diameter), max(math.floor(room * 1000.0) / 1000.0, diameter / 2.0 + _WALL)
    )


def pins_lacking(turn: TurnPlan, diameter: float = _PIN) -> tuple[float, float]:
    """How much longer the blank must be at each end along X and Y (mm)."""
    along = pin_margin(turn).lacking(diameter + _CLEARANCE)
    k = 1 if turn.axis == "y" else 0
    low, high = turn.before.holding.u_stock
    middle = turn.part_middle[1 - k]
    half = float(min(high[1 - k] - middle, middle - low[1 - k]))
    across = max(_across(turn, diameter) + (diameter + _CLEARANCE) / 2.0 + _WALL - half, 0.0)
    return (along, across) if k == 0 else (across, along)


def pin_margin(turn: TurnPlan) -> Margin:
    """The strips at both ends of the turn axis, as the blank now is."""
    k = 1 if turn.axis == "y" else 0
    low, high = turn.before.holding.u_stock
    middle = turn.part_middle[k]
    half_blank = float(min(high[k] - middle, middle - low[k]))
    return Margin(_half_part(turn)[k], path_width(turn), _WALL, half_blank)


def default_frame(turn: TurnPlan) -> FrameSlot:
    """A frame close about the part and its tools' path; without notches where they find no room."""
    cutter = _mill_up_to(turn.before.machine, _PIN)
    half_x, half_y = _half_part(turn)
    room = path_width(turn) + _WALL
    sizes = {"turn": turn.axis or "x", "keep_x": half_x + room, "keep_y": half_y + room, "slot": cutter.diameter}
    notches = True
    try:
        make_frame(FrameSizes(half_x + room, half_y + room, cutter.diameter, _FIT, turn.axis or "x"))
    except RegistrationError:
        notches = False
    return FrameSlot(name="frame slot", tool=cutter.tool, fit=_FIT, notches=notches, **sizes)


def frame_lacking(turn: TurnPlan) -> tuple[float, float]:
    """How much longer the blank must be on each side along X and Y for a frame and its border (mm)."""
    slot = default_frame(turn)
    sizes = FrameSizes(slot.keep_x, slot.keep_y, slot.slot, slot.fit, slot.turn, slot.notches)
    needed = np.array(make_frame(sizes).half_size) + _BORDER
    low, high = turn.before.holding.u_stock
    have = np.minimum(high[:2] - turn.part_middle, turn.part_middle - low[:2])
    x, y = (float(value) for value in np.maximum(needed - have, 0.0))
    return x, y


def path_width(turn: TurnPlan) -> float:
    """What tools take beside the part (mm): the widest slot or cutter that goes round its outline."""
    widths = []
    for setup in (turn.before, turn.after):
        for operation in setup.setup.operations:
            if operation.removes in ("outline", "seen"):
                cutter = setup.machine.cutter(operation.tool)
                slot = getattr(operation, "slot", None)
                widths.append(slot or (cutter.diameter if cutter else 0.0))
    return max(widths, default=_mill_up_to(turn.before.machine, _PIN).diameter)


def _half_part(turn: TurnPlan) -> tuple[float, float]:
    low, high = turn.before.holding.u_part
    x, y, _ = (high - low) / 2.0
    return float(x), float(y)


def _mill_up_to(machine: Machine, diameter: float) -> Cutter:
    """The widest flat end mill that is no wider, else the thinnest end mill, else the thinnest cutter of all.

    A drill cuts no slot, and bores of no size but its own.
    """
    mills = [c for c in machine.cutters if c.shape == "flat"]
    fitting = [c for c in mills if c.diameter <= diameter + 1e-9]
    return max(fitting, key=lambda c: c.diameter, default=min(mills or machine.cutters, key=lambda c: c.diameter))
