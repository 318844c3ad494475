"""Lines of the programs that we make ourselves: bores, slots, pockets and marks that hold or register a part.

Plain RS-274/NGC text in the WCS of the setup that makes them, or in another offset that has the same X and Y.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from ..frames import Array
from ..model.job import Job
from ..model.machine import Cutter
from ..model.operations import PinBores
from ..registration.contour import Stretch
from ..registration.seats import RoundPlace
from ..setup_plan import SetupPlan
from .index_moves import index_moves
from .rotation import turned_by, turns_by_itself
from .targets import target_of
from .text import NumberWriter, comment

#: The tool comes down fast to this far above what it cuts, and moves over everything this far above it (mm).
_ABOVE, _OVER = 2.0, 10.0
#: Bores that are not wider than the tool by more than this are drilled (mm).
_SAME = 1e-3
#: How far rings lie apart, of the cutter's radius: below 1 none of them leaves a core.
_RING_SHARE = 0.8


def cutter_of(setup: SetupPlan, tool: int) -> Cutter:
    cutter = setup.machine.cutter(tool)
    assert cutter is not None, "the job's own validation keeps tools true"
    return cutter


@dataclass(frozen=True)
class OtherZero:
    """A work offset besides the setup's own: its Z0 is at ``u_z`` (mm), ``words`` say where its zero is.  With
    ``same_place`` its X, Y and turn are those of the setup's own, and the program sees to that."""

    offset: str
    u_z: float
    words: tuple[str, ...]
    same_place: bool = True


class MadeLines:
    """Lines of one program, with its lengths in the control's own unit, in the setup's own offset or in ``other``."""

    def __init__(self, job: Job, setup: SetupPlan, tool: int, spindle: int, other: OtherZero | None = None) -> None:
        self._job, self._setup, self._tool, self._spindle = job, setup, tool, spindle
        self._n = NumberWriter(setup.machine.program_units)
        self._turned = turned_by(setup) if other is None or other.same_place else None
        self._lines: list[str] = []
        holding, origin = setup.holding, float(setup.wcs.u_origin[2]) if other is None else other.u_z
        self._own = target_of(setup.machine, setup.setup, setup.setup.offset)
        self._into = self._own if other is None else target_of(setup.machine, setup.setup, other.offset)
        self._other = other
        self._over = max(holding.top(), float(holding.u_stock[1][2])) - origin + _OVER

    def begin(self, what: str, feed: float) -> None:
        setup, cutter = self._setup.setup, cutter_of(self._setup, self._tool)
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
            *self._indexed(),
            f"G43 H{self._tool}",
            *self._same_place(),
            code,
            *([f"G68 X0 Y0 R#{self._turned} (as {comment(self._own.code)} is turned)"] if self._turned else []),
            f"S{self._spindle} M3",
            f"G0 Z{self._n(self._over)}",
        ]

    def _indexed(self) -> list[str]:
        """The rotary axes at the setup's index, gone there from the top of the travel."""
        machine, lines = self._setup.machine, []
        for move in index_moves(machine, self._setup.setup):
            lines.append(f"G53 G0 Z{self._n(machine.travel_max.z)}")
            lines += [f"{move.free} ({move.letter} free)"] if move.free else []
            lines.append(f"G0 {move.letter}{move.degrees}")
            lines += [f"{move.clamp} ({move.letter} clamped)"] if move.clamp else []
        return lines

    def _where_z0_is(self) -> list[str]:
        return [] if self._other is None else [f"({comment(words)})" for words in self._other.words]

    def _same_place(self) -> list[str]:
        """X, Y and the turn of another offset that follows the setup's own are those; its Z is left alone."""
        if self._into == self._own or self._other is None or not self._other.same_place:
            return []
        words = "".join(f" {axis}#{self._own.parameter(k)}" for k, axis in enumerate("XY"))
        turn = f" R{self._own.turn}" if turns_by_itself(self._setup.machine) else ""
        return [f"G10 L{self._into.level} P{self._into.number}{words}{turn} (X and Y as in {comment(self._own.code)})"]

    def say(self, words: str) -> None:
        self._lines.append(f"({comment(words)})")

    def ring(self, ring: Array, depth: float) -> None:
        """Once round a closed way (N, 2) at a depth, straight down to it from over the work."""
        n, (x, y) = self._n, ring[0].tolist()
        self._lines += [f"G0 X{n(x)} Y{n(y)}", f"G0 Z{n(_ABOVE)}", f"G1 Z{n(depth)} F{n(self._feed / 2.0)}"]
        places = [*ring[1:].tolist(), (x, y)]
        self._lines += [f"G1 X{n(a)} Y{n(b)} F{n(self._feed)}" for a, b in places]
        self._lines.append(f"G0 Z{n(self._over)}")

    def plunge(self, x: float, y: float, depth: float) -> None:
        n = self._n
        self._lines += [
            f"G0 X{n(x)} Y{n(y)}",
            f"G0 Z{n(_ABOVE)}",
            f"G1 Z{n(depth)} F{n(self._feed / 2.0)}",
            f"G0 Z{n(self._over)}",
        ]

    def round(self, place: RoundPlace, top: float, bottom: float, pitch: float) -> None:
        """A bore of a place's own diameter."""
        cutter = cutter_of(self._setup, self._tool)
        self._mill(place, max((place.diameter - cutter.diameter) / 2.0, 0.0), top, bottom, pitch)

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
        cutter = cutter_of(self._setup, self._tool)
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
        widest = _RING_SHARE * cutter_of(self._setup, self._tool).diameter / 2.0
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
