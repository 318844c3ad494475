"""How long a probing plan takes: its moves at their feeds, and its two-stage touches."""

from __future__ import annotations

import math

from ..model.machine import Probe
from .touches import Place, ProbingPlan, Step, Touch

#: Every touch waits this long for the axes to stop, twice (s).
_SETTLING_S = 0.4
#: To the top, half a turn of the rotary axis, and down again (s).
_TURNING_S = 20.0


def probing_seconds(plan: ProbingPlan, probe: Probe) -> float:
    """Seconds, without tool change and the way from the top of the travel."""
    total, last = 0.0, None
    for step in plan.steps:
        for _ in range(step.passes):
            turned = 0.0
            for touch in step.touches:
                total += _TURNING_S * (touch.turned_deg != turned)
                turned = touch.turned_deg
                total += _way(step, last, touch, probe) + step.cycle.touches * _touch(touch, rough=step.cycle.rough)
                last = touch.start
    return total


def _way(step: Step, last: Place | None, touch: Touch, probe: Probe) -> float:
    """Up, over and down, or straight across."""
    x, y, z = touch.start
    if step.crossing == "straight" and last is not None and abs(last[2] - z) < 1e-6:
        return math.dist(last, touch.start) / probe.travel_feed * 60.0
    up = over = 0.0
    if last is not None:
        up, over = max(step.w_clearance - last[2], 0.0), math.hypot(x - last[0], y - last[1])
    return (up + over + max(step.w_clearance - z, 0.0)) / probe.travel_feed * 60.0


def _touch(touch: Touch, *, rough: bool) -> float:
    feeds = touch.feeds
    search = touch.stand_off / feeds.search * 60.0
    slow = 0.0 if rough else feeds.back_off / feeds.touch * 60.0
    return search + slow + _SETTLING_S
