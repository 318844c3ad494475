"""Every other source of a setup's zero, alone and both of X and Y from one feature."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from ..comparing_zeros import with_zero
from ..datums import DatumChoice, datum_choices, source_height
from ..errors import LedgecliffError
from ..frames import AXES, Axis
from ..model.job import Job
from ..model.setup import SOURCES, AxisDatum
from ..plan import Plan

#: What is no further apart is one face (mm).
_ONE_PLACE = 1e-6
_PLAN_AXES: tuple[Axis, Axis] = ("x", "y")


def other_zeros(plan: Plan, setup: int, axes: Collection[Axis] = AXES) -> Iterator[tuple[str, Job]]:
    """In words, and the job with it; of some axes only."""
    job = plan.job
    # What is made here or later cannot be touched yet.
    later = {name for each in job.setups[setup:] for operation in each.operations for name in operation.features}
    choices = {
        axis: [
            each
            for each in datum_choices(axis, job, setup)
            if each.feature not in later and not _is_the_parts_own(plan, setup, axis, each)
        ]
        for axis in AXES
        if axis in axes
    }
    now = {axis: job.setups[setup].datum.axis(axis) for axis in AXES}
    both = {each.name for each in job.part.features if each.is_round()}
    together = all(axis in axes for axis in _PLAN_AXES)
    for axis, of_axis in choices.items():
        for choice in of_axis:
            # What is round gives both axes by the same touches.
            if not choice.is_of(now[axis]) and not (together and axis != "z" and choice.feature in both):
                yield from _taken(job, setup, {axis: choice})
    for choice in choices["x"] if together else ():
        alike = (each for each in choices["y"] if (each.source, each.feature) == (choice.source, choice.feature))
        other = next(alike, None)
        if other is None:
            continue
        pair: tuple[tuple[Axis, DatumChoice], ...] = (("x", choice), ("y", other))
        changed = {axis: each for axis, each in pair if not each.is_of(now[axis])}
        if len(changed) == 2 or (changed and choice.feature in both):
            yield from _taken(job, setup, changed)


def _is_the_parts_own(plan: Plan, setup: int, axis: Axis, choice: DatumChoice) -> bool:
    """Whether what it takes of the stock is a face of the finished part already, which stands in the list as that."""
    if not choice.source.startswith("stock"):
        return False
    mine = plan.setups[setup]
    twin = next((each for each in SOURCES[axis] if each == choice.source.replace("stock", "part")), None)
    if twin is None:
        return False
    here, there = (
        source_height(axis, AxisDatum(source=source), mine.holding, mine.features) for source in (choice.source, twin)
    )
    return abs(here - there) < _ONE_PLACE


def _taken(job: Job, setup: int, choices: dict[Axis, DatumChoice]) -> Iterator[tuple[str, Job]]:
    words = dict.fromkeys(choice.words for choice in choices.values())
    change = f"{' and '.join(axis.upper() for axis in choices)} from {' and '.join(words)}"
    try:
        for axis, choice in choices.items():
            job = with_zero(job, setup, axis, choice)
    except LedgecliffError:
        return
    yield change, job
