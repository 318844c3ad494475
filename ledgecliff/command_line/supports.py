"""Blocks under the stock, cut in place to its underside: ``support``."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from ledgecliff.command_line.output import print_json, rounded
from ledgecliff.command_line.plans import add_job_command, plan_of, setup_named
from ledgecliff.core.edits.supports import support_at, with_size, with_support, without_support
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.fixture_making import cut_in_levels
from ledgecliff.core.holding.holding import origin_words
from ledgecliff.core.holding.supports import SupportSeat
from ledgecliff.core.model.holding import supports_of
from ledgecliff.core.model.job import Job
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.setup_plan import SetupPlan
from ledgecliff.core.typed import parse_length
from ledgecliff.store.job_files import write_job

_SIZES = {
    "x": "its middle, from the stock's left side", "y": "its middle, from the stock's front side",
    "length": "along machine X", "width": "along machine Y", "cut": "how far it stands proud before it is cut",
}  # fmt: skip


def add_commands(commands: Any) -> None:
    """Adds ``support`` to the parser's commands."""
    words = "blocks under the stock of a setup, cut in place to its underside: how high, and what they carry"
    support = add_job_command(commands, "support", _support, words)
    support.add_argument("--setup", required=True, metavar="SETUP")
    support.add_argument("--add", action="store_true", help="one more, where the stock hangs free; the job is written")
    support.add_argument("--number", type=int, metavar="N", help="which one, from 1; without it the last")
    support.add_argument("--remove", action="store_true", help="take it away")
    for name, what in _SIZES.items():
        support.add_argument(f"--{name}", metavar="MM", help=what)
    support.add_argument("--stl", type=Path, metavar="FILE", help="write them as a model, from the fixture's zero")
    support.add_argument("--json", action="store_true", help="print JSON (lengths in mm)")


def _support(options: argparse.Namespace) -> int:
    plan = plan_of(options)
    number = setup_named(plan, options.setup)
    job = _changed(plan, number, options)
    if job != plan.job:
        plan = make_plan(job, plan.models)
        write_job(job, options.job)
        print(f"{options.job.name} is written.", file=sys.stderr)
    setup = plan.setups[number]
    if options.stl is not None:
        _write_model(setup, options)
    shown = [_shown(setup, each) for each in setup.supports]
    if options.json:
        print_json({"setup": setup.setup.name, "supports": shown})
    elif not shown:
        print("no supports")
    for row in shown if not options.json else ():
        print("  ".join(f"{name} {value}" for name, value in row.items()))
    return 0


def _changed(plan: Plan, setup: int, options: argparse.Namespace) -> Job:
    job = with_support(plan, setup) if options.add else plan.job
    wanted = {name: text for name in _SIZES if (text := getattr(options, name)) is not None}
    if not wanted and not options.remove:
        return job
    last = len(supports_of(job.setups[setup].hold))
    number = last if options.number is None else options.number
    if options.remove:
        return without_support(job, setup, number)
    support_at(job, setup, number)
    for name, text in wanted.items():
        job = with_size(job, setup, number, name, parse_length(text, "mm"))
    return job


def _write_model(setup: SetupPlan, options: argparse.Namespace) -> None:
    from ledgecliff.store.support_files import write_support_stl

    stand = tuple(each for each in setup.supports if each.block is not None)
    if options.number is not None:
        stand = tuple(each for each in stand if each.name == f"support {options.number}")
    if not stand:
        raise InvalidValueError("--stl", "there is no such support with room to stand; add one, or move it")
    write_support_stl(setup, stand, options.stl)
    x, y, z = origin_words(setup.holding.fixture)
    print(f"{options.stl} is written, in mm: X0 is the {x}, Y0 the {y}, Z0 the {z}.", file=sys.stderr)


def _shown(setup: SetupPlan, each: SupportSeat) -> dict[str, Any]:
    support = each.support
    return {
        "name": each.name,
        **{name: rounded(getattr(support, name)) for name in _SIZES},
        "stands_on": each.floor.name,
        "height": rounded(each.height) if each.block is not None else None,
        "slopes": rounded(each.high - each.low),
        "block": rounded(each.height + support.cut) if each.block is not None else None,
        "area": rounded(each.area),
        "share": rounded(each.share),
        "cut_by_step": each in cut_in_levels(setup),
    }
