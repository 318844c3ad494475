"""Finding the centre of a rotary axis by probe: ``centre`` writes the program, and takes its results."""

from __future__ import annotations

import argparse
from datetime import date
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from ledgecliff.command_line.output import given_text, print_json
from ledgecliff.command_line.plans import add_job_command, plan_of
from ledgecliff.command_line.rotary import axis_named
from ledgecliff.command_line.touchoff import centre_data, print_lines
from ledgecliff.core.changing import problem_words
from ledgecliff.core.edits.rotary import with_centre
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.plan import make_plan
from ledgecliff.core.touchoff.centre_probing import PROBED_WAYS, CentreProbing
from ledgecliff.core.touchoff.centre_program import CentreProgram, centre_program
from ledgecliff.core.touchoff.centres import centre_from
from ledgecliff.core.typed import parse_length
from ledgecliff.store.atomic import write_atomic
from ledgecliff.store.job_files import write_job

_LENGTHS = {
    "along": "where along a lying axis it touches, as the machine reads",
    "level": "Z of the table's face, or of an upright bar's top, with all axes level",
    "diameter": "of the bar, or of the bore",
    "edge": "from the axis to the table's edge, at its least",
    "depth": "how far below edge or top it touches",
    "apart": "between the touches of a flat sweep",
    "guess": "how far the believed centre may be off",
}


def add_commands(commands: Any) -> None:
    """Adds ``centre`` to the parser's commands."""
    words = "the centre of a rotary axis by probe: its program, and what comes of its results"
    centre = add_job_command(commands, "centre", _centre, words)
    centre.add_argument("axis", metavar="AXIS", help="its name or word")
    centre.add_argument("--by", required=True, choices=PROBED_WAYS, help="how it is found")
    centre.add_argument("--offset", required=True, metavar="CODE", help="the work offset that the centre goes into")
    for name, help_words in _LENGTHS.items():
        centre.add_argument(f"--{name}", metavar="LENGTH", help=help_words)
    centre.add_argument("--angles", nargs=2, type=float, metavar=("FIRST", "SECOND"), help="of a trunnion's faces")
    centre.add_argument("-o", "--output", type=Path, metavar="FILE", help="write the program there")
    centre.add_argument("--results", type=Path, metavar="FILE", help="what its variables hold: lines as #500 = 1.234")
    centre.add_argument("--keep", action="store_true", help="keep what was found in the job, with today's day")
    centre.add_argument("--json", action="store_true", help="print JSON (lengths in mm)")


def _centre(options: argparse.Namespace) -> int:
    """Exit status 1 where something is left to do."""
    plan = plan_of(options)
    number, axis = axis_named(plan, options.axis, "AXIS")
    program = centre_program(plan.job.machines[number], axis, _asked(options))
    if options.results is None:
        _write(program, options)
        return 0
    found = centre_from(program.reading_of(given_text(options.results)))
    if options.keep:
        job = with_centre(plan.job, number, axis.id, found, date.today().isoformat())
        make_plan(job, plan.models)
        write_job(job, options.job)
    if options.json:
        print_json(centre_data(found))
    else:
        print_lines(found.lines)
        if found.centre:
            print(f"  known to ± {found.uncertainty:.4f}")
    return int(bool(found.left))


def _asked(options: argparse.Namespace) -> CentreProbing:
    stated: dict[str, object] = {"way": options.by, "offset": options.offset}
    for name in _LENGTHS:
        text = getattr(options, name)
        if text is not None:
            stated[name] = parse_length(text, "mm")
    if options.angles is not None:
        stated["first_deg"], stated["second_deg"] = options.angles
    try:
        return CentreProbing.model_validate(stated)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        raise InvalidValueError(f"--{first['loc'][0]}", problem_words(first["msg"])) from error


def _write(program: CentreProgram, options: argparse.Namespace) -> None:
    if options.json:
        rows = [{"variable": row.parameter, "key": row.key, "words": row.text} for row in program.rows]
        print_json({"program": program.text, "results": rows})
    elif options.output is not None:
        write_atomic(options.output, program.text)
        for row in program.rows:
            print(f"#{row.parameter}: {row.text}")
    else:
        print(program.text, end="")
