"""Why a tool is called more than once: what stands against calling it only once."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from .problem import Problem, Tool, tool_words


@dataclass(frozen=True)
class CalledAgain:
    """A tool with how often it is called, and the words why."""

    tool: Tool
    calls: int
    why: str


def called_again(problem: Problem, tasks: Sequence[int]) -> tuple[CalledAgain, ...]:
    """Every tool that an order calls more than once."""
    used = [tool for task in tasks if (tool := problem.tasks[task].tool) is not None]
    calls: dict[Tool, int] = {}
    for tool, _ in itertools.groupby(used):
        calls[tool] = calls.get(tool, 0) + 1
    return tuple(CalledAgain(tool, count, _why(problem, tool)) for tool, count in calls.items() if count > 1)


def _why(problem: Problem, tool: Tool) -> str:
    """The first reason that holds whatever the order; else that it is cheaper so."""
    before = _all_before(problem)
    mine = [k for k, task in enumerate(problem.tasks) if task.tool == tool]
    for first, then in itertools.permutations(mine, 2):
        between = next((k for k in _between(before, first, then) if problem.tasks[k].tool not in (None, tool)), None)
        if between is not None:
            last, middle, begins = (problem.name(k) for k in (then, between, first))
            return f"{last} comes after {middle} with another tool, and that after {begins}"
    stations = problem.stations
    others = (other for task in problem.tasks if (other := task.tool) is not None and other != tool)
    for other in dict.fromkeys(others):
        ours = [k for k, task in enumerate(problem.tasks) if task.tool == other]
        other_first = next(((a, b) for a in ours for b in mine if a in before[b]), None)
        tool_first = next(((a, b) for a in mine for b in ours if a in before[b]), None)
        if other_first is not None and tool_first is not None:
            one, two = (stations[problem.tasks[pair[1]].station] for pair in (other_first, tool_first))
            return f"{one} needs {tool_words(other)} before {tool_words(tool)}, {two} the reverse"
    return "calling it once would call other tools or offsets more often"


def _between(before: Sequence[frozenset[int]], first: int, then: int) -> Iterator[int]:
    return (k for k in sorted(before[then]) if first in before[k])


def _all_before(problem: Problem) -> list[frozenset[int]]:
    """Of every task all that must come before it, whatever is between."""
    found: dict[int, frozenset[int]] = {}
    left = list(range(len(problem.tasks)))
    while left:
        for task in [k for k in left if all(each in found for each in problem.needs[k])]:
            found[task] = problem.needs[task].union(*(found[each] for each in problem.needs[task]))
        left = [k for k in left if k not in found]
    return [found[k] for k in range(len(problem.tasks))]
