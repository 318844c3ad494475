"""The command line: the same work without a window.

Results go to standard output, one clear line about anything unreadable to standard error.  Exit
status: 0 all well, 1 a hazard or error stands (or a rehearsal stopped), 2 nothing could be done.
"""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from ledgecliff import __version__
from ledgecliff.command_line.offsets import add_commands
from ledgecliff.command_line.output import print_json, rounded, xyz
from ledgecliff.core.errors import InvalidValueError, LedgecliffError, SeveralBodiesError
from ledgecliff.core.findings.rules import findings_of
from ledgecliff.core.reading_back.check import read_back
from ledgecliff.core.rehearsal.rehearse import written_plan
from ledgecliff.core.rehearsal.results import WrittenPlan
from ledgecliff.core.rehearsal.true_world import TrueWorld


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
    with_json(on_job("coordinates", _coordinates, "every feature in every setup's WCS"))
    checking = with_json(on_job("check", _check, "findings; exit status 1 when a hazard or error stands"))
    checking.add_argument("--register", metavar="FILE", help="another register than the shop's own, or its URL")
    on_job("post", _post, "write the probing and hover-check programs").add_argument(
        "-o", "--out", type=Path, required=True, metavar="DIR", help="folder for the programs"
    )
    on_job("sheet", _sheet, "write the setup sheet").add_argument(
        "-o", "--out", type=Path, required=True, metavar="FILE", help="FILE.html or FILE.pdf"
    )
    rehearsal = with_json(on_job("rehearse", _rehearse, "run the programs on the simulated machine"))
    rehearsal.add_argument("--seed", type=_seed, help="which hidden true world (default 1)")
    rehearsal.add_argument("--world", type=Path, metavar="FILE", help="a stated true world (.json), see docs")
    rehearsal.add_argument(
        "--limit",
        type=_limit,
        metavar="MM",
        help="how far off an offset may be found; as the plan has it where left out",
    )
    rehearsal.add_argument("--keep-world", type=Path, metavar="FILE", help="write the true world to FILE (.json)")
    rehearsal.add_argument("--record", nargs=2, metavar=("SETUP", "FILE"), help="write a setup's touches to FILE")
    with_json(on_job("probe-plan", _probe_plan, "probing steps in order, their needs, and what is known after each"))
    measuring = with_json(on_job("measure", _measure, "evaluate recorded touches"))
    measuring.add_argument("--touches", type=Path, required=True, metavar="FILE", help="recorded touches (.json)")
    measuring.add_argument("--keep", action="store_true", help="put the probed offset into the register")
    measuring.add_argument("--confirmed", action="store_true", help="also when it has moved more than clamping does")
    measuring.add_argument("--register", metavar="FILE", help="another register than the shop's own, or its URL")
    measuring.add_argument("--csv", type=Path, metavar="FILE", help="write the table from the reference as CSV")
    measuring.add_argument("--dxf", type=Path, metavar="FILE", help="write it as a dimensioned drawing")
    with_json(on_job("features", _features, "recognised and named features of the part"))
    with_json(on_job("stock", _stock, "in-process stock of every setup"))
    with_json(on_job("sides", _sides, "from where features can be cut, and proposed orders of sides"))
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
    importing = with_json(command("import", _import, "make a job from a STEP or STL model"))
    importing.add_argument("model", type=Path, metavar="MODEL", help="model file (.step, .stp, .stl)")
    importing.add_argument("-o", "--out", type=Path, required=True, metavar="JOB", help="job file to write (.json)")
    importing.add_argument("--unit", choices=("mm", "cm", "m", "in"), help="length unit of an STL file")
    importing.add_argument("--body", metavar="N", help="which of several bodies, from 1; 0 for an assembly")
    importing.add_argument(
        "--plan-within", default="60", metavar="SECONDS", help="plan its sides for so long at most; 0 plans none (60)"
    )
    importing.add_argument("--keep", type=Path, metavar="OLD", help="older job whose names and operations are kept")
    taping = with_json(command("tape", _tape, "work offsets from readings taken by hand"))
    taping.add_argument("readings", type=Path, metavar="FILE", help="readings (.json)")
    taping.add_argument("--job", type=Path, metavar="JOB", help="job whose planned offset they are compared with")
    reading = with_json(command("read", _read, "what toolpath programs call, and how far they go"))
    reading.add_argument("programs", type=Path, nargs="+", metavar="PROGRAM", help="toolpath program")
    reading.add_argument("--job", type=Path, metavar="JOB", help="job whose machine and plan they are compared with")
    reading.add_argument("--register", metavar="FILE", help="another register than the shop's own, or its URL")
    fitting = with_json(command("fit", _fit, "least-squares circle, line or plane through measured points"))
    fitting.add_argument("shape", choices=("circle", "line", "plane"))
    fitting.add_argument("points", type=Path, metavar="POINTS", help="CSV file: x,y or x,y,z in each row")
    add_commands(commands)
    command("schema", _schema, "print the JSON Schema of the job file")
    return parser


def _seed(text: str) -> int:
    try:
        seed = int(text)
    except ValueError:
        seed = -1
    if seed < 0:
        raise argparse.ArgumentTypeError(f"'{text}' is no seed; give a whole number from 0 up")
    return seed


def _limit(text: str) -> float:
    from ledgecliff.core.errors import QuantityError
    from ledgecliff.core.typed import parse_length

    try:
        limit = parse_length(text, "mm")
    except QuantityError as error:
        raise argparse.ArgumentTypeError(str(error)) from error
    if limit <= 0.0:
        raise argparse.ArgumentTypeError(f"'{text}' is no limit; give a length above 0")
    return limit


def _open(options: argparse.Namespace) -> int:
    from ledgecliff.app.main import run  # only this command needs a window

    return run(options.job)


def _plan(options: argparse.Namespace) -> Any:
    from ledgecliff.core.plan import make_plan
    from ledgecliff.store.job_files import read_job
    from ledgecliff.store.part_models import load_models

    job = read_job(options.job)
    return make_plan(job, load_models(job, options.job))


def _demo_job(options: argparse.Namespace) -> int:
    from ledgecliff.store.demo import demo_job

    print(demo_job(options.name))
    return 0


def _coordinates(options: argparse.Namespace) -> int:
    plan = _plan(options)
    setups = [
        {
            "name": setup.setup.name,
            "offset": setup.setup.offset,
            "features": [{"name": r.name, **xyz((r.x, r.y, r.z))} for r in setup.readings],
        }
        for setup in plan.setups
    ]
    if options.json:
        print_json({"setups": setups})
        return 0
    for setup in setups:
        print(f"{setup['name']} ({setup['offset']})")
        for row in setup["features"]:
            print(f"  {row['name']:<24}{row['x']:+12.3f}{row['y']:+12.3f}{row['z']:+12.3f}")
    return 0


def _check(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.offsets import present_findings, present_values
    from ledgecliff.command_line.toolpaths import operation_programs
    from ledgecliff.core.finding import SEVERITIES

    plan = _plan(options)
    found = [*findings_of(plan), *present_findings(options, plan.job)]
    rows = [
        {"code": f.code, "severity": f.severity, "setup": f.setup, "message": f.message(), "remedy": f.remedy()}
        for f in found
    ]
    present = present_values(options, plan.job)
    rows = [*rows, *operation_programs(plan, options.job.resolve().parent, present)]
    rows.sort(key=lambda row: SEVERITIES.index(row["severity"]))
    if options.json:
        print_json({"findings": rows})
    else:
        for row in rows:
            print(f"{row['severity']}: {row['message']} {row['remedy']} [{row['code']}]")
        if not rows:
            print("nothing found")
    return int(any(row["severity"] in ("hazard", "error") for row in rows))


def _features(options: argparse.Namespace) -> int:
    from ledgecliff.core.feature_list import feature_list

    rows: list[dict[str, Any]] = [
        {
            "kind": row.kind,
            "name": row.name,
            "named": row.named,
            "sizes": {name: rounded(value) for name, value in row.sizes},
            "through": row.through,
            "position": xyz(row.at),
            "direction": xyz(row.direction),
            "steps": [{"diameter": rounded(d), "depth": rounded(far)} for d, far in row.steps],
            "sides": list(row.sides),
            "surface": row.surface,
            "residual": rounded(row.residual),
        }
        for row in feature_list(_plan(options))
    ]
    if options.json:
        print_json({"features": rows})
        return 0
    for row in rows:
        sizes = "  ".join(f"{name} {value:.3f}" for name, value in row["sizes"].items())
        at = "".join(f"{row['position'][axis]:+10.3f}" for axis in "xyz")
        print(f"{row['name']:<24}{row['kind']:<14}{at}  {sizes}  from {' '.join(row['sides']) or 'no square side'}")
    return 0


def _stock(options: argparse.Namespace) -> int:
    plan = _plan(options)
    setups = []
    for setup in plan.setups:
        orientation, holding = setup.setup.orientation, setup.holding
        low, high = setup.after.u_corners(orientation)
        setups.append(
            {
                "name": setup.setup.name,
                "size": xyz(holding.u_stock[1] - holding.u_stock[0]),
                "volume": rounded(setup.before.volume),
                "hat": rounded(max(holding.u_part[0][2] - holding.u_stock[0][2], 0.0)),
                "hat_on_top": rounded(max(holding.u_stock[1][2] - holding.u_part[1][2], 0.0)),
                "grip": rounded(holding.grip) if holding.jaws is not None else None,
                "left": {"size": xyz(high - low), "volume": rounded(setup.after.volume)},
                "operations": [
                    {"name": operation.name, "removed": rounded(setup.cutting.removed(k).volume())}
                    for k, operation in enumerate(setup.setup.operations)
                ],
            }
        )
    if options.json:
        print_json({"setups": setups})
        return 0
    for row in setups:
        size = " x ".join(f"{row['size'][axis]:.3f}" for axis in "xyz")
        grip = "" if row["grip"] is None else f", gripped {row['grip']:.3f}"
        print(f"{row['name']}: {size}, {row['volume'] / 1000:.3f} cm3, hat {row['hat']:.3f}{grip}")
        print(f"  leaves {row['left']['volume'] / 1000:.3f} cm3")
    return 0


def _sides(options: argparse.Namespace) -> int:
    from ledgecliff.core.quantities import spell

    plan = _plan(options)
    features = [{"name": reach.name, "sides": list(reach.sides)} for reach in plan.coverage.features]
    orders = [
        {
            "sides": list(order.sides),
            "score": round(order.score, 3),
            "arguments": [
                {"side": a.side, "weight": round(a.weight, 3), "words": spell(a.words, "mm")} for a in order.arguments
            ],
        }
        for order in plan.proposal.orders
    ]
    if options.json:
        print_json({"features": features, "fewest": [list(sides) for sides in plan.coverage.fewest], "orders": orders})
        return 0
    for order in orders:
        print(f"{', then '.join(order['sides'])}: {order['score']:+.2f}")
        for argument in order["arguments"]:
            print(f"  {argument['weight']:+.2f}  {argument['side']}: {argument['words']}")
    return 0


def _registration(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.turns import choose, print_turns
    from ledgecliff.core.plan import make_plan
    from ledgecliff.core.registration.pins import PIN_LAYOUTS
    from ledgecliff.core.turns.turn_plan import WAYS
    from ledgecliff.store.job_files import write_job
    from ledgecliff.store.part_models import carry_models

    plan = _plan(options)
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

    for path in write_turn_drawings(_plan(options), options.out):
        print(path)
    return 0


def _import(options: argparse.Namespace) -> int:
    from ledgecliff.store import kernel_process

    kernel_process.warm_up()  # the kernel loads while this process imports the rest
    from ledgecliff.core.model.orientation import shown
    from ledgecliff.core.quantities import spell
    from ledgecliff.store.imports import import_model, plan_imported
    from ledgecliff.store.job_files import read_job, write_job
    from ledgecliff.store.part_models import carry_models, load_models

    body = _whole("--body", options.body, "bodies count from 1, and 0 takes all of them as an assembly")
    within = _whole("--plan-within", options.plan_within, "give whole seconds, or 0 to plan no sides")
    if options.model.suffix.lower() == ".stl" and options.unit is None:
        raise InvalidValueError("--unit", "an STL file states no length unit; say which: mm, cm, m or in")
    if options.model.suffix.lower() == ".stl" and body is not None:
        raise InvalidValueError("--body", "an STL file holds one body; leave it out")
    kept_in_place = options.keep is not None and options.keep.resolve() == options.out.resolve()
    if options.out.exists() and not kept_in_place:
        raise InvalidValueError("--out", f"'{options.out}' exists already; choose another name, or --keep it")
    keep = None
    if options.keep is not None:
        old = read_job(options.keep)
        keep = (old, load_models(old, options.keep, with_part=False))
    imported = import_model(options.model, options.unit or "mm", body, keep)
    cannot = ""
    if keep is None and within:
        imported, cannot = plan_imported(imported, float(within))
    folder = options.out.resolve().parent
    job = carry_models(imported.job, options.model.resolve().parent, folder)
    write_job(job, options.out)
    report = imported.report
    kept: dict[str, Any] = {
        "kept": list(report.kept) if report else [],
        "moved": [{"feature": name, "how": how} for name, how in report.moved] if report else [],
        "lost": list(report.lost) if report else [],
    }
    geometry = imported.models.part
    notes = [spell(note, "mm") for note in geometry.notes] if geometry else []
    if options.json:
        print_json(
            {"job": str(options.out), "features": len(job.part.features), "recognised": imported.words(),
             "notes": notes, "setups": [setup.orientation.up for setup in job.setups], "cannot": cannot, **kept}
        )  # fmt: skip
        return 0
    print(options.out)
    print(f"  {imported.words()}")
    if keep is None and within:
        sides = ", then ".join(f"{shown(setup.orientation.up)} up" for setup in job.setups)
        print(f"  {len(job.setups)} setup{'s' if len(job.setups) > 1 else ''}: part {sides}")
    if cannot:
        print(f"  {cannot}")
    for row in kept["moved"]:
        print(f"  {row['feature']}: {row['how']}")
    for name in kept["lost"]:
        print(f"  not matched: {name}")
    return 0


def _whole(option: str, text: str | None, remedy: str) -> int | None:
    """A whole number from 0 up, None where the option is left out.  Raises InvalidValueError."""
    if text is None:
        return None
    try:
        number = int(text)
    except ValueError:
        number = -1
    if number < 0:
        raise InvalidValueError(option, f"'{text}' is none of what is allowed; {remedy}")
    return number


def _probe_plan(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.probing import probe_plan

    return probe_plan(_plan(options), as_json=options.json)


def _measure(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.probing import measure

    return measure(options, _plan(options))


def _tape(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.touchoff import tape

    plan = None if options.job is None else _plan(argparse.Namespace(job=options.job))
    return tape(options, plan)


def _read(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.toolpaths import read

    return read(options, None if options.job is None else _plan(argparse.Namespace(job=options.job)))


def _fit(options: argparse.Namespace) -> int:
    from ledgecliff.command_line.probing import fit

    return fit(options)


def _post(options: argparse.Namespace) -> int:
    from ledgecliff.store.outputs import write_programs

    plan = _plan(options)
    for path in write_programs(plan, options.out):
        print(path)
    # What was written is run against the plan; standard output stays the list of files.
    differences = 0
    for index, setup in enumerate(plan.setups):
        back = read_back(plan, index)
        differences += len(back.differences)
        agree = f"{back.touches} touches and {back.results} results as planned, {back.stops} stops driven and held"
        print(f"{setup.setup.name}: read back, {agree}", file=sys.stderr)
        for difference in back.differences:
            print(f"  not as planned: {difference}", file=sys.stderr)
    return int(differences > 0)


def _sheet(options: argparse.Namespace) -> int:
    from ledgecliff.store.outputs import write_sheet

    print(write_sheet(_plan(options), options.out))
    return 0


def _rehearse(options: argparse.Namespace) -> int:
    from ledgecliff.core.quantities import spell
    from ledgecliff.core.rehearsal.rehearse import rehearse

    plan = _plan(options)
    written = written_plan(plan)
    world = _world(options, written)
    rehearsal = rehearse(written, world, limit=options.limit)
    if options.keep_world is not None:
        from ledgecliff.store.touch_files import write_world

        write_world(world, options.keep_world)
    if options.record is not None:
        from ledgecliff.command_line.probing import recorded_touches
        from ledgecliff.store.atomic import write_atomic

        name, file = options.record
        write_atomic(Path(file), recorded_touches(plan, rehearsal, name))
    setups = [
        {
            "name": setup.name,
            "offset": setup.offset,
            "true": xyz(setup.true) if setup.ran else None,
            "found": xyz(setup.found) if not setup.stopped else None,
            "difference": xyz(setup.difference) if not setup.stopped else None,
            "alarms": list(setup.alarms),
            "amiss": [spell(words, "mm") for words in setup.amiss],
            "touches": setup.counted,
            "triggers": len(setup.touches),
            "hover_gap": None if setup.hover_gap is None else rounded(setup.hover_gap),
            "skew": {"true_deg": rounded(setup.true_turn_deg), "found_deg": rounded(setup.turn_deg)},
        }
        for setup in rehearsal.setups
    ]
    pairs = [
        {
            "feature": pair.feature,
            "partner": pair.partner,
            "position": xyz(tuple(a + b for a, b in zip(pair.p_nominal, pair.p_deviation, strict=True))),
            "nominal": xyz(pair.p_nominal),
            "deviation": xyz(pair.p_deviation),
        }
        for pair in rehearsal.pairs
    ]
    if options.json:
        print_json({"seed": rehearsal.seed, "setups": setups, "features": pairs})
    else:
        _print_rehearsal(setups, pairs)
    return int(bool(rehearsal.alarms or rehearsal.amiss))


def _world(options: argparse.Namespace, written: WrittenPlan) -> TrueWorld:
    """The true world that is stated in a file, or one that is drawn."""
    from ledgecliff.core.rehearsal.drawn_world import drawn_world

    if options.world is None:
        return drawn_world(written, 1 if options.seed is None else options.seed)
    from ledgecliff.store.touch_files import read_world

    world = read_world(options.world, written.job)
    return world if options.seed is None else world.model_copy(update={"seed": options.seed})


def _print_rehearsal(setups: list[dict[str, Any]], pairs: list[dict[str, Any]]) -> None:
    for setup in setups:
        print(f"{setup['name']} ({setup['offset']}): {setup['touches']} touches")
        for alarm in setup["alarms"]:
            print(f"  stopped: {alarm}")
        for words in setup["amiss"]:
            print(f"  not right: {words}")
        for what in ("true", "found", "difference"):
            if setup[what]:
                print(f"  {what:<12}" + "".join(f"{setup[what][axis]:+12.3f}" for axis in "xyz"))
    for pair in pairs:
        print(
            f"{pair['feature']} to {pair['partner']}: "
            + " ".join(f"{a.upper()} {pair['deviation'][a]:+.3f}" for a in "xyz")
        )


def _schema(_options: argparse.Namespace) -> int:
    from ledgecliff.core.model.job import Job

    print_json({"$schema": "https://json-schema.org/draft/2020-12/schema", **Job.model_json_schema()})
    return 0
