"""Sides of a part that is made many times, as JSON: for flow or batch (docs/run-files.md)."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any, get_args

from ..errors import InvalidValueError
from .counting import station_after_station
from .flow import FlowAsked, Loading, Side, Times
from .problem import Problem, checked
from .reading import read_problem
from .space import Space
from .tool_calls import few_tool_calls, fewest_tool_calls

#: No more parts are counted.
_MOST = 10_000


def read_flow(plain: object) -> FlowAsked:
    """Raises InvalidValueError that names the field, what is wrong with it and what to do."""
    if not isinstance(plain, dict):
        raise InvalidValueError("the file", "is no object of names and values; see docs/run-files.md")
    parts = plain.get("parts")
    if isinstance(parts, bool) or not isinstance(parts, int) or not 1 <= parts <= _MOST:
        raise InvalidValueError("parts", f"is no whole number from 1 to {_MOST}; say how many are wanted")
    loads = plain.get("loading", "inside")
    if loads not in get_args(Loading):
        raise InvalidValueError("loading", "is 'inside' (the operator, between cycles) or 'outside' (while it cuts)")
    minutes = {name: _number(plain, name) for name in ("probing_min", "loading_min", "setup_min")}
    calls = _number(plain, "tool_call_s") / 60.0
    times = Times(calls, minutes["probing_min"], minutes["loading_min"], minutes["setup_min"], loads)
    if "sides" in plain:
        sides, together = _stated(plain)
    else:
        sides, together = counted_sides(read_problem(plain))
    return FlowAsked(parts, sides, times, together)


def _stated(plain: Mapping[str, Any]) -> tuple[tuple[Side, ...], Callable[[tuple[int, ...]], int]]:
    """Sides with their minutes and tool calls, and how many calls all of them take together."""
    rows = plain["sides"]
    if not isinstance(rows, list) or not 1 <= len(rows) <= 12 or not all(isinstance(row, dict) for row in rows):
        raise InvalidValueError("sides", "is no list of 1 to 12 sides with name, minutes and tool_calls")
    sides = tuple(
        Side(str(row.get("name", f"side {k}")), _number(row, "minutes"), _calls(row, "tool_calls"))
        for k, row in enumerate(rows, start=1)
    )
    alone = sum(side.tool_calls for side in sides)
    most = _calls(plain, "tool_calls_together") if "tool_calls_together" in plain else alone
    least = max(side.tool_calls for side in sides)
    if not least <= most <= alone:
        raise InvalidValueError(
            "tool_calls_together", f"is not from {least} to {alone}, as the sides by themselves take"
        )

    def together(at: tuple[int, ...]) -> int:
        mine = sum(sides[k].tool_calls for k in at)
        return most if len(at) == len(sides) else mine if len(at) == 1 else min(mine, most)

    return sides, together


def counted_sides(problem: Problem) -> tuple[tuple[Side, ...], Callable[[tuple[int, ...]], int]]:
    """Of tasks: every station is a side; of several the fewest calls are searched for."""
    found: dict[tuple[int, ...], int] = {}

    def together(at: tuple[int, ...]) -> int:
        if at not in found:
            space = Space(_of_sides(problem, at))
            few = few_tool_calls(space)
            found[at] = fewest_tool_calls(space, few, lambda _bound: True, 20_000).found
        return found[at]

    sides = tuple(
        Side(name, sum(task.minutes for task in problem.tasks if task.station == k),
             station_after_station(_of_sides(problem, (k,))).tool_calls)
        for k, name in enumerate(problem.stations)
    )  # fmt: skip
    return sides, together


def _of_sides(problem: Problem, at: tuple[int, ...]) -> Problem:
    """Only the tasks at some stations."""
    kept = [k for k, task in enumerate(problem.tasks) if task.station in at]
    number = {k: n for n, k in enumerate(kept)}
    before = tuple((number[a], number[b]) for a, b in problem.before if a in number and b in number)
    return checked(replace(problem, tasks=tuple(problem.tasks[k] for k in kept), before=before, waits=()))


def _number(plain: Mapping[str, Any], name: str) -> float:
    value = plain.get(name, 0.0)
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0.0 <= value <= 100_000.0:
        raise InvalidValueError(name, "is no time from 0 to 100000; correct it")
    return float(value)


def _calls(plain: Mapping[str, Any], name: str) -> int:
    value = plain.get(name)
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= 1000:
        raise InvalidValueError(name, "is no whole number from 0 to 1000; correct it")
    return value
