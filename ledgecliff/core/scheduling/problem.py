"""Tasks at the stations of one machine, and what must come before what."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from ..errors import InvalidValueError

#: A tool as it is called: by its number or its name.
Tool = int | str


def tool_words(tool: Tool) -> str:
    """As it is called: T3 for a number, else its name."""
    return f"T{tool}" if isinstance(tool, int) else tool


@dataclass(frozen=True)
class Costs:
    """What a tool call, an offset call and an index take (s)."""

    tool_call_s: float = 0.0
    offset_call_s: float = 0.0
    index_s: float = 0.0


@dataclass(frozen=True)
class Task:
    """One task at a station (its number), as long as it takes (minutes).

    Without a ``tool`` it is the operator's, and neither tool, offset nor angle changes for it.  Without an ``angle``
    the rotary axes may stand anywhere.
    """

    station: int
    name: str
    tool: Tool | None
    minutes: float
    offset: str | None = None
    angle: float | None = None


@dataclass(frozen=True)
class Problem:
    """Stations by name, tasks in the order in which they were given, ``before`` pairs (earlier, later) of their
    numbers, ``waits`` of at least so many minutes from the end of one to the start of another, and ``frozen`` runs of
    tasks that follow each other without anything between."""

    stations: tuple[str, ...]
    tasks: tuple[Task, ...]
    before: tuple[tuple[int, int], ...] = ()
    waits: tuple[tuple[int, int, float], ...] = ()
    frozen: tuple[tuple[int, ...], ...] = ()
    costs: Costs = field(default_factory=Costs)

    def name(self, task: int) -> str:
        """As people call it: station and task."""
        return f"{self.stations[self.tasks[task].station]}/{self.tasks[task].name}"

    @cached_property
    def needs(self) -> tuple[frozenset[int], ...]:
        """Of every task those that must come before it, as they were stated."""
        found: list[set[int]] = [set() for _ in self.tasks]
        for earlier, later in (*self.before, *((a, b) for a, b, _ in self.waits)):
            found[later].add(earlier)
        return tuple(frozenset(each) for each in found)

    @cached_property
    def runs(self) -> tuple[tuple[int, ...], ...]:
        """What is done in one go: frozen runs, and every other task by itself."""
        frozen = {task for run in self.frozen for task in run}
        return (*self.frozen, *((k,) for k in range(len(self.tasks)) if k not in frozen))

    @cached_property
    def work_minutes(self) -> float:
        return sum(task.minutes for task in self.tasks)


def checked(problem: Problem) -> Problem:
    """The problem as it is.  Raises InvalidValueError where tasks wait for each other in a circle, a frozen run is
    against what must come before what, or a task is in two of them."""
    seen: set[int] = set()
    for run in problem.frozen:
        twice = seen & set(run) or ({task for task in run if run.count(task) > 1})
        if twice:
            raise InvalidValueError("frozen", f"'{problem.name(min(twice))}' is in it twice; take it out of one")
        seen |= set(run)
    runs, of = problem.runs, dict[int, int]()
    for k, run in enumerate(runs):
        of |= dict.fromkeys(run, k)
    needs: list[set[int]] = [set() for _ in runs]
    for later, earlier in ((task, each) for task in range(len(problem.tasks)) for each in problem.needs[task]):
        if of[later] != of[earlier]:
            needs[of[later]].add(of[earlier])
        elif runs[of[later]].index(earlier) >= runs[of[later]].index(later):
            raise InvalidValueError(
                "frozen", f"'{problem.name(later)}' comes after '{problem.name(earlier)}'; turn them round or thaw them"
            )
    circle = _circle(needs)
    if circle:
        names = " after ".join(f"'{problem.name(runs[k][0])}'" for k in (*circle, circle[0]))
        raise InvalidValueError("after", f"tasks wait for each other in a circle: {names}; take one of these out")
    return problem


def _circle(needs: Sequence[set[int]]) -> tuple[int, ...]:
    """Numbers that need each other in a circle, each the next; empty where there is none."""
    state, way = [0] * len(needs), list[int]()

    def visit(k: int) -> tuple[int, ...]:
        state[k] = 1
        way.append(k)
        for each in sorted(needs[k]):
            if state[each] == 1:
                return tuple(way[way.index(each) :])
            if state[each] == 0 and (found := visit(each)):
                return found
        way.pop()
        state[k] = 2
        return ()

    for k in range(len(needs)):
        if state[k] == 0 and (found := visit(k)):
            return found
    return ()


def in_order(tasks: Iterable[int]) -> tuple[tuple[int, int], ...]:
    """Pairs (earlier, later) that have tasks one after the other."""
    return tuple(itertools.pairwise(tasks))
