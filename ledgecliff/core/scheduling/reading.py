"""The plain tasks format: what a machine has to do, as JSON of names and numbers (docs/run-files.md)."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from typing import Any

from ..errors import InvalidValueError
from .problem import Costs, Problem, Task, checked, in_order

#: No more tasks are read (an order of more is no use to anybody), and none is longer (minutes).
_MOST, _LONGEST = 500, 100_000.0


def read_problem(plain: object) -> Problem:
    """Raises InvalidValueError that names the field, what is wrong with it and what to do."""
    whole = _mapping(plain, "the file")
    costs = Costs(*(_seconds(whole, name) for name in ("tool_call_s", "offset_call_s", "index_s")))
    stations, tasks, before = list[str](), list[Task](), list[tuple[int, int]]()
    for k, each in enumerate(_list(whole, "stations", "the file")):
        where = f"station {k + 1}"
        station = _mapping(each, where)
        name = _text(station, "name", where)
        if name in stations:
            raise InvalidValueError(where, f"'{name}' is there twice; give every station a name of its own")
        mine: list[tuple[int, bool]] = []
        for task, free in _tasks(station, k, name):
            if any(tasks[j].name == task.name for j, _ in mine):
                raise InvalidValueError(name, f"has two tasks '{task.name}'; give each a name of its own")
            mine.append((len(tasks), free))
            tasks.append(task)
        before += in_order(j for j, free in mine if not free)
        stations.append(name)
    if not tasks:
        raise InvalidValueError("stations", "have no tasks; say what is to be done at each")
    if len(tasks) > _MOST:
        raise InvalidValueError("stations", f"have {len(tasks)} tasks; more than {_MOST} are not put in order")
    numbers = {f"{stations[task.station]}/{task.name}": k for k, task in enumerate(tasks)}
    pairs = [_pair(each, numbers, f"after {k + 1}") for k, each in enumerate(_optional(whole, "after"))]
    waits = []
    for k, each in enumerate(_optional(whole, "waits")):
        where = f"waits {k + 1}"
        if not isinstance(each, list | tuple) or len(each) != 3:
            raise InvalidValueError(where, "is not two tasks and minutes, such as ['A/t1', 'A/t2', 30]")
        waits.append((*_pair(each[:2], numbers, where), _minutes(each[2], where)))
    problem = Problem(tuple(stations), tuple(tasks), (*before, *pairs), tuple(waits), (), costs)
    return checked(problem)


def _tasks(station: Mapping[str, Any], number: int, name: str) -> Iterator[tuple[Task, bool]]:
    """The tasks of a station, and whether each may be done at any time."""
    offset = station.get("offset", name)
    if not isinstance(offset, str | int):
        raise InvalidValueError(f"{name}, offset", "is no code; write one such as 'G54'")
    angle = station.get("angle")
    if angle is not None and (
        isinstance(angle, bool) or not isinstance(angle, int | float) or not math.isfinite(angle)
    ):
        raise InvalidValueError(f"{name}, angle", "is no number of degrees; leave it out where nothing turns")
    for k, each in enumerate(_list(station, "tasks", name)):
        where = f"{name}, task {k + 1}"
        task = _mapping(each, where)
        tool = task.get("tool")
        if isinstance(tool, bool) or not isinstance(tool, int | str | None):
            raise InvalidValueError(f"{where}, tool", "is neither a number nor a name; leave it out where none is used")
        free = task.get("free", station.get("free", False))
        if not isinstance(free, bool):
            raise InvalidValueError(f"{where}, free", "is neither true nor false")
        minutes = _minutes(task.get("minutes", 0.0), f"{where}, minutes")
        used = tool is not None
        turned = None if angle is None else float(angle) % 360.0
        yield (
            Task(number, _text(task, "name", where), tool, minutes, str(offset) if used else None,
                 turned if used else None),
            free,
        )  # fmt: skip


def _pair(each: object, numbers: dict[str, int], where: str) -> tuple[int, int]:
    if not isinstance(each, list | tuple) or len(each) != 2:
        raise InvalidValueError(where, "is not two tasks, such as ['A/t1', 'B/t2']: first the earlier one")
    for name in each:
        if name not in numbers:
            raise InvalidValueError(where, f"there is no task '{name}'; write station and task as 'A/t1'")
    if each[0] == each[1]:
        raise InvalidValueError(where, f"'{each[0]}' cannot come before itself; take that out")
    return numbers[each[0]], numbers[each[1]]


def _mapping(plain: object, where: str) -> Mapping[str, Any]:
    if not isinstance(plain, dict):
        raise InvalidValueError(where, "is no object of names and values; see docs/run-files.md")
    return plain


def _list(whole: Mapping[str, Any], name: str, where: str) -> list[Any]:
    if not isinstance(whole.get(name), list):
        raise InvalidValueError(where, f"has no list '{name}'; see docs/run-files.md")
    found: list[Any] = whole[name]
    return found


def _optional(whole: Mapping[str, Any], name: str) -> list[Any]:
    return _list(whole, name, "the file") if name in whole else []


def _text(whole: Mapping[str, Any], name: str, where: str) -> str:
    text = whole.get(name)
    if not isinstance(text, str) or not text.strip() or len(text) > 200:
        raise InvalidValueError(f"{where}, {name}", "is missing; write a name of 1 to 200 letters")
    return text


def _seconds(whole: Mapping[str, Any], name: str) -> float:
    return 60.0 * _minutes(whole.get(name, 0.0), name, longest=_LONGEST, per=60.0)


def _minutes(value: object, where: str, longest: float = _LONGEST, per: float = 1.0) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0.0 <= value <= longest * per:
        raise InvalidValueError(where, f"is no time from 0 to {longest * per:g}; correct it")
    return float(value) / per
