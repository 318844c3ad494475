"""A run in rows and words: what is done and what is to be done, when, and what is known of the order."""

from __future__ import annotations

from dataclasses import dataclass

from ..model.run import Run, TaskRef
from ..scheduling.counting import Order, idle_minutes
from ..scheduling.ordering import Ordered
from ..scheduling.problem import tool_words
from ..scheduling.why import called_again
from .posting import clock_words, run_list
from .rules import Planned
from .tasks import every_task, task_of

#: So long a wait is worth saying (minutes).
_WORTH_SAYING = 1.0


@dataclass(frozen=True)
class RunRow:
    """``cells``: nothing, when, station, task, tool, offset, minutes, program."""

    ref: TaskRef
    done: bool
    cells: tuple[str, ...]


def run_rows(run: Run, planned: Planned | None) -> tuple[RunRow, ...]:
    """What is done first, then what is left in its order; without one, as the run has it."""
    left = () if planned is None else tuple(planned.tasks.refs[k] for k in planned.order.tasks)
    at = dict(zip(left, (each["start"] for each in run_list(run, planned)), strict=True)) if planned is not None else {}
    known = set(run.done) | set(left)
    refs = (*run.done, *left, *(ref for ref in every_task(run) if ref not in known))
    return tuple(_row(run, ref, at.get(ref, "")) for ref in refs)


def _row(run: Run, ref: TaskRef, at: str) -> RunRow:
    station, task, action, done = run.station(ref.of), task_of(run, ref), run.action(ref.of), ref in run.done
    if task is not None and station is not None:
        minutes = f"{task.minutes:g}" if task.minutes_from != "none" else ""
        cells = (station.name, task.name, f"T{task.tool}", station.offset, minutes, task.program)
    else:
        at_station = run.station(action.station) if action is not None and action.station is not None else None
        name, takes = (action.name, f"{action.minutes:g}") if action is not None else ("", "")
        cells = (at_station.name if at_station is not None else "", name, "by hand", "", takes, "")
    return RunRow(ref, done, ("", "done" if done else at, *cells))


@dataclass(frozen=True)
class JobDone:
    """When the last of a job's tasks is done (minutes from the beginning), and how long its parts are cut, each."""

    title: str
    parts: int
    minutes: float
    each: float

    @property
    def words(self) -> str:
        after, parts = clock_words(self.minutes), _many(self.parts, "part")
        return f"{self.title} is done after {after}: {parts}, cut for {self.each:.1f} min each."


def jobs_done(run: Run, planned: Planned) -> tuple[JobDone, ...]:
    """Of every job of which something is left, soonest first.

    Its parts are those of the setup of it that has the most at once: one that is turned is one part.
    """
    tasks = planned.tasks.problem.tasks
    ends, cut = dict[str, float](), dict[str, float]()
    for k, start in zip(planned.order.tasks, planned.order.starts, strict=True):
        station = run.station(planned.tasks.refs[k].of)
        if station is not None:
            ends[station.job] = start + tasks[k].minutes
    parts = dict[tuple[str, str], int]()
    for station in run.stations:
        parts[station.job, station.setup] = parts.get((station.job, station.setup), 0) + station.parts
        cut[station.job] = cut.get(station.job, 0.0) + sum(task.minutes for task in station.tasks)
    found = []
    for of_job in run.jobs:
        count = max((each for (job, _), each in parts.items() if job == of_job.job), default=1)
        if of_job.job in ends:
            found.append(JobDone(of_job.title, count, ends[of_job.job], cut[of_job.job] / count))
    return tuple(sorted(found, key=lambda each: each.minutes))


def run_words(run: Run, planned: Planned | None, ordered: Ordered | None) -> list[str]:
    """What the order costs against station after station, how sure that is, and why a tool is called again."""
    if planned is None:
        return []
    order = planned.order
    costs = ", ".join(
        (
            _many(order.tool_calls, "tool call"), _many(order.indexes, "index", "indexes"),
            _many(order.offset_calls, "offset call"),
        )
    )  # fmt: skip
    before = f" ({_many(len(run.done), 'task')} done before)" if run.done else ""
    words = [f"{costs}; done after {clock_words(order.minutes)}{before}."]
    words += [each.words for each in jobs_done(run, planned)]
    if ordered is not None:
        words.append(_sure(run, ordered))
        naive = ordered.naive
        words.append(
            f"Station after station: {_many(naive.tool_calls, 'tool call')}, "
            f"{_many(naive.offset_calls, 'offset call')}, {clock_words(naive.minutes)}."
        )
    waits = idle_minutes(planned.tasks.problem, order)
    if waits >= _WORTH_SAYING:
        more = "" if run.by == "time" else " By the shortest time some of that may be filled, with more calls."
        words.append(f"The machine waits {waits:.0f} min of it.{more}")
    again = called_again(planned.tasks.problem, order.tasks)
    words += [f"{tool_words(each.tool)} is called {each.calls} times: {each.why}." for each in again]
    return words


def compared_words(before: Order, now: Order) -> str:
    """What the last change costs or spares; nothing where it is not of the same tasks, or does neither."""
    same = (before.tool_calls, before.offset_calls, clock_words(before.minutes)) == (
        now.tool_calls, now.offset_calls, clock_words(now.minutes),
    )  # fmt: skip
    if same or len(before.tasks) != len(now.tasks):
        return ""
    calls, offsets = _many(before.tool_calls, "tool call"), _many(before.offset_calls, "offset call")
    return f"Before the last change it was {calls}, {offsets}, done after {clock_words(before.minutes)}."


def _sure(run: Run, ordered: Ordered) -> str:
    if ordered.all_proven:
        return "Proven: no order is better."
    if run.by == "time":
        return f"No order ends before {clock_words(ordered.bound.minutes)}."
    calls = "Proven: none has fewer tool calls" if ordered.proven else f"None has fewer than {ordered.bound.tool_calls}"
    return f"{calls}; none ends before {clock_words(ordered.bound.minutes)}."


def _many(count: int, one: str, more: str = "") -> str:
    return f"{count} {one if count == 1 else more or f'{one}s'}"
