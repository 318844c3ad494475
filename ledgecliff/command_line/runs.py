"""A day at a machine: ``run order``."""

from __future__ import annotations

import argparse
import itertools
import json
import time
from pathlib import Path
from typing import Any

from ledgecliff.command_line.output import print_json
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.scheduling.counting import Order
from ledgecliff.core.scheduling.ordering import Ordered, put_in_order
from ledgecliff.core.scheduling.problem import Problem
from ledgecliff.core.scheduling.reading import read_problem
from ledgecliff.core.scheduling.why import called_again

#: Times are told to a thousandth of a minute.
_PLACES = 3


def add_commands(commands: Any) -> None:
    """Adds ``run`` to the parser's commands."""
    words = "what is done in which order at a machine"
    run = commands.add_parser("run", help=words, description=words)
    kinds = run.add_subparsers(required=True, metavar="WHAT")
    words = "the order with the fewest tool calls, then indexes, then offset calls, proven or with its bound"
    order = kinds.add_parser("order", help=words, description=words)
    order.set_defaults(run=_order)
    order.add_argument("file", type=Path, metavar="FILE", help="tasks (.json, see docs/run-files.md)")
    order.add_argument("--by", choices=("lexicographic", "time"), default="lexicographic", help="what counts first")
    order.add_argument("--seconds", type=_seconds, default=10.0, metavar="N", help="look no longer than this (10)")
    order.add_argument("--json", action="store_true", help="print JSON (times in minutes)")


def _seconds(text: str) -> float:
    seconds = float(text)
    if not 0.0 < seconds <= 3600.0:
        raise argparse.ArgumentTypeError("takes more than 0 and at most 3600 seconds")
    return seconds


def read_plain(path: Path) -> object:
    """What a JSON file says.  Raises InvalidValueError where it cannot be read."""
    try:
        return json.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError) as error:
        raise InvalidValueError(str(path), f"cannot be read: {error}; give a file of tasks as JSON") from error


def _order(options: argparse.Namespace) -> int:
    problem = read_problem(read_plain(options.file))
    found = put_in_order(problem, options.seconds, time.monotonic, by=options.by)
    if options.json:
        print_json(_plain(problem, found))
    else:
        _print(problem, found, options.by)
    return 0


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
        print(f"{mine[0][1]:8.1f} min  {'by hand' if tool is None else tool!s:10} {work}")
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
        print(f"{each.tool} is called {each.calls} times: {each.why}")
