"""The command line: the same work without a window.

Results go to standard output, one clear line about anything unreadable to standard error.  Exit
status: 0 all well, 1 a hazard or error stands (or a rehearsal stopped), 2 nothing could be done.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from ledgecliff import __version__
from ledgecliff.core.errors import LedgecliffError


def main(arguments: list[str] | None = None) -> int:
    arguments = sys.argv[1:] if arguments is None else arguments
    parser = _parser()
    options = parser.parse_args(arguments)
    try:
        return int(options.run(options))
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
    with_json(on_job("check", _check, "findings; exit status 1 when a hazard or error stands"))
    on_job("post", _post, "write the probing and hover-check programs").add_argument(
        "-o", "--out", type=Path, required=True, metavar="DIR", help="folder for the programs"
    )
    on_job("sheet", _sheet, "write the setup sheet").add_argument(
        "-o", "--out", type=Path, required=True, metavar="FILE", help="FILE.html or FILE.pdf"
    )
    rehearsal = with_json(on_job("rehearse", _rehearse, "run the programs on the simulated machine"))
    rehearsal.add_argument("--seed", type=_seed, default=1, help="which hidden true world (default 1)")
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


def _open(options: argparse.Namespace) -> int:
    from ledgecliff.app.main import run  # only this command needs a window

    return run(options.job)


def _plan(options: argparse.Namespace) -> Any:
    from ledgecliff.core.plan import make_plan
    from ledgecliff.store.job_files import read_job
    from ledgecliff.store.part_models import load_models

    job = read_job(options.job)
    return make_plan(job, load_models(job, options.job))


def _print_json(data: Any) -> None:
    print(json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False))


def _rounded(value: float) -> float:
    """Six places: far below what a machine resolves, and no noise of the last bit."""
    return round(float(value), 6) + 0.0


def _xyz(vector: Any) -> dict[str, float]:
    return {axis: _rounded(value) for axis, value in zip("xyz", vector, strict=True)}


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
            "features": [{"name": r.name, **_xyz((r.x, r.y, r.z))} for r in setup.readings],
        }
        for setup in plan.setups
    ]
    if options.json:
        _print_json({"setups": setups})
        return 0
    for setup in setups:
        print(f"{setup['name']} ({setup['offset']})")
        for row in setup["features"]:
            print(f"  {row['name']:<24}{row['x']:+12.3f}{row['y']:+12.3f}{row['z']:+12.3f}")
    return 0


def _check(options: argparse.Namespace) -> int:
    findings = _plan(options).findings
    rows = [
        {"code": f.code, "severity": f.severity, "setup": f.setup, "message": f.message(), "remedy": f.remedy()}
        for f in findings
    ]
    if options.json:
        _print_json({"findings": rows})
    else:
        for row in rows:
            print(f"{row['severity']}: {row['message']} {row['remedy']} [{row['code']}]")
        if not rows:
            print("nothing found")
    return int(any(f.severity in ("hazard", "error") for f in findings))


def _post(options: argparse.Namespace) -> int:
    from ledgecliff.store.outputs import write_programs

    for path in write_programs(_plan(options), options.out):
        print(path)
    return 0


def _sheet(options: argparse.Namespace) -> int:
    from ledgecliff.store.outputs import write_sheet

    print(write_sheet(_plan(options), options.out))
    return 0


def _rehearse(options: argparse.Namespace) -> int:
    from ledgecliff.core.simulator.rehearsal import rehearse

    plan = _plan(options)
    rehearsal = rehearse(plan.job, plan.geometry, plan.for_rehearsal(), options.seed, casting=plan.models.stock)
    setups = [
        {
            "name": setup.name,
            "offset": setup.offset,
            "true": _xyz(setup.true) if setup.ran else None,
            "found": _xyz(setup.found) if not setup.stopped else None,
            "difference": _xyz(setup.difference) if not setup.stopped else None,
            "alarms": list(setup.alarms),
            "touches": setup.counted,
            "triggers": len(setup.touches),
            "hover_gap": None if setup.hover_gap is None else _rounded(setup.hover_gap),
        }
        for setup in rehearsal.setups
    ]
    pairs = [
        {
            "feature": pair.feature,
            "partner": pair.partner,
            "position": _xyz(tuple(a + b for a, b in zip(pair.p_nominal, pair.p_deviation, strict=True))),
            "nominal": _xyz(pair.p_nominal),
            "deviation": _xyz(pair.p_deviation),
        }
        for pair in rehearsal.pairs
    ]
    if options.json:
        _print_json({"seed": rehearsal.seed, "setups": setups, "features": pairs})
    else:
        _print_rehearsal(setups, pairs)
    return int(bool(rehearsal.alarms))


def _print_rehearsal(setups: list[dict[str, Any]], pairs: list[dict[str, Any]]) -> None:
    for setup in setups:
        print(f"{setup['name']} ({setup['offset']}): {setup['touches']} touches")
        for alarm in setup["alarms"]:
            print(f"  stopped: {alarm}")
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

    _print_json({"$schema": "https://json-schema.org/draft/2020-12/schema", **Job.model_json_schema()})
    return 0
