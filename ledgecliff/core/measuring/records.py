"""From the triggers of a run to the readings of each step."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from ..model.machine import Probe
from ..probing.touches import Place, Step
from ..simulator.machine import TouchRecord


class Reading(NamedTuple):
    """Where the gauge line stood in M (mm) when a touch was latched, and when that was (s)."""

    m_place: Place
    at_s: float


def step_readings(steps: Sequence[Step], records: Sequence[TouchRecord]) -> list[tuple[Reading, ...]]:
    """For every step the readings of its touches: of the last pass, repeated touches averaged.

    Of two-stage touches the slow ones count.  Steps that were not finished have none.
    """
    result: list[tuple[Reading, ...]] = []
    left = list(records)
    for step in steps:
        stages, repeats = (1 if step.cycle.rough else 2), step.cycle.touches
        count = len(step.touches) * repeats * step.passes
        mine, left = left[: count * stages], left[count * stages :]
        counted = mine[stages - 1 :: stages]
        if len(counted) < count:
            result.append(())
            continue
        last = counted[-len(step.touches) * repeats :]
        groups = [last[k : k + repeats] for k in range(0, len(last), repeats)]
        result.append(tuple(_mean(group) for group in groups))
    return result


def _mean(group: Sequence[TouchRecord]) -> Reading:
    x, y, z = (float(value) for value in np.mean([each.m_reading for each in group], axis=0))
    return Reading((x, y, z), group[-1].at_s)


def ball_centre(m_reading: Place, probe: Probe) -> Place:
    """The ball's centre in M when the gauge line reads so: the tip lies a length below, its centre a radius above."""
    x, y, z = m_reading
    return (x, y, z - probe.length + probe.effective_radius)
