"""A day at one machine: what of which jobs is loaded at which stations, what is done there, and what is done by now.

A run is a document of its own beside jobs.  It keeps what it took over from each (setups, tools, times), so that it can
be read without them, and so that a job that has changed since can be told.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from .base import Feed, Model, Name, Point, Text
from .identity import Id
from .pattern import PlaceKey

RUN_FORMAT: Literal["ledgecliff-run"] = "ledgecliff-run"
RUN_VERSION: Literal[1] = 1

#: Minutes of a task, a wait or a day; seconds of a call.
Minutes = Annotated[float, Field(ge=0, le=100_000, allow_inf_nan=False)]
Seconds = Annotated[float, Field(ge=0, le=100_000, allow_inf_nan=False)]
#: A path relative to the run's own file, with slashes.
JobPath = Annotated[str, Field(min_length=1, max_length=1000)]
Checksum = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
#: Where a task's minutes come from: nobody said, somebody typed them, or its toolpath program was read.
MinutesFrom = Literal["none", "typed", "program"]
Stage = Literal["rough", "finish"]


class RunJob(Model):
    """A job that takes part, by its id; ``checksum`` is that of its file when it was last taken over."""

    job: Id
    title: Name
    path: JobPath
    checksum: Checksum


class RunTask(Model):
    """What one operation of a setup does: its tool with what that is, the toolpath program, and how long it takes."""

    name: Name
    tool: Annotated[int, Field(ge=1, le=9999)]
    tool_is: Annotated[str, Field(max_length=200)] = ""
    program: Annotated[str, Field(max_length=500)] = ""
    minutes: Minutes = 0.0
    minutes_from: MinutesFrom = "none"
    stage: Stage | None = None


class RunStation(Model):
    """A setup of a job at one station of the machine, in its work offset, with the rotary axes where ``index`` says.

    Of a setup that stands many times it is the instance at a ``place``, whose offset is shifted by ``local`` where it
    serves several.  Its ``tasks`` follow each other unless it is ``free``.
    """

    id: Id
    name: Name
    job: Id
    setup: Id
    setup_name: Name
    #: The machine's station that it stands at.
    at: Id
    place: PlaceKey | None = None
    offset: Name
    local: Point = Point(x=0.0, y=0.0, z=0.0)
    index: Annotated[str, Field(max_length=200)] = ""
    parts: Annotated[int, Field(ge=1, le=100_000)] = 1
    free: bool = False
    tasks: Annotated[tuple[RunTask, ...], Field(max_length=200)] = ()


class RunAction(Model):
    """What the operator does: load, turn, move a clamp, brush; at a station or at none.

    One that ``takes_from`` another station takes the part from there to its own, as a turn does.
    """

    id: Id
    name: Name
    station: Id | None = None
    takes_from: Id | None = None
    minutes: Minutes = 0.0


class TaskRef(Model):
    """A task of a station by its name, or an action (without a name)."""

    of: Id
    task: Name | None = None


#: Tasks that follow each other without anything between.
FrozenRun = Annotated[tuple[TaskRef, ...], Field(min_length=2, max_length=200)]


class After(Model):
    """What must come before what, and how long the second one waits for the end of the first."""

    earlier: TaskRef
    later: TaskRef
    wait: Minutes = 0.0


class ToolLife(Model):
    """How long a tool lasts (minutes of cutting)."""

    tool: Annotated[int, Field(ge=1, le=9999)]
    minutes: Annotated[float, Field(gt=0, le=100_000, allow_inf_nan=False)]


class ManyParts(Model):
    """A job that is made many times: how many ``parts``, what probing and loading one of them takes on one side, what
    setting up a side takes once (minutes), and who loads: the operator between cycles (``inside``), or a robot or
    pallet while the machine cuts (``outside``)."""

    parts: Annotated[int, Field(ge=1, le=10_000)] = 1
    probing: Minutes = 0.0
    loading: Minutes = 0.0
    setting_up: Minutes = 0.0
    loads: Literal["inside", "outside"] = "inside"


class Run(Model):
    """``machine`` is the one that all of it is loaded on; what calls take there, how fast its rapids are (mm/min), and
    how many tools it holds.

    ``frozen`` are tasks that follow each other as they are, ``done`` those that are ticked off; ``due`` is after how
    many minutes all of it must be done.  At the stations of ``find_again`` something may have moved at a stop: their
    zeros hold only once they are found again.  ``many`` is what is asked about a job that is made many times.
    """

    format: Literal["ledgecliff-run"] = RUN_FORMAT
    version: Literal[1] = RUN_VERSION
    id: Id
    title: Name
    note: Text = ""
    machine: Id
    machine_name: Name
    jobs: Annotated[tuple[RunJob, ...], Field(max_length=60)] = ()
    stations: Annotated[tuple[RunStation, ...], Field(max_length=200)] = ()
    actions: Annotated[tuple[RunAction, ...], Field(max_length=200)] = ()
    after: Annotated[tuple[After, ...], Field(max_length=2000)] = ()
    frozen: Annotated[tuple[FrozenRun, ...], Field(max_length=200)] = ()
    done: Annotated[tuple[TaskRef, ...], Field(max_length=20_000)] = ()
    find_again: Annotated[tuple[Id, ...], Field(max_length=200)] = ()
    lives: Annotated[tuple[ToolLife, ...], Field(max_length=200)] = ()
    rough_first: bool = False
    by: Literal["lexicographic", "time"] = "lexicographic"
    tool_call_s: Seconds = 9.0
    offset_call_s: Seconds = 2.0
    index_s: Seconds = 5.0
    rapid: Feed = 10_000.0
    pockets: Annotated[int, Field(ge=1, le=1000)] = 20
    due: Minutes | None = None
    many: ManyParts = ManyParts()

    def station(self, station: str) -> RunStation | None:
        return next((each for each in self.stations if each.id == station), None)

    def action(self, action: str) -> RunAction | None:
        return next((each for each in self.actions if each.id == action), None)

    @model_validator(mode="after")
    def _references_lead_somewhere(self) -> Run:
        ids = [*(station.id for station in self.stations), *(action.id for action in self.actions)]
        if len(set(ids)) != len(ids):
            raise ValueError("two stations or actions share one id; take one of them out")
        names = [each.name for each in self.stations]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise ValueError(f"two stations share the name '{twice}'; rename one of them")
        jobs = {each.job for each in self.jobs}
        for station in self.stations:
            if station.job not in jobs:
                raise ValueError(f"station '{station.name}' is of a job that the run does not name; take it out")
            tasks = [task.name for task in station.tasks]
            if len(set(tasks)) != len(tasks):
                raise ValueError(f"station '{station.name}' has two tasks of one name; rename one in its job")
        for action in self.actions:
            for station_id in (action.station, action.takes_from):
                if station_id is not None and self.station(station_id) is None:
                    raise ValueError(f"action '{action.name}' is at a station that is not there; take it out")
        if any(self.station(each) is None for each in self.find_again):
            raise ValueError("a station whose zero is to be found again is not there; take it out of find_again")
        named = [ref for each in self.after for ref in (each.earlier, each.later)]
        for ref in (*named, *(ref for run in self.frozen for ref in run), *self.done):
            if not self.has(ref):
                raise ValueError(f"a task '{ref.task or ref.of}' that is named is not there; take it out")
        return self

    def has(self, ref: TaskRef) -> bool:
        """Whether there is such a task or action."""
        if ref.task is None:
            return self.action(ref.of) is not None
        station = self.station(ref.of)
        return station is not None and any(task.name == ref.task for task in station.tasks)
