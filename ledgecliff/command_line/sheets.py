"""``sheet JOB``: what is done, on paper; ``first-article JOB``: what was measured of a part, in and out."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ledgecliff.command_line import rehearsing
from ledgecliff.command_line.output import print_json
from ledgecliff.command_line.plans import beside_of, plan_of, setup_named
from ledgecliff.command_line.shops import shop_place
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.first_article.lines import Line, lines_of
from ledgecliff.core.first_article.measured import FIRST, Judged, article, from_touches, of_values
from ledgecliff.core.model.job import Job
from ledgecliff.sheets.wanted import PAPERS, SHEET_KINDS, Wanted

if TYPE_CHECKING:
    from ledgecliff.core.record.entries import RecordEntry


def add_commands(commands: Any) -> None:
    """Adds ``sheet`` and ``first-article`` to the parser's commands."""
    words = "write a sheet of a job: setup sheet, turn sheet, table, tool list, first article, offset labels"
    sheet = commands.add_parser("sheet", help=words, description=words)
    sheet.set_defaults(run=_sheet)
    sheet.add_argument("job", type=Path, metavar="JOB", help="job file (.json)")
    sheet.add_argument("--kind", choices=SHEET_KINDS, default="setup", help="which sheet (the setup sheet)")
    sheet.add_argument("-o", "--out", type=Path, metavar="FILE", help="FILE.html or FILE.pdf")
    sheet.add_argument("--setup", action="append", default=[], metavar="SETUP", help="only this one (several times)")
    sheet.add_argument("--paper", choices=PAPERS, default="A4", help="A4, or letter")
    sheet.add_argument("--unit", choices=("mm", "in"), default="mm")
    sheet.add_argument("--trials", type=rehearsing.trials, metavar="N", help="rehearse it in N worlds, and say so")
    sheet.add_argument("--parts", type=_count, default=1, metavar="N", help="of the first article: so many parts")
    sheet.add_argument(
        "--every", type=_count, default=1, metavar="N", help="of the first article: each N-th is measured"
    )
    sheet.add_argument("--compare", metavar="CODE", help="whether a page with this code is of the job as it is now")
    words = "what the drawing asks of each feature, what was measured of a part, and whether it passes"
    first = commands.add_parser("first-article", help=words, description=words)
    first.set_defaults(run=_first_article)
    first.add_argument("job", type=Path, metavar="JOB", help="job file (.json)")
    first.add_argument("--in", dest="table", type=Path, metavar="FILE.csv", help="measured values of a table")
    first.add_argument("--set", action="append", default=[], metavar="FEATURE/WHAT=VALUE", help="a measured value")
    first.add_argument("--from-touches", action="store_true", help="what a probe touched last of its features")
    first.add_argument("--by", default="", metavar="NAME", help="who measured")
    first.add_argument("--with", dest="with_what", default="", metavar="WHAT", help="what it was measured with")
    first.add_argument("--csv", type=Path, metavar="FILE.csv", help="write all of it as a table")
    first.add_argument("--unit", choices=("mm", "in"), default="mm", help="of what is typed and of tables")
    first.add_argument("--json", action="store_true", help="print JSON (lengths in mm)")
    for sub in (sheet, first):
        sub.add_argument("--part", default=FIRST, metavar="PART", help="its number, or what is marked on it")
        sub.add_argument("--register", metavar="FILE", help="another database than the shop's own, or its URL")


def _count(text: str) -> int:
    value = int(text)
    if not 1 <= value <= 10_000:
        raise argparse.ArgumentTypeError("takes 1 to 10000")
    return value


def _sheet(options: argparse.Namespace) -> int:
    from ledgecliff.core.rehearsal.rehearse import written_plan
    from ledgecliff.core.rehearsal.worlds import rehearse_in_worlds
    from ledgecliff.store.outputs import check_page, write_sheet
    from ledgecliff.store.signed import about_now

    if options.compare is not None:
        return _compare(options)
    if options.out is None:
        raise InvalidValueError("-o", "is missing; name FILE.html or FILE.pdf")
    check_page(options.out)
    plan, worlds = plan_of(options), None
    if options.trials is not None:
        worlds = rehearse_in_worlds(written_plan(plan), range(1, options.trials + 1))
    about = about_now(options.job.name, worlds=worlds, paper=options.paper)
    measured = article(plan.job, _recorded(options, plan.job), options.part) if options.kind == "first-article" else ()
    wanted = Wanted(
        [setup_named(plan, name) for name in options.setup], measured, options.part, options.parts, options.every
    )
    beside = beside_of(options, plan)
    print(write_sheet(plan, options.out, beside, about, options.kind, options.unit, wanted))
    return 0


def _compare(options: argparse.Namespace) -> int:
    from ledgecliff.sheets.marked import PageMark, differs
    from ledgecliff.store.job_files import job_checksum, read_job

    job = read_job(options.job)
    told = differs(options.compare, PageMark(job.id, job_checksum(job)))
    print(told or "the page is of the job as it is now")
    return int(bool(told))


def _recorded(options: argparse.Namespace, job: Job) -> tuple[RecordEntry, ...]:
    from ledgecliff.store.record_about import articles_about

    return articles_about(shop_place(options), job)


def _first_article(options: argparse.Namespace) -> int:
    import sys

    from ledgecliff.core.first_article.tables import article_csv, measured_in
    from ledgecliff.store.atomic import write_atomic
    from ledgecliff.store.job_files import job_checksum, read_job
    from ledgecliff.store.plain_documents import read_words
    from ledgecliff.store.recording import record

    job = read_job(options.job)
    made = []
    if options.table is not None:
        for line, value, instrument in measured_in(read_words(options.table), job, options.unit):
            made += of_values(job, options.part, [(line, value)], options.by, instrument or options.with_what)
    made += of_values(job, options.part, _typed(options, lines_of(job)), options.by, options.with_what)
    if options.from_touches:
        touched = from_touches(job, _recorded(options, job))
        if not touched:
            raise InvalidValueError(
                "--from-touches", "no touch of a feature is recorded; keep them by 'measure --keep'"
            )
        made += of_values(job, options.part, [each[:2] for each in touched], options.by, options.with_what or "probe")
    kept = record(made, shop_place(options), job_checksum(job))
    if kept.words:
        print(f"ledgecliff: {kept.words}", file=sys.stderr)
    judged = article(job, _recorded(options, job), options.part)
    if options.csv is not None:
        write_atomic(options.csv, article_csv(judged, options.unit))
    _told(judged, options)
    return int(any(each.verdict == "FAIL" for each in judged))


def _typed(options: argparse.Namespace, lines: Sequence[Line]) -> list[tuple[Line, float]]:
    from ledgecliff.core.typed import parse_length

    found = []
    for words in options.set:
        name, equals, text = words.partition("=")
        line = next((each for each in lines if f"{each.feature}/{each.what}" == name.strip()), None)
        if not equals or line is None:
            known = ", ".join(f"'{each.feature}/{each.what}'" for each in lines[:6])
            raise InvalidValueError("--set", f"'{words}' is none of its lines with a value; there are {known} …")
        found.append((line, parse_length(text, options.unit)))
    return found


def _told(judged: Sequence[Judged], options: argparse.Namespace) -> None:
    if options.json:
        print_json({
            "part": options.part,
            "lines": [
                {"feature": each.line.feature, "what": each.line.what, "nominal": each.line.nominal,
                 "low": each.line.low, "high": each.line.high, "measured": each.value, "verdict": each.verdict,
                 "by": each.by, "with": each.with_what, "at": each.at}
                for each in judged
            ],
        })  # fmt: skip
        return
    from ledgecliff.core.quantities import format_length

    for each in judged:
        line, unit = each.line, options.unit
        asked = ""
        if line.low is not None and line.high is not None:
            asked = f"{format_length(line.low, unit)} to {format_length(line.high, unit)}"
        value = "—" if each.value is None else format_length(each.value, unit)
        print(f"{line.feature}, {line.what}".ljust(40), asked.rjust(22), value.rjust(10), each.verdict)
