"""What stands in force while a toolpath program is read, and where the tool's tip is.

Places are in the WCS (mm): what is programmed, and the shifts of G52 and G92 on top of it.  A place that
is not known, after a tool change or a move in machine coordinates, is None and is never guessed.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from ..simulator.modal import CYCLES
from .duration import Clock
from .summary import Extent, ProgramSummary, ToolUse

STRAIGHT = (0, 10)
ARCS = (20, 30)
#: Every drilling, boring and tapping cycle that is read.
DRILLING = (*CYCLES, 740, 840, 880)
#: Words that turn, stretch or mirror what follows, and the words that end each.
_BEGINS = {160: "G16", 510: "G51", 511: "G51.1", 680: "G68"}
_ENDS = {150: "G16", 500: "G51", 501: "G51.1", 690: "G68"}
_WHAT = {"G16": "polar", "G51": "scaled", "G51.1": "mirrored", "G68": "turned"}


@dataclass
class State:
    """``motion`` is -1 until a motion word has come; ``cycle_start`` is the height before the first hole.

    ``tell`` remarks upon what cannot be counted.
    """

    summary: ProgramSummary
    tell: Callable[[str], None]
    per_unit: float = 1.0
    absolute: bool = True
    motion: int = -1
    plane: str = "G17"
    offset: str = ""
    at: list[float | None] = field(default_factory=lambda: [None, None, None])
    #: By G52, and by G92, which may not be known; what G92.2 laid aside.
    local: list[float] = field(default_factory=lambda: [0.0, 0.0, 0.0])
    stated: list[float | None] = field(default_factory=lambda: [0.0, 0.0, 0.0])
    laid_aside: list[float | None] = field(default_factory=lambda: [0.0, 0.0, 0.0])
    #: Which of polar coordinates, scaling, mirror and rotation are in force.
    distorted: set[str] = field(default_factory=set)
    #: The variable by which coordinates are turned, where that is one in which an offset's own turn is kept.
    turned_by: int | None = None
    cycle: dict[str, float] = field(default_factory=dict)
    cycle_start: float | None = None
    back_to_start: bool = True
    selected: int = 0
    #: Which tool is in the spindle: first whatever stood there when the program began.
    use: ToolUse = field(default_factory=lambda: ToolUse(0, 0))
    has_length: bool = False
    clock: Clock = field(init=False)

    def __post_init__(self) -> None:
        self.use = self.summary.at_start
        self.clock = Clock(self.summary.duration)

    def lose(self, axes: str = "XYZ") -> None:
        """Where the tool is along these axes is no longer known."""
        for letter in axes:
            self.at["XYZ".index(letter)] = None

    def shift(self, axis: int) -> float | None:
        stated = self.stated[axis]
        return None if stated is None else self.local[axis] + stated

    def distort(self, word: int) -> str:
        """Takes a word that begins or ends a distortion; the words to tell where it begins, else empty."""
        if word in _ENDS:
            self.distorted.discard(_ENDS[word])
            self.turned_by = None if word == 690 else self.turned_by
            self.lose()
            return ""
        name = _BEGINS[word]
        self.distorted.add(name)
        self.lose()
        return f"coordinates are {_WHAT[name]} from here on ({name}); moves until that ends are not counted"

    def turn_by(self, variable: int) -> None:
        """What follows is in the coordinates of an offset that is turned by what ``variable`` holds."""
        self.turned_by = variable
        self.lose("XY")

    @property
    def turned(self) -> tuple[str, int | None]:
        """As ``ProgramSummary.turned`` has it."""
        return self.offset, self.turned_by

    def shift_locally(self, given: dict[int, float]) -> None:
        """G52 states the shift itself (mm)."""
        for axis, value in given.items():
            self.local[axis] = value

    def state_here(self, given: dict[int, float]) -> str:
        """G92 makes the present place read what is stated (mm); the words to tell when the place is not known."""
        for axis, value in given.items():
            here = self.at[axis]
            self.stated[axis] = None if here is None else here - self.local[axis] - value
        lost = "".join("XYZ"[axis] for axis in given if self.stated[axis] is None)
        if not lost:
            return ""
        return f"G92 states a place that is not known; what follows in {' and '.join(lost)} is not counted"

    def end_stated(self, word: int) -> None:
        """G92.1 takes the shift back, G92.2 lays it aside, G92.3 takes it up again."""
        if word == 923:
            self.stated = list(self.laid_aside)
            return
        self.laid_aside = list(self.stated) if word == 922 else [0.0, 0.0, 0.0]
        self.stated = [0.0, 0.0, 0.0]

    def extent(self) -> Extent:
        return self.summary.extents.setdefault((self.offset, self.use.tool), Extent())

    def take(self, axis: int, value: float | None) -> None:
        """The tip passes ``value`` along ``axis``; nothing when it is not known."""
        if value is not None:
            self.extent().take(axis, value)

    def go(self, axis: int, value: float | None) -> None:
        """The tip goes to ``value`` along ``axis``."""
        self.at[axis] = value
        self.take(axis, value)
