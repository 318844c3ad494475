"""Edits of the batch that blanks come from: sizes in, and the values of one of its groups taken."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
from pydantic import ValidationError

from ..blank_batches import allowance_of, batch_told
from ..blanks import blank_corners
from ..changing import problem_words, set_value
from ..errors import InvalidValueError
from ..frames import AXES, Array, Axis
from ..holding.pushed_against import pushed_against
from ..measuring.results_back import ReturnedResult
from ..model.base import Point
from ..model.batch import BlankBatch
from ..model.holding import PlateHold
from ..model.job import Job
from ..model.stock import BlockStock, ExtrusionStock, ModelStock, Stock
from ..places import tf_m_carrier
from ..plan import Plan, make_plan
from ..quantities import Unit
from ..setup_plan import SetupPlan
from ..typed_sizes import parse_sizes
from .patterns import pattern_in, with_group, with_measured

#: Sizes are kept to so many places (mm).
_PLACES = 6
#: Shifts that differ by no more are one (mm).
_ALIKE = 1e-6


def batch_in(job: Job) -> BlankBatch:
    return job.stock.batch or BlankBatch(along=_longest(job))


def _longest(job: Job) -> Axis:
    """The axis that a saw cuts blanks to length along: the one that they vary most along."""
    spread = job.stock.spread()
    return AXES[max(range(3), key=lambda k: spread[k])]


def with_batch(job: Job, **fields: Any) -> Job:
    """The batch with fields set.  Raises InvalidValueError for what none can be."""
    try:
        batch = BlankBatch.model_validate(dict(batch_in(job)) | fields)
    except ValidationError as error:
        raise InvalidValueError("batch", problem_words(error.errors(include_url=False)[0]["msg"])) from error
    return set_value(job, ("stock", "batch"), batch)


def without_batch(job: Job) -> Job:
    return set_value(job, ("stock", "batch"), None)


def with_typed_sizes(job: Job, text: str, unit: Unit) -> Job:
    """The sizes a text gives, instead of those there were.  Raises InvalidValueError, also where it gives none."""
    sizes = parse_sizes(text, unit)
    if not sizes:
        raise InvalidValueError("sizes", "there are none; give one for each blank, such as 97.62 97.05")
    return with_batch(job, sizes=tuple(round(size, _PLACES) for size in sizes))


def with_more_sizes(job: Job, sizes: Iterable[float]) -> Job:
    """Blanks more that were measured, such as by touches (mm)."""
    return with_batch(job, sizes=(*batch_in(job).sizes, *(round(size, _PLACES) for size in sizes)))


def with_group_values(plan: Plan, number: int, setup: int | None = None, *, stop_moved: bool = False) -> Job:
    """The plan's job with the stock of group ``number`` (from 1): its middle size, half its spread, and so much off at
    the stop as the batch's rule has it.  Every zero keeps its place in the part.

    In ``setup`` the blanks lie against what they lay against: its dowels, clamps and stop stay, and the part moves.
    Where the jaw or stop itself is moved between groups (``stop_moved``), all groups of the setup's pattern are shifted
    with it, so that finished parts stay where they lie on the table.  Raises InvalidValueError for a group there is
    not, stock that is a model, and where that cannot be.
    """
    job, told = plan.job, batch_told(plan)
    count = 0 if told is None else len(told.groups)
    if told is None or not 1 <= number <= count:
        raise InvalidValueError("group", f"there is no group {number} of blanks; there are {count}")
    batch, group = told.batch, told.groups[number - 1].group
    sizes, allowance = group.batch, allowance_of(group, batch)
    half = (sizes.largest - sizes.smallest) / 2.0
    changed = set_value(job, ("stock",), _sized(job.stock, batch.along, sizes.middle, half))
    # Both sides at once: two that are stated would be refused in between.
    at_stop = round(allowance.at_stop, _PLACES)
    sides = {f"{side}_{batch.along}": at_stop if side == batch.stop else None for side in ("minus", "plus")}
    changed = set_value(changed, ("stock", "allowance"), job.stock.allowance.model_copy(update=sides))
    changed = set_value(changed, ("stock", "is_measured"), True)
    if setup is not None:
        changed = _against_its_stop(plan, changed, setup)
        if stop_moved:
            changed = _with_stop_moved(plan, changed, setup)
    elif stop_moved:
        raise InvalidValueError("stop", "say in which setup the stop was moved")
    return _with_zeros_kept(plan, changed)


def _against_its_stop(plan: Plan, job: Job, setup: int) -> Job:
    """The blank of another size against what it lies against in the ``plan``: the end at the batch's stop stays."""
    before, now = plan.setups[setup], make_plan(job, plan.models).setups[setup]
    hold = pushed_against(before.setup.hold, before.clamping.level, now.clamping.level)
    if isinstance(hold, PlateHold) and isinstance(before.setup.hold, PlateHold) and hold.dowels:
        # Dowels are told from the stock's corner; clamps stand with them.
        old = before.setup.hold.dowels[0]
        x, y = hold.dowels[0].x - old.x, hold.dowels[0].y - old.y
        clamps = [clamp.model_copy(update={"x": clamp.x + x, "y": clamp.y + y}) for clamp in hold.clamps]
        hold = hold.model_copy(update={"clamps": tuple(clamps)})
    if hold is not None:
        job = set_value(job, ("setups", setup, "hold"), hold)
        now = make_plan(job, plan.models).setups[setup]
    off = float(np.abs(_end_at_stop(plan, before) - _end_at_stop(plan, now)).max())
    if off > _ALIKE:
        batch = batch_in(job)
        side = f"part {'-' if batch.stop == 'minus' else '+'}{batch.along.upper()}"
        raise InvalidValueError(
            "stop",
            f"in '{before.setup.name}' nothing stands at the blank's {side} side that it would be pushed against; put "
            "a stop or a dowel there, or choose the other side as the stop's",
        )
    return job


def _end_at_stop(plan: Plan, setup: SetupPlan) -> Array:
    """Where (3,) the end at the stop lies on the machine, beside the part's own zero."""
    batch = batch_in(plan.job)
    k = AXES.index(batch.along)
    low, high = blank_corners(setup.stock, plan.geometry, plan.models.stock)
    p_end = np.zeros(3)
    p_end[k] = low[k] if batch.stop == "minus" else high[k]
    end: Array = setup.located.tf_m_u(setup.setup.orientation.matrix() @ p_end)
    return end


def _with_stop_moved(plan: Plan, job: Job, setup: int) -> Job:
    """All groups of a setup's pattern shifted so that each part lies on the table where it lies in the ``plan``."""
    if job.setups[setup].pattern is None:
        name = job.setups[setup].name
        raise InvalidValueError("stop", f"'{name}' has no pattern of its own; make one, or move its fixture's station")
    after = make_plan(job, plan.models).instances(setup)
    by_group: dict[str, tuple[str, Array]] = {}
    for was, now in zip(plan.instances(setup), after, strict=True):
        m_by = was.located.tf_m_u.shift - now.located.tf_m_u.shift
        by = tf_m_carrier(plan.setups[setup].machine, now.station, now.index).turn.T @ m_by
        _, others = by_group.setdefault(now.place.group, (now.group_name, by))
        if float(np.abs(by - others).max()) > _ALIKE:
            raise InvalidValueError(
                "stop",
                f"instances of {now.group_name} are turned otherwise than one another, so that no shift suits them "
                "all; put them into groups of their own",
            )
    for key, (name, by) in by_group.items():
        group = pattern_in(job, setup).group(key)
        shift = group.shift.as_tuple() if group is not None else (0.0, 0.0, 0.0)
        x, y, z = (round(a + float(b), _PLACES) for a, b in zip(shift, by, strict=True))
        job = with_group(job, setup, key, name, shift=Point(x=x, y=y, z=z))
    return job


def _with_zeros_kept(plan: Plan, job: Job) -> Job:
    """Every setup's zero where it lies in the part in the ``plan``: toolpath programs count from it."""
    after = make_plan(job, plan.models)
    for before in plan.setups:
        # One after the other: a zero that is carried over goes where the one before it has gone.
        now, was = after.setups[before.index], job
        for k, axis in enumerate(AXES):
            off = float(before.wcs.u_origin[k] - now.wcs.u_origin[k])
            if abs(off) > _ALIKE:
                shift = round(now.setup.datum.axis(axis).shift + off, _PLACES)
                job = set_value(job, ("setups", now.index, "datum", axis, "shift"), shift)
        after = after if job is was else make_plan(job, plan.models)
    for before, now in zip(plan.setups, after.setups, strict=True):
        if float(np.abs(before.wcs.u_origin - now.wcs.u_origin).max()) > 2.0 * _ALIKE:
            raise InvalidValueError(
                "group", f"the zero of '{now.setup.name}' would not stay where it lies in the part; state it otherwise"
            )
    return job


def _sized(stock: Stock, along: Axis, middle: float, half: float) -> Stock:
    """Stock of another size along one axis, which varies by ``half`` either way."""
    measured, varies = round(middle, _PLACES), round(half, _PLACES)
    if isinstance(stock, ModelStock):
        raise InvalidValueError("batch", "stock that is a model has its size from its file; choose another form")
    if isinstance(stock, BlockStock):
        size = stock.measured.model_copy(update={along: measured})
        spread = stock.varies.model_copy(update={along: varies})
        return stock.model_copy(update={"measured": size, "varies": spread})
    if along == stock.along:
        length = stock.length.model_copy(update={"measured": measured, "varies": varies})
        return stock.model_copy(update={"length": length})
    if isinstance(stock, ExtrusionStock):
        raise InvalidValueError("batch", "an extrusion has one section; only its length is sawn")
    diameter = stock.diameter.model_copy(update={"measured": measured, "varies": varies})
    return stock.model_copy(update={"diameter": diameter})


# --- sizes that were touched -----------------------------------------------------------------------


def touched_sizes(setup: SetupPlan, results: Iterable[ReturnedResult]) -> dict[Axis, float]:
    """The blank's size (mm) by part axis, as far as results (mm) of a setup's steps say it: of widths across the whole
    blank as it came, along the axes of a part that lies square."""
    rows = setup.setup.orientation.matrix()
    sizes = dict(zip(AXES, setup.stock.size(), strict=True)) if not isinstance(setup.stock, ModelStock) else {}
    found: dict[Axis, float] = {}
    for result in results:
        step = setup.probing.steps[result.step - 1]
        quantity = next(each for each in step.finds if each.key == result.key)
        _, _, letter = result.key.partition("size ")
        if step.cycle.on != "stock" or letter not in AXES:
            continue
        k = int(np.argmax(np.abs(rows[AXES.index(letter)])))
        along: Axis = AXES[k]
        is_square = abs(rows[AXES.index(letter)][k]) > 1.0 - _ALIKE
        if is_square and along in sizes and abs(quantity.expected - sizes[along]) < _ALIKE:
            found[along] = result.value
    return found


def with_touched_sizes(plan: Plan, index: int, found: Sequence[tuple[str, SetupPlan, Sequence[ReturnedResult]]]) -> Job:
    """Blanks more for the batch, from results (mm) that came back of a setup: of each instance by its key, empty for a
    setup without a pattern, where the size is kept with the instance too.

    Raises InvalidValueError where no result says the size along which the batch is measured, or the same were taken in
    before.
    """
    job = plan.job
    along, more = batch_in(job).along, []
    for place, setup, results in found:
        sizes = touched_sizes(setup, results)
        if along not in sizes:
            continue
        more.append(round(sizes[along], _PLACES))
        if place and job.setups[index].pattern is not None:
            for axis, mm in sizes.items():
                looks = setup.setup.orientation.matrix() @ np.eye(3)[AXES.index(axis)]
                job = with_measured(job, index, [place], AXES[int(np.argmax(np.abs(looks)))], round(mm, _PLACES))
    if not more:
        raise InvalidValueError(
            "sizes",
            f"no result is a width across the raw blank along part {along.upper()}; touch both its sides there",
        )
    if tuple(more) == batch_in(job).sizes[-len(more) :]:
        raise InvalidValueError("sizes", "these are in the batch already")
    return with_more_sizes(job, more)
