"""What a run has on the table, from above and to scale: parts as far as they are cut, offsets, numbers of instances.

What stands there is worked out once for a run; what is picked of it is drawn over that.
"""

from __future__ import annotations

from collections.abc import Mapping, Set
from dataclasses import dataclass, replace

import numpy as np

from ..carrier_bodies import standing_bodies
from ..frames import Array
from ..model.identity import Id
from ..model.machine import Machine
from ..model.run import Run, RunStation, TaskRef
from ..model.stations import IndexAngle
from ..on_table import OnTable, clamped, placed
from ..plan import Plan
from .items import Drawing, Item, Label, Point2, Stroke, Zero
from .seen_areas import seen
from .table_instances import instance_boxes, instance_items, source_of
from .table_views import FIRST, bodies_of, carried, first_name, rectangle, table_edge

#: Air round everything that is drawn, as a share of its size, and how far below a station its name stands.
_AIR_SHARE, _LABEL_SHARE = 0.03, 0.04
#: So many stations are named at one place before the rest is counted.
_FEW = 2


@dataclass(frozen=True, eq=False)
class Group:
    """Stations of one setup of one job, and what of them stands at the machine now (low and high corner from above).

    ``boxes`` is the room of each station, ``low`` and ``high`` (2,) that of all of them.
    """

    stations: tuple[RunStation, ...]
    items: tuple[Item, ...]
    boxes: Mapping[Id, tuple[Point2, Point2]]
    low: Point2
    high: Point2


@dataclass(frozen=True, eq=False)
class RunTable:
    """``lacking`` are stations whose setup is not there, or not any more."""

    machine: Machine
    index: tuple[IndexAngle, ...]
    groups: tuple[Group, ...]
    lacking: tuple[str, ...]
    #: Which stations of the run each thing of the drawing belongs to.
    stations_of: Mapping[str, tuple[Id, ...]]


def run_table(run: Run, plans: Mapping[str, Plan], shown: Id | None = None) -> RunTable | None:
    """The rotary axes stand as the station that is ``shown`` asks for, or the first one; None where no job is at hand.

    Of what follows each other at one place that is drawn which is not done yet.
    """
    numbers = {each.id: _number(each, plans) for each in run.stations}
    there = [each for each in run.stations if numbers[each.id] is not None]
    if not there:
        return None
    lead = next((each for each in there if each.id == shown), there[0])
    index = _index_of(lead, plans, numbers[lead.id] or 0)
    by_setup: dict[tuple[str, str], list[RunStation]] = {}
    for each in _standing_now(run, there):
        by_setup.setdefault((each.job, each.setup), []).append(each)
    groups, of = list[Group](), dict[str, tuple[Id, ...]]()
    for mine in by_setup.values():
        group, sources = _group(run, mine, plans[mine[0].job], numbers[mine[0].id] or 0, index)
        groups.append(group)
        for source, station in sources:
            of[source] = (*of.get(source, ()), station)
    lacking = tuple(each.name for each in run.stations if numbers[each.id] is None)
    machine = next(each for each in plans[lead.job].job.machines if each.id == run.machine)
    return RunTable(machine, index, tuple(groups), lacking, of)


def run_table_drawing(run: Run, table: RunTable, picked: Set[Id] = frozenset()) -> Drawing:
    """As it is drawn with some stations ``picked``."""
    bodies = standing_bodies(table.machine, table.index)
    items = [*table_edge(table.machine), *carried(table.machine, bodies, FIRST)]
    lows, highs = [group.low for group in table.groups], [group.high for group in table.groups]
    for body in bodies:
        box = np.array(body.m_solid.bounding_box()).reshape(2, 3)
        lows.append(_point(seen(box[0], FIRST)))
        highs.append(_point(seen(box[1], FIRST)))
    if (top := table.machine.table) is not None:
        lows.append((top.left, top.front))
        highs.append((top.right, top.back))
    low, high = np.min(lows, axis=0), np.max(highs, axis=0)
    size = float((high - low).max())
    labels = list[Item]()
    for group in table.groups:
        items += group.items
        foot = ((group.low[0] + group.high[0]) / 2.0, group.low[1] - _LABEL_SHARE * size)
        labels.append(Label(foot, _words(run, group), "centre", f"run-{group.stations[0].id}"))
        for station in group.stations:
            if station.id in picked and station.id in group.boxes:
                items.append(_frame(*group.boxes[station.id], f"run-{station.id}"))
    items += labels
    air = _AIR_SHARE * size
    return Drawing(
        first_name(table.machine, table.index), tuple(items), _point(low - (air, 2.0 * air)), _point(high + air)
    )


def _number(station: RunStation, plans: Mapping[str, Plan]) -> int | None:
    """Which setup of its job's plan a station is; None where that, its station or its instance is not there."""
    plan = plans.get(station.job)
    if plan is None:
        return None
    number = next((k for k, each in enumerate(plan.job.setups) if each.id == station.setup), None)
    if number is None or station.place is None:
        return number
    return number if any(each.key == station.place for each in plan.instances(number)) else None


def _index_of(station: RunStation, plans: Mapping[str, Plan], number: int) -> tuple[IndexAngle, ...]:
    plan = plans[station.job]
    if station.place is None:
        return plan.job.setups[number].index
    return next(each.index for each in plan.instances(number) if each.key == station.place)


def _left(run: Run, station: RunStation) -> bool:
    done = set(run.done)
    return any(TaskRef(of=station.id, task=task.name) not in done for task in station.tasks)


def _comes(run: Run, station: RunStation) -> bool:
    """Whether its part is still to be taken there from another station."""
    done = {ref.of for ref in run.done if ref.task is None}
    return any(
        each.station == station.id and each.takes_from is not None and each.id not in done for each in run.actions
    )


def _standing_now(run: Run, stations: list[RunStation]) -> list[RunStation]:
    """Of those that follow each other at one place the first that is not done, or the last."""
    at_place: dict[tuple[str, str | None, str], list[RunStation]] = {}
    for each in stations:
        at_place.setdefault((each.at, each.place, each.index), []).append(each)
    now = {(next((each for each in mine if _left(run, each)), mine[-1])).id for mine in at_place.values()}
    return [each for each in stations if each.id in now]


def _group(
    run: Run, mine: list[RunStation], plan: Plan, number: int, index: tuple[IndexAngle, ...]
) -> tuple[Group, list[tuple[str, Id]]]:
    on = clamped(plan, number, index)
    setup = plan.setups[number]
    if on.patterned is None:
        (station, *_) = mine
        comes = _comes(run, station)
        items: list[Item] = bodies_of(on, FIRST, "not there" if comes else "before" if _left(run, station) else "after")
        for each, tf_shown in on.drawn:
            x, y = seen(tf_shown(each.located.m_offset), FIRST).tolist()
            items.append(Zero((x, y), ("X", "Y")))
            corners = np.array([tf_shown(each.located.tf_m_u(corner)) for corner in each.holding.u_stock])
            outline = rectangle(corners.min(axis=0), corners.max(axis=0), FIRST, "hidden_holding", f"run-{station.id}")
            items += [outline] if comes else []
        box = _point(seen(on.m_low, FIRST)), _point(seen(on.m_high, FIRST))
        sources = [(on.source, each.id) for each in mine] + [(f"run-{each.id}", each.id) for each in mine]
        return Group(tuple(mine), tuple(items), dict.fromkeys((each.id for each in mine), box), *box), sources
    at = {each.place: each for each in mine}
    loaded = replace(
        on,
        instances=tuple(
            (replace(each, state="on" if _left(run, at[each.key]) else "finished"), tf)
            for each, tf in on.instances
            if each.key in at
        ),
    )
    by_source = {source_of(setup, each): at[each.key].id for each, _ in loaded.instances}
    boxes = {by_source[each.name]: (each.low, each.high) for each in instance_boxes(loaded)}
    sources = [*by_source.items(), *((f"run-{each.id}", each.id) for each in mine)]
    low, high = _room(loaded)
    return Group(tuple(mine), tuple(instance_items(loaded, FIRST)), boxes, low, high), sources


def _room(on: OnTable) -> tuple[Point2, Point2]:
    assert on.patterned is not None, "asked of a pattern"
    low, high = on.patterned.near_box
    ends = low + np.array(list(np.ndindex(2, 2, 2))) * (high - low)
    there = np.concatenate([placed(tf, ends)[:, :2] for _, tf in on.instances])
    return _point(there.min(axis=0)), _point(there.max(axis=0))


def _words(run: Run, group: Group) -> str:
    """Which setup, in which offset or offsets, and how far it is."""
    first, count = group.stations[0], len(group.stations)
    title = next(each.title for each in run.jobs if each.job == first.job)
    name = first.name if count == 1 else f"{title} {first.setup_name} × {count}"
    offsets = list(dict.fromkeys(each.offset for each in group.stations))
    shown = ", ".join(offsets) if len(offsets) <= _FEW else f"{offsets[0]} to {offsets[-1]}"
    done = sum(not _left(run, each) for each in group.stations)
    again = sum(each.id in run.find_again for each in group.stations)
    state = "" if not done else " · done" if done == count else f" · {done} done"
    if not done and all(_comes(run, each) for each in group.stations):
        state = " · comes later"
    return f"{name} · {shown}{state}{' · zero to be found again' if again else ''}"


def _frame(low: Point2, high: Point2, source: str) -> Stroke:
    return rectangle(np.array([*low, 0.0]), np.array([*high, 0.0]), FIRST, "zero", source)


def _point(place: Array) -> Point2:
    x, y = (float(each) for each in place)
    return (x, y)
