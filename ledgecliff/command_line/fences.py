"""A strip on a board that blanks are pushed against: ``fence``."""

from __future__ import annotations

import argparse
import sys
from typing import Any

from ledgecliff.command_line.output import print_json, rounded
from ledgecliff.command_line.plans import add_job_command, plan_of, setup_named
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.fences import SIDES, with_fence, with_zero_by_fence
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.holding import BoardHold
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.typed import parse_length
from ledgecliff.store.job_files import write_job

_SIZES = ("length", "width", "height", "cut")


def add_commands(commands: Any) -> None:
    """Adds ``fence`` to the parser's commands."""
    words = "a strip on a setup's board, cut true in place, that blanks are pushed against"
    fence = add_job_command(commands, "fence", _fence, words)
    fence.add_argument("--setup", required=True, metavar="SETUP")
    fence.add_argument("--side", choices=(*SIDES, "none"), help="at which side of the stock; the job is written")
    for name in _SIZES:
        fence.add_argument(
            f"--{name}", metavar="MM", help=f"its {name}" if name != "cut" else "what comes off its edge"
        )
    fence.add_argument("--zero", action="store_true", help="the zero across it is known from the cut")
    fence.add_argument("--json", action="store_true", help="print JSON (lengths in mm)")


def _fence(options: argparse.Namespace) -> int:
    plan = plan_of(options)
    number = setup_named(plan, options.setup)
    job = plan.job
    if options.side is not None:
        job = with_fence(plan, number, None if options.side == "none" else options.side)
    for name in _SIZES:
        if (text := getattr(options, name)) is not None:
            if getattr(job.setups[number].hold, "fence", None) is None:
                raise InvalidValueError(f"--{name}", "there is no fence; say at which --side")
            job = set_value(job, ("setups", number, "hold", "fence", name), parse_length(text, "mm"))
    if options.zero:
        job = with_zero_by_fence(make_plan(job, plan.models), number)
    if job != plan.job:
        plan = make_plan(job, plan.models)
        write_job(job, options.job)
        print(f"{options.job.name} is written.", file=sys.stderr)
    shown = _shown(plan, number)
    if options.json:
        print_json(shown)
    else:
        print("no fence" if shown["side"] is None else "  ".join(f"{name} {value}" for name, value in shown.items()))
    return 0


def _shown(plan: Plan, number: int) -> dict[str, Any]:
    setup = plan.setups[number]
    hold = setup.setup.hold
    fence = hold.fence if isinstance(hold, BoardHold) else None
    if fence is None:
        return {"setup": setup.setup.name, "side": None}
    return {
        "setup": setup.setup.name,
        "side": fence.side,
        **{name: rounded(getattr(fence, name)) for name in _SIZES},
        "repeats": rounded(setup.holding.clamping_along(fence.axis).standard),
    }
