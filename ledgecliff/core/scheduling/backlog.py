"""A backlog of jobs, the room of a load, and what a split of it into loads is (minutes)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from ..errors import InvalidValueError
from .problem import Tool

#: A job and a step of it, both from 0.
JobStep = tuple[int, int]


@dataclass(frozen=True)
class Step:
    """What of a job is cut in one go (minutes, tools), no sooner than ``wait`` minutes after the step before; the first
    one no sooner than so long after the beginning of the first load."""

    minutes: float
    tools: tuple[Tool, ...]
    wait: float = 0.0


@dataclass(frozen=True)
class BacklogJob:
    """A job that waits to be cut: on how many ``stations`` of a ``kind``, with how many ``offsets``, and until when
    (``due``, minutes from the beginning of the first load; None: whenever).  One that is frozen stays in its ``load``
    (from 0)."""

    name: str
    kind: str
    steps: tuple[Step, ...]
    stations: int = 1
    offsets: int = 1
    due: float | None = None
    load: int | None = None

    @property
    def minutes(self) -> float:
        return sum(step.minutes for step in self.steps)

    @property
    def tools(self) -> frozenset[Tool]:
        return frozenset(tool for step in self.steps for tool in step.tools)


@dataclass(frozen=True)
class Room:
    """What a load has room for: stations by kind, tool pockets, work offsets, minutes; ``between`` two loads so many
    minutes go by."""

    stations: Mapping[str, int]
    pockets: int
    offsets: int
    minutes: float
    between: float = 0.0


@dataclass(frozen=True)
class Load:
    """What is set up together: steps in the order in which they can be cut, with the start of each, the tools that come
    into the magazine for it, when it starts and ends, and how long the machine waits in it (minutes)."""

    steps: tuple[JobStep, ...]
    starts: tuple[float, ...]
    changed: tuple[Tool, ...]
    start: float
    end: float

    def idle(self, backlog: Backlog) -> float:
        return self.end - self.start - sum(backlog.jobs[k].steps[n].minutes for k, n in self.steps)


@dataclass(frozen=True)
class Split:
    """Loads, their three figures, and below what each is not (``proven`` where that is reached)."""

    loads: tuple[Load, ...]
    changed: int
    late: float
    least_loads: int
    least_changed: int
    least_late: float
    proven: bool

    @property
    def loads_proven(self) -> bool:
        return self.least_loads == len(self.loads)


@dataclass(frozen=True)
class Backlog:
    jobs: tuple[BacklogJob, ...]
    room: Room

    @property
    def waits(self) -> bool:
        """Whether any of its jobs waits inside."""
        return any(step.wait for job in self.jobs for step in job.steps)

    @property
    def frozen(self) -> bool:
        return any(job.load is not None for job in self.jobs)


def checked_backlog(backlog: Backlog) -> Backlog:
    """Raises InvalidValueError for jobs that no load has room for, and for loads that there cannot be."""
    room = backlog.room
    for job in backlog.jobs:
        have = room.stations.get(job.kind, 0)
        needs = (
            (job.stations > have, f"{job.stations} stations of kind '{job.kind}'", f"there are {have}"),
            (job.offsets > room.offsets, f"{job.offsets} work offsets", f"there are {room.offsets}"),
            (len(job.tools) > room.pockets, f"{len(job.tools)} tools", f"the magazine has {room.pockets} pockets"),
            (max(step.minutes for step in job.steps) > room.minutes, f"{job.minutes:g} minutes",
             f"a load has {room.minutes:g}"),
        )  # fmt: skip
        for lacks, what, there in needs:
            if lacks:
                raise InvalidValueError(job.name, f"needs {what}, and {there}; split it, or state more room")
        if job.load is not None and job.load >= len(backlog.jobs):
            raise InvalidValueError(
                job.name, f"is frozen in load {job.load + 1}, and there are {len(backlog.jobs)} jobs; thaw it"
            )
    return backlog


def tools_of(backlog: Backlog, steps: Sequence[JobStep]) -> frozenset[Tool]:
    return frozenset(tool for k, n in steps for tool in backlog.jobs[k].steps[n].tools)
