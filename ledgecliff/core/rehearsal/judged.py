"""Whether what a rehearsal found is right: against the true world, which the programs never saw.

What the plan tells of an axis is two standard deviations of one touch; twice that must hold whatever the seed.  Where
the zero is not taken from what was touched alone (carried over, or a fixture's known place), what clamping and
registration leave open counts as well.
"""

from __future__ import annotations

import math

import numpy as np

from ..frames import AXES
from ..probing.skew_order import AS_CLAMPED_DEG
from ..probing.touches import Knowledge
from ..quantities import said
from .results import PlannedSetup, RehearsedSetup

#: What is told counts so many times, and what is left to the machine's own resolution (mm, degrees).
_TIMES, _LEAST, _LEAST_DEG = 2.0, 0.003, 0.003


def amiss(plan: PlannedSetup, result: RehearsedSetup, limit: float | None = None) -> tuple[str, ...]:
    """In words what was found wrong by more than ``limit`` (mm), or where none is stated by more than the plan itself
    makes of it.  Axes that nothing sets are not judged: that they are not earned is told already."""
    if result.stopped or not result.ran:
        return ()
    known = plan.probing.steps[-1].knowledge_after if plan.probing.steps else plan.probing.knowledge_before
    told = []
    for k, axis in enumerate(AXES):
        allowed = _allowed(plan, known[k], k)
        if allowed is None or math.isnan(float(result.true[k])):
            continue
        off, most = float(abs(result.difference[k])), allowed if limit is None else limit
        if off > most:
            told.append(f"{axis.upper()} of {result.offset} is found {said(off)} off, more than {said(most)}")
    skew = known[3]
    if skew.state == "set":
        off_deg = abs(math.remainder(result.turn_deg - result.true_turn_deg, 360.0))
        most_deg = _TIMES * skew.uncertainty + _LEAST_DEG
        if off_deg > most_deg and _keeps_turns(result):
            told.append(f"{result.offset} is turned {off_deg:.3f}° off, more than {most_deg:.3f}°")
    return tuple(told)


def _keeps_turns(result: RehearsedSetup) -> bool:
    """A control that cannot turn its offsets keeps none, which has its own finding."""
    return result.turn_deg != 0.0 or result.true_turn_deg == 0.0


def _allowed(plan: PlannedSetup, known: Knowledge, k: int) -> float | None:
    if known.state == "guessed":
        return None
    allowed = _TIMES * known.uncertainty + _LEAST
    shift, turn_rad = (plan.play.shifted.most, plan.play.turned.most) if plan.play else (0.0, 0.0)
    low, high = plan.holding.u_stock
    reach = float(np.linalg.norm(high[:2] - low[:2])) / 2.0
    if known.state in ("carried over", "fixture value"):
        allowed += plan.holding.clamping.standard * _TIMES + shift + turn_rad * reach
    if k < 2 and plan.setup.datum.skew is None:
        # Surfaces count at their middle; touched elsewhere, they lie there as the clamped part is turned.
        middle = float(high[1 - k] + low[1 - k]) / 2.0 - float(plan.wcs.u_origin[1 - k])
        lever = 2.0 * plan.setup.probing.guess
        if known.found_across is not None:
            lever += abs(known.found_across - middle)
        allowed += lever * max(math.sin(math.radians(AS_CLAMPED_DEG)), turn_rad)
    return allowed
