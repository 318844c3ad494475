"""One touch and one step of a probing routine, in the WCS of their setup (mm).

A touch moves the ball along ``way`` from ``start`` (the stand-off) until it triggers, at latest at
``end`` (the overtravel).  With ``direction`` +1 or -1 the way the ball moves along an axis,
``surface = reading + direction * effective radius`` (docs/methods/one-touch.md).  Ball positions
are ball *centres*; the programmed Z is the ball's lowest point.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from ..frames import AXES, Axis
from ..model.cycles import Crossing, CycleKind, ProbeCycle

StepKind = CycleKind
Place = tuple[float, float, float]


@dataclass(frozen=True)
class Wall:
    """The free height of a touched wall, and how far stock hangs out over it."""

    w_low: float
    w_high: float
    overhang: float


@dataclass(frozen=True)
class Feeds:
    """How a touch is made (mm/min and mm): search, slow touch, and how far it backs off between them."""

    search: float
    touch: float
    back_off: float


@dataclass(frozen=True)
class Touch:
    """``angle_deg`` is the way the ball moves about Z where that is none of the axes; ``axis`` and ``direction``
    are then the nearest.  ``turned_deg`` is how far the rotary axis stands turned meanwhile."""

    number: int
    surface: str
    axis: Axis
    direction: int
    w_contact: Place
    stand_off: float
    overtravel: float
    ball_radius: float
    wall: Wall | None
    depth: float
    feeds: Feeds
    angle_deg: float | None = None
    turned_deg: float = 0.0

    @property
    def way(self) -> Place:
        """Unit vector along which the ball moves."""
        if self.angle_deg is not None:
            angle = math.radians(self.angle_deg)
            return (math.cos(angle), math.sin(angle), 0.0)
        k = AXES.index(self.axis)
        return (float(self.direction * (k == 0)), float(self.direction * (k == 1)), float(self.direction * (k == 2)))

    def _along(self, distance: float) -> Place:
        """The ball centre when the ball's skin is ``distance`` beyond the expected contact."""
        far = distance - self.ball_radius
        x, y, z = (at + far * way for at, way in zip(self.w_contact, self.way, strict=True))
        return (x, y, z)

    @property
    def start(self) -> Place:
        return self._along(-self.stand_off)

    @property
    def behind(self) -> Place:
        """A back-off before the start: towards there the ball is drawn off, which ends as soon as contact is lost, so
        that even from a contact right at the start it is no move too short for the control."""
        return self._along(-self.stand_off - self.feeds.back_off)

    @property
    def at_contact(self) -> Place:
        return self._along(0.0)

    @property
    def end(self) -> Place:
        return self._along(self.overtravel)

    def moving(self) -> str:
        """The move in words, such as ``−X``."""
        if self.angle_deg is not None:
            return f"at {self.angle_deg:g}°"
        return ("+" if self.direction > 0 else "−") + self.axis.upper()


@dataclass(frozen=True)
class AxisSetting:
    """What a step sets: the found surface or centre of ``axis`` must read ``should_read``.

    ``expected`` is where the plan has it in the WCS: the same, unless the cycle states another reading.
    """

    axis: Axis
    should_read: float
    expected: float


@dataclass(frozen=True)
class Knowledge:
    """How well one axis of the WCS is known, plus or minus mm, from touching which body, and where on the other axis
    (mm, WCS): there it is known that well whatever the skew."""

    state: Literal["guessed", "rough", "set", "carried over", "fixture value", "rotary index"]
    uncertainty: float
    body: str = ""
    found_across: float | None = None


@dataclass(frozen=True)
class Problem:
    """Why a touch cannot work: a code for the finding, the fact, and the remedy.

    ``need`` is that of docs/methods/one-touch.md: 1 window, 2 landing, 3 depth, 4 stem, 5 way; nought for what is none
    of them.  ``value`` and ``limit`` are its numbers where there are some.
    """

    code: str
    touch: int
    message: str
    remedy: str
    need: int = 0
    value: float | None = None
    limit: float | None = None
    #: A field of the cycle or routine, and the value that would do.
    field: str = ""
    better: float | Crossing | None = None


@dataclass(frozen=True)
class Quantity:
    """One result of a step: its key (``x``, ``size``, ``skew`` …), its words, and what is expected (mm or degrees)."""

    key: str
    words: str
    expected: float
    is_angle: bool = False


@dataclass(frozen=True)
class Step:
    """``size`` is the expected width or diameter with its ``size_tolerance``; nought for a surface.

    ``sets_skew`` says that the WCS is turned to what was found.  Round features have their ``w_centre`` (2,) and
    run ``passes`` times, each from the centre found before.  ``into`` is the offset that is written, the setup's own
    where it is empty.
    """

    kind: StepKind
    title: str
    cycle: ProbeCycle
    touches: tuple[Touch, ...]
    sets: tuple[AxisSetting, ...]
    finds: tuple[Quantity, ...]
    problems: tuple[Problem, ...]
    #: How far (mm) below and above the expected height a check from above lets it be.
    window: tuple[float, float] | None = None
    size: float = 0.0
    size_tolerance: float = 0.0
    inside: bool = False
    sets_skew: bool = False
    w_centre: tuple[float, float] | None = None
    passes: int = 1
    crossing: Crossing = "over"
    into: str = ""
    w_clearance: float = 0.0
    #: How much a touch from above rises for a millimetre along X and Y, where what it meets leans.
    slope: tuple[float, float] = (0.0, 0.0)
    #: Knowledge of X, Y, Z and skew (degrees) when it is done.
    knowledge_after: tuple[Knowledge, ...] = ()


@dataclass(frozen=True)
class Landing:
    """A level surface with a place on it, in the WCS (mm): what gave Z, else the stock's top."""

    surface: str
    w_at: Place


@dataclass(frozen=True)
class ProbingPlan:
    """The steps of one setup; ``w_clearance`` is the height of the ball's underside between them.

    ``knowledge_before`` is of X, Y, Z and skew; ``carried`` are those that need no step, because they keep the zero
    of the setup before, and ``stays`` those that need none, because they are the known place of a fixture,
    with their machine readings (mm).
    """

    steps: tuple[Step, ...]
    w_clearance: float
    knowledge_before: tuple[Knowledge, ...]
    landing: Landing
    carried: tuple[Axis, ...] = ()
    stays: tuple[tuple[Axis, float], ...] = ()
    #: Level surfaces that a gauge block can stand on, beside the one that gave Z.
    places: tuple[Landing, ...] = ()
    #: Axes that need no step, because they are worked out from the zero of the setup before.
    indexed: tuple[Axis, ...] = ()

    @property
    def touches(self) -> tuple[Touch, ...]:
        return tuple(touch for step in self.steps for touch in step.touches)

    @property
    def problems(self) -> tuple[Problem, ...]:
        return tuple(problem for step in self.steps for problem in step.problems)

    def sets(self, offset: str) -> bool:
        """Whether anything of the setup's own ``offset`` is set here, or known and written."""
        mine = (step for step in self.steps if step.into in ("", offset))
        return bool(self.carried or self.stays or self.indexed) or any(step.sets or step.sets_skew for step in mine)

    def gives(self, axis: Axis, offset: str) -> bool:
        """Whether an axis of the setup's own ``offset`` is found here, carried over, or known and written."""
        if axis in self.carried or axis in self.indexed or axis in dict(self.stays):
            return True
        return any(setting.axis == axis for step in self.steps if step.into in ("", offset) for setting in step.sets)

    def stage(self, after: str | None) -> tuple[Step, ...]:
        """The steps that run after an operation, or before all of them."""
        return tuple(step for step in self.steps if step.cycle.after == after)

    def stages(self) -> tuple[str | None, ...]:
        """After which operations something is probed, in order; None is before all of them, where zeros that are
        known already are written even if nothing is probed yet."""
        return tuple(dict.fromkeys((None, *(step.cycle.after for step in self.steps))))
