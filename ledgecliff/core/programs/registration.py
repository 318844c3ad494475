"""Programs that make what registers a turn: bores for pins in blank and board, and the slot of a frame.

Plain RS-274/NGC text in the WCS of the setup that makes them, whose Z zero is where that setup has it.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

import numpy as np

from ..cutting.outlines import tab_places
from ..model.holding import ZeroMark
from ..model.job import Job
from ..model.machine import Cutter
from ..model.operations import FrameSlot, PinBores
from ..registration.contour import Stretch, stretches
from ..registration.removed import piece_area
from ..registration.seats import RoundPlace
from ..setup_plan import SetupPlan
from ..turns.turn_plan import TurnPlan
from .rotation import turned_by, turns_by_itself
from .targets import target_of
from .text import NumberWriter, comment

#: The tool comes down fast to this far above what it cuts, and moves over everything this far above it (mm).
_ABOVE, _OVER = 2.0, 10.0
#: Bores that are not wider than the tool by more than this are drilled (mm).
_SAME = 1e-3
#: A bore that only goes through the blank ends this far below it (mm).
_THROUGH = 0.5
# how far rings lie apart, of the cutter's radius: below 1 none of them leaves a core
_RING_SHARE = 0.8


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
    writer = _Writer(job, setup, made.tool, made.spindle)
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
    writer = _Writer(job, setup, made.tool, made.spindle, made.board_offset, u_top)
    writer.begin("bores for pins in the bare board, where pins stand after the turn", made.feed)
    writer.bores(turn.board_pins, 0.0, top, top - made.into_board, made)
    return writer.end()


def bare_top(setup: SetupPlan) -> float:
    """How high (``u``) what the stock lies on is where the stock is not there."""
    board = next((block for block in setup.holding.blocks if block.kind == "base"), None)
    return float(board.high[2]) if board is not None else setup.holding.seat


def zero_mark_program(job: Job, setup: SetupPlan, mark: ZeroMark) -> str:
    """A cross in the bare board at X0 Y0, one arm along X and one along Y."""
    u_top = bare_top(setup)
    top = 0.0 if mark.offset is not None else u_top - float(setup.wcs.u_origin[2])
    writer = _Writer(job, setup, mark.tool, mark.spindle, mark.offset, u_top)
    writer.begin("zero mark in the bare board, at X0 Y0", mark.feed)
    for start, end in (((-mark.arm, 0.0), (mark.arm, 0.0)), ((0.0, -mark.arm), (0.0, mark.arm))):
        writer.line(start, end, top, top - mark.depth)
    return writer.end()


def frame_program(job: Job, turn: TurnPlan, made: FrameSlot) -> str:
    """The frame's slot in passes, clockwise round the piece, over its tabs where there are any."""
    setup, frame = turn.before, turn.frame
    assert frame is not None, "a frame slot makes a frame"
    cutter = _cutter(turn.before, made.tool)
    origin = setup.wcs.u_origin
    top = float(setup.holding.u_stock[1][2] - origin[2])
    floor = setup.holding.seat - made.below - float(origin[2])
    tab_top = float(setup.holding.u_part[0][2] - origin[2]) + made.tab_height
    shift = turn.part_middle - origin[:2]
    diameter = min(cutter.diameter, made.slot)
    # Where the in-process stock has them, moved out to the cutter's axis.
    places = tab_places(piece_area(made, turn.part_middle), made)
    tabs = np.array([at + diameter / 2.0 * out for at, out in places]).reshape(-1, 2) - turn.part_middle
    writer = _Writer(job, setup, made.tool, made.spindle)
    writer.begin("slot of the interlocking frame", made.feed)
    for line in frame.cutter_lines(diameter):
        way = stretches(line, shift, tabs, made.tab_width + diameter)
        writer.contour(way, top, floor, made.pass_depth, tab_top)
    return writer.end()


def _cutter(setup: SetupPlan, tool: int) -> Cutter:
    cutter = setup.machine.cutter(tool)
    assert cutter is not None, "the job's own validation keeps tools true"
    return cutter


class _Writer:
    """Lines of one program, with its lengths in the control's own unit.

    ``offset`` is another than the setup's own, whose X and Y are the same and whose Z0 is at ``u_zero``.
    """

    def __init__(
        self, job: Job, setup: SetupPlan, tool: int, spindle: int, offset: str | None = None, u_zero: float = 0.0
    ) -> None:
        self._job, self._setup, self._tool, self._spindle = job, setup, tool, spindle
        self._n = NumberWriter(setup.machine.program_units)
        self._turned = turned_by(setup)
        self._lines: list[str] = []
        holding, origin = setup.holding, float(setup.wcs.u_origin[2]) if offset is None else u_zero
        self._own = target_of(setup.machine, setup.setup, setup.setup.offset)
        self._into = self._own if offset is None else target_of(setup.machine, setup.setup, offset)
        self._on_board = offset is not None
        self._over = max(holding.top(), float(holding.u_stock[1][2])) - origin + _OVER

    def begin(self, what: str, feed: float) -> None:
        setup, cutter = self._setup.setup, _cutter(self._setup, self._tool)
        metric, code = self._setup.machine.program_units == "mm", self._into.code
        self._feed = feed
        self._lines += [
            "%",
            f"({comment(self._job.title)})",
            f"({comment(setup.name)}: {comment(what)})",
            f"({comment(code)}, T{self._tool} {comment(cutter.name)}, {'millimetres' if metric else 'inches'})",
            *self._where_z0_is(),
            "(CAUTION: eye and ear protection, hands out of the travel.)",
            "(CAUTION: first run above the part with a finger on hold.)",
            "(CAUTION: check that clamps and screws are clear. Follow the machine builder and the shop rules.)",
            f"{'G21' if metric else 'G20'} G17 G40 G49 G80 G90 G94",
            f"T{self._tool} M6",
            f"G43 H{self._tool}",
            *self._same_place(),
            code,
            *([f"G68 X0 Y0 R#{self._turned} (as {comment(self._own.code)} is turned)"] if self._turned else []),
            f"S{self._spindle} M3",
            f"G0 Z{self._n(self._over)}",
        ]

    def _where_z0_is(self) -> list[str]:
        if not self._on_board:
            return []
        return [f"(Z0 of {comment(self._into.code)} is the top of the bare board: touch it off there before)"]

    def _same_place(self) -> list[str]:
        """X, Y and the turn of another offset are those of the setup's own; its Z is left alone."""
        if self._into == self._own:
            return []
        words = "".join(f" {axis}#{self._own.parameter(k)}" for k, axis in enumerate("XY"))
        turn = f" R{self._own.turn}" if turns_by_itself(self._setup.machine) else ""
        return [f"G10 L{self._into.level} P{self._into.number}{words}{turn} (X and Y as in {comment(self._own.code)})"]

    def end(self) -> str:
        rotation = ["G69"] if self._turned else []
        self._lines += [f"G0 Z{self._n(self._over)}", *rotation, "M5", "M2", "%"]
        return "\n".join(self._lines) + "\n"

    def bores(
        self,
        places: Sequence[RoundPlace],
        wider: float,
        top: float,
        bottom: float,
        made: PinBores,
        board_bottom: float | None = None,
    ) -> None:
        """Bores ``wider`` than the pins from ``top`` to ``bottom``, and on to ``board_bottom`` as wide as the pins.

        A tool as wide as the bore drills both alike.
        """
        cutter = _cutter(self._setup, self._tool)
        for number, place in enumerate(places, start=1):
            diameter = place.diameter + wider
            self._lines.append(f"(pin {number}: bore {self._n(diameter)})")
            if cutter.shape == "drill" or diameter - cutter.diameter <= _SAME:
                lowest = bottom if board_bottom is None else board_bottom
                self._drill(place, top, lowest - cutter.point_height(), made.peck)
                continue
            self._mill(place, (diameter - cutter.diameter) / 2.0, top, bottom, made.peck)
            if board_bottom is not None:
                self._lines.append(f"(pin {number}: {self._n(place.diameter)} in the board)")
                self._mill(place, max((place.diameter - cutter.diameter) / 2.0, 0.0), bottom, board_bottom, made.peck)

    def _drill(self, place: RoundPlace, top: float, bottom: float, peck: float) -> None:
        n = self._n
        self._lines += [
            f"G98 G83 X{n(place.x)} Y{n(place.y)} Z{n(bottom)} R{n(top + _ABOVE)} Q{n(peck)} F{n(self._feed)}",
            "G80",
        ]

    def _mill(self, place: RoundPlace, radius: float, top: float, bottom: float, pitch: float) -> None:
        """Rings from the middle outwards, each close enough to the last that no core is left standing.

        ``radius`` is that of the cutter's own way, mm.  The tool goes in and out by the middle, never down the wall.
        """
        n = self._n
        if radius < 1e-6:
            self._drill(place, top, bottom, pitch)
            return
        widest = _RING_SHARE * _cutter(self._setup, self._tool).diameter / 2.0
        rings = max(math.ceil(radius / widest - 1e-9), 1)
        self._lines += [f"G0 X{n(place.x)} Y{n(place.y)}", f"G0 Z{n(top + _ABOVE)}"]
        for ring in range(1, rings + 1):
            self._ring(place, radius * ring / rings, top, bottom, pitch)
        self._lines.append(f"G0 Z{n(self._over)}")

    def _ring(self, place: RoundPlace, radius: float, top: float, bottom: float, pitch: float) -> None:
        """Round and down by ``pitch`` a turn, once more round at the bottom, and back above the middle."""
        n = self._n
        turns = max(math.ceil((top - bottom) / pitch), 1)
        start, centre = f"X{n(place.x + radius)} Y{n(place.y)}", f"I{n(-radius)} J{n(0.0)}"
        depths = [top + (bottom - top) * turn / turns for turn in range(1, turns + 1)]
        self._lines += [
            f"G1 Z{n(top)} F{n(self._feed)}",
            f"G1 {start}",
            *(f"G3 {start} Z{n(depth)} {centre}" for depth in depths),
            f"G3 {start} {centre}",
            f"G1 X{n(place.x)} Y{n(place.y)}",
            f"G0 Z{n(top + _ABOVE)}",
        ]

    def line(self, start: tuple[float, float], end: tuple[float, float], top: float, depth: float) -> None:
        n = self._n
        self._lines += [
            f"G0 X{n(start[0])} Y{n(start[1])}",
            f"G0 Z{n(top + _ABOVE)}",
            f"G1 Z{n(depth)} F{n(self._feed / 2.0)}",
            f"G1 X{n(end[0])} Y{n(end[1])} F{n(self._feed)}",
            f"G0 Z{n(self._over)}",
        ]

    def contour(self, way: Iterable[Stretch], top: float, floor: float, step: float, tab_top: float) -> None:
        n, passes = self._n, max(math.ceil((top - floor) / step - 1e-9), 1)
        stretched = list(way)
        x, y = stretched[0].edge.start
        self._lines += [f"G0 X{n(x)} Y{n(y)}", f"G0 Z{n(top + _ABOVE)}"]
        for number, depth in enumerate(np.linspace(top, floor, passes + 1)[1:].tolist(), start=1):
            self._lines.append(f"(pass {number} of {passes})")
            height: float | None = None
            for stretch in stretched:
                wanted = max(depth, tab_top) if stretch.on_tab else depth
                if height is None or abs(wanted - height) > 1e-9:
                    self._lines.append(f"G1 Z{n(wanted)} F{n(self._feed / 2.0 if height is None else self._feed)}")
                    height = wanted
                self._lines.append(self._move(stretch))
        self._lines.append(f"G0 Z{n(self._over)}")

    def _move(self, stretch: Stretch) -> str:
        n, edge = self._n, stretch.edge
        words = f"X{n(edge.end[0])} Y{n(edge.end[1])}"
        if not edge.bulge:
            return f"G1 {words} F{n(self._feed)}"
        x, y = edge.centre
        code = "G3" if edge.bulge > 0 else "G2"
        return f"{code} {words} I{n(x - edge.start[0])} J{n(y - edge.start[1])} F{n(self._feed)}"
