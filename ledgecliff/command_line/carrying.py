"""What carries fixtures: pallets, tombstones, trunnion tables and their bodies, by ``carrier``.  The job is written."""

from __future__ import annotations

import argparse
from typing import Any

from ledgecliff.command_line.plans import add_job_command, plan_of
from ledgecliff.core.changing import set_value
from ledgecliff.core.edits.carriers import (
    carrier_path,
    new_body,
    turns_in_words,
    with_body,
    with_distance,
    with_pallet,
    with_tombstone_typed,
    with_trunnion_table,
    with_turns_typed,
    without_body,
    without_mount,
)
from ledgecliff.core.edits.rotary import (
    stand_on,
)
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.base import Point
from ledgecliff.core.model.job import Job
from ledgecliff.core.model.machine import Machine
from ledgecliff.core.model.stations import Carrier, Mount
from ledgecliff.core.places import distance_of
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.typed import parse_length
from ledgecliff.store.job_files import write_job

#: What a value is left out by.
_NONE = "none"


def add_commands(commands: Any) -> None:
    """Adds ``carrier`` to the parser's commands."""
    words = "pallets, tombstones, trunnion tables: what carries fixtures, and its bodies"
    carrier = add_job_command(commands, "carrier", _carrier, words)
    carrier.add_argument("--machine", metavar="NAME", help="where the job has several")
    carrier.add_argument("name", nargs="?", metavar="CARRIER", help="its name; all are listed without")
    carrier.add_argument("--pallet", action="store_true", help="one more, on CARRIER where that is given")
    carrier.add_argument(
        "--tombstone", metavar="'4, 150, -60, 360'", help="on that axis: faces, distance, from and to along it"
    )
    carrier.add_argument("--trunnion-table", action="store_true", help="bodies of that turntable and its cradle")
    carrier.add_argument("--remove", action="store_true", help="take a pallet or face off, where nothing stands on it")
    carrier.add_argument("--rename", metavar="NAME")
    carrier.add_argument("--on", metavar="CARRIER", help="what carries it, or 'table'")
    carrier.add_argument("--at", nargs=3, metavar=("X", "Y", "Z"), help="its zero in the frame of what carries it")
    carrier.add_argument("--turned", metavar="'Y -90'", help="about which axis and how far, one after the other")
    carrier.add_argument("--distance", metavar="LENGTH", help="of a face from the axis, as it was measured")
    carrier.add_argument("--tilt", nargs=2, type=float, metavar=("X", "Y"), help="out of square, as measured (degrees)")
    carrier.add_argument("--measured", metavar="DAY", help="when; or 'none'")
    carrier.add_argument("--carries", metavar="STATION", help="a station that stands on it from now on")
    carrier.add_argument("--box", nargs=7, metavar=("NAME", "X", "Y", "Z", "X2", "Y2", "Z2"), help="one more body")
    carrier.add_argument(
        "--round", nargs=7, metavar=("NAME", "X", "Y", "Z", "AXIS", "LENGTH", "DIAMETER"), help="one more body"
    )
    carrier.add_argument("--without", metavar="BODY", help="take that body off")


def _carrier(options: argparse.Namespace) -> int:
    plan = plan_of(options)
    job, number = plan.job, machine_named(plan, options.machine)
    own = None if options.name is None else carrier_named(job.machines[number], options.name, "CARRIER")
    if options.pallet:
        job = with_pallet(job, number, None if own is None else own.id)
        own = job.machines[number].carriers[-1]
    if own is None:
        _list(job.machines[number])
        return 0
    if options.remove:
        job = without_mount(job, number, own.id)
        make_plan(job, plan.models)
        write_job(job, options.job)
        print(f"{own.name} is off")
        return 0
    job = _on_axis(options, job, number, own)
    if isinstance(own, Mount):
        job = _changed_mount(options, job, number, own)
    else:
        _refuse_for_axes(options, own)
    job = _bodies(options, job, number, own)
    if options.carries is not None:
        station = next((each for each in job.machines[number].stations if each.name == options.carries), None)
        if station is None:
            raise InvalidValueError("--carries", f"there is no station '{options.carries}'")
        job = stand_on(job, number, station.id, own.id)
    if job == plan.job:
        _describe(job.machines[number], own)
        return 0
    now = next(each for each in job.machines[number].carriers if each.id == own.id)
    make_plan(job, plan.models)
    write_job(job, options.job)
    _describe(job.machines[number], now)
    return 0


def _on_axis(options: argparse.Namespace, job: Job, number: int, own: Carrier) -> Job:
    if options.tombstone is not None:
        if isinstance(own, Mount):
            raise InvalidValueError("--tombstone", f"'{own.name}' is no rotary axis; name the one that turns it")
        job = with_tombstone_typed(job, number, own.id, options.tombstone, "mm")
    if options.trunnion_table:
        if isinstance(own, Mount):
            raise InvalidValueError("--trunnion-table", f"'{own.name}' is no rotary axis; name the turntable's")
        job = with_trunnion_table(job, number, own.id)
    return job


def _changed_mount(options: argparse.Namespace, job: Job, number: int, own: Mount) -> Job:
    path = carrier_path(job, number, own.id)
    if options.rename is not None:
        job = set_value(job, (*path, "name"), options.rename)
    if options.on is not None:
        job = set_value(job, (*path, "on"), id_of(job.machines[number], options.on, "--on"))
    for axis, text in zip("xyz", options.at or (), strict=False):
        job = set_value(job, (*path, "at", axis), parse_length(text, "mm"))
    if options.turned is not None:
        job = with_turns_typed(job, number, own.id, options.turned)
    if options.distance is not None:
        job = with_distance(job, number, own.id, parse_length(options.distance, "mm"))
    for field, degrees in zip(("tilt_x_deg", "tilt_y_deg"), options.tilt or (), strict=False):
        job = set_value(job, (*path, field), degrees)
    if options.measured is not None:
        job = set_value(job, (*path, "measured_on"), None if options.measured == _NONE else options.measured)
    return job


def _refuse_for_axes(options: argparse.Namespace, own: Carrier) -> None:
    for name in ("rename", "on", "at", "turned", "distance", "tilt", "measured"):
        if getattr(options, name) is not None:
            raise InvalidValueError(f"--{name}", f"'{own.name}' is a rotary axis; state that with 'axis'")


def _bodies(options: argparse.Namespace, job: Job, number: int, own: Carrier) -> Job:
    if options.box is not None:
        name, *ends = options.box
        low, high = ([parse_length(word, "mm") for word in half] for half in (ends[:3], ends[3:]))
        body = new_body(own, "box").model_copy(update={"name": name, "low": _point(low), "high": _point(high)})
        job = with_body(job, number, own.id, body)
    if options.round is not None:
        name, x, y, z, along, long, across = options.round
        update = {
            "name": name,
            "at": _point([parse_length(word, "mm") for word in (x, y, z)]),
            "along": along.lower(),
            "length": parse_length(long, "mm"),
            "diameter": parse_length(across, "mm"),
        }
        job = with_body(job, number, own.id, new_body(own, "round").model_copy(update=update))
    if options.without is not None:
        if options.without not in [each.name for each in own.bodies]:
            raise InvalidValueError("--without", f"'{own.name}' has no body '{options.without}'")
        job = without_body(job, number, own.id, options.without)
    return job


def _point(values: list[float]) -> Point:
    x, y, z = values
    return Point(x=x, y=y, z=z)


def _list(machine: Machine) -> None:
    for each in machine.carriers:
        _describe(machine, each)
    if not machine.carriers:
        print(f"{machine.name}: everything stands on its table")


def _describe(machine: Machine, carrier: Carrier) -> None:
    on = next((each.name for each in machine.carriers if each.id == carrier.on), "the table")
    if isinstance(carrier, Mount):
        x, y, z = carrier.at.as_tuple()
        turned = turns_in_words(carrier)
        print(f"{carrier.name}, on {on}: at {x:.3f} {y:.3f} {z:.3f}" + (f", turned {turned}" if turned else ""))
        distance = distance_of(machine, carrier)
        if distance is not None:
            print(f"  {distance:.4f} from the axis")
        if carrier.measured_on is not None:
            print(f"  measured on {carrier.measured_on}")
        if carrier.tilt_x_deg or carrier.tilt_y_deg:
            print(f"  tilted {carrier.tilt_x_deg:+.4f}° about its X, {carrier.tilt_y_deg:+.4f}° about its Y")
    else:
        print(f"{carrier.name}, on {on}: rotary axis {carrier.word}")
    for body in carrier.bodies:
        print(f"  body {body.name} ({body.kind})")
    for station in machine.stations:
        if station.on == carrier.id:
            print(f"  carries {station.name}")


def machine_named(plan: Plan, name: str | None) -> int:
    names = [machine.name for machine in plan.job.machines]
    if name is None and len(names) == 1:
        return 0
    if name not in names:
        raise InvalidValueError("--machine", f"name one of the job's machines: {', '.join(names)}")
    return names.index(name)


def carrier_named(machine: Machine, name: str, option: str) -> Carrier:
    named = [each for each in machine.carriers if each.name == name]
    if not named:
        has = ", ".join(each.name for each in machine.carriers) or "none"
        raise InvalidValueError(option, f"there is no carrier '{name}'; {machine.name} has {has}")
    return named[0]


def id_of(machine: Machine, name: str, option: str) -> str | None:
    return None if name == "table" else carrier_named(machine, name, option).id
