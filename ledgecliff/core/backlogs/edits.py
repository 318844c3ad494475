"""Edits of a backlog: every one gives another, fully checked one."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from ..changing import changed, free_name, set_value
from ..errors import InvalidValueError
from ..model.backlog import BacklogList, BacklogStep, KindOfStation, LoadRoom, WaitingJob
from ..model.identity import Id
from ..scheduling.backlog import Backlog, BacklogJob, Room, Split, Step
from ..scheduling.backlog_reading import read_stations, steps_of
from ..scheduling.problem import tool_words


def new_backlog(backlog_id: Id, title: str, room: LoadRoom | None = None) -> BacklogList:
    return BacklogList(id=backlog_id, title=title, room=room or LoadRoom())


def plain_backlog(held: BacklogList) -> Backlog:
    """As it is split; jobs keep their places."""
    room = held.room
    jobs = tuple(
        BacklogJob(
            each.name, each.kind, tuple(Step(step.minutes, step.tools, step.wait) for step in each.steps),
            each.stations, each.offsets, each.due, None if each.load is None else each.load - 1,
        )
        for each in held.jobs
    )  # fmt: skip
    stations = {each.kind: each.count for each in room.stations}
    return Backlog(jobs, Room(stations, room.pockets, room.offsets, room.minutes, room.between))


def with_table(held: BacklogList, jobs: Iterable[BacklogJob], new_id: Callable[[], Id]) -> BacklogList:
    """With the jobs of a table: one of a known name is said anew and stays the job that it is, frozen as it is unless
    the table says where; others are added."""
    known = {each.name: each for each in held.jobs}
    after = dict(known)
    for job in jobs:
        old = known.get(job.name)
        load = job.load + 1 if job.load is not None else old.load if old is not None else None
        after[job.name] = WaitingJob(
            id=old.id if old is not None else new_id(),
            name=job.name,
            kind=job.kind,
            steps=tuple(
                BacklogStep(minutes=step.minutes, tools=tuple(tool_words(tool) for tool in step.tools), wait=step.wait)
                for step in job.steps
            ),
            stations=job.stations,
            offsets=job.offsets,
            due=job.due,
            load=load,
        )
    return changed(held, {"jobs": tuple(after.values()), "room": _with_kinds(held.room, after.values())})


def _with_kinds(room: LoadRoom, jobs: Iterable[WaitingJob]) -> LoadRoom:
    """With one station of every kind that a job needs and that is not stated."""
    stated = {each.kind for each in room.stations}
    lacking = dict.fromkeys(each.kind for each in jobs if each.kind not in stated)
    more = tuple(
        KindOfStation(kind=kind, count=max(each.stations for each in jobs if each.kind == kind)) for kind in lacking
    )
    return room.model_copy(update={"stations": (*room.stations, *more)})


def without_jobs(held: BacklogList, jobs: Iterable[Id]) -> BacklogList:
    out = set(jobs)
    return changed(held, {"jobs": tuple(each for each in held.jobs if each.id not in out)})


def with_load(held: BacklogList, jobs: Iterable[Id], load: int | None) -> BacklogList:
    """Jobs frozen in a load (from 1), or thawed."""
    mine = set(jobs)
    return _each(held, lambda job: job.model_copy(update={"load": load}) if job.id in mine else job)


def with_load_done(held: BacklogList, split: Split) -> BacklogList:
    """After the first load: its steps are gone, what is frozen moves up by one, and due dates come nearer by as long as
    it took.  What is left of a wait that goes on stays before what is left of its job.

    Raises InvalidValueError where there is none.
    """
    if not split.loads:
        raise InvalidValueError("load", "there is none; take a table of jobs in")
    first = split.loads[0]
    over = split.loads[1].start if len(split.loads) > 1 else first.end + held.room.between
    ends = {
        (k, n): start + held.jobs[k].steps[n].minutes for (k, n), start in zip(first.steps, first.starts, strict=True)
    }
    kept = []
    for k, job in enumerate(held.jobs):
        steps = [
            step.model_copy(update={"wait": max((ends[k, n - 1] if n else 0.0) + step.wait - over, 0.0)})
            if not n or (k, n - 1) in ends
            else step
            for n, step in enumerate(job.steps)
            if (k, n) not in ends
        ]
        if not steps:
            continue
        due = None if job.due is None else max(job.due - over, 0.0)
        load = None if job.load is None or job.load == 1 else job.load - 1
        kept.append(job.model_copy(update={"steps": tuple(steps), "due": due, "load": load}))
    return changed(held, {"jobs": tuple(kept)})


def with_new_job(held: BacklogList, job: Id) -> BacklogList:
    """With one more, of the first kind of station, whose name and steps are to be typed."""
    kind = held.room.stations[0].kind if held.room.stations else "vise"
    name = free_name("job", [each.name for each in held.jobs])
    new = WaitingJob(id=job, name=name, kind=kind, steps=(BacklogStep(minutes=30.0),))
    jobs = (*held.jobs, new)
    return changed(held, {"jobs": jobs, "room": _with_kinds(held.room, jobs)})


def with_typed(held: BacklogList, job: Id, field: str, text: str) -> BacklogList:
    """A field of a job as it is typed: ``load``, ``name``, ``kind``, ``stations``, ``offsets``, ``steps`` or ``due``
    (hours).  Raises InvalidValueError that names it."""
    number = next(k for k, each in enumerate(held.jobs) if each.id == job)
    text = text.strip()
    value: object
    if field == "steps":
        value = [{"minutes": step.minutes, "tools": list(map(tool_words, step.tools)), "wait": step.wait}
                 for step in steps_of(text, "steps")]  # fmt: skip
    elif field == "due":
        value = None if not text else _typed(text, "due") * 60.0
    elif field == "load":
        value = None if not text else _whole(text, "load")
    elif field in ("stations", "offsets"):
        value = _whole(text, field)
    else:
        value = text
    after = set_value(held, ("jobs", number, field), value)
    return changed(after, {"room": _with_kinds(after.room, after.jobs)})


def _typed(text: str, field: str) -> float:
    try:
        return float(text.replace(",", "."))
    except ValueError:
        raise InvalidValueError(field, f"'{text}' is no number; write one such as 12.5") from None


def _whole(text: str, field: str) -> int:
    value = _typed(text, field)
    if not value.is_integer():
        raise InvalidValueError(field, f"'{text}' is no whole number; write one such as 2")
    return int(value)


def with_room(held: BacklogList, fields: Mapping[str, Any]) -> BacklogList:
    """Fields of the room said anew.  Raises InvalidValueError that names the one that is wrong."""
    for name, value in fields.items():
        held = set_value(held, ("room", name), value)
    return held


def _each(held: BacklogList, change: Callable[[WaitingJob], WaitingJob]) -> BacklogList:
    return changed(held, {"jobs": tuple(change(job) for job in held.jobs)})


def stations_words(stations: Sequence[KindOfStation]) -> str:
    """As they are typed."""
    return ", ".join(f"{each.kind} {each.count}" for each in stations)


def stations_of(text: str) -> tuple[KindOfStation, ...]:
    """As ``stations_words`` has them.  Raises InvalidValueError."""
    return tuple(KindOfStation(kind=kind, count=count) for kind, count in read_stations(text).items())
