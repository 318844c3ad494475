"""The touches of a rehearsal as recorded touches, so that they are measured the way a machine's own are."""

from __future__ import annotations

from collections.abc import Sequence

from ..measuring.measured import RecordedTouch, RecordedTouches, RecordedWcs
from ..measuring.records import step_readings
from ..probing.touches import Step
from ..setup_plan import SetupPlan
from ..simulator.machine import TouchRecord
from .results import RehearsedSetup


def recorded(
    setup: SetupPlan, result: RehearsedSetup, reference: str | None = None, towards: str | None = None
) -> RecordedTouches | None:
    """None when the rehearsal has finished no step."""
    less = setup.machine.length_shift()
    x, y, z = (float(value) for value in result.found)
    a, b, c = (float(value) for value in result.assumed)
    touches = _touches(setup.probing.steps, result.touches)
    if not touches:
        return None
    return RecordedTouches(
        setup=result.name,
        wcs=RecordedWcs(x=x, y=y, z=z - less, skew_deg=result.turn_deg),
        before=RecordedWcs(x=a, y=b, z=c - less),
        reference=reference,
        towards=towards,
        touches=touches,
    )


def _touches(steps: Sequence[Step], records: Sequence[TouchRecord]) -> tuple[RecordedTouch, ...]:
    return tuple(
        RecordedTouch(step=step.cycle.name, x=x, y=y, z=z, at_s=at_s)
        for step, readings in zip(steps, step_readings(steps, records), strict=True)
        for (x, y, z), at_s in readings
    )
