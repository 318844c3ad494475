"""Whether what a rehearsal found is right: against the true world, which the programs never saw.

What the plan tells of an axis is two standard deviations of one touch; twice that must hold whatever the seed.  Where
the zero is not taken from what was touched alone (carried over, or a fixture's known place), what clamping and
registration leave open counts as well.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from ..frames import AXES
from ..probing.skew_order import AS_CLAMPED_DEG
from ..probing.touches import Knowledge
from ..quantities import said
from .results import NOT_OFF, PlannedSetup, RehearsedSetup

#: What is told counts so many times, and what is left to the machine's own resolution (degrees).
_TIMES, _LEAST_DEG = 2.0, 0.003


def judged(plan: PlannedSetup, result: RehearsedSetup, limit: float | None = None) -> RehearsedSetup:
    """``result`` with how far each axis may be off, and in words what was found wrong by more than that.

    ``limit`` (mm) counts for all axes; where none is stated, what the plan itself makes of each.  Axes that nothing
    sets have no limit and are not judged: that they are not earned is told by a finding of the plan.
    """
    if result.stopped or not result.ran:
        return result
    known = plan.probing.steps[-1].knowledge_after if plan.probing.steps else plan.probing.knowledge_before
    limits = tuple(_limit(plan, result, known[k], k, limit) for k in range(len(AXES)))
    result = replace(result, limits=limits)
    return replace(result, amiss=(*_axes_amiss(result), *_skew_amiss(result, known[3])))


def _limit(plan: PlannedSetup, result: RehearsedSetup, known: Knowledge, k: int, limit: float | None) -> float | None:
    allowed = _allowed(plan, known, k)
    return None if allowed is None or math.isnan(float(result.true[k])) else allowed if limit is None else limit


def _axes_amiss(result: RehearsedSetup) -> list[str]:
    told = []
    for k, (axis, most) in enumerate(zip(AXES, result.limits, strict=True)):
        if most is not None and result.is_off(k):
            off = said(abs(float(result.difference[k])))
            told.append(f"{axis.upper()} of {result.offset} is found {off} off, more than {said(most)}")
    return told


def _skew_amiss(result: RehearsedSetup, skew: Knowledge) -> list[str]:
    told = []
    if skew.state == "set":
        off_deg = abs(math.remainder(result.turn_deg - result.true_turn_deg, 360.0))
        most_deg = _TIMES * skew.uncertainty + _LEAST_DEG
        if off_deg > most_deg and _keeps_turns(result):
            told.append(f"{result.offset} is turned {off_deg:.3f}° off, more than {most_deg:.3f}°")
    return told


def _keeps_turns(result: RehearsedSetup) -> bool:
    """A control that cannot turn its offsets keeps none, which has its own finding."""
    return result.turn_deg != 0.0 or result.true_turn_deg == 0.0


def _allowed(plan: PlannedSetup, known: Knowledge, k: int) -> float | None:
    if known.state == "guessed":
        return None
    allowed = _TIMES * known.uncertainty + NOT_OFF
    low, high = plan.holding.u_stock
    if plan.apart is not None:
        # Found elsewhere, if at all: its own seat and station count, and the seat of where it was found; and
        # both may be clamped a little turned.
        turned = float(np.linalg.norm((high - low)[:2])) * math.sin(math.radians(AS_CLAMPED_DEG))
        allowed += 2.0 * _TIMES * plan.apart + turned
    shift, turn_rad = (plan.play.shifted.most, plan.play.turned.most) if plan.play else (0.0, 0.0)
    reach = float(np.linalg.norm(high[:2] - low[:2])) / 2.0
    if known.state in ("carried over", "fixture value") and not plan.still:
        allowed += plan.holding.clamping.standard * _TIMES + shift + turn_rad * reach
    if k < 2 and plan.setup.datum.skew is None:
        # Surfaces count at their middle; touched elsewhere, they lie there as the clamped part is turned.
        middle = float(high[1 - k] + low[1 - k]) / 2.0 - float(plan.wcs.u_origin[1 - k])
        lever = 2.0 * plan.setup.probing.guess
        if known.found_across is not None:
            lever += abs(known.found_across - middle)
        allowed += lever * max(math.sin(math.radians(AS_CLAMPED_DEG)), turn_rad)
    return allowed
