"""``release JOB``: programs and sheet, sealed; ``release verify DIR``: whether they are still what was released."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from ledgecliff.command_line.output import print_json
from ledgecliff.command_line.plans import beside_of, plan_of, setup_named
from ledgecliff.command_line.rehearsing import trials
from ledgecliff.command_line.shops import shop_place
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.sheets.wanted import PAPERS


def add_commands(commands: Any) -> None:
    """Adds ``release`` to the parser's commands."""
    words = "how far each setup has come: planned, checked, rehearsed, released, run"
    seals = commands.add_parser("seals", help=words, description=words)
    seals.set_defaults(run=_seals)
    seals.add_argument("job", type=Path, metavar="JOB")
    seals.add_argument("--register", metavar="FILE", help="another register than the shop's own, or its URL")
    seals.add_argument("--json", action="store_true", help="print JSON")
    words = "programs and sheet of a job, sealed with checksums; 'release verify DIR' compares with what is there now"
    release = commands.add_parser("release", help=words, description=words)
    release.set_defaults(run=_release)
    release.add_argument("job", type=Path, metavar="JOB", help="job file (.json), or the word 'verify'")
    release.add_argument("folder", type=Path, nargs="?", metavar="DIR", help="of 'verify': the folder of a release")
    release.add_argument("--setup", action="append", default=[], metavar="SETUP", help="only this one (several times)")
    release.add_argument("--by", metavar="NAME", help="who releases it")
    release.add_argument("--override", action="append", default=[], metavar="CODE=REASON", help="of a hazard")
    release.add_argument("-o", "--out", type=Path, metavar="DIR", help="an empty folder")
    release.add_argument("--trials", type=trials, metavar="N", help="rehearse it in N worlds before, and say so")
    release.add_argument("--paper", choices=PAPERS, default="A4", help="A4, or letter")
    release.add_argument("--unit", choices=("mm", "in"), default="mm", help="of its sheets")
    release.add_argument("--against", type=Path, metavar="JOB", help="of 'verify': whether the job has changed, too")
    release.add_argument("--register", metavar="FILE", help="another register than the shop's own, or its URL")
    release.add_argument("--json", action="store_true", help="print JSON")


def _release(options: argparse.Namespace) -> int:
    if str(options.job) == "verify":
        return _verify(options)
    from ledgecliff.core.rehearsal.rehearse import written_plan
    from ledgecliff.core.rehearsal.worlds import rehearse_in_worlds
    from ledgecliff.store.release_files import write_release
    from ledgecliff.store.release_wish import Wish

    if options.folder is not None:
        raise InvalidValueError("DIR", "is named by -o; write: release JOB --by NAME -o DIR")
    for name, given in (("--by", (options.by or "").strip()), ("-o", options.out)):
        if not given:
            raise InvalidValueError(name, "is missing; say who releases it, and into which folder")
    plan = plan_of(options)
    worlds = None
    if options.trials is not None:
        worlds = rehearse_in_worlds(written_plan(plan), range(1, options.trials + 1))
    wish = Wish(
        options.by.strip(), [setup_named(plan, name) for name in options.setup], _reasons(options.override),
        beside_of(options, plan), worlds=worlds, paper=options.paper, unit=options.unit,
    )  # fmt: skip
    release, waits = write_release(plan, options.job.parent, options.out, wish, shop_place(options))
    if waits:
        print(f"ledgecliff: {waits}", file=sys.stderr)
    files = [str(options.out / each.name) for each in release.files]
    if options.json:
        overrides = [{"code": each.finding.code, "reason": each.reason, "by": each.by} for each in release.overrides]
        print_json({"release": release.id, "seal": release.seal, "files": files, "overrides": overrides})
    else:
        print("\n".join([*files, *release.proof, f"release {release.id}, seal {release.seal[:12]}"]))
    return 0


def _reasons(said: list[str]) -> dict[str, str]:
    found = {}
    for words in said:
        code, equals, reason = words.partition("=")
        if not equals or not code.strip():
            raise InvalidValueError("--override", f"'{words}' is no code with its reason; write CODE=REASON")
        found[code.strip()] = reason
    return found


def _seals(options: argparse.Namespace) -> int:
    from ledgecliff.core.findings.everything import found_against
    from ledgecliff.core.release.seals import seals_of
    from ledgecliff.store.record_about import history_about

    plan = plan_of(options)
    found = found_against(plan, beside_of(options, plan))
    seals = seals_of(plan.job, found, history_about(shop_place(options), plan.job))
    if options.json:
        print_json({
            "seals": [
                {"setup": each.name, "stage": each.stage, "at": each.at, "by": each.by, "changed": each.changed[1:]}
                for each in seals
            ]
        })  # fmt: skip
        return 0
    for each in seals:
        changed = each.changed_words()
        print(f"{each.name}: {each.words()}{f'; {changed}' if changed else ''}")
    return 0


def _verify(options: argparse.Namespace) -> int:
    from ledgecliff.store.release_folder import verify_release

    if options.folder is None:
        raise InvalidValueError("DIR", "is missing; write: release verify DIR")
    plan = None if options.against is None else plan_of(argparse.Namespace(job=options.against))
    told = verify_release(options.folder, plan, shop_place(options))
    if options.json:
        print_json({"differences": told})
    else:
        print("\n".join(told) or "as it was released")
    return int(bool(told))
