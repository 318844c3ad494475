"""What a rehearsal takes of a plan, and what it yields."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from ..budget.shared_zeros import Finder
from ..datums import Wcs
from ..frames import Array, Placement
from ..holding import Holding
from ..holding.holding import Block
from ..in_process.bench import BenchDone
from ..locating import Located
from ..model.job import Job
from ..model.machine import Machine
from ..model.setup import Setup
from ..probing.touches import ProbingPlan
from ..programs.card_programs import CardCall
from ..programs.writer import ProbingText
from ..simulator.machine import Motion, TouchRecord
from ..solids.geometry import NO_FIXTURES, FixtureModels, PartGeometry
from ..turns.turn_plan import SeatPlay
from .clamped import TrueSetup
from .true_world import TrueWorld


@dataclass(frozen=True, eq=False)
class PlannedSetup:
    """What the rehearsal takes of the plan: programs and the places the plan assumed."""

    setup: Setup
    #: The machine with its station, and the setup as the job states it, its part lying as it does in its fixture.
    machine: Machine
    stated: Setup
    #: How it is held, and the same with its station level.
    holding: Holding
    level: Holding
    wcs: Wcs
    located: Located
    neighbours: tuple[Block, ...]
    probing: ProbingPlan
    probing_texts: tuple[ProbingText, ...]
    hover_text: str
    #: Its cards in place of the programs, where it is worked through by hand; the control's own cycles run them.
    cards: tuple[CardCall, ...] | None = None
    #: How far the stock may lie off where its fixture or the turn's registration holds it.
    play: SeatPlay | None = None
    #: Whether the part has stayed clamped since the setup before.
    still: bool = False
    #: Nobody and nothing has moved the part since the setup before.
    untouched: bool = False
    #: Which setups (by their number) cut what it lies on and the side that squares it up; None for the blank's own.
    aligned_by: tuple[int | None, int | None] = (None, None)
    #: Of a pattern: whose it is, and how far (standard, mm) it may be off what was found at another instance, where it
    #: is not found itself.
    instance: str = ""
    key: str = ""
    apart: float | None = None
    #: How far (standard, mm) its station is off where the pattern has it, and whether what holds it stands by itself.
    pattern_error: float | None = None
    stands_alone: bool = True
    #: How far (standard, mm) parts lie off in its seats, where that was stated.
    seat_scatter: float | None = None
    #: Who finds the zero that its part is cut from.
    finder: Finder = "itself"


@dataclass(frozen=True, eq=False)
class OverInstances:
    """A setup at all its instances that are on, in the order in which its programs go over them: each as it is planned.
    ``standing`` is what stands about and belongs to none of them, in ``u`` of the first; ``to_base`` takes what carries
    all of them from where it would carry each by itself, where something carries all.
    """

    planned: tuple[PlannedSetup, ...]
    standing: tuple[Block, ...]
    to_base: tuple[Placement | None, ...]
    #: Whether a part that is missing or does not seat is left out, or stops the run.
    skips: bool
    #: Its programs over those of the instances that are named by their keys.
    texts: Callable[[Sequence[str]], tuple[ProbingText, ...]]


@dataclass(frozen=True, eq=False)
class WrittenPlan:
    """A plan with its programs written: all that a rehearsal takes."""

    job: Job
    geometry: PartGeometry
    casting: PartGeometry | None
    setups: tuple[PlannedSetup, ...]
    fixtures: FixtureModels = NO_FIXTURES
    #: What is done beside the machine before each setup, and after all of them.
    bench: tuple[tuple[BenchDone, ...], ...] = ()
    #: Where any setup has a pattern: each setup over its instances.
    over: tuple[OverInstances, ...] = ()
    #: Which features are seen from which others, for the error budget; from P zero where that is empty.
    asked: tuple[tuple[str, str], ...] = ()

    @property
    def by_cards(self) -> bool:
        """Whether it is worked through by cards, so that the probing programs are not run."""
        return any(setup.cards is not None for setup in self.setups)


#: What is left to the machine's own resolution, and counts as nothing (mm).
NOT_OFF = 0.003


@dataclass(frozen=True, eq=False)
class RehearsedSetup:
    """Offsets are machine readings (3,) in mm; ``difference`` is found less true.

    ``stopped`` says that the probing program did not come to its end, so nothing was proven; an
    alarm of the hover check alone leaves the offset standing.
    """

    name: str
    offset: str
    assumed: Array
    true: Array
    found: Array
    alarms: tuple[str, ...]
    stopped: bool
    touches: tuple[TouchRecord, ...]
    motions: tuple[Motion, ...]
    messages: tuple[str, ...]
    hover_gap: float | None
    clamped: TrueSetup | None
    #: How far the offset was turned about Z, and how far the part really is (degrees).
    turn_deg: float = 0.0
    true_turn_deg: float = 0.0
    #: What the programs worked out, by parameter, in their own unit.
    results: dict[int, float] = field(default_factory=dict)
    #: How often the probing programs waited for the operator.
    pauses: int = 0
    #: How far each axis may be found off (mm); None where nothing sets it, or nothing was found.
    limits: tuple[float | None, ...] = (None, None, None)
    #: What was found wrong, in words with lengths to be spelled.
    amiss: tuple[str, ...] = ()
    #: Of a pattern: which instance it was, in which load, and whether the program has left it out.
    instance: str = ""
    load: int = 1
    left_out: bool = False

    @property
    def full_name(self) -> str:
        """The setup's name, and the instance's where it has several."""
        return f"{self.name}, instance {self.instance}" if self.instance else self.name

    @property
    def difference(self) -> Array:
        return self.found - self.true

    def is_off(self, k: int) -> bool:
        """Whether an axis (0 to 2) is further off than it may be; one that nothing sets may not be off at all."""
        return abs(float(self.difference[k])) > (self.limits[k] or NOT_OFF)

    @property
    def worst_off(self) -> float | None:
        """How far off the worst axis is of those that are further off than they may be (mm); None where none is."""
        if self.stopped or not self.ran:
            return None
        return max((abs(float(self.difference[k])) for k in range(3) if self.is_off(k)), default=None)

    @property
    def off_by_eye(self) -> float | None:
        """The same of the axes that no program sets, and that stand as they were put in by eye."""
        if self.stopped or not self.ran:
            return None
        eye = (k for k in range(3) if self.limits[k] is None and self.is_off(k))
        return max((abs(float(self.difference[k])) for k in eye), default=None)

    @property
    def is_set(self) -> bool:
        """Whether its programs ran to their end and set every axis, so that all of it was held against the truth."""
        return not self.stopped and self.ran and None not in self.limits

    @property
    def counted(self) -> int:
        """Touches whose reading counts: the slow ones of each two-stage touch."""
        return sum(touch.slow for touch in self.touches)

    @property
    def ran(self) -> bool:
        return self.clamped is not None


@dataclass(frozen=True)
class PairResult:
    """Where a far-side feature lies, seen from its near-side partner (mm, P axes).

    ``p_nominal`` is how the model has it, ``p_deviation`` what was measured less that.
    """

    feature: str
    partner: str
    p_nominal: tuple[float, float, float]
    p_deviation: tuple[float, float, float]
    part: int = 1


@dataclass(frozen=True, eq=False)
class Rehearsal:
    world: TrueWorld
    setups: tuple[RehearsedSetup, ...]
    pairs: tuple[PairResult, ...]
    #: By the control's own cycles from where the probe stood by eye; the probing programs were not run.
    by_cards: bool = False
    #: Of every setup all instances in all loads, where it has a pattern; ``setups`` has the first of each.
    instances: tuple[RehearsedSetup, ...] = ()
    #: Of every pair that is asked for: how far the feature is off where the other has it (3,), in P.  Of many parts at
    #: once of one alone, drawn by lot, that was never the one from which others take their zero: that is what the
    #: budget is of, and parts of one load share what is off.  Empty where there is none such.
    seen: tuple[dict[tuple[str, str], Array], ...] = ()

    @property
    def seed(self) -> int:
        return self.world.seed

    @property
    def has_stopped(self) -> bool:
        """Whether a program did not come to its end, of whoever was not left out."""
        return any(row.stopped and not row.left_out for row in self.instances or self.setups)

    @property
    def every(self) -> tuple[RehearsedSetup, ...]:
        """All that was rehearsed, every instance by itself."""
        return self.instances or self.setups

    @property
    def alarms(self) -> tuple[str, ...]:
        return tuple(alarm for setup in self.every for alarm in setup.alarms)

    @property
    def amiss(self) -> tuple[str, ...]:
        return tuple(f"{setup.full_name}: {words}" for setup in self.every for words in setup.amiss)
