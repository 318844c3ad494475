"""A day at a machine: ``run order``, ``run flow``; the other commands of ``run`` are in modules of their own."""

from __future__ import annotations

import argparse
import itertools
import time
from pathlib import Path
from typing import Any

from ledgecliff.command_line import backlogs, run_documents
from ledgecliff.command_line.output import print_json
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.identity import Id
from ledgecliff.core.model.run import Run
from ledgecliff.core.runs.many import flow_of_run, flow_words, many_of
from ledgecliff.core.runs.tasks import problem_of
from ledgecliff.core.scheduling.counting import Order
from ledgecliff.core.scheduling.flow import Way
from ledgecliff.core.scheduling.flow_reading import read_flow
from ledgecliff.core.scheduling.ordering import Ordered, put_in_order
from ledgecliff.core.scheduling.problem import Problem, tool_words
from ledgecliff.core.scheduling.reading import read_problem
from ledgecliff.core.scheduling.why import called_again
from ledgecliff.store.atomic import write_atomic
from ledgecliff.store.plain_documents import read_plain
from ledgecliff.store.run_files import is_run, parse_run

#: Times are told to a thousandth of a minute.
_PLACES = 3
#: How wide a picture is (pixels).
_WIDE = 1200.0


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
    order.add_argument(
        "--seconds", type=backlogs.seconds, default=10.0, metavar="N", help="look no longer than this (10)"
    )
    words = "flow or batch: both ways to make many parts, when each is done, and what a failure costs"
    flowing = kinds.add_parser("flow", help=words, description=words)
    flowing.set_defaults(run=_flow)
    flowing.add_argument("file", type=Path, metavar="FILE", help="a run, sides or tasks (.json, see docs/run-files.md)")
    flowing.add_argument("--job", metavar="TITLE", help="of a run: which job (the first that has several sides)")
    flowing.add_argument("--picture", type=Path, metavar="FILE.svg", help="both ways over time")
    backlogs.add_commands(kinds)
    run_documents.add_commands(kinds)
    for each in (order, flowing):
        each.add_argument("--json", action="store_true", help="print JSON (times in minutes)")


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
