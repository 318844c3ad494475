"""A backlog and its loads in rows and words."""

from __future__ import annotations

from dataclasses import dataclass

from ..model.backlog import BacklogList, WaitingJob
from ..model.identity import Id
from ..runs.posting import clock_words
from ..scheduling.backlog import Backlog, Split
from ..scheduling.backlog_reading import steps_words
from ..scheduling.problem import tool_words
from .edits import plain_backlog

#: A wait or a delay of less is not worth saying (minutes).
_WORTH_SAYING = 0.5


@dataclass(frozen=True)
class BacklogRow:
    """``cells``: its load, in which load it is frozen, name, kind, stations, offsets, steps, due hour, done after."""

    job: Id
    late: bool
    cells: tuple[str, ...]


def backlog_rows(held: BacklogList, split: Split | None) -> tuple[BacklogRow, ...]:
    """Load for load in the order of cutting; without loads as the backlog has them."""
    if split is None:
        return tuple(_row(held, each, None, ()) for each in held.jobs)
    at: dict[int, list[int]] = {}
    for number, load in enumerate(split.loads):
        for k, _ in load.steps:
            at.setdefault(k, []).append(number)
    return tuple(_row(held, held.jobs[k], split, tuple(dict.fromkeys(loads))) for k, loads in at.items())


def _row(held: BacklogList, job: WaitingJob, split: Split | None, loads: tuple[int, ...]) -> BacklogRow:
    done = split.loads[loads[-1]].end if split is not None and loads else None
    late = done is not None and job.due is not None and done > job.due + _WORTH_SAYING
    cells = (
        " and ".join(str(number + 1) for number in loads), "" if job.load is None else str(job.load), job.name,
        job.kind, str(job.stations), str(job.offsets), job_steps_words(held, job),
        "" if job.due is None else f"{job.due / 60.0:.4g}", "" if done is None else clock_words(done),
    )  # fmt: skip
    return BacklogRow(job.id, late, cells)


def job_steps_words(held: BacklogList, job: WaitingJob) -> str:
    """What is cut of a job, as it is typed."""
    return steps_words(plain_backlog(held).jobs[held.jobs.index(job)].steps)


def load_words(backlog: Backlog, split: Split, number: int) -> str:
    load = split.loads[number]
    names = list(dict.fromkeys(backlog.jobs[k].name for k, _ in load.steps))
    tools = f"; into the magazine {' '.join(map(tool_words, load.changed))}" if load.changed else ""
    idle = load.idle(backlog)
    waits = f"; the machine waits {idle:.0f} min" if idle >= _WORTH_SAYING else ""
    return f"Load {number + 1}, {clock_words(load.start)} to {clock_words(load.end)}: {', '.join(names)}{tools}{waits}."


def split_words(backlog: Backlog, split: Split) -> list[str]:
    """How many loads, tools and minutes late there are, how sure that is, and each load."""
    sure = "proven" if split.proven and split.loads_proven else "the best found"
    late = [
        f"{job.name} ({clock_words(over)} late)"
        for k, job in enumerate(backlog.jobs)
        if job.due is not None and (over := _done(split, k) - job.due) >= _WORTH_SAYING
    ]
    loads = f"{len(split.loads)} loads (none with fewer than {split.least_loads})"
    tools = f"{split.changed} tools brought in (at least {split.least_changed})"
    in_all = f"{split.late:.0f} min late in all (at least {split.least_late:.0f})"
    return [
        f"{loads}, {tools}, {in_all}: {sure}.",
        *([f"Late: {', '.join(late)}."] if late else []),
        *(load_words(backlog, split, number) for number in range(len(split.loads))),
    ]


def _done(split: Split, job: int) -> float:
    return max(load.end for load in split.loads if any(k == job for k, _ in load.steps))
