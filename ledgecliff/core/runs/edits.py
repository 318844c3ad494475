"""Edits of a run: every one gives another, fully checked one."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any, TypeVar

from pydantic import ValidationError

from ..changing import add_item, changed, field_path, free_name, path_words, problem_words, set_value
from ..errors import InvalidValueError
from ..model.base import Model, Point
from ..model.identity import Id
from ..model.machine import Machine
from ..model.run import After, MinutesFrom, Run, RunAction, RunJob, RunStation, RunTask, Stage, TaskRef, ToolLife
from ..model.setup import Setup
from ..model.stations import IndexAngle
from ..patterns.instances import Instance
from ..plan import Plan
from ..toolpaths.summary import ProgramSummary
from .tool_table import tool_words

_Made = TypeVar("_Made", bound=Model)


def made(kind: type[_Made], **fields: Any) -> _Made:
    """A part of a run from fields as they were typed.  Raises InvalidValueError that names the one that is wrong."""
    try:
        return kind.model_validate({name: _plain(value) for name, value in fields.items()})
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        raise InvalidValueError(path_words(field_path(first["loc"])), problem_words(first["msg"])) from error


def _plain(value: Any) -> Any:
    return value.model_dump() if isinstance(value, Model) else value


def new_run(run_id: Id, title: str, machine: Machine) -> Run:
    return made(Run, id=run_id, title=title, machine=machine.id, machine_name=machine.name)


def with_setup(
    run: Run, plan: Plan, setup: int, new_id: Callable[[], Id], path: str, checksum: str, name: str | None = None
) -> Run:
    """With a setup of a job loaded: at one more station, or where it stands many times at one for each that is on.

    Raises InvalidValueError where that setup is cut on another machine, has no offset for an instance, or none is on.
    """
    job, held = plan.job, plan.job.setups[setup]
    machine = job.machine_of(held)
    if machine.id != run.machine:
        raise InvalidValueError(
            "setup", f"'{held.name}' of {job.title} is cut on {machine.name}, and the run is for {run.machine_name}"
        )
    stations = list(run.stations)
    stem = name or f"{job.title} {held.name}"[:70]
    places: tuple[Instance | None, ...] = tuple(_on(plan, setup)) if held.pattern is not None else (None,)
    if not places:
        raise InvalidValueError("setup", f"no instance of '{held.name}' is on; set one on (Table)")
    for each in places:
        called = free_name(stem if each is None else f"{stem} {each.name}"[:78], [known.name for known in stations])
        stations.append(
            made(
                RunStation,
                id=new_id(),
                name=called,
                job=job.id,
                setup=held.id,
                tasks=[task.model_dump() for task in _tasks(machine, held, {})],
                **_where(held, each),
            )
        )
    of_job = RunJob(job=job.id, title=job.title, path=path, checksum=checksum)
    jobs = (*(each for each in run.jobs if each.job != job.id), of_job)
    return changed(run, {"jobs": jobs, "stations": tuple(stations)})


def _on(plan: Plan, setup: int) -> Iterator[Instance]:
    return (each for each in plan.instances(setup) if each.is_on)


def _where(setup: Setup, each: Instance | None) -> dict[str, Any]:
    """What a station of a run says of a setup, or of one instance of it.  Raises InvalidValueError."""
    said: dict[str, Any] = {"setup_name": setup.name, "at": setup.station, "offset": setup.offset}
    said["index"] = _index_words(setup.index)
    if each is None:
        return said
    if each.offset is None:
        raise InvalidValueError(
            "offset", f"none is kept for instance {each.name} of '{setup.name}'; give them out first"
        )
    x, y, z = (round(float(mm), 6) + 0.0 for mm in each.located.local_shift)
    at = {"place": each.key, "offset": each.offset, "index": _index_words(each.index), "local": Point(x=x, y=y, z=z)}
    return {**said, **at}


def without_station(run: Run, station: Id) -> Run:
    """Without it, what is said of its tasks, and its job where no other station has that."""
    left = tuple(each for each in run.stations if each.id != station)
    jobs = tuple(each for each in run.jobs if any(other.job == each.job for other in left))
    actions = tuple(each for each in run.actions if station not in (each.station, each.takes_from))
    return _pruned(run, {"stations": left, "jobs": jobs, "actions": actions})


def taken_over(run: Run, plan: Plan, checksum: str) -> Run:
    """With what a job says now of all its setups in the run: what was typed and ticked stays where its task is there.

    A setup, or an instance, that the job does not have any more, or that is not on, goes.
    """
    job, stations = plan.job, list[RunStation]()
    numbers = {setup.id: k for k, setup in enumerate(job.setups)}
    for station in run.stations:
        number = numbers.get(station.setup)
        if station.job != job.id:
            stations.append(station)
        elif number is not None:
            setup = job.setups[number]
            each = next((one for one in _on(plan, number) if one.key == station.place), None)
            if (station.place is None) != (setup.pattern is None) or (station.place is not None and each is None):
                continue
            known = {task.name: task for task in station.tasks}
            tasks = tuple(_tasks(job.machine_of(setup), setup, known))
            said = {**_where(setup, each), "tasks": tasks}
            stations.append(station.model_copy(update=said))
    jobs = tuple(
        each.model_copy(update={"checksum": checksum, "title": job.title}) if each.job == job.id else each
        for each in run.jobs
        if any(station.job == each.job for station in stations)
    )
    return _pruned(run, {"stations": tuple(stations), "jobs": jobs})


def _tasks(machine: Machine, setup: Setup, known: Mapping[str, RunTask]) -> Iterable[RunTask]:
    for operation in setup.operations:
        old = known.get(operation.name)
        yield RunTask(
            name=operation.name,
            tool=operation.tool,
            tool_is=tool_words(machine, operation.tool),
            program=operation.program,
            minutes=old.minutes if old else 0.0,
            minutes_from=old.minutes_from if old else "none",
            stage=old.stage if old else None,
        )


def _index_words(index: Iterable[IndexAngle]) -> str:
    return " ".join(f"{angle.word}{angle.degrees:g}" for angle in index)


def _pruned(run: Run, fields: dict[str, object]) -> Run:
    """With fields exchanged, and without what is said of tasks and actions that are gone then."""
    whole = run.model_copy(update=fields)
    there = {None, *(each.id for each in whole.stations)}
    actions = tuple(each for each in whole.actions if {each.station, each.takes_from} <= there)
    known = whole.model_copy(update={"actions": actions})
    kept = {
        "after": tuple(each for each in whole.after if known.has(each.earlier) and known.has(each.later)),
        "frozen": tuple(each for each in whole.frozen if all(known.has(ref) for ref in each)),
        "done": tuple(ref for ref in whole.done if known.has(ref)),
        "find_again": tuple(each for each in whole.find_again if each in there),
    }
    return changed(run, {**fields, "actions": actions, **kept})


def with_minutes(run: Run, ref: TaskRef, minutes: float, says: MinutesFrom = "typed") -> Run:
    """A task or action that takes so long."""
    if ref.task is None:
        number = next(k for k, each in enumerate(run.actions) if each.id == ref.of)
        return set_value(run, ("actions", number, "minutes"), minutes)
    station, task = _place(run, ref)
    fields = run.stations[station].tasks[task].model_copy(update={"minutes": minutes, "minutes_from": says})
    return set_value(run, ("stations", station, "tasks", task), fields)


def with_program_times(run: Run, programs: Mapping[tuple[str, str], ProgramSummary | str]) -> Run:
    """With the minutes of every task whose toolpath program (job and file) could be read and timed."""
    for station in run.stations:
        for task in station.tasks:
            read = programs.get((station.job, task.program)) if task.program else None
            if isinstance(read, ProgramSummary) and read.complete and not read.duration.not_timed:
                minutes = round(read.duration.minutes(run.rapid), 4)
                run = with_minutes(run, TaskRef(of=station.id, task=task.name), minutes, "program")
    return run


def with_stage(run: Run, ref: TaskRef, stage: Stage | None) -> Run:
    station, task = _place(run, ref)
    return set_value(run, ("stations", station, "tasks", task, "stage"), stage)


def _place(run: Run, ref: TaskRef) -> tuple[int, int]:
    station = next((k for k, each in enumerate(run.stations) if each.id == ref.of), None)
    if station is None:
        raise InvalidValueError("task", "is an action, which has no tool")
    return station, next(k for k, each in enumerate(run.stations[station].tasks) if each.name == ref.task)


def with_after(run: Run, earlier: TaskRef, later: TaskRef, wait: float = 0.0) -> Run:
    """The second one after the first, so long after its end; said anew where it was said before."""
    kept = tuple(each for each in run.after if (each.earlier, each.later) != (earlier, later))
    return set_value(run, ("after",), (*kept, made(After, earlier=earlier, later=later, wait=wait)))


def without_after(run: Run, earlier: TaskRef, later: TaskRef) -> Run:
    return set_value(
        run, ("after",), tuple(each for each in run.after if (each.earlier, each.later) != (earlier, later))
    )


def with_action(run: Run, action: RunAction) -> Run:
    return add_item(run, ("actions",), action)


def with_turn(run: Run, action: RunAction) -> Run:
    """An action that takes the part from one station to another: after all that is done at the first, before all at the
    second."""
    more = with_action(run, action)
    turn = TaskRef(of=action.id)
    for of, is_before in ((action.takes_from, True), (action.station, False)):
        station = None if of is None else run.station(of)
        if station is None:
            continue
        for task in station.tasks:
            ref = TaskRef(of=station.id, task=task.name)
            more = with_after(more, ref, turn) if is_before else with_after(more, turn, ref)
    return more


def without_action(run: Run, action: Id) -> Run:
    return _pruned(run, {"actions": tuple(each for each in run.actions if each.id != action)})


def with_life(run: Run, tool: float, minutes: float | None) -> Run:
    """How long a tool lasts; said anew where it was said before, and not any more where that is None."""
    life = made(ToolLife, tool=tool, minutes=1.0 if minutes is None else minutes)
    others = tuple(each for each in run.lives if each.tool != life.tool)
    return changed(run, {"lives": others if minutes is None else (*others, life)})


def with_frozen(run: Run, refs: Iterable[TaskRef]) -> Run:
    """Tasks that follow each other as they are named, and out of any other frozen run."""
    mine = tuple(refs)
    others = (tuple(ref for ref in each if ref not in mine) for each in run.frozen)
    return set_value(run, ("frozen",), (*(each for each in others if len(each) > 1), mine))


def following(run: Run, ref: TaskRef, then: Sequence[TaskRef]) -> Run:
    """``then`` done right after ``ref``, one after the other: in its frozen run, or all as one.  Raises
    InvalidValueError where it is one of them."""
    if ref in then:
        raise InvalidValueError("task", "cannot follow itself; say another one")
    mine = next((each for each in run.frozen if ref in each), (ref,))
    before = tuple(each for each in mine if each not in then)
    at = before.index(ref) + 1
    return with_frozen(run, (*before[:at], *then, *before[at:]))


def thawed(run: Run, ref: TaskRef) -> Run:
    """Without the frozen run that a task is in."""
    return set_value(run, ("frozen",), tuple(each for each in run.frozen if ref not in each))


def stopped(run: Run, stations: Iterable[Id]) -> Run:
    """After a stop at which something may have moved there: the zeros of these stations must be found again."""
    return set_value(run, ("find_again",), tuple(dict.fromkeys((*run.find_again, *stations))))


def found_again(run: Run, stations: Iterable[Id]) -> Run:
    """The zeros of these stations hold once more."""
    mine = set(stations)
    return set_value(run, ("find_again",), tuple(each for each in run.find_again if each not in mine))


def with_done(run: Run, refs: Iterable[TaskRef], *, done: bool = True) -> Run:
    """Tasks ticked off, or to be done again."""
    mine = tuple(dict.fromkeys(refs))
    others = tuple(ref for ref in run.done if ref not in mine)
    return set_value(run, ("done",), (*others, *mine) if done else others)
