"""The loads of a backlog as a model for CP-SAT."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from typing import Any

from .backlog import Backlog, JobStep
from .problem import Tool

#: Times are whole tenths of a minute, rounded up.
TENTHS = 10


class LoadsModel:
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
            if job.load is not None:
                for n in range(len(job.steps)):
                    self.model.add(self.at[k, n, job.load] == 1)
        self.aims = (sum(self.used), sum(self._comes.values()), sum(self._late), self._ends[-1])

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
        # Each comes in once at least: the solver does not see that by itself.
        model.add(sum(self._comes.values()) >= len(tools))

    def _times(self) -> None:
        model, room, jobs = self.model, self._backlog.room, self._backlog.jobs
        between, most = tenths(room.between), tenths(room.minutes)
        waits = sum(tenths(step.wait) for job in jobs for step in job.steps)
        horizon = (most + between) * self._most + waits
        self._ends, self._begins, before = [], [], 0
        for load in range(self._most):
            work = sum(tenths(jobs[k].steps[n].minutes) * self.at[k, n, load] for k, n in self._steps)
            begins, idle, end = self._int(horizon), self._int(most), self._int(horizon)
            model.add(work + idle <= most)
            # It begins with its first cut, which may have to wait for what the load before has begun.
            model.add(begins >= before + (between * self.used[load] if load else 0))
            model.add(end == begins + work + idle)
            model.add(idle == 0).only_enforce_if(~self.used[load])
            model.add(begins == before).only_enforce_if(~self.used[load])
            self._begins.append(begins)
            self._ends.append(end)
            before = end
        self._one_after_the_other(horizon)
        self._late = []
        for k, job in enumerate(jobs):
            if job.due is not None:
                late = self._int(horizon)
                for load in range(self._most):
                    last = self.at[k, len(job.steps) - 1, load]
                    model.add(late >= self._ends[load] - math.floor(job.due * TENTHS)).only_enforce_if(last)
                self._late.append(late)

    def _one_after_the_other(self, horizon: int) -> None:
        """Where something waits, each step has a time of its own within its load; else any order has no gaps."""
        model, jobs = self.model, self._backlog.jobs
        self._starts: dict[JobStep, Any] = {}
        for k, job in enumerate(jobs):
            for n in range(1, len(job.steps)):
                for earlier, load in itertools.combinations(range(self._most), 2):
                    model.add_bool_or([~self.at[k, n - 1, load], ~self.at[k, n, earlier]])
        if not self._backlog.waits:
            return
        spans = []
        for k, n in self._steps:
            lasts = tenths(jobs[k].steps[n].minutes)
            begins = self._starts[k, n] = self._int(horizon)
            spans.append(model.new_fixed_size_interval_var(begins, lasts, ""))
            for load in range(self._most):
                there = self.at[k, n, load]
                model.add(begins >= self._begins[load]).only_enforce_if(there)
                model.add(begins + lasts <= self._ends[load]).only_enforce_if(there)
            before = self._starts[k, n - 1] + tenths(jobs[k].steps[n - 1].minutes) if n else 0
            model.add(begins >= before + tenths(jobs[k].steps[n].wait))
        model.add_no_overlap(spans)

    # --- to and from values -------------------------------------------------------------------

    def values_of(self, loads: Sequence[Sequence[JobStep]]) -> dict[int, int]:
        """Hints: which step is where."""
        where = {step: load for load, steps in enumerate(loads) for step in steps}
        return {variable.index: int(where[k, n] == load) for (k, n, load), variable in self.at.items()}

    def hint(self, values: Mapping[int, int]) -> None:
        self.model.clear_hints()
        for variable in self.every:
            if variable.index in values:
                self.model.add_hint(variable, values[variable.index])

    def loads(self, values: Mapping[int, int]) -> tuple[list[tuple[JobStep, ...]], dict[int, float]]:
        """The steps of each load in the order in which they can be cut, and when it begins (minutes)."""
        found, begins = list[tuple[JobStep, ...]](), dict[int, float]()
        for load in range(self._most):
            steps = [step for step in self._steps if values[self.at[(*step, load)].index]]
            if self._starts:
                steps.sort(key=lambda step: (values[self._starts[step].index], step))
            if steps:
                begins[len(found)] = values[self._begins[load].index] / TENTHS
                found.append(tuple(steps))
        return found, begins


def tenths(minutes: float) -> int:
    """Rounded up."""
    return math.ceil(minutes * TENTHS - 1e-6)
