"""Rules about a run: one function each, over the run, its order and what is known beside it."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field

from ..finding import SEVERITIES, Finding
from ..model.run import Run, TaskRef
from ..plan import Plan
from ..scheduling.counting import Order
from ..toolpaths.summary import ProgramSummary
from .tasks import RunProblem, ref_words, task_of
from .tool_table import tool_clashes, tool_list

#: Times that differ by less are the same (minutes).
_SAME = 1e-6
#: So many names are told, and then how many more.
_FEW = 4


@dataclass(frozen=True, eq=False)
class Planned:
    """The run's tasks and their order."""

    tasks: RunProblem
    order: Order


@dataclass(frozen=True)
class BesideRun:
    """What is known beside a run: of each job (its id) in words how it differs now, or why it cannot be read; of each
    (job, program) what reading that yields, or why it cannot be; and the plan of each job that can be read."""

    changed: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    missing: Mapping[str, str] = field(default_factory=dict)
    programs: Mapping[tuple[str, str], ProgramSummary | str] = field(default_factory=dict)
    plans: Mapping[str, Plan] = field(default_factory=dict)


@dataclass(frozen=True)
class _Seen:
    run: Run
    planned: Planned | None
    beside: BesideRun


def run_findings(run: Run, planned: Planned | None, beside: BesideRun | None = None) -> tuple[Finding, ...]:
    """Worst first; ``planned`` is None where no order can be made."""
    seen = _Seen(run, planned, beside or BesideRun())
    found = [finding for rule in RULES for finding in rule(seen)]
    return tuple(sorted(found, key=lambda finding: SEVERITIES.index(finding.severity)))


def _named(names: list[str]) -> str:
    shown = ", ".join(names[:_FEW])
    return shown if len(names) <= _FEW else f"{shown} and {len(names) - _FEW} more"


def two_meanings(seen: _Seen) -> Iterator[Finding]:
    for clash in tool_clashes(seen.run):
        yield Finding(
            "RUN_TOOL_TWO_MEANINGS", "hazard", "",
            f"T{clash.tool} {clash.words}: one of them would cut with the other's tool.",
            f"{clash.proposal[0].upper()}{clash.proposal[1:]}.", about=f"T{clash.tool}",
        )  # fmt: skip


def station_twice(seen: _Seen) -> Iterator[Finding]:
    """Two of a run at one place of the machine at once, unless a part is taken from one to the other in between."""
    taken = {(action.takes_from, action.station) for action in seen.run.actions}
    for one, other in itertools.combinations(seen.run.stations, 2):
        if (one.at, one.place, one.index) != (other.at, other.place, other.index):
            continue
        if (one.id, other.id) in taken or (other.id, one.id) in taken:
            continue
        yield Finding(
            "RUN_STATION_TWICE", "error", one.name,
            f"{one.name} and {other.name} stand at one place of the machine at once.",
            "Take one of them out, or say that the operator changes them in between (an action that takes the part "
            "from one to the other).", about=other.name,
        )  # fmt: skip


def offset_twice(seen: _Seen) -> Iterator[Finding]:
    """One offset, without another local shift, for two places."""
    for one, other in itertools.combinations(seen.run.stations, 2):
        same_place = (one.at, one.place, one.index) == (other.at, other.place, other.index)
        if not same_place and (one.offset, one.local) == (other.offset, other.local):
            yield Finding(
                "RUN_OFFSET_TWICE", "hazard", one.name,
                f"{one.name} and {other.name} keep their zeros in one offset, {one.offset}, and stand at two places: "
                "what is found for one of them moves the other.",
                "Give one of them another work offset in its job.", about=other.name,
            )  # fmt: skip


def to_be_found_again(seen: _Seen) -> Iterator[Finding]:
    """A station where something may have moved at a stop, and where something is left to be done."""
    done = set(seen.run.done)
    for station in seen.run.stations:
        left = any(TaskRef(of=station.id, task=task.name) not in done for task in station.tasks)
        if left and station.id in seen.run.find_again:
            yield Finding(
                "RUN_FIND_AGAIN", "hazard", station.name,
                f"At the stop something may have moved at {station.name}, and its zero in {station.offset} has not "
                "been found again.",
                "Probe or touch it off again, check the offset, and then say that it is found.", about=station.offset,
            )  # fmt: skip


def turned_too_soon(seen: _Seen) -> Iterator[Finding]:
    """A part is taken away once all is done to it there, and nothing is done to it before it has come."""
    if seen.planned is None:
        return
    run, at = seen.run, _places(seen.planned)
    for action in run.actions:
        turn = at.get(TaskRef(of=action.id))
        if action.takes_from is None or turn is None:
            continue
        late = [ref for ref, place in at.items() if ref.of == action.takes_from and ref.task and place > turn]
        soon = [ref for ref, place in at.items() if ref.of == action.station and ref.task and place < turn]
        if late or soon:
            names = _named([ref_words(run, ref) for ref in (*late, *soon)])
            yield Finding(
                "RUN_TURNED_TOO_SOON", "hazard", "",
                f"'{action.name}' takes a part away that is not finished there, or something is cut that has not come "
                f"yet: {names}.",
                "Say that it comes after all that is done there and before all that follows.", about=action.name,
            )  # fmt: skip


def _places(planned: Planned) -> dict[TaskRef, int]:
    return {planned.tasks.refs[k]: place for place, k in enumerate(planned.order.tasks)}


def before_its_need(seen: _Seen) -> Iterator[Finding]:
    """Ticked off although something that must come before it is not."""
    run, done = seen.run, set(seen.run.done)
    pairs = [(each.earlier, each.later) for each in run.after]
    for station in run.stations:
        refs = [TaskRef(of=station.id, task=task.name) for task in station.tasks]
        pairs += [] if station.free else list(itertools.pairwise(refs))
    for earlier, later in pairs:
        if later in done and earlier not in done:
            yield Finding(
                "RUN_DONE_BEFORE_NEED", "error", "",
                f"{ref_words(run, later)} is ticked off, and {ref_words(run, earlier)}, which must come before it, is "
                "not.",
                "Look what was really done, and tick that.", about=ref_words(run, later),
            )  # fmt: skip


def wait_cut_short(seen: _Seen) -> Iterator[Finding]:
    """What was done before a stop is over by now, but nobody knows for how long."""
    run, done = seen.run, set(seen.run.done)
    for each in run.after:
        if each.wait and each.earlier in done and each.later not in done:
            yield Finding(
                "RUN_WAIT_TO_SEE", "warning", "",
                f"{ref_words(run, each.later)} waits {each.wait:g} min for {ref_words(run, each.earlier)}, which is "
                "done: since when is not known here.",
                "Look at the clock before it is started.", about=ref_words(run, each.later),
            )  # fmt: skip


def too_many_tools(seen: _Seen) -> Iterator[Finding]:
    tools = tool_list(seen.run)
    if len(tools) > seen.run.pockets:
        yield Finding(
            "RUN_POCKETS", "error", "",
            f"The run calls {len(tools)} tools, and the magazine has {seen.run.pockets} pockets: "
            f"{len(tools) - seen.run.pockets} have to be changed by hand.",
            "Split the run into loads, or use fewer tools.",
        )  # fmt: skip


def programs_amiss(seen: _Seen) -> Iterator[Finding]:
    run = seen.run
    for station in run.stations:
        for task in station.tasks:
            if not task.program:
                continue
            read = seen.beside.programs.get((station.job, task.program))
            about = f"{station.name}/{task.name}"
            if isinstance(read, str):
                yield Finding(
                    "RUN_PROGRAM_MISSING", "error", station.name, f"{about}: {read}",
                    "Put the program where its job names it, or name another.", about=about,
                )  # fmt: skip
            elif read is not None and read.offsets and set(read.offsets) != {station.offset}:
                other = ", ".join(read.offsets)
                yield Finding(
                    "RUN_PROGRAM_OFFSET", "hazard", station.name,
                    f"{about}: '{task.program}' calls {other}, and the station's offset is {station.offset}: it would "
                    "cut at another place.",
                    "Post it for this offset, or take its offset call out so that the main program's counts.",
                    about=about,
                )  # fmt: skip


def tool_wears_out(seen: _Seen) -> Iterator[Finding]:
    """A tool's life ends in the middle of one of its calls, or in a task."""
    if seen.planned is None:
        return
    run, lives = seen.run, {life.tool: life.minutes for life in seen.run.lives}
    used: dict[int, float] = {}
    told: set[int] = set()
    for k in seen.planned.order.tasks:
        task = task_of(run, seen.planned.tasks.refs[k])
        if task is None or task.tool not in lives:
            continue
        used[task.tool] = used.get(task.tool, 0.0) + task.minutes
        if used[task.tool] > lives[task.tool] + _SAME and task.tool not in told:
            told.add(task.tool)
            where = ref_words(run, seen.planned.tasks.refs[k])
            yield Finding(
                "RUN_TOOL_WEARS_OUT", "warning", "",
                f"T{task.tool} lasts {lives[task.tool]:g} min, and is worn out in {where}.",
                "Begin with a new one, change it before that, or use a sister tool from there on.",
                about=f"T{task.tool}",
            )  # fmt: skip


def ends_late(seen: _Seen) -> Iterator[Finding]:
    run, planned = seen.run, seen.planned
    if planned is not None and run.due is not None and planned.order.minutes > run.due + _SAME:
        ends = planned.order.minutes
        yield Finding(
            "RUN_LATE", "warning", "",
            f"The run ends after {ends:.1f} min, {ends - run.due:.1f} after it is due.",
            "Begin earlier, take something out, or put it in order by time.",
        )  # fmt: skip


def jobs_changed(seen: _Seen) -> Iterator[Finding]:
    for of_job in seen.run.jobs:
        changes = seen.beside.changed.get(of_job.job, ())
        if why := seen.beside.missing.get(of_job.job):
            yield Finding(
                "RUN_JOB_MISSING", "error", "", f"The job '{of_job.title}' cannot be read: {why}",
                "Say where it lies now, or take its stations out.", about=of_job.title,
            )  # fmt: skip
        elif changes:
            yield Finding(
                "RUN_JOB_CHANGED", "error", "",
                f"The job '{of_job.title}' has changed since it was taken over: {_named(list(changes))}.",
                "Take it over, and put the run in order again.", about=of_job.title,
            )  # fmt: skip


def times_unknown(seen: _Seen) -> Iterator[Finding]:
    unknown = [
        f"{station.name}/{task.name}"
        for station in seen.run.stations
        for task in station.tasks
        if task.minutes_from == "none"
    ]
    if unknown:
        yield Finding(
            "RUN_TIME_UNKNOWN", "note", "",
            f"How long it takes is not known of {_named(unknown)}: they count as nothing.",
            "Type the minutes, or attach the toolpath programs.",
        )  # fmt: skip


RULES: tuple[Callable[[_Seen], Iterator[Finding]], ...] = (
    two_meanings, to_be_found_again, station_twice, offset_twice, turned_too_soon, before_its_need, wait_cut_short,
    too_many_tools, programs_amiss, tool_wears_out, ends_late, jobs_changed, times_unknown,
)  # fmt: skip
