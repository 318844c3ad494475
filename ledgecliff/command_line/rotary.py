"""Rotary axes and indexed setups: what each school of work offsets has at every index."""

from __future__ import annotations

import argparse
from typing import Any

from ledgecliff.command_line.output import print_json, rounded, xyz
from ledgecliff.command_line.plans import plan_of
from ledgecliff.core.edits.rotary import rotaries
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.model.stations import Rotary
from ledgecliff.core.plan import Plan
from ledgecliff.core.programs.sense_test import sense_test
from ledgecliff.core.rotary_schools import (
    AxisLine,
    Indexed,
    axes_miss,
    axis_lines,
    indexed,
    model_placement,
    sweep_radius,
)

_SENSES = {"right-handed": "right", "left-handed": "left", None: "unknown"}


def rotary(options: argparse.Namespace) -> int:
    plan = plan_of(options)
    if options.sense_test is not None:
        machine, axis = axis_named(plan, options.sense_test, "--sense-test")
        print(sense_test(plan.job.machines[machine], axis), end="")
        return 0
    report = report_of(plan)
    if options.json:
        print_json(report)
    else:
        _print(report)
    return 0


def axis_named(plan: Plan, name: str, option: str) -> tuple[int, Rotary]:
    """The number of a machine and one of its rotary axes, which is called by its name or its word.  Raises
    InvalidValueError where there is no one axis of that name."""
    axes = [(k, each) for k, machine in enumerate(plan.job.machines) for each in rotaries(machine)]
    named = [pair for pair in axes if name in (pair[1].name, pair[1].word)]
    if len(named) != 1:
        has = ", ".join(f"{each.word} ({each.name})" for _, each in axes) or "none"
        raise InvalidValueError(option, f"the job has no one rotary axis '{name}'; it has {has}")
    return named[0]


def report_of(plan: Plan) -> dict[str, Any]:
    """Placement and sweep are those of the job's first clamping on a rotary axis."""
    rows = indexed(plan)
    machines = dict.fromkeys(setup.machine.id for setup in plan.setups)
    axes = [line for machine in plan.job.machines if machine.id in machines for line in axis_lines(machine)]
    first = rows[0].first if rows else None
    placement = None if first is None else model_placement(first)
    sweep = None if first is None else sweep_radius(plan, first)
    miss = None if first is None else axes_miss(first)
    return {
        "axes": [_axis(line) for line in axes],
        "indexes": [_index(row) for row in rows],
        "placement": None if placement is None else xyz(placement.zero) | _turns(placement.turns),
        "axes_miss": None if miss is None else rounded(miss),
        "sweep_radius": None if sweep is None else rounded(sweep),
    }


def _axis(line: AxisLine) -> dict[str, Any]:
    axis: Rotary = line.rotary
    return {
        "machine": line.machine,
        "word": axis.word,
        "name": axis.name,
        "about": line.about,
        "on": line.on,
        "sense": _SENSES[axis.sense],
        "centre": {coordinate: rounded(value) for coordinate, value in line.centre},
        "uncertainty": axis.uncertainty,
        "origin": axis.origin,
        "found_on": axis.found_on,
        "sense_seen_on": axis.sense_seen_on,
        "flat_deg": axis.flat_deg,
        "flat_swept_on": axis.flat_swept_on,
    }


def _index(row: Indexed) -> dict[str, Any]:
    return {
        "setup": row.setup.setup.name,
        "index": dict(row.index),
        "part_up": row.part_up,
        "part_right": row.part_right,
        "offset": {school: None if value is None else xyz(value) for school, value in row.offsets},
    }


def _turns(turns: tuple[float, float, float]) -> dict[str, float]:
    return {f"about_{axis}": rounded(value) for axis, value in zip("xyz", turns, strict=True)}


def _print(report: dict[str, Any]) -> None:
    if not report["axes"]:
        print("no rotary axis on the job's machines")
    for axis in report["axes"]:
        centre = ", ".join(f"{coordinate.upper()} {value:.3f}" for coordinate, value in axis["centre"].items())
        about = f"about {axis['about'].upper()}" if axis["about"] else "about no machine axis"
        known = "" if axis["uncertainty"] is None else f" ± {axis['uncertainty']:.3f}"
        found = axis["origin"] or "nobody has said how it was found"
        print(f"{axis['word']} {about}, on {axis['on'] or 'the table'}, sense {axis['sense']}")
        print(f"  centre {centre}{known} ({found})")
    for row in report["indexes"]:
        at = " ".join(f"{word}{degrees:g}" for word, degrees in row["index"].items())
        up = f"part {row['part_up']} up" if row["part_up"] else "no side of the part straight up"
        right = f", {row['part_right']} to the right" if row["part_right"] else ""
        print(f"{row['setup']}: {at}, {up}{right}")
        for school, value in row["offset"].items():
            places = "not along the machine's axes" if value is None else _row(value)
            print(f"  {school:<10}{places}")
    if report["placement"] is not None:
        print("model from the centre of rotation, all axes at nought")
        print(f"  zero      {_row(report['placement'])}")
        turns = [report["placement"][f"about_{axis}"] for axis in "xyz"]
        print("  turned    " + ", then ".join(f"{turn:.3f}° about {a}" for turn, a in zip(turns, "XYZ", strict=True)))
    if report["axes_miss"] is not None:
        print(f"the two axes miss each other by {report['axes_miss']:.3f}")
    if report["sweep_radius"] is not None:
        print(f"stock and holding come up to {report['sweep_radius']:.3f} from the lowest axis")


def _row(value: dict[str, float]) -> str:
    return "".join(f"{value[axis]:+12.3f}" for axis in "xyz")
