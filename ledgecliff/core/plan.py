"""The plan: everything that follows from a job, computed by pure functions and cached by stage.

``make_plan(job, models)`` is the one way from a job to what views, sheets, programs and the
command line show.  Each stage is cached by its own inputs, so an edit recomputes what hangs on it.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING, Literal

import manifold3d
import numpy as np

from .blanks import blank, stock_size, transformed
from .cutting.cuts import Cut, cut_floor
from .cutting.outlines import inside_outline
from .datums import Wcs, place_wcs
from .dimensioned import part_geometry
from .errors import PlanError
from .findings.base import Finding, Severity
from .frames import Array, Turn
from .holding import Block, Holding, hold_part, shaped_block
from .holding.contact import Grip, Seat, ThinPlace, grip_of, seat_of, thinnest_place
from .holding.freed import Piece, pieces
from .holding.tooling import ToolUse, tool_use
from .model.job import Job
from .model.machine import Machine
from .model.part import Feature
from .model.setup import Setup
from .model.stock import Stock
from .probing.planning import plan_probing
from .probing.touches import ProbingPlan
from .programs.writer import ProbingText, hover_program, probing_programs
from .quantities import said_bare
from .registration.carried import Carried, carried, frame_slot, registered_shift, takes_over
from .sides.order import Proposal, propose
from .sides.reach import Coverage, coverage
from .simulator.rehearsal import PlannedSetup
from .solids.geometry import Models, PartGeometry
from .solids.tracked import InProcessStock
from .stock import Cutting, cut_setups, cuts_of

if TYPE_CHECKING:
    from .programs.reading_check import ReadBack
    from .registration.turning import TurnPlan

SceneKind = Literal["stock", "setup", "turn", "finished"]


@dataclass(frozen=True)
class FeatureReading:
    """One row of the table of feature coordinates, in the WCS of its setup (mm)."""

    name: str
    x: float
    y: float
    z: float


@dataclass(frozen=True, eq=False)
class SetupPlan:
    """One setup worked out: the stock it gets and leaves, how it sits, its zero, its touches."""

    index: int
    setup: Setup
    cutting: Cutting
    holding: Holding
    wcs: Wcs
    probing: ProbingPlan
    readings: tuple[FeatureReading, ...]
    features: tuple[Feature, ...]

    geometry: PartGeometry
    machine: Machine
    cuts: tuple[Cut, ...]
    #: How far blanks vary along part X, Y and Z (plus or minus, mm).
    spread: tuple[float, float, float]

    @property
    def planned_offset(self) -> Array:
        """The work offset (3,) as the control's table shows it: with lengths from a reference plane, Z from there."""
        shown: Array = self.wcs.m_offset - np.array([0.0, 0.0, self.machine.length_shift()])
        return shown

    @property
    def before(self) -> InProcessStock:
        return self.cutting.before(0)

    @property
    def after(self) -> InProcessStock:
        return self.cutting.before(len(self.setup.operations))

    def stock_after(self, operation: str | None) -> InProcessStock:
        """The stock once an operation of this setup is cut, or as the setup gets it."""
        names = [each.name for each in self.setup.operations]
        return self.before if operation is None else self.cutting.before(names.index(operation) + 1)

    @cached_property
    def grip(self) -> Grip | None:
        return grip_of(self.holding, self.after)

    @cached_property
    def seat(self) -> Seat:
        return seat_of(self.holding)

    @cached_property
    def thinnest(self) -> ThinPlace | None:
        return thinnest_place(self.holding, self.after)

    @cached_property
    def tool_uses(self) -> tuple[ToolUse, ...]:
        """What every operation asks of its tool, in their order."""
        orientation, cutting = self.setup.orientation, self.cutting
        uses = []
        for k, operation in enumerate(self.setup.operations):
            cutter = self.machine.cutter(operation.tool)
            assert cutter is not None, "the job's own validation keeps tools true"
            bottom = float(cutting.before(k).u_corners(orientation)[0][2])
            lowest = cut_floor(self.geometry, self.cuts[k], bottom)
            blocks = self.holding.blocks
            if operation.removes == "pin bores":
                # Pins stand in what lies under the stock.
                blocks = tuple(block for block in blocks if block.kind != "base" or block.name == "border")
            uses.append(tool_use(k, cutting.removed(k), cutting.after(k), orientation, cutter, blocks, lowest))
        return tuple(uses)

    def orient(self, p_solid: manifold3d.Manifold) -> tuple[Array, Array]:
        """Lowest and highest corner (3,) in ``u`` of a solid in P."""
        bounds = np.array(p_solid.bounding_box()).reshape(2, 3) @ self.setup.orientation.matrix().T
        return bounds.min(axis=0), bounds.max(axis=0)

    def pieces_after(self, operation: int) -> tuple[Piece, ...]:
        """What the stock has fallen into after an operation (from 0), and what holds each piece."""
        return _pieces(self.holding, self.cutting.after(operation), self.geometry.solid)


_pieces = lru_cache(maxsize=256)(pieces)


@dataclass(frozen=True)
class Scene:
    """One picture of the route; ``setup`` is the index of its setup, or of the one a turn leads to.

    ``caption`` may hold lengths to be spelled in the unit that is shown.
    """

    kind: SceneKind
    title: str
    caption: str
    detail: str
    setup: int | None = None
    worst: Severity | None = None


@dataclass(frozen=True, eq=False)
class Plan:
    job: Job
    models: Models
    geometry: PartGeometry
    blank: InProcessStock
    setups: tuple[SetupPlan, ...]

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """Worst first."""
        from .findings.rules import check  # the rules look at plans, so they come after this module

        return check(self)

    @cached_property
    def coverage(self) -> Coverage:
        """From where each feature can be cut."""
        return coverage(self.job.part.features, self.geometry, self.blank)

    @cached_property
    def proposal(self) -> Proposal:
        """Proposed orders of sides, with their reasons; takes a second or so."""
        return propose(self.job.part.features, self.geometry, self.blank, self.job.stock.form != "model")

    @cached_property
    def turns(self) -> tuple[TurnPlan, ...]:
        """The turns between setups, in order: the first leads to the second setup."""
        from .registration.turning import TurnPlan  # turns look at setups as planned, so they come after this module

        return tuple(TurnPlan(before, after) for before, after in itertools.pairwise(self.setups))

    @cached_property
    def scenes(self) -> tuple[Scene, ...]:
        return tuple(_scenes(self))

    @property
    def finished(self) -> InProcessStock:
        return self.setups[-1].after

    @cached_property
    def finished_inside(self) -> InProcessStock:
        """What is left within the part's outline: beside a slot the border stays, on tabs or by itself."""
        left = self.finished
        for setup in self.job.setups:
            if any(operation.removes == "outline" and operation.slot is not None for operation in setup.operations):
                left = left.less(inside_outline(self.geometry, setup.orientation, left.solid))
        return left

    def probing_texts(self, index: int) -> tuple[ProbingText, ...]:
        """The probing programs of a setup.  Raises PlanError or ProfileError when they cannot be written."""
        before = self.setups[index - 1].setup if index else None
        return _probing_texts(self.job.machine, self.job.title, self.setups[index], before)

    def probing_text(self, index: int) -> str:
        """The probing program that a setup begins with."""
        return next((each.text for each in self.probing_texts(index) if each.after is None), "")

    def read_back(
        self,
        index: int,
        progress: Callable[[int, int], None] = lambda _done, _of: None,
        should_stop: Callable[[], bool] = lambda: False,
    ) -> ReadBack:
        """The setup's probing programs read back against its plan; a long one takes seconds."""
        from .programs.reading_check import read_back  # it runs the simulated control, which few need

        plan = self.setups[index]
        texts = self.probing_texts(index)
        stocks = [plan.stock_after(text.after) for text in texts]
        before = self.setups[index - 1].setup if index else None
        return read_back(
            self.job.machine, plan.setup, plan.holding, plan.wcs, plan.probing, texts, stocks, before, progress,
            should_stop,
        )  # fmt: skip

    def hover_text(self, index: int) -> str:
        plan = self.setups[index]
        return hover_program(self.job.machine, self.job.title, plan.setup, plan.holding, plan.wcs, plan.probing)

    def registration_texts(self, index: int) -> dict[str, str]:
        """Programs that a setup runs for the turn after it, by what they make: bores for pins, a frame's slot."""
        from .programs.registration import programs_of_turn  # it looks at turns, so it comes after this module

        return programs_of_turn(self.job, self.turns[index]) if index < len(self.turns) else {}

    def for_rehearsal(self) -> tuple[PlannedSetup, ...]:
        return tuple(
            PlannedSetup(
                p.setup,
                p.holding,
                p.wcs,
                p.probing,
                self.probing_texts(p.index),
                self.hover_text(p.index),
                self._play(p.index),
            )
            for p in self.setups
        )

    def _play(self, index: int) -> tuple[float, float] | None:
        """How far off, and turned, the stock may lie in a setup where something with a fit holds it."""
        from .registration.turning import jig_play

        play = jig_play(self.setups[index])
        if play is None and index:
            play = self.turns[index - 1].play
        return None if play is None else (play.shift, play.turn_rad)


@lru_cache(maxsize=128)
def _probing_texts(
    machine: Machine, title: str, plan: SetupPlan, before: Setup | None
) -> tuple[ProbingText, ...]:  # fmt: skip
    return probing_programs(machine, title, plan.setup, plan.probing, before)


@lru_cache(maxsize=64)
def _left_behind(before: SetupPlan, after: Setup, piece: InProcessStock) -> Block | None:
    """The border of an interlocking frame, in ``u`` of the setup after: it stays on the board as it lay."""
    rest = before.after.solid - piece.solid
    if rest.is_empty():
        return None
    shift = registered_shift(before.setup, after, before.wcs, before.holding.m_shift, before.geometry)
    # What lay on the board before lies on it still, at whatever height the turned piece has it.
    rise = float(piece.u_corners(after.orientation)[0][2]) - before.holding.seat
    way = np.array([*(before.holding.m_shift[:2] - shift), rise])
    return shaped_block("border", "base", transformed(rest, before.setup.orientation.matrix(), way))


def make_plan(job: Job, models: Models) -> Plan:
    """Everything derived from ``job`` for the models it refers to.

    Raises PlanError when a setup leaves nothing of the stock, or a model has not been read.
    """
    geometry = part_geometry(job.part, models)
    features = job.part.features
    cuts = cuts_of(job.setups, features)
    cuttings = cut_setups(job.stock, geometry, models.stock, cuts)
    plans: list[SetupPlan] = []
    for index, (setup, of_setup, cutting) in enumerate(zip(job.setups, cuts, cuttings, strict=True)):
        over, behind = None, None
        if index:
            last = plans[-1]
            if takes_over(setup):
                over = carried(last.setup, setup, last.wcs, last.holding.m_shift, geometry)
            if frame_slot(last.setup) is not None:
                behind = _left_behind(last, setup, cutting.before(0))
        plan = _setup_plan(index, job.machine, setup, of_setup, cutting, job.stock, features, geometry, over, behind)
        if plan.after.solid.is_empty():
            raise PlanError(
                f"{setup.name} cuts the whole stock away: nothing is left to hold. Check the stock's measured "
                "size, its allowances and how deep the operations go."
            )
        plans.append(plan)
    return Plan(job, models, geometry, blank(job.stock, geometry, models.stock), tuple(plans))


@lru_cache(maxsize=256)
def _setup_plan(
    index: int,
    machine: Machine,
    setup: Setup,
    cuts: tuple[Cut, ...],
    cutting: Cutting,
    stock: Stock,
    features: tuple[Feature, ...],
    geometry: PartGeometry,
    over: Carried | None,
    behind: Block | None,
) -> SetupPlan:
    before = cutting.before(0)
    if before.solid.is_empty():
        raise PlanError(f"Nothing of the stock is left for {setup.name} to hold.")
    holding = hold_part(machine, setup, before, geometry, over.m_shift if over else None, behind)
    wcs = place_wcs(setup.datum, holding, features, over.m_zero if over else None)
    probing = plan_probing(setup, holding, wcs, machine, stock, features, cutting.before)
    readings = tuple(
        FeatureReading(feature.name, *(float(value) for value in wcs.reads(feature.at.as_tuple())))
        for feature in features
    )
    spread = stock.spread()
    return SetupPlan(index, setup, cutting, holding, wcs, probing, readings, features, geometry, machine, cuts, spread)


def _scenes(plan: Plan) -> list[Scene]:
    job = plan.job
    stock = _size_words(stock_size(job.stock, plan.models.stock))
    scenes = [Scene("stock", "Stock", stock, job.stock.material, worst=_worst(plan, ""))]
    for index, setup in enumerate(job.setups):
        if index:
            turn = Turn(job.setups[index - 1].orientation, setup.orientation)
            registered = f"registered by {_registered_by(plan, index)}"
            scenes.append(Scene("turn", "Turn", turn.in_shop_words(), registered, index))
        scenes.append(Scene("setup", setup.name, setup.side, setup.offset, index, _worst(plan, setup.name)))
    part = _size_words(plan.geometry.high - plan.geometry.low)
    scenes.append(Scene("finished", "Finished", part, job.part.name))
    return scenes


def _size_words(size: Iterable[float]) -> str:
    return " × ".join(said_bare(float(value)) for value in size)


def _registered_by(plan: Plan, index: int) -> str:
    way, setup = plan.turns[index - 1].way, plan.setups[index].setup
    if way in ("dowel pins", "interlocking frame", "two-pocket jig"):
        return way
    names = [setup.datum.x.feature or setup.datum.x.source, setup.datum.y.feature or setup.datum.y.source]
    return names[0] if names[0] == names[1] else f"{names[0]} and {names[1]}"


def _worst(plan: Plan, setup: str) -> Severity | None:
    return next((finding.severity for finding in plan.findings if finding.setup == setup), None)
