"""Several parts from one blank: how many, how far apart, and what is cut on each."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from ..changing import changed
from ..errors import InvalidValueError, PlanError
from ..frames import AXES
from ..model.base import Point, Size
from ..model.job import Job, made_on
from ..model.operations import Bore, EdgeBreak, Hole, Operation, Pocket, Slot
from ..model.part import PartCopy, copy_name
from ..model.setup import Setup
from ..model.stock import BlockStock
from ..plan import Plan
from ..solids.several import check_apart

#: Between two parts there is room for most cutters (mm).
_ROOM = 20.0
#: No blank is longer than this (mm).
_FARTHEST = 10_000.0


def with_parts(plan: Plan, count: object, shift: Sequence[float], new_id: Callable[[], str]) -> Job:
    """The job with ``count`` parts in its blank, each ``shift`` (3,) further than the one before (mm, P).

    What is cut on features of the first is cut on the others too, and a blank that is a block grows along.  Parts that
    were there keep who they are.  Raises InvalidValueError where two would stand in each other.
    """
    job, before = plan.job, plan.job.part.copies
    if not isinstance(count, int) or not 1 <= count <= 40:
        raise InvalidValueError("parts", "a blank has 1 to 40 of them; give a whole number")
    if max(abs(float(mm)) for mm in shift) * (count - 1) > _FARTHEST:
        raise InvalidValueError("parts", f"the last would lie more than {_FARTHEST:g} mm away; put them closer")
    shifts = [tuple(round(k * float(mm), 6) for mm in shift) for k in range(1, count)]
    single = plan.geometry.single or plan.geometry
    try:
        check_apart(single, tuple((x, y, z) for x, y, z in shifts))
    except PlanError as error:
        raise InvalidValueError("parts", "two of them would stand in each other; put them further apart") from error
    copies = tuple(
        before[k].model_copy(update={"shift": Point(x=x, y=y, z=z)})
        if k < len(before)
        else PartCopy(id=new_id(), name=str(k + 2), shift=Point(x=x, y=y, z=z))
        for k, (x, y, z) in enumerate(shifts)
    )
    setups = tuple(_with_operations(job, setup, len(before) + 1, count) for setup in job.setups)
    part = {**dict(job.part), "copies": copies}
    fields: dict[str, object] = {"part": part, "setups": setups}
    if isinstance(job.stock, BlockStock):
        had = before[-1].shift.as_tuple() if before else (0.0, 0.0, 0.0)
        has = shifts[-1] if shifts else (0.0, 0.0, 0.0)
        grown = [abs(now) - abs(was) for now, was in zip(has, had, strict=True)]
        sizes = {}
        for name in ("nominal", "measured"):
            size = getattr(job.stock, name)
            sizes[name] = Size(
                **{axis: round(getattr(size, axis) + mm, 6) for axis, mm in zip(AXES, grown, strict=True)}
            )
        fields["stock"] = job.stock.model_copy(update=sizes)
    return changed(job, fields)


def beside_each_other(plan: Plan) -> tuple[float, float, float]:
    """How far parts lie apart until that is said: along part X, with room for a cutter between them (mm)."""
    single = plan.geometry.single or plan.geometry
    return (round(float(single.high[0] - single.low[0]) + _ROOM, 3), 0.0, 0.0)


def _with_operations(job: Job, setup: Setup, had: int, count: int) -> Setup:
    """What is made on features of the first part made on every other one, and on none that is no longer there."""
    operations: list[Operation] = []
    for operation in setup.operations:
        if not made_on(operation):
            # What is cut all over is cut on every part.
            mine = [each for each in operation.features if _number(job, each) == 1]
            others = [copy_name(each, number) for number in range(2, count + 1) for each in mine]
            operations.append(operation.model_copy(update={"features": (*mine, *others)}))
            continue
        number = max(_number(job, on) for on in made_on(operation))
        if number > count:
            continue
        operations.append(operation)
        if number == 1 and isinstance(operation, Bore | Hole | Pocket | Slot | EdgeBreak):
            operations += [_on_part(operation, number) for number in range(had + 1, count + 1)]
    return setup.model_copy(update={"operations": tuple(operations)})


def _number(job: Job, feature: str) -> int:
    """On which part of the blank a feature is, from 1."""
    found = job.part.feature(feature)
    return 1 if found is None or found.on_copy is None else found.on_copy


def _on_part(operation: Bore | Hole | Pocket | Slot | EdgeBreak, number: int) -> Operation:
    on = operation.on
    mapped = copy_name(on, number) if isinstance(on, str) else tuple(copy_name(each, number) for each in on)
    return operation.model_copy(
        update={
            "name": copy_name(operation.name, number),
            "on": mapped,
            "features": tuple(copy_name(each, number) for each in operation.features),
            "program": "",
        }
    )
