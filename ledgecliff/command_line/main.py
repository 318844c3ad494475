"""The command line: the same work without a window.

Results go to standard output, one clear line about anything unreadable to standard error.  Exit
status: 0 all well, 1 a hazard or error stands (or a rehearsal stopped), 2 nothing could be done.
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from pathlib import Path

from ledgecliff import __version__
from ledgecliff.command_line import (
    axes,
    batches,
    blanks,
    budgets,
    carrying,
    centres,
    combining,
    desktop,
    fences,
    figures,
    importing,
    offsets,
    plans,
    records,
    rehearsing,
    releases,
    rotary,
    runs,
    sheets,
    shops,
    stations,
    supports,
)
from ledgecliff.command_line.fixture_options import add_fixture_arguments
from ledgecliff.command_line.output import print_json
from ledgecliff.core.errors import InvalidValueError, LedgecliffError, SeveralBodiesError


def main(arguments: list[str] | None = None) -> int:
    arguments = sys.argv[1:] if arguments is None else arguments
    parser = _parser()
    options = parser.parse_args(arguments)
    try:
        return int(options.run(options))
    except SeveralBodiesError as error:
        print(f"ledgecliff: {error} Say which with --body 1, or --body 0 for all.", file=sys.stderr)
        return 2
    except LedgecliffError as error:
        print(f"ledgecliff: {' '.join(str(error).split())}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        return 2
    except KeyboardInterrupt:
        print("ledgecliff: stopped", file=sys.stderr)
        return 2


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="ledgecliff", description="Plans setups and work coordinate systems.")
    parser.add_argument("--version", action="version", version=f"Ledgecliff {__version__}")
    commands = parser.add_subparsers(title="commands", metavar="COMMAND", required=True)

    def command(name: str, run: Callable[[argparse.Namespace], int], words: str) -> argparse.ArgumentParser:
        sub = commands.add_parser(name, help=words, description=words)
        sub.set_defaults(run=run)
        return sub

    def on_job(name: str, run: Callable[[argparse.Namespace], int], words: str) -> argparse.ArgumentParser:
        sub = command(name, run, words)
        sub.add_argument("job", type=Path, metavar="JOB", help="job file (.json)")
        return sub

    def with_json(sub: argparse.ArgumentParser) -> argparse.ArgumentParser:
        sub.add_argument("--json", action="store_true", help="print JSON (lengths in mm)")
        return sub

    command("open", _open, "open the window").add_argument("job", type=Path, nargs="?", metavar="JOB")
    command("demo-job", _demo_job, "print the path of a demo job that ships with the program").add_argument("name")
    with_json(on_job("coordinates", plans.coordinates, "every feature in every setup's WCS"))
    words = "rotary axes, and each school's work offset at every index"
    with_json(on_job("rotary", rotary.rotary, words)).add_argument(
        "--sense-test", metavar="AXIS", help="print the program that shows which way that rotary axis turns"
    )
    checking = with_json(on_job("check", plans.check, "findings; exit status 1 when a hazard or error stands"))
    checking.add_argument("--remedies", action="store_true", help="with the remedies that were tried and cure")
    on_job("post", rehearsing.post, "write the probing and hover-check programs").add_argument(
        "-o", "--out", type=Path, required=True, metavar="DIR", help="folder for the programs"
    )
    checking.add_argument("--register", metavar="FILE", help="another register than the shop's own, or its URL")
    rehearsal = with_json(on_job("rehearse", rehearsing.rehearse_job, "run the programs on the simulated machine"))
    rehearsal.add_argument("--seed", type=rehearsing.seed, help="which hidden true world (default 1)")
    words = "the seeds FROM-TO, and how far pairs of features come to be off in them"
    rehearsal.add_argument("--seeds", type=budgets.seeds, metavar="FROM-TO", help=words)
    rehearsal.add_argument("--trials", type=rehearsing.trials, metavar="N", help="N worlds from the seed on, the worst")
    rehearsal.add_argument("--world", type=Path, metavar="FILE", help="a stated true world (.json), see docs")
    rehearsal.add_argument(
        "--limit",
        type=rehearsing.limit,
        metavar="MM",
        help="how far off an offset may be found; as the plan has it where left out",
    )
    rehearsal.add_argument("--keep-world", type=Path, metavar="FILE", help="write the true world to FILE (.json)")
    rehearsal.add_argument("--record", nargs=2, metavar=("SETUP", "FILE"), help="write a setup's touches to FILE")
    rehearsal.add_argument(
        "--cards", action="store_true", help="by the control's own cycles, from where the probe stands by eye"
    )
    rehearsal.add_argument("--keep", action="store_true", help="put it into the record")
    rehearsal.add_argument("--register", metavar="FILE", help="another register than the shop's own, or its URL")
    carding = with_json(on_job("cards", _cards, "cards for working through the probing with the control's own cycles"))
    carding.add_argument("--setup", metavar="SETUP", help="one setup; all without")
    carding.add_argument("-o", "--out", type=Path, metavar="FILE", help="write them to FILE.html or FILE.pdf")
    with_json(on_job("probe-plan", _probe_plan, "probing steps in order, their needs, and what is known after each"))
    measuring = with_json(on_job("measure", _measure, "evaluate recorded touches"))
    measuring.add_argument("--touches", type=Path, required=True, metavar="FILE", help="recorded touches (.json)")
    measuring.add_argument("--keep", action="store_true", help="put the probed offset into the register")
    measuring.add_argument("--confirmed", action="store_true", help="also when it has moved more than clamping does")
    measuring.add_argument("--register", metavar="FILE", help="another register than the shop's own, or its URL")
    measuring.add_argument("--csv", type=Path, metavar="FILE", help="write the table from the reference as CSV")
    measuring.add_argument("--dxf", type=Path, metavar="FILE", help="write it as a dimensioned drawing")
    taking = on_job("take", _take, "a setup, its hold, operations or probing steps, to be put into this or another job")
    taking.add_argument("--setup", required=True, metavar="SETUP", help="name of the setup")
    taking.add_argument("--what", choices=("setup", "hold", "operations", "steps"), default="setup")
    taking.add_argument("--name", action="append", metavar="NAME", help="one operation or step; all without")
    putting = on_job("put", _put, "put a piece that was taken into a job, and write it")
    putting.add_argument("piece", type=Path, metavar="PIECE", help="what take has printed; - for standard input")
    putting.add_argument("--setup", required=True, metavar="SETUP", help="into which; a whole setup comes after it")
    alike = on_job("alike", _alike, "a new job like another, to import another model into")
    alike.add_argument("-o", "--out", type=Path, required=True, metavar="JOB", help="job file to write (.json)")
    alike.add_argument("--title", metavar="TITLE", help="what it is called")
    returning = with_json(on_job("results", _results, "results of a run, typed or reported, and its offset"))
    returning.add_argument("results", type=Path, metavar="FILE", help="lines as #500 = 1.234, a .json, or a report")
    returning.add_argument("--setup", required=True, metavar="SETUP", help="name of the setup")
    returning.add_argument(
        "--before", nargs=3, metavar=("X", "Y", "Z"), help="what its offset held before (mm, or 1 in)"
    )
    returning.add_argument("--report", metavar="NAME", help="FILE is a report of this kind, which was shown before")
    returning.add_argument(
        "--show", nargs=2, metavar=("NAME", "REPORT"), help="the report of the same run: learn its kind, write the job"
    )
    returning.add_argument("--keep", action="store_true", help="put the offset into the register")
    returning.add_argument("--keep-sizes", action="store_true", help="widths of blanks into the batch; write the job")
    returning.add_argument("--keep-holes", action="store_true", help="found holes where they measure; write the job")
    returning.add_argument("--confirmed", action="store_true", help="also when it has moved more than clamping does")
    returning.add_argument("--register", metavar="FILE", help="another register than the shop's own, or its URL")
    adding = with_json(on_job("offers", _offers, "what can be cut and touched at a feature in a setup, and why not"))
    adding.add_argument("--setup", required=True, metavar="SETUP", help="name of the setup")
    adding.add_argument("--at", required=True, metavar="FEATURE", help="name of the feature")
    adding.add_argument("--register", metavar="FILE", help="another register than the shop's own, or its URL")
    comparing = with_json(on_job("zeros", _zeros, "everything that can give a setup's axes their zero, compared"))
    comparing.add_argument("--setup", required=True, metavar="SETUP", help="name of the setup")
    comparing.add_argument("--axis", choices=("x", "y", "z"), help="one axis; all without")
    comparing.add_argument("--register", metavar="FILE", help="another register than the shop's own, or its URL")
    comparing.add_argument("--take", metavar="WORDS", help="take this one for the --axis, and write the job")
    laying = on_job("lay", _lay, "how the part lies in a setup, by a face or three places; its zero at a place")
    laying.add_argument("--setup", required=True, metavar="SETUP", help="name of the setup")
    laying.add_argument("--face", metavar="FEATURE", help="what looks up, skewed ones too")
    laying.add_argument(
        "--places", metavar="'A; B; C'", help="a first one, one towards +X, one towards +Y (names or mm)"
    )
    laying.add_argument("--zero-at", metavar="PLACE", help="a feature's name or 'X, Y, Z' in part coordinates (mm)")
    laying.add_argument("--index", nargs="+", metavar="A=90", help="where rotary axes stand while it is clamped")
    finding = on_job("hole", _hole, "a hole nobody has drawn: put there about, kept as a feature of the old part")
    finding.add_argument("--setup", required=True, metavar="SETUP", help="in whose WCS its place is read")
    finding.add_argument("--at", required=True, nargs="+", metavar="X Y [Z]", help="its middle, and its mouth's height")
    finding.add_argument("--diameter", required=True, metavar="LENGTH", help="about; measured later")
    finding.add_argument("--depth", metavar="LENGTH", help="of a blind one; right through without")
    finding.add_argument("--name", metavar="NAME", help="of the feature; one that was found before is put there")
    parts = on_job("parts", _parts, "several parts from one blank, joined until they are cut apart")
    parts.add_argument("--count", required=True, type=int, metavar="N", help="how many")
    parts.add_argument("--apart", nargs=3, metavar=("X", "Y", "Z"), help="how much further each lies than the last")
    parting = on_job("parting", _parting, "the plane where cuts from both sides meet")
    parting.add_argument("--along", choices=("x", "y", "z"), help="square to which part axis, in the part's middle")
    parting.add_argument("--none", action="store_true", help="without one")
    parting.add_argument("--at", metavar="LENGTH", help="its place along that axis, with its unit or in mm")
    parting.add_argument("--past", metavar="LENGTH", help="how far each side goes past it")
    with_json(on_job("features", plans.features, "recognised and named features of the part"))
    with_json(on_job("stock", plans.stock, "in-process stock of every setup"))
    sides = on_job("sides", plans.sides, "from where features can be cut, and proposed orders of sides")
    sides.add_argument(
        "--weigh", type=int, default=0, metavar="N",
        help="plan so many of the orders and tell how far off pairs would be (0)",
    )  # fmt: skip
    with_json(sides)
    turning = with_json(
        on_job("registration", _registration, "every turn: what registers it, seats, play, expected error")
    )
    turning.add_argument("--choose", metavar="WAY", help="register a turn this way, and write the job")
    turning.add_argument("--layout", metavar="LAYOUT", help="lay its pins out so")
    turning.add_argument(
        "--to", metavar="SETUP", help="the setup that the turn leads to, where there are several turns"
    )
    turning.add_argument(
        "-o", "--out", type=Path, metavar="JOB", help="write the job there instead of over the old one"
    )
    on_job("drawings", _drawings, "write every drawing of the turns as DXF and SVG").add_argument(
        "-o", "--out", type=Path, required=True, metavar="DIR", help="folder for the drawings"
    )
    making = with_json(command("import", importing.import_model_file, "make a job from a STEP or STL model"))
    making.add_argument("model", type=Path, metavar="MODEL", help="model file (.step, .stp, .stl)")
    making.add_argument("-o", "--out", type=Path, required=True, metavar="JOB", help="job file to write (.json)")
    making.add_argument("--unit", choices=("mm", "cm", "m", "in"), help="length unit of an STL file")
    making.add_argument("--body", metavar="N", help="which of several bodies, from 1; 0 for an assembly")
    making.add_argument(
        "--plan-within", default="60", metavar="SECONDS", help="plan its sides for so long at most; 0 plans none (60)"
    )
    making.add_argument("--keep", type=Path, metavar="OLD", help="older job whose names and operations are kept")
    taping = with_json(command("tape", _tape, "work offsets from readings taken by hand"))
    taping.add_argument("readings", type=Path, metavar="FILE", help="readings (.json)")
    taping.add_argument("--job", type=Path, metavar="JOB", help="job whose planned offset they are compared with")
    taping.add_argument("--keep", metavar="AXIS", help="keep the centre found in the job, as that rotary axis's")
    taping.add_argument("-o", "--out", type=Path, metavar="JOB", help="write the job there instead of over the old one")
    reading = with_json(command("read", _read, "what toolpath programs call, and how far they go"))
    reading.add_argument("programs", type=Path, nargs="+", metavar="PROGRAM", help="toolpath program")
    reading.add_argument("--job", type=Path, metavar="JOB", help="job whose machine and plan they are compared with")
    reading.add_argument("--register", metavar="FILE", help="another register than the shop's own, or its URL")
    fitting = with_json(command("fit", _fit, "least-squares circle, line or plane through measured points"))
    fitting.add_argument("shape", choices=("circle", "line", "plane"))
    fitting.add_argument("points", type=Path, metavar="POINTS", help="CSV file: x,y or x,y,z in each row")
    showing = with_json(command("fixture-model", _fixture_model, "faces, bores and rounds that a model has, by number"))
    showing.add_argument("model", type=Path, metavar="MODEL", help="model file (.step, .stp, .stl)")
    holding = with_json(on_job("fixture", _fixture, "a setup held by a fixture of the shop's own, from a model"))
    add_fixture_arguments(holding)
    for sub in (showing, holding):
        sub.add_argument("--unit", choices=("mm", "cm", "m", "in"), default="mm", help="length unit of an STL file")
        sub.add_argument("--body", type=int, metavar="N", help="which of several bodies, from 1; 0 for an assembly")
    benching = with_json(on_job("bench", _bench, "what is done beside the machine; a step added or taken out"))
    benching.add_argument(
        "--known", nargs=4, metavar=("STEP", "X", "Y", "Z"), help="a fixture made in place: what its offset holds"
    )
    benching.add_argument(
        "--add", metavar="KIND", help="saw, glue, cure, fill, take out, cut tabs, sand, heat-treat or make fixture"
    )
    benching.add_argument("--before", metavar="SETUP", help="before that setup; after all of them where left out")
    benching.add_argument(
        "--set", action="append", default=[], metavar="FIELD=VALUE", help="of the step that is added, such as at=12"
    )
    benching.add_argument("--remove", metavar="NAME", help="take the step of that name out")
    offsets.add_commands(commands)
    axes.add_commands(commands)
    centres.add_commands(commands)
    carrying.add_commands(commands)
    stations.add_commands(commands)
    blanks.add_commands(commands)
    batches.add_commands(commands)
    fences.add_commands(commands)
    supports.add_commands(commands)
    runs.add_commands(commands)
    records.add_commands(commands)
    shops.add_commands(commands)
    releases.add_commands(commands)
    desktop.add_commands(commands)
    sheets.add_commands(commands)
    figures.add_commands(commands)
    budgets.add_commands(commands)
    combining.add_commands(commands)
    schema = command("schema", _schema, "print the JSON Schema of the job file")
    of = schema.add_mutually_exclusive_group()
    of.add_argument("--run", dest="of_run", action="store_true", help="that of the run document")
    of.add_argument("--backlog", dest="of_backlog", action="store_true", help="that of the backlog document")
    return parser


def _fixture_model(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.fixtures import fixture_model

    return fixture_model(options)


def _fixture(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.fixtures import fixture

    return fixture(options)


def _bench(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.bench import bench

    return bench(options)


def _open(options: argparse.Namespace) -> int:
    from ledgecliff.app.main import run  # only this command needs a window

    return run(options.job)


def _demo_job(options: argparse.Namespace) -> int:
    from ledgecliff.store.demo import demo_job

    print(demo_job(options.name))
    return 0


def _registration(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.turns import choose, print_turns
    from ledgecliff.core.plan import make_plan
    from ledgecliff.core.registration.pins import PIN_LAYOUTS
    from ledgecliff.core.turns.turn_plan import WAYS
    from ledgecliff.store.job_files import write_job
    from ledgecliff.store.part_models import carry_models

    plan = plans.plan_of(options)
    if options.choose is None and options.layout is None:
        return print_turns(plan, as_json=options.json)
    for given, known, what in ((options.choose, WAYS, "--choose"), (options.layout, PIN_LAYOUTS, "--layout")):
        if given is not None and given not in known:
            raise InvalidValueError(what, f"there is no '{given}'; give one of: {'; '.join(known)}")
    job = choose(plan, options.choose, options.layout, options.to)
    out = options.out or options.job
    write_job(carry_models(job, options.job.parent, out.parent), out)
    return print_turns(make_plan(job, plan.models), as_json=options.json)


def _drawings(options: argparse.Namespace) -> int:
    from ledgecliff.store.drawing_files import write_turn_drawings

    for path in write_turn_drawings(plans.plan_of(options), options.out):
        print(path)
    return 0


def _offers(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.adding import offers

    return offers(options)


def _lay(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.laying import lay

    return lay(options)


def _hole(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.laying import hole

    return hole(options)


def _parts(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.laying import parts

    return parts(options)


def _parting(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.laying import parting

    return parting(options)


def _zeros(options: argparse.Namespace) -> int:
    if options.take is not None:
        from ledgecliff.command_line.laying import take_zero

        return take_zero(options)
    from ledgecliff.command_line.adding import zeros

    return zeros(options)


def _cards(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.probing import cards

    return cards(options, plans.plan_of(options))


def _probe_plan(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.probing import probe_plan

    return probe_plan(plans.plan_of(options), as_json=options.json)


def _measure(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.probing import measure

    return measure(options, plans.plan_of(options))


def _take(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.pieces import take

    return take(options)


def _put(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.pieces import put

    return put(options)


def _alike(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.pieces import alike

    return alike(options)


def _results(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.results import results

    return results(options)


def _tape(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.touchoff import tape

    plan = None if options.job is None else plans.plan_of(argparse.Namespace(job=options.job))
    if options.keep is not None:
        from ledgecliff.command_line.touchoff import with_kept
        from ledgecliff.store.job_files import write_job
        from ledgecliff.store.part_models import carry_models

        if plan is None:
            raise InvalidValueError("--keep", "there is no job to keep it in; name one with --job")
        out = options.out or options.job
        write_job(carry_models(with_kept(options, plan), options.job.parent, out.parent), out)
    return tape(options, plan)


def _read(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.toolpaths import read

    return read(options, None if options.job is None else plans.plan_of(argparse.Namespace(job=options.job)))


def _fit(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.probing import fit

    return fit(options)


def _schema(options: argparse.Namespace) -> int:
    from ledgecliff.core.model.backlog import BacklogList
    from ledgecliff.core.model.job import Job
    from ledgecliff.core.model.run import Run

    of = Run if options.of_run else BacklogList if options.of_backlog else Job
    print_json({"$schema": "https://json-schema.org/draft/2020-12/schema", **of.model_json_schema()})
    return 0
