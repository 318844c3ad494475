"""The order that is known, for what is left of it: to be seen at once, while a better one is looked for."""

from __future__ import annotations

from ..errors import InternalError
from ..scheduling.counting import counted
from .rules import Planned
from .tasks import RunProblem


def kept_order(left: RunProblem, known: Planned) -> Planned | None:
    """``left`` as ``known`` has it, frozen runs drawn together where that may be; None where it has not all of it, or
    it may not be so any more."""
    numbers = [left.number(ref) for k in known.order.tasks if (ref := known.tasks.refs[k]) in left.refs]
    tasks = [number for number in numbers if number is not None]
    if len(tasks) != len(left.refs):
        return None
    for run in left.problem.frozen:
        drawn = (_drawn_to(tasks, run, anchor) for anchor in run)
        tasks = next((each for each in drawn if _is_in_order(left, each)), tasks)
    if not _is_in_order(left, tasks) or not _frozen_together(left, tasks):
        return None
    return Planned(left, counted(left.problem, tasks))


def _drawn_to(tasks: list[int], run: tuple[int, ...], anchor: int) -> list[int]:
    """A frozen run where one of its tasks is."""
    before = [task for task in tasks[: tasks.index(anchor)] if task not in run]
    after = [task for task in tasks[tasks.index(anchor) :] if task not in run]
    return [*before, *run, *after]


def _is_in_order(left: RunProblem, tasks: list[int]) -> bool:
    try:
        counted(left.problem, tasks)
    except InternalError:
        return False
    return True


def _frozen_together(left: RunProblem, tasks: list[int]) -> bool:
    at = {task: k for k, task in enumerate(tasks)}
    return all(at[then] == at[first] + k for first, *rest in left.problem.frozen for k, then in enumerate(rest, 1))
