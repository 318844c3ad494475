"""The picture of a run: a band of tool blocks over time, a lane for each station, waits, what the operator does.

Places are minutes from the beginning and numbers of lanes; whoever paints says how wide a minute is.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from ..model.run import Run, TaskRef
from ..scheduling.problem import tool_words
from .rules import Planned
from .tasks import BY_HAND

#: Steps of the time's scale (minutes), and about how many there are.
_STEPS, _MARKS = (1, 2, 5, 10, 15, 30, 60, 120, 240, 480, 1440, 2880, 7200, 14400, 72000, 144000), 12


@dataclass(frozen=True)
class Bar:
    """A task in its lane, from when to when; ``frozen`` with what is before or after it."""

    ref: TaskRef
    words: str
    tool: str
    start: float
    end: float
    frozen: bool = False


@dataclass(frozen=True)
class Act:
    """What the operator does, in a lane."""

    ref: TaskRef
    words: str
    start: float
    end: float


@dataclass(frozen=True)
class Wait:
    """From the end of what is waited for to the soonest that the other may begin."""

    start: float
    end: float
    words: str


@dataclass(frozen=True)
class Lane:
    """A station with its offset."""

    name: str
    offset: str
    bars: tuple[Bar, ...]
    acts: tuple[Act, ...]
    waits: tuple[Wait, ...]


@dataclass(frozen=True)
class ToolBlock:
    """Tasks one after the other with one tool, from its call to the end of the last."""

    tool: str
    start: float
    end: float
    refs: tuple[TaskRef, ...]


@dataclass(frozen=True)
class RunPicture:
    """``bound`` is when no order ends before, where that is known; ``marks`` are where the scale has them."""

    minutes: float
    bound: float
    blocks: tuple[ToolBlock, ...]
    lanes: tuple[Lane, ...]
    marks: tuple[float, ...]


def run_picture(run: Run, planned: Planned, bound: float) -> RunPicture:
    problem, refs, order = planned.tasks.problem, planned.tasks.refs, planned.order
    starts = dict(zip(order.tasks, order.starts, strict=True))
    ends = {k: start + problem.tasks[k].minutes for k, start in starts.items()}
    frozen = {ref for each in run.frozen for ref in each}
    lanes = []
    for number, name in enumerate(problem.stations):
        mine = [k for k in order.tasks if problem.tasks[k].station == number]
        station = next((each for each in run.stations if each.name == name), None)
        bars = tuple(
            Bar(refs[k], problem.tasks[k].name, tool_words(tool), starts[k], ends[k], refs[k] in frozen)
            for k in mine
            if (tool := problem.tasks[k].tool) is not None
        )
        acts = tuple(
            Act(refs[k], problem.tasks[k].name, starts[k], ends[k]) for k in mine if problem.tasks[k].tool is None
        )
        waits = tuple(
            Wait(ends[first], ends[first] + minutes, f"{problem.tasks[then].name} waits {minutes:g} min")
            for first, then, minutes in problem.waits
            if problem.tasks[then].station == number
        )
        if bars or acts or name != BY_HAND:
            lanes.append(Lane(name, "" if station is None else station.offset, bars, acts, waits))
    return RunPicture(order.minutes, bound, _blocks(planned, starts, ends), tuple(lanes), scale_marks(order.minutes))


def _blocks(planned: Planned, starts: dict[int, float], ends: dict[int, float]) -> tuple[ToolBlock, ...]:
    problem, refs = planned.tasks.problem, planned.tasks.refs
    with_tool = [k for k in planned.order.tasks if problem.tasks[k].tool is not None]
    found = []
    for tool, group in itertools.groupby(with_tool, lambda k: problem.tasks[k].tool):
        mine = list(group)
        if tool is not None:
            found.append(ToolBlock(tool_words(tool), starts[mine[0]], ends[mine[-1]], tuple(refs[k] for k in mine)))
    return tuple(found)


def scale_marks(minutes: float) -> tuple[float, ...]:
    """Where a scale of time has them."""
    step = next((each for each in _STEPS if minutes / each <= _MARKS), _STEPS[-1])
    return tuple(float(k * step) for k in range(int(minutes // step) + 1))
