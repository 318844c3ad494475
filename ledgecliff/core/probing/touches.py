"""One touch and one step of a probing routine, in the WCS of their setup (mm).

A touch moves the ball along one axis from ``start`` (the stand-off) until it triggers, at latest
at ``end`` (the overtravel).  With ``direction`` +1 or -1 the way the ball moves,
``surface = reading + direction * effective radius`` (handbook chapters 2 and 3).  Ball positions
are ball *centres*; the programmed Z is the ball's lowest point.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ..frames import AXES, Axis

StepKind = Literal["web", "bore", "surface"]


@dataclass(frozen=True)
class Wall:
    """The free height of a touched wall, and how far stock hangs out over it."""

    w_low: float
    w_high: float
    overhang: float


@dataclass(frozen=True)
class Touch:
    number: int
    surface: str
    axis: Axis
    direction: int
    w_contact: tuple[float, float, float]
    stand_off: float
    overtravel: float
    ball_radius: float
    wall: Wall | None
    depth: float

    def _along(self, distance: float) -> tuple[float, float, float]:
        """The ball centre when the ball's skin is ``distance`` beyond the expected contact."""
        k = AXES.index(self.axis)
        centre = list(self.w_contact)
        centre[k] += self.direction * (distance - self.ball_radius)
        return (centre[0], centre[1], centre[2])

    @property
    def start(self) -> tuple[float, float, float]:
        return self._along(-self.stand_off)

    @property
    def at_contact(self) -> tuple[float, float, float]:
        return self._along(0.0)

    @property
    def end(self) -> tuple[float, float, float]:
        return self._along(self.overtravel)

    def moving(self) -> str:
        """The move in words, such as ``−X``."""
        return ("+" if self.direction > 0 else "−") + self.axis.upper()


@dataclass(frozen=True)
class AxisSetting:
    """What a step sets: the found surface or centre of ``axis`` must read ``should_read``."""

    axis: Axis
    should_read: float


@dataclass(frozen=True)
class Knowledge:
    """How well one axis of the WCS is known: ``guessed``, ``set`` or ``carried over``, plus or minus mm."""

    state: Literal["guessed", "set", "carried over"]
    uncertainty: float


@dataclass(frozen=True)
class Problem:
    """Why a touch cannot work: a code for the finding, the fact, and the remedy."""

    code: str
    touch: int
    message: str
    remedy: str


@dataclass(frozen=True)
class Step:
    """``size`` is the expected width or diameter with its ``size_tolerance``; nought for a surface."""

    kind: StepKind
    title: str
    touches: tuple[Touch, ...]
    sets: tuple[AxisSetting, ...]
    size: float
    size_tolerance: float
    inside: bool
    knowledge_after: tuple[Knowledge, Knowledge, Knowledge]
    problems: tuple[Problem, ...]


@dataclass(frozen=True)
class Landing:
    """A level surface with a place on it, in the WCS (mm): what gave Z, else the stock's top."""

    surface: str
    w_at: tuple[float, float, float]


@dataclass(frozen=True)
class ProbingPlan:
    """The steps of one setup; ``w_clearance`` is the height of the ball's underside between them.

    ``knowledge_before`` is of each axis; ``carried`` are those that need no step, because they keep the zero of
    the setup before.
    """

    steps: tuple[Step, ...]
    w_clearance: float
    knowledge_before: tuple[Knowledge, Knowledge, Knowledge]
    landing: Landing
    carried: tuple[Axis, ...] = ()

    @property
    def touches(self) -> tuple[Touch, ...]:
        return tuple(touch for step in self.steps for touch in step.touches)

    @property
    def problems(self) -> tuple[Problem, ...]:
        return tuple(problem for step in self.steps for problem in step.problems)
