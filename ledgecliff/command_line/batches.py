"""The batch that a job's blanks come from: sizes in, groups and odds, a group's values taken; by ``blanks``."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any, get_args

from ledgecliff.command_line.output import given_text, print_json, rounded
from ledgecliff.command_line.plans import add_job_command, plan_of, setup_named
from ledgecliff.core.blank_batches import BatchTold, batch_told, group_words, odds_words
from ledgecliff.core.edits.batches import with_batch, with_group_values, with_typed_sizes
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.frames import AXES
from ledgecliff.core.model.batch import AllowanceRule, OddsFrom
from ledgecliff.core.model.job import Job
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.quantities import spell
from ledgecliff.core.typed import parse_length
from ledgecliff.store.job_files import write_job


def add_commands(commands: Any) -> None:
    """Adds ``blanks`` to the parser's commands."""
    words = "the blanks of a job that differ: their groups, how many clean up, a group's values taken"
    blanks = add_job_command(commands, "blanks", _blanks, words)
    blanks.add_argument("--sizes", type=Path, metavar="FILE", help="measured sizes (.csv), or - for input")
    blanks.add_argument("--along", choices=AXES, help="the part axis that was measured along")
    blanks.add_argument("--stop", choices=("minus", "plus"), help="which side of a blank lies against the stop")
    blanks.add_argument("--spread", metavar="W", help="how far blanks of a group differ at most")
    blanks.add_argument("--least", metavar="C", help="what must come off everywhere")
    blanks.add_argument("--rule", choices=get_args(AllowanceRule), help="what comes off at the stop")
    blanks.add_argument("--odds", choices=get_args(OddsFrom), help="which sizes the odds are worked out from")
    blanks.add_argument("--take", type=int, metavar="N", help="the stock is that of this group")
    blanks.add_argument("--setup", metavar="SETUP", help="with --take: where the blanks lie against what stands there")
    blanks.add_argument(
        "--stop-moved", action="store_true", help="with --take: the stop is moved instead, and the parts stay"
    )
    blanks.add_argument("--json", action="store_true", help="print JSON (lengths in mm)")


def _blanks(options: argparse.Namespace) -> int:
    plan = plan_of(options)
    job = _changed(options, plan)
    if job != plan.job:
        plan = make_plan(job, plan.models)
        write_job(job, options.job)
        print(f"{options.job.name} is written.", file=sys.stderr)
    told = batch_told(plan)
    if told is None:
        raise InvalidValueError("--sizes", "the job says nothing of several blanks; give their sizes")
    if options.json:
        print_json(_shown(told))
        return 0
    for number, each in enumerate(told.groups, start=1):
        print(spell(group_words(number, each), "mm"))
    print(spell(odds_words(told), "mm"))
    return 0


def _changed(options: argparse.Namespace, plan: Plan) -> Job:
    job = plan.job
    if options.sizes is not None:
        job = with_typed_sizes(job, given_text(options.sizes), "mm")
    fields: dict[str, Any] = {name: getattr(options, name) for name in ("along", "stop", "rule", "odds")}
    fields |= {name: parse_length(text, "mm") for name in ("spread", "least") if (text := getattr(options, name))}
    if stated := {name: value for name, value in fields.items() if value is not None}:
        job = with_batch(job, **stated)
    if options.take is None:
        if options.setup is not None or options.stop_moved:
            raise InvalidValueError("--take", "name the group whose values are taken")
        return job
    setup = None if options.setup is None else setup_named(plan, options.setup)
    return with_group_values(make_plan(job, plan.models), options.take, setup, stop_moved=options.stop_moved)


def _shown(told: BatchTold) -> dict[str, Any]:
    centre, edge = told.limits
    return {
        "along": told.batch.along,
        "stop": told.batch.stop,
        "finished": rounded(told.finished),
        "groups": [
            {
                "sizes": [rounded(size) for size in each.group.batch.sizes],
                "at_stop": rounded(each.allowance.at_stop),
                "least": rounded(each.allowance.least),
                "short": each.short,
            }
            for each in told.groups
        ],
        "odds": {"centre": rounded(told.odds.centre), "edge": rounded(told.odds.edge)},
        "at_stop": rounded(told.at_stop),
        "limits": {"centre": rounded(centre), "edge": rounded(edge)},
        "short": [k + 1 for k in told.short],
    }
