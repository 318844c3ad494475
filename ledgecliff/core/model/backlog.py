"""Jobs that wait to be cut, and the room of a load: a document of its own, which tables of jobs are taken into."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from .base import Model, Name, Text
from .identity import Id
from .run import Minutes

BACKLOG_FORMAT: Literal["ledgecliff-backlog"] = "ledgecliff-backlog"
BACKLOG_VERSION: Literal[1] = 1

#: A tool by what the shop calls it.
ToolWord = Annotated[str, Field(min_length=1, max_length=60, pattern=r"^[^\s,;+/|]+$")]


class BacklogStep(Model):
    """What of a job is cut in one go, no sooner than ``wait`` minutes after the step before."""

    minutes: Minutes
    tools: Annotated[tuple[ToolWord, ...], Field(max_length=200)] = ()
    wait: Minutes = 0.0


class WaitingJob(Model):
    """A job on ``stations`` of a ``kind`` with so many work ``offsets``, ``due`` so many minutes from the beginning of
    the first load.  One that is frozen stays in its ``load`` (from 1)."""

    id: Id
    name: Name
    kind: Name
    steps: Annotated[tuple[BacklogStep, ...], Field(min_length=1, max_length=50)]
    stations: Annotated[int, Field(ge=1, le=1000)] = 1
    offsets: Annotated[int, Field(ge=1, le=1000)] = 1
    due: Minutes | None = None
    load: Annotated[int, Field(ge=1, le=500)] | None = None


class KindOfStation(Model):
    """How many stations of a kind there are."""

    kind: Name
    count: Annotated[int, Field(ge=0, le=1000)]


class LoadRoom(Model):
    """What a load has room for; from one load to the next ``between`` minutes go by."""

    stations: Annotated[tuple[KindOfStation, ...], Field(max_length=60)] = ()
    pockets: Annotated[int, Field(ge=1, le=1000)] = 20
    offsets: Annotated[int, Field(ge=1, le=1000)] = 6
    minutes: Annotated[float, Field(gt=0, le=100_000, allow_inf_nan=False)] = 480.0
    between: Minutes = 0.0

    @model_validator(mode="after")
    def _each_kind_once(self) -> LoadRoom:
        kinds = [each.kind for each in self.stations]
        twice = next((kind for kind in kinds if kinds.count(kind) > 1), None)
        if twice is not None:
            raise ValueError(f"stations of kind '{twice}' are stated twice; state them once")
        return self


class BacklogList(Model):
    """Jobs that wait, each name once, and the room of a load."""

    format: Literal["ledgecliff-backlog"] = BACKLOG_FORMAT
    version: Literal[1] = BACKLOG_VERSION
    id: Id
    title: Name
    note: Text = ""
    room: LoadRoom = LoadRoom()
    jobs: Annotated[tuple[WaitingJob, ...], Field(max_length=500)] = ()

    def job(self, job: str) -> WaitingJob | None:
        return next((each for each in self.jobs if each.id == job), None)

    @model_validator(mode="after")
    def _each_job_once(self) -> BacklogList:
        for what, values in (("id", [each.id for each in self.jobs]), ("name", [each.name for each in self.jobs])):
            twice = next((value for value in values if values.count(value) > 1), None)
            if twice is not None:
                raise ValueError(f"two jobs share the {what} '{twice}'; change or take out one of them")
        return self
