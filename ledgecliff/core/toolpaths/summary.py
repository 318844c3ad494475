"""What reading a toolpath program yields: small, whatever the size of the file."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from ..quantities import Unit
from .duration import Duration


@dataclass
class Extent:
    """Lowest and highest X, Y and Z (mm, in the WCS, of the tool's tip), each None where the axis was never driven."""

    low: list[float] = field(default_factory=lambda: [math.inf] * 3)
    high: list[float] = field(default_factory=lambda: [-math.inf] * 3)

    def take(self, axis: int, value: float) -> None:
        if value < self.low[axis]:
            self.low[axis] = value
        if value > self.high[axis]:
            self.high[axis] = value

    def bounds(self, axis: int) -> tuple[float, float] | None:
        return None if self.low[axis] > self.high[axis] else (self.low[axis], self.high[axis])


@dataclass
class ToolUse:
    """One call of a tool: its number, the line, what a comment beside it says, lengths and compensation used.

    ``bare`` is the line of its first move with no length in force, ``zero`` that of a G43 H0 before it; ``without_d``
    the line of radius compensation without a D; ``open`` that of one which was never cancelled.  Nought: none.
    """

    tool: int
    line: int
    comment: str = ""
    h: dict[int, int] = field(default_factory=dict)
    d: dict[int, int] = field(default_factory=dict)
    compensated: list[int] = field(default_factory=list)
    bare: int = 0
    zero: int = 0
    without_d: int = 0
    open: int = 0


@dataclass(frozen=True)
class Remark:
    """Something that could not be read, or not for certain, with its line."""

    line: int
    text: str


@dataclass
class ProgramSummary:
    """``extents`` by work offset code and tool; ``units`` and ``distance`` in the order in which they come.

    ``complete`` is False when a remark says that some moves are not counted.  ``not_read`` says where units,
    distance mode or the like came into doubt: then there are no extents at all, for they might be of
    another unit.
    """

    #: The unit that counts until the program names one.
    unit_before: Unit = "mm"
    lines: int = 0
    extents: dict[tuple[str, int], Extent] = field(default_factory=dict)
    machine_moves: Extent = field(default_factory=Extent)
    offsets: dict[str, int] = field(default_factory=dict)
    #: The tool that stood in the spindle when the program began.
    at_start: ToolUse = field(default_factory=lambda: ToolUse(0, 0))
    tools: list[ToolUse] = field(default_factory=list)
    #: Tools that were called and never changed to, with their lines.
    not_changed_to: list[tuple[int, int]] = field(default_factory=list)
    #: The first move in X or Y in each offset, turned by each variable that holds how far one is turned, or by none.
    turned: dict[tuple[str, int | None], int] = field(default_factory=dict)
    #: Where rotary axes are sent by themselves: the word, its value (degrees) and the line.
    indexed: list[tuple[str, float, int]] = field(default_factory=list)
    units: dict[str, int] = field(default_factory=dict)
    distance: dict[str, int] = field(default_factory=dict)
    planes: dict[str, int] = field(default_factory=dict)
    #: The first move before any work offset was called, and before any unit; nought without one.
    moved_before_offset: int = 0
    moved_before_unit: int = 0
    deletable: int = 0
    #: The line of a local shift that is still in force at the end; nought where none is.
    shift_left: int = 0
    writes_offsets: list[int] = field(default_factory=list)
    remarks: list[Remark] = field(default_factory=list)
    duration: Duration = field(default_factory=Duration)
    not_read: Remark | None = None

    @property
    def complete(self) -> bool:
        return not self.remarks and self.not_read is None
