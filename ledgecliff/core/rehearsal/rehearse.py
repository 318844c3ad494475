"""Rehearsal: the released program text, run on the simulated machine against a true world.

Setup after setup: clamp the true stock, run the probing program, compare the offset it wrote with
the true one, cut with the offset that was *found*, turn, and go on with what was really cut.  At
the end the far-side features are measured against their near-side partners.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from ..blanks import moved
from ..carried import registered_shift, takes_over
from ..contact.first_contact import Body
from ..frames import AXES, IDENTITY, Array, Placement, rotation
from ..in_process.stock import at_the_turn, cut, cuts_of
from ..model.job import Job
from ..model.setup import Setup
from ..model.work_offsets import code_of, codes_of
from ..plan import Plan
from ..programs.profile import profile_of
from ..programs.released import hover_text, probing_texts
from ..simulator.interpreter import Control, Outcome
from ..simulator.machine import SimulatedMachine, TrueProbe
from ..simulator.modal import DIALECTS
from ..solids.geometry import PartGeometry
from ..solids.tracked import InProcessStock
from ..turns.turn_plan import jig_play, turns_of
from .judged import amiss
from .results import PairResult, PlannedSetup, Rehearsal, RehearsedSetup
from .stated import StatedWorld
from .world import Registered, TrueSetup, clamp, true_blank, true_offset, true_turn_deg


def planned_setups(plan: Plan) -> tuple[PlannedSetup, ...]:
    """What a rehearsal of ``plan`` runs.  Raises PlanError or ProfileError when a program cannot be written."""
    return tuple(
        PlannedSetup(
            setup=each.setup,
            holding=each.holding,
            wcs=each.wcs,
            probing=each.probing,
            probing_texts=probing_texts(plan, each.index),
            hover_text=hover_text(plan, each.index),
            play=_play(plan, each.index),
        )
        for each in plan.setups
    )


def _play(plan: Plan, index: int) -> tuple[float, float] | None:
    """How far off, and turned, the stock may lie in a setup where something with a fit holds it."""
    play = jig_play(plan.setups[index])
    if play is None and index:
        play = turns_of(plan)[index - 1].play
    return None if play is None else (play.shift, play.turn_rad)


def rehearse(
    job: Job,
    geometry: PartGeometry,
    planned: tuple[PlannedSetup, ...],
    seed: int,
    progress: Callable[[int, int], None] = lambda _done, _of: None,
    should_stop: Callable[[], bool] = lambda: False,
    casting: PartGeometry | None = None,
    world: StatedWorld | None = None,
    limit: float | None = None,
) -> Rehearsal:
    """Runs every setup's programs.  The same seed gives the same world and the same result; what a stated ``world``
    gives is not drawn.  What is found off by more than ``limit`` (mm), or than the plan makes of it, is amiss.

    An alarm in one setup ends the rehearsal there; the setups after it are listed as not run.
    """
    rng = np.random.default_rng(seed)
    run = _Run(job, geometry, casting, rng, should_stop, world)
    results: list[RehearsedSetup] = []
    for done, plan in enumerate(planned):
        progress(done, len(planned))
        stopped = next((result for result in results if result.stopped), None)
        if stopped:
            results.append(_not_run(plan, stopped.name))
            continue
        result = run.setup(plan, last=done == len(planned) - 1)
        results.append(replace(result, amiss=amiss(plan, result, limit)))
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
        world: StatedWorld | None,
    ) -> None:
        self._world = world
        self._dialect = DIALECTS[profile_of(job.machine).control]
        self._job = job
        self._geometry = geometry
        self._rng = rng
        self._should_stop = should_stop
        self._stock = true_blank(job, geometry, casting, rng, world)
        self._tf_p_cut: dict[str, Placement] = {}
        #: The setup before, its true fixture's place, the offsets as they stand in the control.
        self._before: PlannedSetup | None = None
        self._fixture_off = np.zeros(3)
        self._offsets: dict[int, Array] = {code.key: np.zeros(3) for code in codes_of(job.machine)}

    def setup(self, plan: PlannedSetup, *, last: bool) -> RehearsedSetup:
        border = plan.holding.block("border")
        stated = self._world.setup(plan.setup.name) if self._world else None
        true = clamp(
            self._job, plan.setup, self._stock, self._geometry, self._rng, self._registered(plan), border, stated
        )
        p_zero = plan.wcs.p_origin
        skewed = plan.setup.datum.skew is not None
        right = true_offset(plan.setup, plan.holding, true, self._job.part.features, self._tf_p_cut, p_zero, skewed)
        number = self._number(plan.setup)
        self._offsets[number] = self._by_eye(plan, number)
        offsets = {code: value.copy() for code, value in self._offsets.items()}
        truth = self._world.probe.truth() if self._world else TrueProbe()
        machine = SimulatedMachine(self._job.machine, true.bodies, offsets, self._rng, truth, true.m_rotary)
        before = true
        messages: tuple[str, ...] = ()
        outcome: Outcome | None = None
        results: dict[int, float] = {}
        done = pauses = 0
        gone = ""
        for text in plan.probing_texts:
            # What a stage waits for is cut with the offset as it was found so far.
            upto = self._operations_before(plan, text.after)
            if upto > done:
                self._cut(plan, true, machine, number, done, upto, last=False)
                if self._stock.solid.is_empty():
                    gone = f"nothing of the stock is left after '{text.after}'"
                    break
                true = self._still_held(plan, true, machine, number)
                done = upto
            outcome = Control(machine, self._dialect).run(text.text, self._should_stop)
            messages = (*messages, *outcome.messages)
            pauses += len(outcome.room_at_pauses)
            results |= {row.parameter: outcome.parameters.get(row.parameter, math.nan) for row in text.rows}
            if outcome.alarm:
                break
        found, turn = machine.offsets[number].copy(), machine.turns.get(number, 0.0)
        self._before, self._fixture_off, self._offsets = plan, true.fixture_off, machine.offsets
        motions, touches = tuple(machine.motions), tuple(machine.touches)
        stopped = bool(gone or (outcome and outcome.alarm))
        hover = None if stopped else Control(machine, self._dialect).run(plan.hover_text, self._should_stop)
        if not stopped:
            self._cut(plan, true, machine, number, done, len(plan.setup.operations), last=last)
            if not last and self._stock.solid.is_empty():
                gone, stopped = "nothing of the stock is left after its operations", True
        return RehearsedSetup(
            plan.setup.name,
            plan.setup.offset,
            plan.wcs.m_offset,
            right,
            found,
            (*_alarm(outcome, ""), *_alarm(hover, "hover check, "), *((gone,) if gone else ())),
            stopped,
            touches,
            motions,
            messages,
            _hover_gap(hover, plan),
            before,
            turn,
            true_turn_deg(plan.setup, before),
            results,
            pauses,
        )

    @staticmethod
    def _operations_before(plan: PlannedSetup, after: str | None) -> int:
        names = [operation.name for operation in plan.setup.operations]
        return 0 if after is None else names.index(after) + 1

    def _still_held(self, plan: PlannedSetup, true: TrueSetup, machine: SimulatedMachine, number: int) -> TrueSetup:
        """The same clamping with the stock as it has been cut; P is now where that was."""
        tf_m_p = self._tf_m_cut(plan, machine, number)
        part = Body("part", moved(self._stock.solid, tf_m_p), cuttable=True)
        bodies = [part, *(body for body in true.bodies if body.name != "part")]
        machine.put(bodies)
        return replace(true, tf_m_p=tf_m_p, bodies=bodies)

    def _number(self, setup: Setup) -> int:
        code = code_of(self._job.machine, setup.offset)
        assert code is not None, "programs could be written, so every setup's offset exists"
        return code.key

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

    def _tf_m_cut(self, plan: PlannedSetup, machine: SimulatedMachine, number: int) -> Placement:
        """Where the control puts P: ``m = found + T (R p - u_origin)``, T the turn of the offset."""
        turn = rotation("z", machine.turns.get(number, 0.0))
        matrix = plan.setup.orientation.matrix()
        return Placement(turn @ matrix, machine.offsets[number] - turn @ plan.wcs.u_origin)

    def _cut(
        self, plan: PlannedSetup, true: TrueSetup, machine: SimulatedMachine, number: int, first: int, end: int,
        *, last: bool,
    ) -> None:  # fmt: skip
        """Cuts operations ``first`` to ``end``; from here on P is where they were cut."""
        tf_m_cut = self._tf_m_cut(plan, machine, number)
        tf_cut_p = tf_m_cut.inverse().after(true.tf_m_p)
        self._tf_p_cut = {name: tf_cut_p.after(before) for name, before in self._tf_p_cut.items()}
        for operation in plan.setup.operations[first:end]:
            self._tf_p_cut |= dict.fromkeys(operation.features, IDENTITY)
        if not last:
            self._cut_stock(plan, tf_cut_p, first, end)

    def _cut_stock(self, plan: PlannedSetup, tf_cut_p: Placement, first: int, end: int) -> None:
        stock = InProcessStock(moved(self._stock.solid, tf_cut_p), self._stock.raw_id)
        (cuts,) = cuts_of((plan.setup,), self._job.part.features)
        done = at_the_turn(cuts) if end == len(cuts) else ()
        self._stock = cut(stock, self._geometry.fine, self._geometry, (*cuts[first:end], *done))

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
