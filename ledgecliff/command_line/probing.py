"""Commands about probing: ``probe-plan``, ``measure`` and ``fit``."""

from __future__ import annotations

import argparse
import math
import sys
from typing import TYPE_CHECKING, Any

import numpy as np

from ledgecliff.command_line.output import print_json, rounded, xyz
from ledgecliff.command_line.plans import setup_named
from ledgecliff.command_line.shops import shop_place
from ledgecliff.core.register.entries import Entry

if TYPE_CHECKING:
    from ledgecliff.core.measuring.measured import Measurement
    from ledgecliff.core.model.machine import Machine
    from ledgecliff.core.plan import Plan
    from ledgecliff.core.probing.touches import Knowledge, Problem, Step
    from ledgecliff.core.programs.cards import Card
    from ledgecliff.core.register.measured_value import FoundOffset
    from ledgecliff.core.rehearsal.results import Rehearsal
    from ledgecliff.core.setup_plan import SetupPlan
    from ledgecliff.store.register_db import RegisterDb


def probe_plan(plan: Plan, *, as_json: bool) -> int:
    """The steps of every setup in order, each need with its numbers, and what is known after each."""
    from ledgecliff.core.quantities import spell

    setups = [_setup(setup) for setup in plan.setups]
    if as_json:
        print_json({"setups": setups})
    else:
        for setup in setups:
            print(f"{setup['name']} ({setup['offset']})")
            for step in setup["steps"]:
                known = "  ".join(f"{axis} {k['state']} {k['uncertainty']:.4f}" for axis, k in step["after"].items())
                print(f"  {step['number']}. {step['title']}: {len(step['touches'])} touches  {known}")
                for problem in step["problems"]:
                    print(f"     {problem['code']}: {spell(problem['message'], 'mm')} {spell(problem['remedy'], 'mm')}")
    return int(any(step["problems"] for setup in setups for step in setup["steps"]))


def cards(options: argparse.Namespace, plan: Plan) -> int:
    """Cards of one setup or all; exit status 1 when a step has none."""
    from ledgecliff.core.programs.cards import card_lines, cards_of
    from ledgecliff.core.quantities import spell

    setups = plan.setups if options.setup is None else (plan.setups[setup_named(plan, options.setup)],)
    made = [(setup, cards_of(setup)) for setup in setups]
    if options.out is not None:
        from ledgecliff.store.outputs import write_cards

        print(write_cards(plan, options.out, "mm", [setup.index for setup in setups]))
    elif options.json:
        print_json({"setups": [{"name": s.setup.name, "cards": [_card(card) for card in cards]} for s, cards in made]})
    else:
        for setup, of_setup in made:
            print(f"{setup.setup.name} ({setup.setup.offset})")
            for card in of_setup:
                print(f"  {card.number}. {card.title}")
                for line in card_lines(card):
                    print(f"     {spell(line, 'mm')}")
    return int(any(card.cannot for _, of_setup in made for card in of_setup))


def _card(card: Card) -> dict[str, Any]:
    from ledgecliff.core.quantities import spell

    return {
        "number": card.number,
        "title": card.title,
        "after_operation": card.after,
        "cycle": card.cycle,
        "stand": spell(card.stand, "mm"),
        "near": card.near,
        "values": [
            {
                "label": row.label,
                "mm": None if row.mm is None else rounded(row.mm),
                "feed": row.feed,
                "words": row.words,
            }
            for row in card.rows
        ],
        "must_come_out": [
            {"words": result.words, "expected": rounded(result.expected), "tolerance": result.tolerance}
            for result in card.results
        ],
        "writes": spell(card.writes, "mm"),
        "cannot": spell(card.cannot, "mm") or None,
    }


def _setup(setup: SetupPlan) -> dict[str, Any]:
    probing = setup.probing
    return {
        "name": setup.setup.name,
        "offset": setup.setup.offset,
        "before": _known(probing.knowledge_before),
        "clearance": rounded(probing.w_clearance),
        "carried": list(probing.carried),
        "indexed": list(probing.indexed),
        "steps": [_step(number, step) for number, step in enumerate(probing.steps, start=1)],
    }


def _step(number: int, step: Step) -> dict[str, Any]:
    return {
        "number": number,
        "name": step.cycle.name,
        "title": step.title,
        "cycle": step.kind,
        "action": step.cycle.action,
        "into": step.into or None,
        "after_operation": step.cycle.after,
        "touches": [
            {
                "number": touch.number,
                "surface": touch.surface,
                "moving": touch.moving().replace("−", "-"),
                "contact": xyz(touch.w_contact),
                "start": xyz(touch.start),
                "end": xyz(touch.end),
                "depth": rounded(touch.depth),
            }
            for touch in step.touches
        ],
        "sets": [
            {"axis": s.axis, "should_read": rounded(s.should_read), "expected": rounded(s.expected)} for s in step.sets
        ],
        "sets_skew": step.sets_skew,
        "finds": [{"key": q.key, "words": q.words, "expected": rounded(q.expected)} for q in step.finds],
        "problems": [_problem(problem) for problem in step.problems],
        "after": _known(step.knowledge_after),
    }


def _problem(problem: Problem) -> dict[str, Any]:
    from ledgecliff.core.quantities import spell

    return {
        "code": problem.code,
        "touch": problem.touch,
        "need": problem.need or None,
        "value": None if problem.value is None else rounded(problem.value),
        "limit": None if problem.limit is None else rounded(problem.limit),
        "message": spell(problem.message, "mm"),
        "remedy": spell(problem.remedy, "mm"),
    }


def _known(known: tuple[Knowledge, ...]) -> dict[str, Any]:
    """X, Y and Z in mm, skew in degrees."""
    return {
        axis: {"state": each.state, "uncertainty": rounded(each.uncertainty)}
        for axis, each in zip(("x", "y", "z", "skew"), known, strict=True)
    }


def measure(options: argparse.Namespace, plan: Plan) -> int:
    """Recorded touches to contact points, results, and the table from a reference feature."""
    from ledgecliff.core.errors import InvalidValueError
    from ledgecliff.core.measuring.measured import measure as evaluated
    from ledgecliff.store.touch_files import read_touches, write_measured_drawing, write_table

    recorded = read_touches(options.touches)
    setup = next((each for each in plan.setups if each.setup.name == recorded.setup), None)
    if setup is None:
        names = ", ".join(each.setup.name for each in plan.setups)
        raise InvalidValueError("setup", f"the job has no setup '{recorded.setup}'; it has {names}")
    measured = evaluated(setup, recorded)
    if options.csv is not None:
        write_table(measured, options.csv)
    if options.dxf is not None:
        if not measured.table:
            raise InvalidValueError("reference", "a drawing needs one; name the feature that all are seen from")
        write_measured_drawing(measured, plan.job.machine.program_units, options.dxf)
    if options.keep:
        from ledgecliff.core.register.measured_value import by_touches

        keep_offset(options, plan, setup, by_touches(measured))
        _record_touches(options, plan, measured)
    if options.json:
        print_json(_measured(measured))
        return 0
    for step in measured.steps:
        print(step.step.title)
        for quantity in step.step.finds:
            value = step.found[quantity.key]
            print(f"  {quantity.words:<24}{value:+12.4f}  expected {quantity.expected:+.4f}")
    for change in measured.changes:
        ask = f"  CONFIRM: more than {change.limit:.4f}; chip, wrong part or wrong offset?" if change.confirm else ""
        print(f"{measured.offset} {change.axis.upper()} changed by {change.by:+.4f}{ask}")
    if measured.calibration is not None:
        print(f"effective radius {measured.calibration.radius:.4f}")
    if measured.table:
        print(f"from {measured.reference}, turned {measured.table_skew_deg:+.4f} degrees")
        for row in measured.table:
            print(f"  {row.name:<24}{row.x:+12.3f}{row.y:+12.3f}   off {row.off:.3f}")
    return 0


def keep_offset(options: argparse.Namespace, plan: Plan, setup: SetupPlan, found: FoundOffset) -> None:
    """A probed offset into the register, claimed for its setup."""
    keep_offsets(options, plan, [(setup, found, "")])


def keep_offsets(options: argparse.Namespace, plan: Plan, found: list[tuple[SetupPlan, FoundOffset, str]]) -> None:
    """Probed offsets of one machine into the register, all or none: each claimed for its setup, or for what of its
    pattern the key says."""
    from ledgecliff.core.register.allocation import use_of
    from ledgecliff.core.register.measured_value import kept_measurement

    if not found:
        return
    machine = found[0][0].machine
    db = _register(options)
    entries = {each.code: each for each in db.entries(machine)}
    kept: dict[str, Entry] = {}
    for setup, offset, key in found:
        use = use_of(plan.job, plan.job.setups[setup.index], key)
        entry = kept.get(offset.offset) or entries.get(offset.offset) or Entry(offset.offset)
        kept[offset.offset] = kept_measurement(
            offset, entry, use, tuple((entries | kept).values()), confirmed=options.confirmed
        )
    db.write(machine, list(kept.values()))


def entry_of(options: argparse.Namespace, machine: Machine, code: str) -> Entry:
    """What the register has of a code; an empty one where it has nothing."""
    return next((each for each in _register(options).entries(machine) if each.code == code), Entry(code))


def _register(options: argparse.Namespace) -> RegisterDb:
    from ledgecliff.store.register_db import RegisterDb

    return RegisterDb(shop_place(options))


def _record_touches(options: argparse.Namespace, plan: Plan, measured: Measurement) -> None:
    """Every touch into the record of the shop whose register the offset went into."""
    from ledgecliff.core.record.made import of_measurement
    from ledgecliff.store.recording import record
    from ledgecliff.store.run_files import checksum_of

    kept = record(of_measurement(plan.job, measured), shop_place(options), checksum_of(options.job))
    if kept.words:
        print(f"ledgecliff: {kept.words}", file=sys.stderr)


def _measured(measured: Measurement) -> dict[str, Any]:
    return {
        "setup": measured.setup.setup.name,
        "wcs": {**xyz(measured.m_zero), "skew_deg": rounded(measured.skew_deg)},
        "steps": [
            {
                "name": step.step.cycle.name,
                "title": step.step.title,
                "contacts": [xyz(contact) for contact in step.contacts],
                "deviations": [rounded(value) for value in step.deviations],
                "at_s": [None if value is None else rounded(value) for value in step.at_s],
                "results": {
                    q.key: {
                        "value": rounded(step.found[q.key]),
                        "expected": rounded(q.expected),
                        "deviation": rounded(step.found[q.key] - q.expected),
                    }
                    for q in step.step.finds
                },
                "residuals": [rounded(value) for value in step.residuals],
                "uncertainty": {key: rounded(value) for key, value in step.uncertainty.items()},
            }
            for step in measured.steps
        ],
        "offset": measured.offset,
        "changes": {
            change.axis: {"by": rounded(change.by), "limit": rounded(change.limit), "confirm": change.confirm}
            for change in measured.changes
        },
        "calibration": None
        if measured.calibration is None
        else {
            "effective_radius": rounded(measured.calibration.radius),
            "along_x": rounded(measured.calibration.radius_x),
            "along_y": rounded(measured.calibration.radius_y),
            "stylus_off": measured.calibration.offset
            and {axis: rounded(value) for axis, value in zip("xy", measured.calibration.offset, strict=True)},
        },
        "reference": measured.reference or None,
        "table_skew_deg": rounded(measured.table_skew_deg),
        "table": [
            {
                "feature": row.name,
                "x": rounded(row.x),
                "y": rounded(row.y),
                "nominal": {"x": rounded(row.nominal[0]), "y": rounded(row.nominal[1])},
                "off": rounded(row.off),
                "size": None if row.size is None else rounded(row.size),
                "allowed": row.allowed,
            }
            for row in measured.table
        ],
    }


def recorded_touches(plan: Plan, rehearsal: Rehearsal, name: str) -> str:
    """The counted touches of a rehearsed setup as the text of a file that ``measure`` reads."""
    from ledgecliff.core.errors import InvalidValueError
    from ledgecliff.core.rehearsal.recorded import recorded

    found = next((k for k, setup in enumerate(rehearsal.setups) if setup.name == name), None)
    if found is None:
        raise InvalidValueError("--record", f"the job has no setup '{name}'")
    touches = recorded(plan.setups[found], rehearsal.setups[found])
    if touches is None:
        raise InvalidValueError("--record", f"{name} has finished no step; there is nothing to record")
    return touches.model_dump_json(indent=1) + "\n"


def fit(options: argparse.Namespace) -> int:
    """Least-squares line, plane or circle through the points of a CSV file."""
    from ledgecliff.core.probing import fits
    from ledgecliff.store.point_files import read_points

    points = read_points(options.points)
    result: dict[str, Any] = {"shape": options.shape, "points": len(points)}
    if options.shape == "line":
        line = fits.fit_line(points)
        result |= {"centre": _numbers(line.centre), "direction": _numbers(line.direction)}
        result["uncertainty"] = {"direction_deg": _number(math.degrees(line.u_direction_rad))}
        residuals, spread = line.residuals, line.spread
    elif options.shape == "plane":
        plane = fits.fit_plane(points)
        result |= {"centre": _numbers(plane.centre), "direction": _numbers(plane.normal)}
        result["uncertainty"] = {"tilt_deg": _number(math.degrees(plane.u_tilt_rad))}
        residuals, spread = plane.residuals, plane.spread
    else:
        circle = fits.fit_circle(points)
        result |= {"centre": _numbers(circle.centre), "radius": _number(circle.radius)}
        result["direction"] = _numbers(circle.normal)
        result["uncertainty"] = {"centre": _number(circle.u_centre), "radius": _number(circle.u_radius)}
        residuals, spread = circle.residuals, circle.spread
    result |= {
        "rms": _number(float(np.sqrt(np.mean(residuals**2)))),
        "largest": _number(float(np.abs(residuals).max())),
        "spread": _number(spread),
        "residuals": _numbers(residuals),
    }
    if options.json:
        print_json(result)
        return 0
    for name in ("centre", "direction", "radius", "rms", "largest", "spread"):
        if name in result:
            values = result[name] if isinstance(result[name], list) else [result[name]]
            print(f"{name:<12}" + "".join("   unknown" if value is None else f"{value:+14.6f}" for value in values))
    return 0


def _number(value: float) -> float | None:
    """Nine places, more than any reading has; None where it cannot be known."""
    return round(float(value), 9) + 0.0 if math.isfinite(value) else None


def _numbers(values: Any) -> list[float | None]:
    return [_number(float(value)) for value in values]
