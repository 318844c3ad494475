"""Rehearsal: the released program text, run on the simulated machine against a true world.

Setup after setup: clamp the true stock, run the probing program, compare the offset it wrote with
the true one, cut with the offset that was *found*, turn, and go on with what was really cut.  At
the end the far-side features are measured against their near-side partners.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..datums import Wcs
from ..frames import AXES, Array
from ..holding import Holding
from ..model.job import Job
from ..model.setup import Setup
from ..probing.touches import ProbingPlan
from ..registration.carried import registered_shift, takes_over
from ..solids.geometry import PartGeometry
from ..solids.tracked import InProcessStock
from ..stock import at_the_turn, cut, cuts_of
from .interpreter import Control, Outcome
from .machine import Motion, SimulatedMachine, TouchRecord
from .world import IDENTITY, Placement, Registered, TrueSetup, clamp, true_blank, true_offset


@dataclass(frozen=True, eq=False)
class PlannedSetup:
    """What the rehearsal takes of the plan: programs and the places the plan assumed."""

    setup: Setup
    holding: Holding
    wcs: Wcs
    probing: ProbingPlan
    probing_text: str
    hover_text: str
    #: How far the stock may lie off where its fixture or the turn's registration holds it (mm, and radians).
    play: tuple[float, float] | None = None


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
    world: TrueSetup | None

    @property
    def difference(self) -> Array:
        return self.found - self.true

    @property
    def counted(self) -> int:
        """Touches whose reading counts: the slow ones of each two-stage touch."""
        return sum(touch.slow for touch in self.touches)

    @property
    def ran(self) -> bool:
        return self.world is not None


@dataclass(frozen=True)
class PairResult:
    """Where a far-side feature lies, seen from its near-side partner (mm, P axes).

    ``p_nominal`` is how the model has it, ``p_deviation`` what was measured less that.
    """

    feature: str
    partner: str
    p_nominal: tuple[float, float, float]
    p_deviation: tuple[float, float, float]


@dataclass(frozen=True, eq=False)
class Rehearsal:
    seed: int
    setups: tuple[RehearsedSetup, ...]
    pairs: tuple[PairResult, ...]

    @property
    def alarms(self) -> tuple[str, ...]:
        return tuple(alarm for setup in self.setups for alarm in setup.alarms)


def rehearse(
    job: Job,
    geometry: PartGeometry,
    planned: tuple[PlannedSetup, ...],
    seed: int,
    progress: Callable[[int, int], None] = lambda _done, _of: None,
    should_stop: Callable[[], bool] = lambda: False,
    casting: PartGeometry | None = None,
) -> Rehearsal:
    """Runs every setup's programs.  The same seed gives the same world and the same result.

    An alarm in one setup ends the rehearsal there; the setups after it are listed as not run.
    """
    rng = np.random.default_rng(seed)
    run = _Run(job, geometry, casting, rng, should_stop)
    results: list[RehearsedSetup] = []
    for done, plan in enumerate(planned):
        progress(done, len(planned))
        stopped = next((result for result in results if result.stopped), None)
        results.append(_not_run(plan, stopped.name) if stopped else run.setup(plan, last=done == len(planned) - 1))
    progress(len(planned), len(planned))
    pairs = () if any(result.stopped for result in results) else run.pairs()
    return Rehearsal(seed, tuple(results), pairs)


def _not_run(plan: PlannedSetup, stopped: str) -> RehearsedSetup:
    nowhere = np.full(3, np.nan)
    reason = f"not run, because {stopped} stopped"
    return RehearsedSetup(
        plan.setup.name, plan.setup.offset, plan.wcs.m_offset, nowhere, nowhere, (reason,), True, (), (), (), None, None
    )


class _Run:
    """Carries the true stock, and where every setup's features really are, from setup to setup."""

    def __init__(
        self,
        job: Job,
        geometry: PartGeometry,
        casting: PartGeometry | None,
        rng: np.random.Generator,
        should_stop: Callable[[], bool],
    ) -> None:
        self._job = job
        self._geometry = geometry
        self._rng = rng
        self._should_stop = should_stop
        self._stock = true_blank(job, geometry, casting, rng)
        self._tf_p_cut: dict[str, Placement] = {}
        #: The setup before, its true fixture's place, the offsets as they stand in the control.
        self._before: PlannedSetup | None = None
        self._fixture_off = np.zeros(3)
        self._offsets: dict[int, Array] = {code.number: np.zeros(3) for code in job.machine.offsets}

    def setup(self, plan: PlannedSetup, *, last: bool) -> RehearsedSetup:
        border = plan.holding.block("border")
        true = clamp(self._job, plan.setup, self._stock, self._geometry, self._rng, self._registered(plan), border)
        p_zero = plan.wcs.p_origin
        right = true_offset(plan.setup, plan.holding, true, self._job.part.features, self._tf_p_cut, p_zero)
        number = self._number(plan.setup)
        self._offsets[number] = self._by_eye(plan, number)
        offsets = {code: value.copy() for code, value in self._offsets.items()}
        machine = SimulatedMachine(self._job.machine, true.bodies, offsets, self._rng)
        outcome = Control(machine).run(plan.probing_text, self._should_stop)
        found = machine.offsets[number].copy()
        self._before, self._fixture_off, self._offsets[number] = plan, true.fixture_off, found
        motions, touches = tuple(machine.motions), tuple(machine.touches)
        hover = None if outcome.alarm else Control(machine).run(plan.hover_text, self._should_stop)
        if not outcome.alarm:
            self._cut(plan, true, found, last=last)
        return RehearsedSetup(
            plan.setup.name,
            plan.setup.offset,
            plan.wcs.m_offset,
            right,
            found,
            (*_alarm(outcome, ""), *_alarm(hover, "hover check, ")),
            bool(outcome.alarm),
            touches,
            motions,
            outcome.messages,
            _hover_gap(hover, plan),
            true,
        )

    def _number(self, setup: Setup) -> int:
        offset = self._job.machine.offset(setup.offset)
        return offset.number if offset else 1

    def _by_eye(self, plan: PlannedSetup, number: int) -> Array:
        """The offset as it stands before probing: as planned, but axes that are carried over are left alone."""
        start = plan.wcs.m_offset.copy()
        kept = [AXES.index(axis) for axis in plan.probing.carried]
        start[kept] = self._offsets[number][kept]
        return start

    def _registered(self, plan: PlannedSetup) -> Registered | None:
        """What holds the stock to its place: bores and frames lie where the setup before really cut them."""
        if plan.play is None:
            return None
        if self._before is None or not takes_over(plan.setup):
            return Registered(None, *plan.play)
        shift = None
        if getattr(plan.setup.hold, "registered", False):
            before = self._before
            m_cut = self._offsets[self._number(before.setup)] - before.wcs.u_origin
            x, y = registered_shift(before.setup, plan.setup, before.wcs, m_cut, self._geometry)
            shift = (float(x), float(y))
        return Registered(shift, *plan.play, fixture_off=self._fixture_off)

    def _cut(self, plan: PlannedSetup, true: TrueSetup, found: Array, *, last: bool) -> None:
        """From here on P is where this setup cut: m = found + R p - u_origin."""
        matrix = plan.setup.orientation.matrix()
        tf_m_cut = Placement(matrix, found - plan.wcs.u_origin)
        tf_cut_p = tf_m_cut.inverse().after(true.tf_m_p)
        self._tf_p_cut = {name: tf_cut_p.after(before) for name, before in self._tf_p_cut.items()}
        for operation in plan.setup.operations:
            self._tf_p_cut |= dict.fromkeys(operation.features, IDENTITY)
        if not last:
            self._cut_stock(plan, tf_cut_p)

    def _cut_stock(self, plan: PlannedSetup, tf_cut_p: Placement) -> None:
        stock = InProcessStock(tf_cut_p.moves(self._stock.solid), self._stock.raw_id)
        (cuts,) = cuts_of((plan.setup,), self._job.part.features)
        self._stock = cut(stock, self._geometry.fine, self._geometry, (*cuts, *at_the_turn(cuts)))

    def pairs(self) -> tuple[PairResult, ...]:
        results = []
        for feature in self._job.part.features:
            partner = self._job.part.feature(feature.partner) if feature.partner else None
            if partner is None or not {feature.name, partner.name} <= self._tf_p_cut.keys():
                continue
            at, other = np.array(feature.at.as_tuple()), np.array(partner.at.as_tuple())
            really = self._tf_p_cut[feature.name](at) - self._tf_p_cut[partner.name](other)
            nominal, off = _triple(at - other), _triple(really - (at - other))
            results.append(PairResult(feature.name, partner.name, nominal, off))
        return tuple(results)


def _alarm(outcome: Outcome | None, where: str) -> tuple[str, ...]:
    return (f"{where}line {outcome.alarm_line}: {outcome.alarm}",) if outcome is not None and outcome.alarm else ()


def _triple(vector: Array) -> tuple[float, float, float]:
    x, y, z = (float(value) for value in vector)
    return (x, y, z)


def _hover_gap(hover: Outcome | None, plan: PlannedSetup) -> float | None:
    """What is left between the gauge block and the tip at the last stop (mm)."""
    if hover is None or not hover.room_at_pauses:
        return None
    return hover.room_at_pauses[-1] - plan.setup.hover.block
