"""Where the same setup stands many times: its instances, their offsets and shifts, by ``stations``."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any, get_args

from ledgecliff.command_line.output import print_json, rounded, xyz
from ledgecliff.command_line.plans import add_job_command, beside_of, plan_of, setup_named
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.patterns import (
    faces_for,
    group_named,
    nudged,
    pattern_in,
    places_named,
    typed_layout,
    typed_recut,
    with_costs,
    with_group,
    with_measured,
    with_new_load,
    with_over_groups,
    with_pattern,
    with_recut,
    with_state,
    without_pattern,
)
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.frames import AXES
from ledgecliff.core.many_parts.choices import Compared, compared
from ledgecliff.core.many_parts.codes import SCHOOLS, codes_of_setup, with_school
from ledgecliff.core.many_parts.listing import index_words
from ledgecliff.core.many_parts.planned_offsets import planned_offsets_program
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.pattern import GroupedBy, Missing, Probed
from ledgecliff.core.patterns.instances import Instance
from ledgecliff.core.patterns.places import recut_words
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.quantities import spell
from ledgecliff.core.typed import parse_length
from ledgecliff.store.job_files import write_job


def add_commands(commands: Any) -> None:
    """Adds ``stations`` to the parser's commands."""
    words = "every setup's instances: place, offset, local shift; how many offsets they need and how many are free"
    stations = add_job_command(commands, "stations", _stations, words)
    stations.add_argument("--json", action="store_true", help="print JSON (lengths in mm)")
    stations.add_argument("--csv", type=Path, metavar="FILE", help="write them as a table")
    stations.add_argument("--dxf", type=Path, metavar="FILE", help="write their zeros as a drawing")
    stations.add_argument("--load", type=Path, metavar="FILE", help="program that loads every planned offset")
    stations.add_argument("--verify", type=Path, metavar="FILE", help="program that stops where one differs from it")
    stations.add_argument("--register", metavar="FILE", help="another register than the shop's own, or its URL")
    stations.add_argument(
        "--table", nargs=4, metavar=("LEFT", "RIGHT", "FRONT", "BACK"), help="where the machine's table ends; written"
    )
    stations.add_argument(
        "--choices", action="store_true", help="one offset or many, probed or not: error, minutes, offsets of each"
    )
    stations.add_argument("--setup", metavar="SETUP", help="the setup that what follows changes; the job is written")
    stations.add_argument(
        "--pattern", metavar="WORDS", help="'5 x 2, 74, 118', 'ring 6, 0, 90, 60' (', parallel'), or 'none'"
    )
    stations.add_argument("--face", action="append", metavar="CARRIER", help="all of it once more on that face")
    stations.add_argument("--number", metavar="WORDS", help="'first 11, prefix S, columns, from right, to and fro'")
    stations.add_argument("--grouped-by", choices=get_args(GroupedBy)[:4], help="what shifts together")
    stations.add_argument(
        "--over-groups", nargs="*", metavar="OPERATION", help="operations that run over a whole group in one sweep"
    )
    stations.add_argument("--school", choices=SCHOOLS, help="how instances get their zeros; gives out the offsets")
    stations.add_argument("--one-each", choices=("face", "group"), help="what shares an offset where not each has one")
    stations.add_argument("--probed", choices=get_args(Probed), help="which instances are probed")
    stations.add_argument("--seating", choices=("yes", "no"), help="the top of each is touched for presence and seat")
    stations.add_argument("--missing", choices=get_args(Missing), help="what the run does where one is missing")
    stations.add_argument("--costs", metavar="WORDS", help="of a stop, a miss, and the share wrong: '1, 50, 1%%'; ''")
    stations.add_argument("--loads", type=int, metavar="N", help="how often all of it is loaded")
    stations.add_argument("--skip", nargs="+", metavar="NAME", help="these instances, with the --reason")
    stations.add_argument("--on", nargs="+", metavar="NAME", help="these are run again")
    stations.add_argument("--finished", nargs="+", metavar="NAME", help="these are done")
    stations.add_argument("--new-load", action="store_true", help="all that was finished is on, with new blanks")
    stations.add_argument("--reason", default="", metavar="TEXT")
    stations.add_argument("--shift", nargs=4, metavar=("NAME", "X", "Y", "Z"), help="an instance or group, by so much")
    stations.add_argument(
        "--blank", nargs=4, metavar=("NAME", "X", "Y", "Z"), help="its blank as measured; '-': not measured"
    )
    stations.add_argument("--recut", nargs=2, metavar=("GROUP", "'-Y 0.2'"), help="where its face looks, and how deep")
    stations.add_argument("--day", metavar="DAY", help="when that was, as 2026-04-14")


def _stations(options: argparse.Namespace) -> int:
    plan = plan_of(options)
    changed = plan.job if options.table is None else _with_table(options, plan)
    if options.setup is not None:
        changed = _changed(options, make_plan(changed, plan.models))
    elif any(getattr(options, name) not in (None, False, "") for name in _CHANGES):
        raise InvalidValueError("--setup", "say which setup's pattern is to be changed")
    if changed != plan.job:
        plan = make_plan(changed, plan.models)
        write_job(changed, options.job)
    if options.csv is not None:
        from ledgecliff.store.station_files import write_stations_csv

        write_stations_csv(plan, options.csv)
    if options.dxf is not None:
        from ledgecliff.store.station_files import write_stations_dxf

        write_stations_dxf(plan, options.dxf)
    for path, verify in ((options.load, False), (options.verify, True)):
        if path is not None:
            from ledgecliff.store.atomic import write_atomic

            write_atomic(path, planned_offsets_program(plan, plan.job.machine, verify=verify))
    _show(options, plan)
    return 0


def _with_table(options: argparse.Namespace, plan: Plan) -> Job:
    edges = zip(("left", "right", "front", "back"), options.table, strict=True)
    top = {edge: parse_length(text, "mm") for edge, text in edges}
    return set_value(plan.job, ("machines", plan.job.number_of(plan.job.machine), "table"), top)


#: Options that change a setup's pattern.
_CHANGES = (
    "pattern", "face", "number", "costs", "grouped_by", "over_groups", "school", "one_each", "probed",
    "seating", "missing", "loads", "skip", "on", "finished", "new_load", "shift", "blank", "recut",
)  # fmt: skip


def _changed(options: argparse.Namespace, plan: Plan) -> Job:
    """The job with everything that was asked for, one after the other."""
    number, job = setup_named(plan, options.setup), plan.job
    if options.pattern == "none":
        return without_pattern(job, number)
    if options.pattern is not None:
        job = with_pattern(job, number, layout=typed_layout(options.pattern, "mm"), codes=())
    for name in options.face or ():
        job = _on_face(job, number, name)
    plain = {name: getattr(options, name) for name in ("grouped_by", "one_each", "probed", "missing", "loads")}
    plain = {name: value for name, value in plain.items() if value is not None}
    if options.seating is not None:
        plain["seating"] = options.seating == "yes"
    if plain:
        job = with_pattern(job, number, **plain)
    if options.over_groups is not None:
        for operation in job.setups[number].operations:
            job = with_over_groups(job, number, operation.name, over=False)
        for name in options.over_groups:
            job = with_over_groups(job, number, name, over=True)
    if options.costs is not None:
        job = with_costs(job, number, options.costs)
    if options.new_load:
        job = with_new_load(job, number)
    job = _of_instances(options, job, number, plan)
    # Last, so that instances are named as they were called before.
    if options.number is not None:
        job = with_pattern(job, number, numbering=_numbering(options.number))
    if options.school is not None:
        beside = beside_of(options, plan)
        job = with_school(job, number, options.school, beside.entries.get(plan.setups[number].machine.id, ()))
    return job


def _on_face(job: Job, number: int, name: str) -> Job:
    there = {mount.name: face for mount, face in faces_for(job, number)}
    if name not in there:
        raise InvalidValueError("--face", f"there is no other '{name}'; there are {', '.join(there) or 'none'}")
    face = there[name]
    if face is None:
        raise InvalidValueError("--face", f"'{name}' cannot be turned to where the master's face is")
    return with_pattern(job, number, faces=(*pattern_in(job, number).faces, face), codes=())


def _numbering(text: str) -> dict[str, object]:
    found: dict[str, object] = {}
    flags = {"from right": "from_right", "from back": "from_back", "to and fro": "to_and_fro",
             "each face anew": "each_face_anew"}  # fmt: skip
    for words in (each.strip() for each in text.split(",")):
        head, _, rest = words.partition(" ")
        if words in flags:
            found[flags[words]] = True
        elif words in ("rows", "columns"):
            found["along"] = words
        elif head == "first" and rest.isdecimal():
            found["first"] = int(rest)
        elif head == "prefix" and rest:
            found["prefix"] = rest
        else:
            known = ", ".join(("first N", "prefix TEXT", "rows", "columns", *flags))
            raise InvalidValueError("--number", f"'{words}' is not known; say {known}")
    return found


def _of_instances(options: argparse.Namespace, job: Job, number: int, plan: Plan) -> Job:
    now = make_plan(job, plan.models).instances(number)
    if options.skip:
        job = with_state(job, number, places_named(now, options.skip), "skipped", options.reason)
    if options.on:
        job = with_state(job, number, places_named(now, options.on), "on")
    if options.finished:
        job = with_state(job, number, places_named(now, options.finished), "finished")
    if options.shift is not None:
        name, *typed = options.shift
        x, y, z = (parse_length(word, "mm") for word in typed)
        if any(each.name == name for each in now):
            job = nudged(job, number, places_named(now, [name]), (x, y, z))
        else:
            key, called = group_named(now, name)
            group = pattern_in(job, number).group(key)
            before = group.shift.as_tuple() if group is not None else (0.0, 0.0, 0.0)
            moved = [round(a + b, 6) for a, b in zip(before, (x, y, z), strict=True)]
            shift = Point(x=moved[0], y=moved[1], z=moved[2])
            job = with_group(job, number, key, called, shift=shift, shifted_on=options.day)
    if options.blank is not None:
        name, *typed = options.blank
        for axis, word in zip(AXES, typed, strict=True):
            mm = None if word == "-" else parse_length(word, "mm")
            job = with_measured(job, number, places_named(now, [name]), axis, mm)
    if options.recut is not None:
        name, typed_words = options.recut
        if options.day is None:
            raise InvalidValueError("--day", "say when the face was cut again, as 2026-04-14")
        recut = typed_recut(typed_words, "mm", options.day, options.reason)
        print(spell(recut_words(recut), "mm"), file=sys.stderr)
        job = with_recut(job, number, *group_named(now, name), recut)
    return job


def _show(options: argparse.Namespace, plan: Plan) -> None:
    beside = beside_of(options, plan)
    setups = []
    for setup in plan.setups:
        codes = codes_of_setup(plan.job, setup.index, beside.entries.get(setup.machine.id, ()))
        instances = [_instance(each) for each in plan.instances(setup.index)]
        told = {"needed": codes.needed, "free": len(codes.free), "policy": codes.school}
        row = {"name": setup.setup.name, "instances": instances, "codes": told}
        if options.choices:
            row["choices"] = _choices(compared(plan, setup, beside.entries.get(setup.machine.id, ())))
        setups.append(row)
    if options.json:
        print_json({"setups": setups})
    else:
        _print(setups)


def _choices(told: Compared) -> dict[str, Any]:
    asked = None
    if told.asked is not None:
        asked = {"limit": rounded(told.asked.limit), "what": told.asked.what, "whose": told.asked.whose}
    rows = [
        {
            "policy": each.school,
            "probed": each.probed,
            "standard": rounded(each.pair.u),
            "expanded": rounded(each.expanded),
            "minutes": rounded(each.minutes),
            "codes": each.needed,
            "enough": each.enough,
            "keeps": each.keeps,
            "best": k == told.best,
        }
        for k, each in enumerate(told.choices)
    ]
    return {"asked": asked, "rows": rows}


def _instance(each: Instance) -> dict[str, Any]:
    return {
        "name": each.name,
        "group": each.group_name,
        "carrier": each.carrier,
        "face": each.face,
        "index": index_words(each),
        "state": each.state,
        "reason": each.reason,
        "machine": xyz(each.m_zero),
        "offset": each.offset,
        "local": xyz(each.located.local_shift),
        "measured": {} if each.measured is None else each.measured.sizes(),
    }


def _print(setups: list[dict[str, Any]]) -> None:
    for setup in setups:
        codes = setup["codes"]
        print(f"{setup['name']}: {codes['policy']}, {codes['needed']} offsets needed, {codes['free']} free")
        for row in setup.get("choices", {}).get("rows", ()):
            keeps = {True: "keeps what is asked", False: "does not keep it", None: "nothing is asked"}[row["keeps"]]
            print(
                f"  {'*' if row['best'] else ' '} {row['policy']}, probed: {row['probed']}: ±{row['expanded']:.3f} mm, "
                f"{row['minutes']:.1f} min a load, {row['codes']} offsets{'' if row['enough'] else ' (too few)'}; "
                f"{keeps}"
            )
        for each in setup["instances"]:
            where = " ".join(filter(None, (each["face"] or each["carrier"], each["index"])))
            state = each["state"] + (f" ({each['reason']})" if each["reason"] else "")
            numbers = "".join(f"{each['machine'][axis]:+12.3f}" for axis in "xyz")
            local = "".join(f"{each['local'][axis]:+10.3f}" for axis in "xyz") if any(each["local"].values()) else ""
            print(f"  {each['name']:<6}{each['offset'] or '-':<11}{numbers}{local}  {each['group']}, {where}, {state}")
