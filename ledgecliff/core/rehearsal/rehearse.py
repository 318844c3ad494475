"""Rehearsal: the released program text, run on the simulated machine against a true world.

Setup after setup: clamp the true stock, run the probing program, compare the offset it wrote with
the true one, cut with the offset that was *found*, turn, and go on with what was really cut.  At
the end the far-side features are measured against their near-side partners.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ..budget.asked import asked_of
from ..budget.chain import chain_of
from ..budget.held import aligned_by
from ..budget.lying import is_untouched
from ..errors import PlanError
from ..patterns.instances import pattern_of
from ..plan import Plan
from ..programs.card_programs import CardCall, card_calls
from ..programs.released import hover_text, probing_texts
from ..setup_plan import SetupPlan
from ..simulator.interpreter import Outcome
from ..turns.turn_plan import SeatPlay, jig_play, turns_of
from .judged import judged
from .over_instances import rehearse_over_instances
from .rehearsing import Clamped, Rehearsing
from .results import OverInstances, PlannedSetup, Rehearsal, RehearsedSetup, WrittenPlan
from .true_world import TrueWorld
from .written_over import over_instances


def written_plan(plan: Plan, *, by_cards: bool = False) -> WrittenPlan:
    """What a rehearsal of ``plan`` runs: its programs, or ``by_cards`` the control's own cycles from where the probe
    stands by eye.  Raises PlanError or ProfileError when a program cannot be written, PlanError when a step has no
    card.
    """
    plan.check_part_is_left()
    setups = tuple(_planned(plan, each, by_cards=by_cards) for each in plan.setups)
    over: tuple[OverInstances, ...] = ()
    if any(pattern_of(plan.job, index) is not None for index in range(len(setups))):
        if by_cards:
            raise PlanError("It cannot be worked through by cards: a setup has a pattern. Rehearse its programs.")
        over = tuple(over_instances(plan, planned, index) for index, planned in enumerate(setups))
        setups = tuple(each.planned[0] if each.planned else alone for each, alone in zip(over, setups, strict=True))
    asked = tuple((each.feature, each.to) for each in asked_of(chain_of(plan)) if each.what != "size")
    return WrittenPlan(
        plan.job, plan.geometry, plan.models.stock, setups, plan.models.fixtures, plan.bench, over, asked
    )


def _planned(plan: Plan, each: SetupPlan, *, by_cards: bool) -> PlannedSetup:
    return PlannedSetup(
        setup=each.setup,
        machine=each.machine,
        stated=plan.job.setups[each.index].model_copy(update={"pattern": None}),
        holding=each.holding,
        level=each.clamping.level,
        wcs=each.wcs,
        located=each.located,
        neighbours=each.neighbours.standing,
        probing=each.probing,
        probing_texts=probing_texts(plan, each.index),
        hover_text=hover_text(plan, each.index),
        cards=_cards(each) if by_cards else None,
        play=_play(plan, each.index),
        still=plan.is_indexed(each.index),
        untouched=is_untouched(plan, each.index),
        aligned_by=aligned_by(chain_of(plan), each.index),
    )


def _cards(setup: SetupPlan) -> tuple[CardCall, ...]:
    calls = card_calls(setup)
    if isinstance(calls, str):
        raise PlanError(f"It cannot be worked through by cards: {calls}")
    return calls


def _play(plan: Plan, index: int) -> SeatPlay | None:
    """How far off, and turned, the stock may lie in a setup where something with a fit holds it."""
    play = jig_play(plan.setups[index])
    return turns_of(plan)[index - 1].play if play is None and index else play


def rehearse(
    plan: WrittenPlan,
    world: TrueWorld,
    progress: Callable[[int, int], None] = lambda _done, _of: None,
    should_stop: Callable[[], bool] = lambda: False,
    limit: float | None = None,
) -> Rehearsal:
    """Runs every setup's programs in a true world; the same world gives the same result.

    What is found off by more than ``limit`` (mm), or than the plan makes of it, is amiss.  An alarm in one setup ends
    the rehearsal there; the setups after it are listed as not run.  Raises InvalidValueError where the world states
    something that cannot be.
    """
    if plan.over:
        return rehearse_over_instances(plan, world, progress, should_stop, limit)
    steps = Rehearsing(plan, world, should_stop)
    results: list[RehearsedSetup] = []
    for done, planned in enumerate(plan.setups):
        progress(done, len(plan.setups))
        stopped = next((result for result in results if result.stopped), None)
        if stopped:
            results.append(_not_run(planned, stopped.name))
            continue
        result = rehearse_setup(steps, done, last=done == len(plan.setups) - 1)
        results.append(judged(planned, result, limit))
    progress(len(plan.setups), len(plan.setups))
    if any(result.stopped for result in results):
        return Rehearsal(world, tuple(results), (), plan.by_cards)
    return Rehearsal(world, tuple(results), steps.measure(), plan.by_cards, seen=(steps.measure_asked(),))


def _not_run(plan: PlannedSetup, stopped: str) -> RehearsedSetup:
    nowhere = np.full(3, np.nan)
    reason = f"not run, because {stopped} stopped"
    return RehearsedSetup(
        name=plan.setup.name,
        offset=plan.setup.offset,
        assumed=plan.located.m_offset,
        true=nowhere,
        found=nowhere,
        alarms=(reason,),
        stopped=True,
        touches=(),
        motions=(),
        messages=(),
        hover_gap=None,
        clamped=None,
    )


def rehearse_setup(steps: Rehearsing, index: int, *, last: bool) -> RehearsedSetup:
    now = steps.clamp(index)
    plan = now.planned
    messages: tuple[str, ...] = ()
    outcome: Outcome | None = None
    results: dict[int, float] = {}
    pauses = 0
    gone = ""
    for text in plan.probing_texts:
        # What a stage waits for is cut with the offset as it was found so far.
        upto = _operations_before(plan, text.after)
        if upto > now.done:
            steps.cut_to(upto)
            if gone := steps.spoilt(f"'{text.after}'"):
                break
            steps.clamp_still()
        for ran in steps.run_cards(text.after) if plan.cards is not None else (steps.run(text.text),):
            outcome = ran
            messages = (*messages, *ran.messages)
            pauses += len(ran.room_at_pauses)
            results |= {
                row.parameter: ran.parameters[row.parameter] for row in text.rows if row.parameter in ran.parameters
            }
        if outcome is not None and outcome.alarm:
            break
    motions, touches = tuple(now.machine.motions), tuple(now.machine.touches)
    found, turn_deg = now.found, now.turn_deg
    stopped = bool(gone or (outcome and outcome.alarm))
    hover = None if stopped else steps.run(plan.hover_text)
    if not stopped:
        steps.cut_to(len(plan.setup.operations))
        gone = "" if last else steps.spoilt("its operations")
        stopped = bool(gone)
    return RehearsedSetup(
        name=plan.setup.name,
        offset=plan.setup.offset,
        assumed=plan.located.m_offset,
        true=now.m_right,
        found=found,
        alarms=(*_alarm(outcome, ""), *_alarm(hover, "hover check, "), *((gone,) if gone else ())),
        stopped=stopped,
        touches=touches,
        motions=motions,
        messages=messages,
        hover_gap=_hover_gap(hover, now),
        clamped=now.first,
        turn_deg=turn_deg,
        true_turn_deg=now.true_turn_deg,
        results=results,
        pauses=pauses,
    )


def _operations_before(plan: PlannedSetup, after: str | None) -> int:
    names = [operation.name for operation in plan.setup.operations]
    return 0 if after is None else names.index(after) + 1


def _alarm(outcome: Outcome | None, where: str) -> tuple[str, ...]:
    return (f"{where}line {outcome.alarm_line}: {outcome.alarm}",) if outcome is not None and outcome.alarm else ()


def _hover_gap(hover: Outcome | None, now: Clamped) -> float | None:
    """What is left between the gauge block and the tip at the last stop (mm)."""
    if hover is None or not hover.room_at_pauses:
        return None
    return hover.room_at_pauses[-1] - now.planned.setup.hover.block
