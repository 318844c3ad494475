"""Orders that begin with what the end waits for longest: good ones by time at once, and a bound that waits give."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator

from .problem import Problem

#: Minutes of the way to the end for which a minute of calls is spared: none, up to all of it.
_SPARING = (0.0, 1.0, 10.0, 100.0, 1000.0)
#: Less than this the machine does not wait (minutes).
_AT_ONCE = 1e-9


def longest_ways(problem: Problem) -> tuple[float, ...]:
    """Of every task the minutes from its start until all that must come after it can be done, calls left out."""
    after: dict[int, list[tuple[int, float]]] = {}
    inside = [(a, b) for run in problem.frozen for a, b in itertools.pairwise(run)]
    for first, then, minutes in (*((a, b, 0.0) for a, b in (*problem.before, *inside)), *problem.waits):
        after.setdefault(first, []).append((then, minutes))
    found: dict[int, float] = {}
    left = list(range(len(problem.tasks)))
    while left:  # there is no circle in a checked problem
        ready = [k for k in left if all(then in found for then, _ in after.get(k, ()))]
        for k in ready:
            rest = max((minutes + found[then] for then, minutes in after.get(k, ())), default=0.0)
            found[k] = problem.tasks[k].minutes + rest
        left = [k for k in left if k not in found]
    return tuple(found[k] for k in range(len(problem.tasks)))


def longest_first(problem: Problem, goes_on: Callable[[int], bool]) -> Iterator[tuple[int, ...]]:
    """Orders of all tasks, sparing calls more and more."""
    ways = longest_ways(problem)
    for number, sparing in enumerate(_SPARING):
        if not goes_on(number):
            return
        yield _ordered(problem, ways, sparing)


def _ordered(problem: Problem, ways: tuple[float, ...], sparing: float) -> tuple[int, ...]:
    costs, left, done = problem.costs, list(problem.runs), list[int]()
    needs = {run: frozenset().union(*(problem.needs[k] for k in run)) - set(run) for run in left}
    waits: dict[int, list[tuple[int, float]]] = {}
    for first, then, minutes in problem.waits:
        waits.setdefault(first, []).append((then, minutes))
    known, ready, clock = set[int](), dict[int, float](), 0.0
    tool, offset, angle = None, None, None

    def calls(k: int) -> float:
        task = problem.tasks[k]
        seconds = costs.tool_call_s if task.tool is not None and task.tool != tool else 0.0
        seconds += costs.index_s if task.angle is not None and task.angle != angle else 0.0
        seconds += costs.offset_call_s if task.offset is not None and task.offset != offset else 0.0
        return seconds / 60.0

    def rank(run: tuple[int, ...]) -> tuple[float, float, int]:
        before = calls(run[0])
        waits_for = max(0.0, ready.get(run[0], 0.0) - clock - before)
        return (waits_for if waits_for > _AT_ONCE else 0.0, sparing * before - ways[run[0]], run[0])

    while left:
        run = min((each for each in left if needs[each] <= known), key=rank)
        left.remove(run)
        for k in run:
            task = problem.tasks[k]
            clock = max(clock + calls(k), ready.get(k, 0.0)) + task.minutes
            tool = task.tool if task.tool is not None else tool
            offset = task.offset if task.offset is not None else offset
            angle = task.angle if task.angle is not None else angle
            for then, minutes in waits.get(k, ()):
                ready[then] = max(ready.get(then, 0.0), clock + minutes)
        done += run
        known.update(run)
    return tuple(done)
