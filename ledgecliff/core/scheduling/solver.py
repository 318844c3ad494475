"""The order with the shortest time, by a constraint solver: where waits let the machine stand idle, counting calls does
not say how long an order takes.

Tasks follow each other in one circuit; starts carry waits and the time of calls along it.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from .best_order import Weights
from .counting import Order, counted
from .space import NONE, Ends, Space

#: Times are whole thousandths of a second.
_MS = 60_000
_SEED, _WORKERS = 7, 2


class Stopper:
    """Ends a search from without, as soon as it can."""

    def __init__(self) -> None:
        self.stopped = False
        self._solver: Any = None

    def stop(self) -> None:
        self.stopped = True
        if self._solver is not None:
            self._solver.stop_search()

    def takes(self, solver: Any) -> None:
        self._solver = solver
        if self.stopped:
            solver.stop_search()


@dataclass(frozen=True)
class Solved:
    """The best order found, and what none is below: thousandths of a second, or calls by their weights."""

    order: Order
    bound: int
    proven: bool


def solved(
    space: Space,
    known: Order,
    seconds: float,
    *,
    weights: Weights | None = None,
    keeping: tuple[int, int, int] | None = None,
    stopper: Stopper | None = None,
    told: Callable[[Order, int], None] = lambda _order, _bound: None,
) -> Solved:
    """The shortest order, or with ``weights`` the one with the fewest calls, in no more than so many seconds; a
    ``known`` one where none better is found.

    ``keeping`` are the tool calls, indexes and offset calls of which it has no more; ``told`` hears of every better
    order with the bound then.
    """
    from ortools.sat.python import cp_model  # it takes its time to import

    model = _Model(cp_model, space, known, weights, keeping)
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = max(seconds, 0.01)
    solver.parameters.num_workers, solver.parameters.random_seed = _WORKERS, _SEED
    if stopper is not None:
        stopper.takes(solver)

    class Heard(cp_model.CpSolverSolutionCallback):
        def on_solution_callback(self) -> None:
            told(counted(space.problem, model.sequence(self.boolean_value)), _whole(self.best_objective_bound))

    status = solver.solve(model.model, Heard())
    if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return Solved(known, 0, proven=False)
    found = counted(space.problem, model.sequence(solver.boolean_value))
    return Solved(found, _whole(solver.best_objective_bound), proven=status == cp_model.OPTIMAL)


def _whole(bound: float) -> int:
    """A bound on whole numbers: the next one up, but for rounding."""
    return math.ceil(bound - 1e-3)


class _Model:
    """Arcs between runs, starts of tasks, what changes before each run, and when all is done."""

    def __init__(
        self,
        cp_model: Any,
        space: Space,
        known: Order,
        weights: Weights | None,
        keeping: tuple[int, int, int] | None,
    ) -> None:
        self._space, self._problem = space, space.problem
        model = self.model = cp_model.CpModel()
        costs = self._problem.costs
        seconds = (costs.tool_call_s, costs.index_s, costs.offset_call_s)
        self._ms = [round(1000.0 * each) for each in seconds]
        # Rounded each by itself, what is known may end a little later.
        horizon = math.ceil(known.minutes * _MS) + 3 * len(self._problem.tasks)
        if weights is not None:
            # With fewer calls it may well take longer than what is known: as long as everything after the other.
            waits = sum(math.ceil(minutes * _MS) for _, _, minutes in self._problem.waits)
            work = math.ceil(self._problem.work_minutes * _MS)
            horizon = work + waits + len(self._problem.tasks) * (sum(self._ms) + 1)
        self.starts = [model.new_int_var(0, horizon, "") for _ in self._problem.tasks]
        self._lengths = [math.floor(task.minutes * _MS) for task in self._problem.tasks]
        self.end = model.new_int_var(0, horizon, "")
        self._arcs()
        changes = [self._changes(each) for each in (space.tools, space.angles, space.offsets)]
        self._times(changes)
        if keeping is not None:
            inner = (space.tools.inner, space.angles.inner, space.offsets.inner)
            for counts, inside, most in zip(changes, inner, keeping, strict=True):
                model.add(sum(counts.values()) + int(inside.sum()) <= most)
        if weights is None:
            model.minimize(self.end)
        else:
            each = (weights.tool, weights.index, weights.offset)
            inner = (space.tools.inner, space.angles.inner, space.offsets.inner)
            fixed = sum(weight * int(inside.sum()) for weight, inside in zip(each, inner, strict=True))
            model.minimize(sum(w * sum(of.values()) for w, of in zip(each, changes, strict=True)) + fixed)
        self._hint(known)

    def _arcs(self) -> None:
        """One circuit through all runs and where nothing is done (the last node)."""
        count = len(self._space.runs)
        before = _all_needs(self._space)
        after = before.T
        self.arc: dict[tuple[int, int], Any] = {}
        for i in range(count + 1):
            for j in range(count + 1):
                if i == j:
                    continue
                if i < count and j < count:
                    # Nothing comes right before what it needs itself, nor right after what is two steps before it.
                    if before[i, j] or (before[j, i] and (before[j] & after[i]).any()):
                        continue
                elif (i == count and before[j].any()) or (j == count and after[i].any()):
                    continue
                self.arc[i, j] = self.model.new_bool_var("")
        self.model.add_circuit([(i, j, literal) for (i, j), literal in self.arc.items()])

    def _changes(self, ends: Ends) -> dict[int, Any]:
        """Of every run that begins with a tool (offset, angle) whether that has to be called."""
        model, count = self.model, len(self._space.runs)
        changes = {j: model.new_bool_var("") for j in range(count) if ends.first[j] != NONE}
        most = int(ends.first.max()) + 1
        kept = {i: model.new_int_var(0, most, "") for i in range(count) if ends.first[i] == NONE}
        same: dict[tuple[int, int], Any] = {}
        for (i, j), arc in self.arc.items():
            if j == count:
                continue
            if j in kept:
                value = most if i == count else kept[i] if i in kept else int(ends.last[i])
                model.add(kept[j] == value).only_enforce_if(arc)
            elif i in kept:
                first = int(ends.first[j])
                if (i, first) not in same:
                    is_same = same[i, first] = model.new_bool_var("")
                    model.add(kept[i] == first).only_enforce_if(is_same)
                    model.add(kept[i] != first).only_enforce_if(~is_same)
                model.add_bool_or([~arc, same[i, first], changes[j]])
                model.add_bool_or([~arc, ~same[i, first], ~changes[j]])
            else:
                is_called = i == count or int(ends.last[i]) != int(ends.first[j])
                model.add_implication(arc, changes[j] if is_called else ~changes[j])
        return changes

    def _times(self, changes: list[dict[int, Any]]) -> None:
        model, runs, count = self.model, self._space.runs, len(self._space.runs)
        calls = [sum(ms * of[j] for ms, of in zip(self._ms, changes, strict=True) if j in of) for j in range(count)]
        for (i, j), arc in self.arc.items():
            if j == count:
                continue
            begins = calls[j] if i == count else self._end(runs[i][-1]) + calls[j]
            model.add(self.starts[runs[j][0]] >= begins).only_enforce_if(arc)
        for run in runs:
            now: list[Any] = [None, None, None]
            for k, task in enumerate(run):
                values = (
                    self._problem.tasks[task].tool,
                    self._problem.tasks[task].angle,
                    self._problem.tasks[task].offset,
                )
                called = sum(ms for ms, new, old in zip(self._ms, values, now, strict=True) if new not in (None, old))
                if k:
                    model.add(self.starts[task] >= self._end(run[k - 1]) + called)
                now = [old if new is None else new for new, old in zip(values, now, strict=True)]
        for task, needs in enumerate(self._problem.needs):
            for each in needs:
                model.add(self.starts[task] >= self._end(each))
        for first, then, minutes in self._problem.waits:
            model.add(self.starts[then] >= self._end(first) + math.ceil(minutes * _MS))
        for task in range(len(self._problem.tasks)):
            model.add(self.end >= self._end(task))

    def _end(self, task: int) -> Any:
        return self.starts[task] + self._lengths[task]

    def _hint(self, known: Order) -> None:
        first = {run[0]: k for k, run in enumerate(self._space.runs)}
        way = [first[task] for task in known.tasks if task in first]
        count = len(way)
        taken = set(zip([count, *way], [*way, count], strict=True))
        for pair, arc in self.arc.items():
            self.model.add_hint(arc, pair in taken)
        for task, start in zip(known.tasks, known.starts, strict=True):
            self.model.add_hint(self.starts[task], math.ceil(start * _MS))

    def sequence(self, value: Callable[[Any], bool]) -> tuple[int, ...]:
        then = {i: j for (i, j), arc in self.arc.items() if value(arc)}
        count, tasks = len(self._space.runs), list[int]()
        at = then[count]
        while at != count:
            tasks += self._space.runs[at]
            at = then[at]
        return tuple(tasks)


def _all_needs(space: Space) -> np.ndarray:
    """Of every run (rows) all that must come before it, whatever is between."""
    before = np.zeros((len(space.runs), len(space.runs)), dtype=bool)
    for run in space.order:
        for each in space.needs[run]:
            before[run, each] = True
            before[run] |= before[each]
    return before
