"""A day at a machine: ``run order``, ``run flow``, ``run loads``."""

from __future__ import annotations

import argparse
import itertools
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

from ledgecliff.command_line import run_documents
from ledgecliff.command_line.output import print_json
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.identity import Id
from ledgecliff.core.model.run import Run
from ledgecliff.core.runs.many import flow_of_run, flow_words, many_of
from ledgecliff.core.runs.tasks import problem_of
from ledgecliff.core.scheduling.backlog import Backlog, BacklogJob, Room, Split, checked_backlog
from ledgecliff.core.scheduling.backlog_reading import read_backlog, read_stations
from ledgecliff.core.scheduling.counting import Order
from ledgecliff.core.scheduling.flow import Way
from ledgecliff.core.scheduling.flow_reading import read_flow
from ledgecliff.core.scheduling.loads import split
from ledgecliff.core.scheduling.ordering import Ordered, put_in_order
from ledgecliff.core.scheduling.problem import Problem, tool_words
from ledgecliff.core.scheduling.reading import read_problem
from ledgecliff.core.scheduling.why import called_again
from ledgecliff.store.atomic import write_atomic
from ledgecliff.store.run_files import is_run, parse_run, read_plain

#: Times are told to a thousandth of a minute.
_PLACES = 3
#: How wide a picture is (pixels).
_WIDE = 1200.0
#: A wait of less is not worth saying (minutes).
_WORTH_SAYING = 0.5


def add_commands(commands: Any) -> None:
    """Adds ``run`` to the parser's commands."""
    words = "what is done in which order at a machine"
    run = commands.add_parser("run", help=words, description=words)
    kinds = run.add_subparsers(required=True, metavar="WHAT")
    words = "the order with the fewest tool calls, then indexes, then offset calls, proven or with its bound"
    order = kinds.add_parser("order", help=words, description=words)
    order.set_defaults(run=_order)
    order.add_argument("file", type=Path, metavar="FILE", help="a run, or tasks (.json, see docs/run-files.md)")
    order.add_argument("--by", choices=("lexicographic", "time"), help="what counts first (as the run says)")
    order.add_argument("--seconds", type=_seconds, default=10.0, metavar="N", help="look no longer than this (10)")
    words = "flow or batch: both ways to make many parts, when each is done, and what a failure costs"
    flowing = kinds.add_parser("flow", help=words, description=words)
    flowing.set_defaults(run=_flow)
    flowing.add_argument("file", type=Path, metavar="FILE", help="a run, sides or tasks (.json, see docs/run-files.md)")
    flowing.add_argument("--job", metavar="TITLE", help="of a run: which job (the first that has several sides)")
    flowing.add_argument("--picture", type=Path, metavar="FILE.svg", help="both ways over time")
    words = "a backlog split into the fewest loads, with the fewest tools changed between them, least late"
    loads = kinds.add_parser("loads", help=words, description=words)
    loads.set_defaults(run=_loads)
    loads.add_argument("file", type=Path, metavar="BACKLOG", help="jobs (.csv, see docs/run-files.md)")
    loads.add_argument("--stations", default="vise 2, plate 1", metavar="WORDS", help="by kind: 'vise 2, plate 1'")
    loads.add_argument("--pockets", type=_count, default=20, metavar="N", help="of the magazine (20)")
    loads.add_argument("--codes", type=_count, default=6, metavar="N", help="work offsets (6)")
    loads.add_argument("--hours", type=_positive, default=8.0, metavar="H", help="of a load (8)")
    loads.add_argument("--between", type=_minutes, default=0.0, metavar="MIN", help="from one load to the next (0)")
    loads.add_argument("--frozen", nargs="+", default=[], metavar="JOB=LOAD", help="stays in that load (from 1)")
    loads.add_argument("--seconds", type=_seconds, default=20.0, metavar="N", help="look no longer than this (20)")
    run_documents.add_commands(kinds)
    for each in (order, flowing, loads):
        each.add_argument("--json", action="store_true", help="print JSON (times in minutes)")


def _seconds(text: str) -> float:
    seconds = float(text)
    if not 0.0 < seconds <= 3600.0:
        raise argparse.ArgumentTypeError("takes more than 0 and at most 3600 seconds")
    return seconds


def _positive(text: str) -> float:
    value = float(text)
    if not 0.0 < value <= 10_000.0:
        raise argparse.ArgumentTypeError("takes more than 0 and at most 10000")
    return value


def _minutes(text: str) -> float:
    return 0.0 if float(text) == 0.0 else _positive(text)


def _count(text: str) -> int:
    value = int(text)
    if not 1 <= value <= 1000:
        raise argparse.ArgumentTypeError("takes 1 to 1000")
    return value


def _order(options: argparse.Namespace) -> int:
    plain = read_plain(options.file)
    if is_run(plain):
        run = parse_run(plain, options.file.name)
        problem, by = problem_of(run, done=frozenset(run.done)).problem, options.by or run.by
    else:
        problem, by = read_problem(plain), options.by or "lexicographic"
    found = put_in_order(problem, options.seconds, time.monotonic, by=by)
    if options.json:
        print_json(_plain(problem, found))
    else:
        _print(problem, found, by)
    return 0


def _flow(options: argparse.Namespace) -> int:
    plain = read_plain(options.file)
    if is_run(plain):
        run = parse_run(plain, options.file.name)
        asked = flow_of_run(run, _job_of(run, options.job))
    else:
        asked = read_flow(plain)
    if options.picture is not None:
        from ledgecliff.sheets.run_svg import flow_svg

        write_atomic(options.picture, flow_svg(asked, _WIDE) + "\n")
    if options.json:
        print_json({name: _way(way) for name, way in asked.ways().items()})
    else:
        print("\n".join(flow_words(asked)))
    return 0


def _job_of(run: Run, title: str | None) -> Id:
    """The job of that title; without one the first that has several sides."""
    found = [each.job for each in many_of(run) if title in (None, each.title)]
    if not found:
        raise InvalidValueError("--job", f"'{title}' is not in the run; say one of its jobs")
    return found[0]


def _way(way: Way) -> dict[str, Any]:
    return {
        "minutes": round(way.minutes, _PLACES),
        "first_part": round(way.first_part, _PLACES),
        "in_work": way.in_work,
        "cycles": [round(minutes, _PLACES) for minutes in way.cycles],
        "fails": [round(minutes, _PLACES) for minutes in way.fails],
    }


def _loads(options: argparse.Namespace) -> int:
    try:
        text = options.file.read_text(encoding="utf-8")
    except (OSError, ValueError) as error:
        raise InvalidValueError(str(options.file), f"cannot be read: {error}; give a table of jobs") from error
    room = Room(read_stations(options.stations), options.pockets, options.codes, options.hours * 60.0, options.between)
    backlog = Backlog(_with_frozen(read_backlog(text), dict(_frozen(words) for words in options.frozen)), room)
    found = split(checked_backlog(backlog), options.seconds, time.monotonic)
    if options.json:
        print_json(_split(backlog, found))
        return 0
    for number, load in enumerate(found.loads, start=1):
        jobs = ", ".join(dict.fromkeys(backlog.jobs[k].name for k, _ in load.steps))
        tools = f"; into the magazine {' '.join(map(str, load.changed))}" if load.changed else ""
        idle = load.idle(backlog)
        waits = f"; waits {idle:.0f}" if idle >= _WORTH_SAYING else ""
        print(f"load {number}, {load.start:.0f} to {load.end:.0f} min: {jobs}{tools}{waits}")
    print(
        f"{len(found.loads)} loads (none with fewer than {found.least_loads}), {found.changed} tools brought in "
        f"(at least {found.least_changed}), {found.late:.0f} min late in all (at least {found.least_late:.0f})"
    )
    return 0


def _with_frozen(jobs: tuple[BacklogJob, ...], frozen: dict[str, int]) -> tuple[BacklogJob, ...]:
    lost = next((name for name in frozen if name not in {job.name for job in jobs}), None)
    if lost is not None:
        raise InvalidValueError("--frozen", f"there is no job '{lost}'; take it out")
    return tuple(replace(job, load=frozen.get(job.name, job.load)) for job in jobs)


def _frozen(words: str) -> tuple[str, int]:
    name, _, load = words.rpartition("=")
    if not name or not load.isdecimal() or int(load) < 1:
        raise InvalidValueError("--frozen", f"'{words}' is no job with its load; write such as 'bracket 3=2'")
    return name, int(load) - 1


def _split(backlog: Backlog, found: Split) -> dict[str, Any]:
    return {
        "loads": [
            {
                "jobs": [
                    {"name": backlog.jobs[k].name, "step": n + 1, "start": round(start, _PLACES)}
                    for (k, n), start in zip(load.steps, load.starts, strict=True)
                ],
                "tools_in": list(load.changed),
                "start": round(load.start, _PLACES),
                "end": round(load.end, _PLACES),
                "waits": round(load.idle(backlog), _PLACES),
            }
            for load in found.loads
        ],
        "tools_changed": found.changed,
        "late": round(found.late, _PLACES),
        "bound": {
            "loads": found.least_loads,
            "tools_changed": found.least_changed,
            "late": round(found.least_late, _PLACES),
        },
        "proven": found.proven,
    }


def _blocks(problem: Problem, order: Order) -> list[tuple[Any, list[tuple[int, float]]]]:
    """Tasks one after the other with the same tool, each with its start."""
    pairs = zip(order.tasks, order.starts, strict=True)
    return [(tool, list(mine)) for tool, mine in itertools.groupby(pairs, lambda pair: problem.tasks[pair[0]].tool)]


def _plain(problem: Problem, found: Ordered) -> dict[str, Any]:
    return {
        "order": [
            {
                "tool": tool,
                "tasks": [
                    {
                        "station": problem.stations[problem.tasks[k].station],
                        "task": problem.tasks[k].name,
                        "offset": problem.tasks[k].offset,
                        "minutes": round(problem.tasks[k].minutes, _PLACES),
                        "start": round(start, _PLACES),
                    }
                    for k, start in mine
                ],
            }
            for tool, mine in _blocks(problem, found.order)
        ],
        **_counts(found.order),
        "bound": {"tool_calls": found.bound.tool_calls, "minutes": round(found.bound.minutes, _PLACES)},
        "proven": found.proven,
        "all_proven": found.all_proven,
        "naive": _counts(found.naive),
        "called_again": [
            {"tool": each.tool, "calls": each.calls, "why": each.why}
            for each in called_again(problem, found.order.tasks)
        ],
    }


def _counts(order: Order) -> dict[str, Any]:
    return {
        "tool_calls": order.tool_calls,
        "indexes": order.indexes,
        "offset_calls": order.offset_calls,
        "minutes": round(order.minutes, _PLACES),
    }


def _print(problem: Problem, found: Ordered, by: str) -> None:
    for tool, mine in _blocks(problem, found.order):
        work = "  ".join(problem.name(k) for k, _ in mine)
        print(f"{mine[0][1]:8.1f} min  {'by hand' if tool is None else tool_words(tool):10} {work}")
    for words, order in (("this order", found.order), ("station after station", found.naive)):
        print(
            f"{words}: {order.tool_calls} tool calls, {order.indexes} indexes, {order.offset_calls} offset calls, "
            f"{order.minutes:.1f} min"
        )
    what = "takes less time" if by == "time" else "has fewer tool calls"
    if found.all_proven:
        print("proven: none is better")
    elif found.proven:
        print(f"proven: none {what}; whether the rest can be better is not")
    else:
        bound = f"{found.bound.minutes:.1f} min" if by == "time" else f"{found.bound.tool_calls} tool calls"
        print(f"not proven: none has less than {bound}")
    for each in called_again(problem, found.order.tasks):
        print(f"{tool_words(each.tool)} is called {each.calls} times: {each.why}")
