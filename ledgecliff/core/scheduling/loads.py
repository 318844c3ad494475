"""A backlog split into loads: what is set up together, in the fewest loads, with the fewest tools changed, least late.

Each of the three is made as small as it can be before the next one counts, by CP-SAT, and last what the machine waits;
what is not proven has a bound (docs/methods/flow-and-loads.md).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from ..errors import InvalidValueError
from .problem import Tool
from .solver import Stopper

_SEED, _WORKERS = 7, 2
#: Times are whole tenths of a minute, rounded up.
_TENTHS = 10
#: The share of the time until which loads, tools, lateness and waiting are worked at.
_SHARES = (0.3, 0.6, 0.9, 1.0)


@dataclass(frozen=True)
class Step:
    """What of a job is cut in one go (minutes, tools), no sooner than ``wait`` minutes after the step before."""

    minutes: float
    tools: tuple[Tool, ...]
    wait: float = 0.0


@dataclass(frozen=True)
class BacklogJob:
    """A job that waits to be cut: on how many ``stations`` of a ``kind``, with how many ``offsets``, and until when
    (``due``, minutes from the beginning of the first load; None: whenever)."""

    name: str
    kind: str
    steps: tuple[Step, ...]
    stations: int = 1
    offsets: int = 1
    due: float | None = None

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
    """What is set up together: (job, step) from 0, the tools that come into the magazine for it, when it starts and
    ends, and how long the machine waits in it (minutes)."""

    steps: tuple[tuple[int, int], ...]
    changed: tuple[Tool, ...]
    start: float
    end: float
    idle: float


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
    """Jobs, the room of a load, and jobs that stay in the load (from 0) where they are ``frozen``."""

    jobs: tuple[BacklogJob, ...]
    room: Room
    frozen: Mapping[str, int] = field(default_factory=dict)


def checked_backlog(backlog: Backlog) -> Backlog:
    """Raises InvalidValueError for jobs that no load has room for, and for what is frozen and not there."""
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
    names = {job.name for job in backlog.jobs}
    for name, load in backlog.frozen.items():
        if name not in names:
            raise InvalidValueError("frozen", f"there is no job '{name}' any more; thaw it")
        if load >= len(backlog.jobs):
            raise InvalidValueError("frozen", f"'{name}' is in load {load + 1}, and there are {len(backlog.jobs)} jobs")
    return backlog


def split(
    backlog: Backlog,
    seconds: float,
    clock: Callable[[], float],
    *,
    stopper: Stopper | None = None,
    told: Callable[[Split], None] = lambda _split: None,
) -> Split:
    """The loads found in about so many ``seconds`` of a ``clock``; stopped, what was found until then.  ``told`` hears
    of it as it gets better.  Raises InvalidValueError where what is frozen has no room."""
    from ortools.sat.python import cp_model  # it takes its time to import

    begun, stop = clock(), stopper or Stopper()
    first = _filled(backlog)
    most = len(first)
    now, has_room = _split_of(backlog, first), all(_has_room(backlog, steps) for steps, _ in first)
    if has_room:
        told(now)
    model = _Model(cp_model, backlog, most)
    fixed: list[tuple[Any, int]] = []
    known = model.values_of(first)
    for number, share in enumerate(_SHARES):
        left = begun + share * seconds - clock()
        if stop.stopped or left <= 0.0:
            break
        solver = cp_model.CpSolver()
        solver.parameters.max_time_in_seconds = left
        solver.parameters.num_workers, solver.parameters.random_seed = _WORKERS, _SEED
        stop.takes(solver)
        aim = model.aims[number]
        model.hint(known)
        model.model.minimize(aim)
        status = solver.solve(model.model)
        if status == cp_model.INFEASIBLE:
            raise InvalidValueError("frozen", "jobs have no room in the loads where they are frozen; thaw one of them")
        if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
            break
        known = {variable.index: solver.value(variable) for variable in model.every}
        now = _with(_split_of(backlog, model.placed(known)), now, number, math.ceil(solver.best_objective_bound - 1e-6))
        has_room = True
        told(now)
        if status != cp_model.OPTIMAL:
            break
        fixed.append((aim, round(solver.objective_value)))
        model.model.add(aim == fixed[-1][1])
    if not has_room:
        raise InvalidValueError("frozen", "no loads that keep to it were found in the time; give more, or thaw a job")
    return now


def _with(split_now: Split, before: Split, number: int, bound: int) -> Split:
    """With the bound of one of the three taken over, and those known before."""
    loads = bound if number == 0 else before.least_loads
    changed = bound if number == 1 else before.least_changed
    late = bound / _TENTHS if number == 2 else before.least_late
    proven = before.proven or (number == 2 and split_now.late <= late + 1e-6)
    return replace(split_now, least_loads=loads, least_changed=changed, least_late=late, proven=proven)


Placed = list[tuple[tuple[tuple[int, int], ...], float]]


def _filled(backlog: Backlog) -> Placed:
    """Jobs by due date, each into the first load that has room: a beginning."""
    order = sorted(range(len(backlog.jobs)), key=lambda k: (backlog.jobs[k].due is None, backlog.jobs[k].due or 0.0, k))
    order.sort(key=lambda k: backlog.frozen.get(backlog.jobs[k].name, len(backlog.jobs)))
    loads: list[list[tuple[int, int]]] = []
    for k in order:
        at = backlog.frozen.get(backlog.jobs[k].name)
        earliest = 0
        for n in range(len(backlog.jobs[k].steps)):
            load = at if at is not None else earliest
            while True:
                while len(loads) <= load:
                    loads.append([])
                if at is not None or _has_room(backlog, [*loads[load], (k, n)]):
                    break
                load += 1
            loads[load].append((k, n))
            earliest = load
    return [(tuple(sorted(steps)), _idle(backlog, steps)) for steps in loads if steps or backlog.frozen]


def _has_room(backlog: Backlog, steps: Sequence[tuple[int, int]]) -> bool:
    room, jobs = backlog.room, {k for k, _ in steps}
    of_kind: dict[str, int] = {}
    for k in jobs:
        job = backlog.jobs[k]
        of_kind[job.kind] = of_kind.get(job.kind, 0) + job.stations
    tools = {tool for k, n in steps for tool in backlog.jobs[k].steps[n].tools}
    return (
        all(count <= room.stations.get(kind, 0) for kind, count in of_kind.items())
        and sum(backlog.jobs[k].offsets for k in jobs) <= room.offsets
        and len(tools) <= room.pockets
        and _work(backlog, steps) + _idle(backlog, steps) <= room.minutes + 1e-9
    )


def _work(backlog: Backlog, steps: Iterable[tuple[int, int]]) -> float:
    return sum(backlog.jobs[k].steps[n].minutes for k, n in steps)


def _idle(backlog: Backlog, steps: Sequence[tuple[int, int]]) -> float:
    """What is waited for inside of one load: a step that follows another of its job, with nothing else to cut."""
    work, lacks = _work(backlog, steps), 0.0
    for k, n in steps:
        step = backlog.jobs[k].steps[n]
        if n and (k, n - 1) in steps:
            both = step.minutes + backlog.jobs[k].steps[n - 1].minutes
            lacks = max(lacks, both + step.wait - work)
    return lacks


def _split_of(backlog: Backlog, placed: Placed) -> Split:
    """Loads with their times and what is changed for each, one after the other."""
    magazine = _Magazine(backlog, [steps for steps, _ in placed])
    now, loads, ends = 0.0, list[Load](), dict[int, float]()
    for number, (steps, idle) in enumerate(placed):
        start = now + (backlog.room.between if loads else 0.0)
        now = start + _work(backlog, steps) + idle
        loads.append(Load(steps, magazine.changed[number], start, now, idle))
        ends |= {k: now for k, _ in steps}
    late = sum(max(ends[k] - job.due, 0.0) for k, job in enumerate(backlog.jobs) if job.due is not None)
    changed = sum(len(load.changed) for load in loads)
    return Split(tuple(loads), changed, late, 1, 0, 0.0, proven=False)


class _Magazine:
    """Tools that come in for each load.  What has to leave is what is needed again last of all (Belady, *A study of
    replacement algorithms for a virtual-storage computer*, 1966), which changes the fewest."""

    def __init__(self, backlog: Backlog, loads: Sequence[Sequence[tuple[int, int]]]) -> None:
        needs = [{tool for k, n in steps for tool in backlog.jobs[k].steps[n].tools} for steps in loads]
        there: set[Tool] = set()
        self.changed: list[tuple[Tool, ...]] = []
        for number, mine in enumerate(needs):
            new = mine - there
            self.changed.append(tuple(sorted(new, key=str)))
            there |= mine
            while len(there) > backlog.room.pockets:
                again = {
                    tool: next((k for k in range(number + 1, len(needs)) if tool in needs[k]), len(needs))
                    for tool in there - mine
                }
                there.remove(max(sorted(again, key=str), key=lambda tool: again[tool]))


class _Model:
    """Which step is in which load, what is in the magazine, and when loads end."""

    def __init__(self, cp_model: Any, backlog: Backlog, most: int) -> None:
        self._backlog, self._most = backlog, most
        self.model, self.every = cp_model.CpModel(), list[Any]()
        self._steps = [(k, n) for k, job in enumerate(backlog.jobs) for n in range(len(job.steps))]
        self.at = {(k, n, load): self._bool() for k, n in self._steps for load in range(most)}
        for k, n in self._steps:
            self.model.add_exactly_one(self.at[k, n, load] for load in range(most))
        self.used = [self._bool() for _ in range(most)]
        self._room()
        self._magazine()
        self._times()
        for k, job in enumerate(backlog.jobs):
            if (load := backlog.frozen.get(job.name)) is not None:
                for n in range(len(job.steps)):
                    self.model.add(self.at[k, n, load] == 1)
        self.aims = (sum(self.used), sum(self._comes.values()), sum(self._late), sum(self._idle))

    def _bool(self) -> Any:
        self.every.append(self.model.new_bool_var(""))
        return self.every[-1]

    def _int(self, most: int) -> Any:
        self.every.append(self.model.new_int_var(0, most, ""))
        return self.every[-1]

    def _room(self) -> None:
        model, room, jobs = self.model, self._backlog.room, self._backlog.jobs
        self._there: dict[tuple[int, int], Any] = {}
        for load in range(self._most):
            for k, job in enumerate(jobs):
                is_there = self._there[k, load] = self._bool()
                model.add_max_equality(is_there, [self.at[k, n, load] for n in range(len(job.steps))])
                model.add_implication(is_there, self.used[load])
            for kind in {job.kind for job in jobs}:
                mine = [job.stations * self._there[k, load] for k, job in enumerate(jobs) if job.kind == kind]
                model.add(sum(mine) <= room.stations.get(kind, 0))
            model.add(sum(job.offsets * self._there[k, load] for k, job in enumerate(jobs)) <= room.offsets)
            # None is left empty before one that is used.
            model.add_bool_or([~self.used[load], *(self._there[k, load] for k in range(len(jobs)))])
            if load:
                model.add_implication(self.used[load], self.used[load - 1])

    def _magazine(self) -> None:
        model, jobs = self.model, self._backlog.jobs
        self._in: dict[tuple[Tool, int], Any] = {}
        self._comes: dict[tuple[Tool, int], Any] = {}
        tools = sorted({tool for job in jobs for tool in job.tools}, key=str)
        for load in range(self._most):
            for tool in tools:
                is_in, comes = self._in[tool, load], self._comes[tool, load] = self._bool(), self._bool()
                for k, n in self._steps:
                    if tool in jobs[k].steps[n].tools:
                        model.add_implication(self.at[k, n, load], is_in)
                before = self._in[tool, load - 1] if load else 0
                model.add(comes >= is_in - before)
            model.add(sum(self._in[tool, load] for tool in tools) <= self._backlog.room.pockets)

    def _times(self) -> None:
        model, room, jobs = self.model, self._backlog.room, self._backlog.jobs
        between, most = _tenths(room.between), _tenths(room.minutes)
        horizon = (most + between) * self._most
        self._ends, self._idle, start = [], [], 0
        starts = []
        for load in range(self._most):
            work = sum(_tenths(jobs[k].steps[n].minutes) * self.at[k, n, load] for k, n in self._steps)
            idle, end = self._int(most), self._int(horizon)
            model.add(work + idle <= most)
            begins = start + (between * self.used[load] if load else 0)
            model.add(end == begins + work + idle)
            model.add(idle == 0).only_enforce_if(~self.used[load])
            starts.append(begins)
            self._ends.append(end)
            self._idle.append(idle)
            start = end
        self._late = []
        for k, job in enumerate(jobs):
            for n, step in enumerate(job.steps[1:], start=1):
                for load in range(self._most):
                    for earlier in range(self._most):
                        both = [self.at[k, n - 1, earlier], self.at[k, n, load]]
                        if earlier > load:
                            model.add_bool_or([~each for each in both])
                        else:
                            # The earlier step comes first in its load, the later one last in its own.
                            done = starts[earlier] + _tenths(job.steps[n - 1].minutes) + _tenths(step.wait)
                            model.add(self._ends[load] - _tenths(step.minutes) >= done).only_enforce_if(both)
            if job.due is not None:
                late = self._int(horizon)
                for load in range(self._most):
                    last = self.at[k, len(job.steps) - 1, load]
                    model.add(late >= self._ends[load] - math.floor(job.due * _TENTHS)).only_enforce_if(last)
                self._late.append(late)

    # --- to and from values -------------------------------------------------------------------

    def values_of(self, placed: Placed) -> dict[int, int]:
        """Hints: which step is where."""
        where = {step: load for load, (steps, _) in enumerate(placed) for step in steps}
        return {variable.index: int(where[k, n] == load) for (k, n, load), variable in self.at.items()}

    def hint(self, values: Mapping[int, int]) -> None:
        self.model.clear_hints()
        for variable in self.every:
            if variable.index in values:
                self.model.add_hint(variable, values[variable.index])

    def placed(self, values: Mapping[int, int]) -> Placed:
        loads: Placed = []
        for load in range(self._most):
            steps = tuple(step for step in self._steps if values[self.at[(*step, load)].index])
            if steps:
                loads.append((steps, values[self._idle[load].index] / _TENTHS))
        return loads


def _tenths(minutes: float) -> int:
    return math.ceil(minutes * _TENTHS - 1e-6)
