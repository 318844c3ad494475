"""A run as plain tasks, for the order of the day."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from ..errors import InvalidValueError
from ..model.run import Run, RunTask, TaskRef
from ..scheduling.problem import Costs, Problem, Task, checked, in_order
from .tool_table import tool_clashes

#: Where the operator's own actions are that belong to no station.
BY_HAND = "by hand"


@dataclass(frozen=True)
class RunProblem:
    """The tasks to be put in order, and what in the run each is."""

    problem: Problem
    refs: tuple[TaskRef, ...]

    def number(self, ref: TaskRef) -> int | None:
        """None for what is not to be done any more."""
        return self.refs.index(ref) if ref in self.refs else None


def every_task(run: Run) -> tuple[TaskRef, ...]:
    """Every task and action of a run."""
    tasks = (TaskRef(of=station.id, task=task.name) for station in run.stations for task in station.tasks)
    return (*tasks, *(TaskRef(of=action.id) for action in run.actions))


def task_of(run: Run, ref: TaskRef) -> RunTask | None:
    """None for an action."""
    station = run.station(ref.of)
    return None if station is None else next((task for task in station.tasks if task.name == ref.task), None)


def ref_words(run: Run, ref: TaskRef) -> str:
    """As people call it: station and task, or the action."""
    station, action = run.station(ref.of), run.action(ref.of)
    if station is not None:
        return f"{station.name}/{ref.task}"
    return action.name if action is not None else ref.of


def waits_of(run: Run, ref: TaskRef) -> list[str]:
    """In words what must be over before a task is begun, and for how long."""
    mine = (each for each in run.after if each.wait and each.later == ref)
    return [f"{each.wait:g} min since {ref_words(run, each.earlier)}" for each in mine]


def ref_named(run: Run, words: str) -> TaskRef:
    """A task as people call it.  Raises InvalidValueError where there is none, or several."""
    found = [ref for ref in every_task(run) if ref_words(run, ref) == words]
    if len(found) != 1:
        has = "there are several" if found else "there is none"
        raise InvalidValueError("task", f"'{words}': {has}; write station and task, as 'A/face the top', or an action")
    return found[0]


def problem_of(run: Run, *, done: frozenset[TaskRef] = frozenset()) -> RunProblem:
    """What is to be done but for what is ``done``.

    Raises InvalidValueError where one tool number means two tools, nothing is left, or it goes round in a circle.
    """
    clashes = tool_clashes(run)
    if clashes:
        raise InvalidValueError(f"T{clashes[0].tool}", f"{clashes[0].words}; {clashes[0].proposal}")
    names = [station.name for station in run.stations]
    at = {station.id: k for k, station in enumerate(run.stations)}
    angles = {
        words: float(k) for k, words in enumerate(dict.fromkeys(each.index for each in run.stations if each.index))
    }
    refs, tasks = list[TaskRef](), list[Task]()
    before: list[tuple[int, int]] = []
    for station in run.stations:
        mine = []
        for task in station.tasks:
            ref = TaskRef(of=station.id, task=task.name)
            if ref in done:
                continue
            mine.append(len(refs))
            refs.append(ref)
            angle = angles[station.index] if station.index else None
            tasks.append(Task(at[station.id], task.name, task.tool, task.minutes, station.offset, angle))
        before += () if station.free else in_order(mine)
    if any(action.station is None for action in run.actions):
        names.append(BY_HAND)
    for action in run.actions:
        ref = TaskRef(of=action.id)
        if ref not in done:
            refs.append(ref)
            tasks.append(
                Task(at[action.station] if action.station else len(names) - 1, action.name, None, action.minutes)
            )
    if not tasks:
        raise InvalidValueError("run", "nothing is left to be done; add a setup, or untick what is to be done again")
    number = {ref: k for k, ref in enumerate(refs)}
    waits = []
    for each in run.after:
        if each.earlier in number and each.later in number:
            pair = number[each.earlier], number[each.later]
            before.append(pair)
            if each.wait:
                waits.append((*pair, each.wait))
    if run.rough_first:
        before += _rough_first(run, refs)
    frozen = tuple(left for each in run.frozen if len(left := tuple(number[ref] for ref in each if ref in number)) > 1)
    costs = Costs(run.tool_call_s, run.offset_call_s, run.index_s)
    problem = Problem(tuple(names), tuple(tasks), tuple(dict.fromkeys(before)), tuple(waits), frozen, costs)
    return RunProblem(checked(problem), tuple(refs))


def _rough_first(run: Run, refs: list[TaskRef]) -> list[tuple[int, int]]:
    """Everything that is roughed before anything is finished."""
    stages = [task.stage if (task := task_of(run, ref)) is not None else None for ref in refs]
    rough, finish = ([k for k, stage in enumerate(stages) if stage == which] for which in ("rough", "finish"))
    return list(itertools.product(rough, finish))
