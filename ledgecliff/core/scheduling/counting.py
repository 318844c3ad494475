"""What an order costs: tool calls, indexes, offset calls, and when each task begins."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..errors import InternalError
from .problem import Problem


@dataclass(frozen=True)
class Order:
    """Tasks (their numbers) as they follow each other, and when each starts (minutes from the beginning).

    The first tool, offset and angle count as called: the program says them.
    """

    tasks: tuple[int, ...]
    starts: tuple[float, ...]
    tool_calls: int
    indexes: int
    offset_calls: int
    minutes: float

    @property
    def counts(self) -> tuple[int, int, int, float]:
        """As they are compared: the first that differs decides."""
        return self.tool_calls, self.indexes, self.offset_calls, self.minutes


def counted(problem: Problem, tasks: Sequence[int]) -> Order:
    """Raises InternalError for an order that leaves tasks out, or has one before what it needs."""
    where = {task: k for k, task in enumerate(tasks)}
    if sorted(tasks) != list(range(len(problem.tasks))):
        raise InternalError("order", "a task is missing in it, or there twice")
    if any(where[each] > where[task] for task in tasks for each in problem.needs[task]):
        raise InternalError("order", "a task comes before what it needs")
    costs, ready = problem.costs, dict[int, float]()
    waits: dict[int, list[tuple[int, float]]] = {}
    for first, then, minutes in problem.waits:
        waits.setdefault(first, []).append((then, minutes))
    tool, offset, angle = None, None, None
    calls, indexes, offsets, clock, starts = 0, 0, 0, 0.0, list[float]()
    for k in tasks:
        task, seconds = problem.tasks[k], 0.0
        if task.tool is not None and task.tool != tool:
            tool, calls, seconds = task.tool, calls + 1, seconds + costs.tool_call_s
        if task.angle is not None and task.angle != angle:
            angle, indexes, seconds = task.angle, indexes + 1, seconds + costs.index_s
        if task.offset is not None and task.offset != offset:
            offset, offsets, seconds = task.offset, offsets + 1, seconds + costs.offset_call_s
        clock = max(clock + seconds / 60.0, ready.get(k, 0.0))
        starts.append(clock)
        clock += task.minutes
        for then, minutes in waits.get(k, ()):
            ready[then] = max(ready.get(then, 0.0), clock + minutes)
    return Order(tuple(tasks), tuple(starts), calls, indexes, offsets, clock)


def station_after_station(problem: Problem) -> Order:
    """One station after the other as they were given; only what must wait for another station is left until then."""
    done, left, order = set[int](), list(range(len(problem.tasks))), list[int]()
    first = {run[0]: run for run in problem.runs}
    inner = {task for run in problem.runs for task in run[1:]}
    station = None
    while left:
        can = [k for k in left if k not in inner and all(problem.needs[j] <= done | set(first[k]) for j in first[k])]
        if not can:
            raise InternalError("order", "tasks wait for each other in a circle")
        mine = [k for k in can if problem.tasks[k].station == station]
        k = (mine or can)[0]
        station = problem.tasks[first[k][-1]].station
        order += first[k]
        done |= set(first[k])
        left = [j for j in left if j not in done]
    return counted(problem, order)


def busy_minutes(problem: Problem, order: Order) -> float:
    """How long an order takes where nothing is waited for."""
    costs = problem.costs
    calls = order.tool_calls * costs.tool_call_s + order.indexes * costs.index_s
    return problem.work_minutes + (calls + order.offset_calls * costs.offset_call_s) / 60.0


def idle_minutes(problem: Problem, order: Order) -> float:
    """How long the machine waits in all."""
    return order.minutes - busy_minutes(problem, order)
