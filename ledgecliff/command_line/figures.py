"""``figures JOB``: what the record says of scatter, with the number of values, and into the job by one step."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from ledgecliff.command_line.output import print_json
from ledgecliff.command_line.shops import shop_place
from ledgecliff.core.errors import InvalidValueError


def add_commands(commands: Any) -> None:
    """Adds ``figures`` to the parser's commands."""
    words = "how fixtures and touches repeat and blanks of a lot vary, from the record; taken into the job by --take"
    figures = commands.add_parser("figures", help=words, description=words)
    figures.set_defaults(run=_figures)
    figures.add_argument("job", type=Path, metavar="JOB", help="job file (.json)")
    figures.add_argument(
        "--take", action="append", default=[], metavar="WHAT", help="into the job; 'all' for all there is"
    )
    figures.add_argument("--register", metavar="FILE", help="another database than the shop's own, or its URL")
    figures.add_argument("--json", action="store_true", help="print JSON (lengths in mm)")


def _figures(options: argparse.Namespace) -> int:
    from ledgecliff.core.record.figures import figures_of, with_figure
    from ledgecliff.store.job_files import read_job, write_job
    from ledgecliff.store.record_about import figures_about

    job = read_job(options.job)
    entries = figures_about(shop_place(options), job)
    found = figures_of(job, entries)
    unknown = set(options.take) - {"all"} - {each.what for each in found}
    if unknown:
        known = ", ".join(f"'{each.what}'" for each in found)
        raise InvalidValueError("--take", f"'{min(unknown)}' is none; there are {known}")
    for each in found:
        if each.what in options.take or ("all" in options.take and each.figure is not None):
            job = with_figure(job, each)
    if options.take:
        write_job(job, options.job)
        found = figures_of(job, entries)
    if options.json:
        print_json({
            "figures": [
                {"what": each.what, "now": each.now, "figure": each.figure, "values": each.values,
                 "newest": each.newest, "number": each.number, "lacking": each.lacking,
                 "origin": "stated" if each.stated is None else "from the record"}
                for each in found
            ]
        })  # fmt: skip
        return 0
    for each in found:
        figure = (
            f"{each.lacking} values more are needed" if each.figure is None else f"{_said(each.figure)} of the record"
        )
        print(f"{each.what}: {_said(each.now)} now; {figure} ({each.values} values of {each.number or 'nothing'})")
    return 0


def _said(figure: float | tuple[float, ...]) -> str:
    values = figure if isinstance(figure, tuple) else (figure,)
    return " ".join(f"{value:.4f}" for value in values)
