"""Programs that make what registers a turn: bores for pins in blank and board, and the slot of a frame.

Plain RS-274/NGC text in the WCS of the setup that makes them, whose Z zero is where that setup has it.
"""

from __future__ import annotations

import numpy as np

from ..cutting.outlines import tab_places
from ..model.holding import ZeroMark
from ..model.job import Job
from ..model.operations import FrameSlot, PinBores
from ..registration.contour import stretches
from ..registration.removed import piece_area
from ..setup_plan import SetupPlan
from ..turns.turn_plan import TurnPlan
from .made_lines import MadeLines, OtherZero, cutter_of

#: A bore that only goes through the blank ends this far below it (mm).
_THROUGH = 0.5


def programs_of_turn(job: Job, turn: TurnPlan) -> dict[str, str]:
    """The programs that the setup before a turn runs for it, by what they make."""
    if turn.way == "dowel pins" and turn.pin_bores is not None:
        return {
            "pins blank": blank_bores_program(job, turn, turn.pin_bores),
            "pins board": board_bores_program(job, turn, turn.pin_bores),
        }
    if turn.way == "interlocking frame" and turn.frame_slot is not None:
        return {"frame": frame_program(job, turn, turn.frame_slot)}
    return {}


def blank_bores_program(job: Job, turn: TurnPlan, made: PinBores) -> str:
    """Through the blank and, where the board takes the same bores, on into it at the pins' own diameter; or blind."""
    setup = turn.before
    origin = float(setup.wcs.u_origin[2])
    top, seat = float(setup.holding.u_stock[1][2]) - origin, setup.holding.seat - origin
    writer = MadeLines(job, setup, made.tool, made.spindle)
    if made.blind is not None:
        floor = float(setup.holding.u_part[1][2]) - origin - made.blind
        writer.begin("blind bores for pins in the face that will lie on the board", made.feed)
        writer.bores(turn.bored, made.clearance, top, floor, made)
        return writer.end()
    what = "the blank and the board under it" if turn.one_program else "the blank"
    writer.begin(f"bores for pins through {what}", made.feed)
    if turn.one_program:
        writer.bores(turn.bored, made.clearance, top, seat, made, seat - made.into_board)
    else:
        writer.bores(turn.bored, made.clearance, top, seat - _THROUGH, made)
    return writer.end()


def board_bores_program(job: Job, turn: TurnPlan, made: PinBores) -> str:
    """Into the bare board, of the pins' own diameter, at the turned image of the blank's bores."""
    setup = turn.before
    u_top = bare_top(setup)
    top = u_top - float(setup.wcs.u_origin[2])
    if made.board_offset is not None:
        top = 0.0
    writer = MadeLines(job, setup, made.tool, made.spindle, board_zero(made.board_offset, u_top))
    writer.begin("bores for pins in the bare board, where pins stand after the turn", made.feed)
    writer.bores(turn.board_pins, 0.0, top, top - made.into_board, made)
    return writer.end()


def board_zero(offset: str | None, u_top: float) -> OtherZero | None:
    """The zero of what is cut into the bare board in an offset of its own."""
    if offset is None:
        return None
    return OtherZero(offset, u_top, (f"Z0 of {offset} is the top of the bare board: touch it off there before",))


def bare_top(setup: SetupPlan) -> float:
    """How high (``u``) what the stock lies on is where the stock is not there."""
    board = next((block for block in setup.holding.blocks if block.kind == "base"), None)
    return float(board.high[2]) if board is not None else setup.holding.seat


def zero_mark_program(job: Job, setup: SetupPlan, mark: ZeroMark) -> str:
    """A cross in the bare board at X0 Y0, one arm along X and one along Y."""
    u_top = bare_top(setup)
    top = 0.0 if mark.offset is not None else u_top - float(setup.wcs.u_origin[2])
    writer = MadeLines(job, setup, mark.tool, mark.spindle, board_zero(mark.offset, u_top))
    writer.begin("zero mark in the bare board, at X0 Y0", mark.feed)
    for start, end in (((-mark.arm, 0.0), (mark.arm, 0.0)), ((0.0, -mark.arm), (0.0, mark.arm))):
        writer.line(start, end, top, top - mark.depth)
    return writer.end()


def frame_program(job: Job, turn: TurnPlan, made: FrameSlot) -> str:
    """The frame's slot in passes, clockwise round the piece, over its tabs where there are any."""
    setup, frame = turn.before, turn.frame
    assert frame is not None, "a frame slot makes a frame"
    cutter = cutter_of(turn.before, made.tool)
    origin = setup.wcs.u_origin
    top = float(setup.holding.u_stock[1][2] - origin[2])
    floor = setup.holding.seat - made.below - float(origin[2])
    tab_top = float(setup.holding.u_part[0][2] - origin[2]) + made.tab_height
    shift = turn.part_middle - origin[:2]
    diameter = min(cutter.diameter, made.slot)
    # Where the in-process stock has them, moved out to the cutter's axis.
    places = tab_places(piece_area(made, turn.part_middle), made)
    tabs = np.array([at + diameter / 2.0 * out for at, out in places]).reshape(-1, 2) - turn.part_middle
    writer = MadeLines(job, setup, made.tool, made.spindle)
    writer.begin("slot of the interlocking frame", made.feed)
    for line in frame.cutter_lines(diameter):
        way = stretches(line, shift, tabs, made.tab_width + diameter)
        writer.contour(way, top, floor, made.pass_depth, tab_top)
    return writer.end()
