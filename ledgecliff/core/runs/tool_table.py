"""One tool table for all jobs on a machine: the same number must mean the same tool."""

from __future__ import annotations

from dataclasses import dataclass

from ..model.machine import Cutter, Machine
from ..model.run import Run


@dataclass(frozen=True)
class ToolClash:
    """A number with two descriptions, in words, and what to do."""

    tool: int
    words: str
    proposal: str


def tool_words(machine: Machine, tool: int) -> str:
    """What a tool is, so that another one of the same number is told; nothing where the machine does not have it."""
    cutter = machine.cutter(tool)
    return "" if cutter is None else _described(cutter)


def _described(cutter: Cutter) -> str:
    words = [cutter.name, f"Ø{cutter.diameter:g}", cutter.shape]
    if cutter.corner_radius:
        words.append(f"r{cutter.corner_radius:g}")
    if cutter.end_angle_deg < 180.0:
        words.append(f"{cutter.end_angle_deg:g}°")
    return ", ".join(words)


def tool_clashes(run: Run) -> tuple[ToolClash, ...]:
    """Every number that stations of the run describe in two ways, with the next number that is free."""
    described: dict[int, dict[str, str]] = {}
    for station in run.stations:
        for task in station.tasks:
            described.setdefault(task.tool, {}).setdefault(task.tool_is, station.name)
    used, found = set(described), list[ToolClash]()
    for tool, ways in sorted(described.items()):
        if len(ways) < 2:
            continue
        (one, first), (other, second) = list(ways.items())[:2]
        free = next(number for number in range(1, 10_000) if number not in used)
        used.add(free)
        words = f"is '{one}' for {first} and '{other}' for {second}"
        found.append(
            ToolClash(tool, words, f"number the one of {second} T{free} in its job, and give it a pocket of its own")
        )
    return tuple(found)


def tool_list(run: Run) -> dict[int, tuple[str, float]]:
    """Every tool that is called: what it is, and how many minutes it cuts."""
    found: dict[int, tuple[str, float]] = {}
    for station in run.stations:
        for task in station.tasks:
            found[task.tool] = (task.tool_is, found.get(task.tool, ("", 0.0))[1] + task.minutes)
    return dict(sorted(found.items()))
