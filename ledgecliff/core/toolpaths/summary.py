"""What reading a toolpath program yields: small, whatever the size of the file."""

from __future__ import annotations

import math
from dataclasses import dataclass, field


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
    """One call of a tool: its number, the line, what a comment beside it says, lengths and compensation used."""

    tool: int
    line: int
    comment: str = ""
    h: dict[int, int] = field(default_factory=dict)
    d: dict[int, int] = field(default_factory=dict)
    compensated: list[int] = field(default_factory=list)


@dataclass(frozen=True)
class Remark:
    """Something that could not be read, or not for certain, with its line."""

    line: int
    text: str


@dataclass
class ProgramSummary:
    """``extents`` by work offset code and tool; ``units`` and ``distance`` in the order in which they come.

    ``complete`` is False when a remark says that some moves are not counted.
    """

    lines: int = 0
    extents: dict[tuple[str, int], Extent] = field(default_factory=dict)
    machine_moves: Extent = field(default_factory=Extent)
    offsets: dict[str, int] = field(default_factory=dict)
    tools: list[ToolUse] = field(default_factory=list)
    units: dict[str, int] = field(default_factory=dict)
    distance: dict[str, int] = field(default_factory=dict)
    planes: dict[str, int] = field(default_factory=dict)
    spindle_on: int = 0
    deletable: int = 0
    writes_offsets: list[int] = field(default_factory=list)
    remarks: list[Remark] = field(default_factory=list)

    @property
    def complete(self) -> bool:
        return not self.remarks
