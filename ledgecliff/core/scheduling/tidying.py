"""Orders that cost the same are not all alike to whoever stands there: station by station, as they were given."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence

from .counting import Order, counted
from .problem import Problem

#: Times that differ by less are the same (minutes).
_SAME = 1e-7


def tidied(problem: Problem, order: Order) -> Order:
    """With what follows each other by one tool, offset and angle station by station: as many calls, and no later."""
    frozen = {task for run in problem.frozen for task in run}

    def alike(k: int) -> tuple[object, ...]:
        task = problem.tasks[k]
        stays = k in frozen or task.tool is None
        return (k,) if stays else (task.tool, task.offset, task.angle)

    groups = (tuple(group) for _, group in itertools.groupby(order.tasks, alike))
    tasks = tuple(itertools.chain.from_iterable(_by_stations(problem, group) for group in groups))
    better = counted(problem, tasks)
    return better if better.minutes <= order.minutes + _SAME else order


def _by_stations(problem: Problem, group: Sequence[int]) -> Iterator[int]:
    """What may be next at the station where the last one was, else what was given first."""
    left, station = set(group), -1
    while left:
        ready = (k for k in left if not problem.needs[k] & left)
        k = min(ready, key=lambda each: (problem.tasks[each].station != station, each))
        station = problem.tasks[k].station
        left.remove(k)
        yield k
