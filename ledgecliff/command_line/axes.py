"""A rotary axis: put on a machine, what is known of it, what happened to it, by ``axis``.  The job is written."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any, get_args

from ledgecliff.command_line.carrying import id_of, machine_named
from ledgecliff.command_line.plans import add_job_command, plan_of
from ledgecliff.command_line.rotary import axis_named
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.carriers import carrier_path
from ledgecliff.core.edits.rotary import (
    clamping_words,
    happened_to,
    rotaries,
    with_clamping_words,
    with_rotary,
    without_rotary,
)
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.stations import CentreOrigin, Mishap, WayRound
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.quantities import spell
from ledgecliff.core.touchoff.axis_steps import axis_steps
from ledgecliff.core.typed import parse_length
from ledgecliff.store.job_files import write_job

_SENSES = {"right": "right-handed", "left": "left-handed", "unknown": None}
#: What a value is left out by.
_NONE = "none"


def add_commands(commands: Any) -> None:
    """Adds ``axis`` to the parser's commands."""
    words = "a rotary axis: put on a machine, what is known of it, what happened to it"
    axis = add_job_command(commands, "axis", _axis, words)
    axis.add_argument("--machine", metavar="NAME", help="where the job has several")
    axis.add_argument("name", nargs="?", metavar="AXIS", help="its name or word; without, what is known of every axis")
    axis.add_argument("--add", action="store_true", help="one more, on the table")
    axis.add_argument("--remove", action="store_true", help="take it off, where nothing stands on it")
    axis.add_argument("--rename", metavar="NAME")
    axis.add_argument("--word", choices=("A", "B", "C"), help="that moves it")
    axis.add_argument("--about", choices=("x", "y", "z"), help="which machine axis it turns about")
    axis.add_argument("--on", metavar="CARRIER", help="what carries it, or 'table'")
    axis.add_argument("--centre", nargs="+", metavar="Y=-210.5", help="coordinates of its axis, with unit or in mm")
    axis.add_argument("--known", metavar="LENGTH", help="to how much, plus or minus; or 'none'")
    axis.add_argument("--origin", choices=(*get_args(CentreOrigin), _NONE), help="how the centre was found")
    axis.add_argument("--found", metavar="DAY", help="when; or 'none'")
    axis.add_argument("--sense", choices=tuple(_SENSES), help="as seen on the part")
    axis.add_argument("--seen", metavar="DAY", help="when the sense was seen; or 'none'")
    axis.add_argument("--level", type=float, metavar="DEGREES", help="the word's value that is called nought")
    axis.add_argument("--flat", metavar="DAY", help="when it was last swept flat; or 'none'")
    axis.add_argument("--repeats", metavar="DEGREES", help="plus or minus; or 'none'")
    axis.add_argument("--from", dest="lowest", metavar="DEGREES", help="where it ends; or 'none'")
    axis.add_argument("--to", dest="highest", metavar="DEGREES", help="where it ends; or 'none'")
    axis.add_argument("--words", metavar="M78,M79", help="that free and clamp it; or 'none'")
    axis.add_argument("--way", choices=get_args(WayRound), help="how the control takes its word")
    axis.add_argument("--happened", nargs=2, metavar=("WHAT", "DAY"), help=f"{', '.join(get_args(Mishap))}, and when")


def _axis(options: argparse.Namespace) -> int:
    plan = plan_of(options)
    job, number = plan.job, machine_named(plan, options.machine)
    if options.add:
        job = with_rotary(job, number)
        axis = rotaries(job.machines[number])[-1]
    elif options.name is None:
        return _steps(plan)
    else:
        number, axis = axis_named(plan, options.name, "AXIS")
    path = carrier_path(job, number, axis.id)
    if options.remove:
        return _kept(plan, without_rotary(job, number, axis.id), options.job, f"{axis.name} is off")
    # All at once: ends, or a word and what it turns about, may only be right together.
    stated = _stated(options, job.machines[number])
    if stated:
        job = set_value(job, path, axis.model_dump() | stated)
    for given in options.centre or ():
        coordinate, _, text = given.partition("=")
        if coordinate.lower() not in ("x", "y", "z") or not text:
            raise InvalidValueError("--centre", f"'{given}' is no coordinate; give it as Y=-210.5")
        job = set_value(job, (*path, "centre", coordinate.lower()), parse_length(text, "mm"))
    if options.words is not None:
        job = with_clamping_words(job, path, "" if options.words == _NONE else options.words)
    if options.happened is not None:
        what, day = options.happened
        if what not in get_args(Mishap):
            raise InvalidValueError("--happened", f"'{what}' is none of {', '.join(get_args(Mishap))}")
        job = happened_to(job, number, axis.id, what, day)
    now = next(each for each in rotaries(job.machines[number]) if each.id == axis.id)
    words = clamping_words(now)
    said = f"{now.word}: {now.name}, about {now.about.upper()}, {now.sense or 'sense unknown'}"
    return _kept(plan, job, options.job, said + (f", freed and clamped by {words}" if words else ""))


def _steps(plan: Plan) -> int:
    """What is known of every axis; exit status 1 where something is still to be done."""
    steps = [(machine.name, step) for machine in plan.job.machines for step in axis_steps(machine)]
    for name, step in steps:
        print(f"{'done' if step.is_done else 'TO DO':<6}{name} · {step.title}: {spell(step.said, 'mm')}")
    if not steps:
        print("no rotary axis on the job's machines; --add one")
    return int(any(not step.is_done for _, step in steps))


def _stated(options: argparse.Namespace, machine: Machine) -> dict[str, object]:
    """The fields of an axis that options state, with their values."""
    found: dict[str, object] = {}
    for field, given in (
        ("name", options.rename), ("word", options.word), ("about", options.about), ("flat_deg", options.level),
        ("way_round", options.way),
    ):  # fmt: skip
        if given is not None:
            found[field] = given
    for field, given in (
        ("origin", options.origin), ("found_on", options.found), ("sense_seen_on", options.seen),
        ("flat_swept_on", options.flat),
    ):  # fmt: skip
        if given is not None:
            found[field] = None if given == _NONE else given
    for field, given, option in (
        ("repeat_deg", options.repeats, "--repeats"), ("lowest_deg", options.lowest, "--from"),
        ("highest_deg", options.highest, "--to"),
    ):  # fmt: skip
        if given is not None:
            found[field] = None if given == _NONE else _degrees(given, option)
    if options.known is not None:
        found["uncertainty"] = None if options.known == _NONE else parse_length(options.known, "mm")
    if options.sense is not None:
        found["sense"] = _SENSES[options.sense]
    if options.on is not None:
        found["on"] = id_of(machine, options.on, "--on")
    return found


def _degrees(text: str, option: str) -> float:
    try:
        return float(text)
    except ValueError:
        raise InvalidValueError(option, f"'{text}' is no angle; give it in degrees") from None


def _kept(plan: Plan, job: Job, file: Path, words: str) -> int:
    if job == plan.job:
        raise InvalidValueError("axis", "nothing is changed; see --help for what can be stated")
    make_plan(job, plan.models)
    write_job(job, file)
    print(words)
    return 0
