"""Commands about touching off by hand: ``tape``."""

from __future__ import annotations

import argparse
from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from ledgecliff.command_line.output import print_json, rounded
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.frames import AXES
from ledgecliff.core.quantities import mm_per

if TYPE_CHECKING:
    from ledgecliff.core.model.job import Job
    from ledgecliff.core.plan import Plan
    from ledgecliff.core.tape_lines import TapeLine
    from ledgecliff.core.touchoff.centres import CentreFound
    from ledgecliff.core.touchoff.expected import Expected
    from ledgecliff.core.touchoff.hand_tape import AxisResult
    from ledgecliff.core.touchoff.readings import HandReadings


def tape(options: argparse.Namespace, plan: Plan | None) -> int:
    """Lines and offset of every axis that was read, or the centre of a rotary one; exit status 1 when one is not as the
    plan has it, or something is left to do."""
    from ledgecliff.core.quantities import spell
    from ledgecliff.core.touchoff.hand_tape import centre_result, hand_results
    from ledgecliff.store.touch_files import read_hand_readings

    readings = read_hand_readings(options.readings)
    results = hand_results(readings, _expected(readings, plan))
    centre = centre_result(readings)
    to_type = () if plan is None or not results else _to_type(readings, results, plan)
    if options.json:
        print_json(
            {
                "offset": readings.offset,
                "to_type": [spell(line, "mm") for line in to_type],
                "axes": {
                    result.axis: {
                        "offset": rounded(result.offset),
                        "before": result.before,
                        "moved": None if result.moved is None else rounded(result.moved),
                        "doubt": None if result.doubt is None else spell(result.doubt.words, "mm"),
                        "lines": [
                            {"text": spell(line.text, "mm"), "mm": None if line.mm is None else rounded(line.mm)}
                            for line in result.lines
                        ],
                    }
                    for result in results
                },
                "centre": None if centre is None else centre_data(centre),
            }
        )
    else:
        for result in results:
            print(f"{readings.offset} {result.axis.upper()}")
            print_lines(result.lines)
        if centre is not None:
            print("rotary axis")
            print_lines(centre.lines)
            if centre.centre:
                print(f"  known to ± {centre.uncertainty:.3f}")
        for words in to_type:
            print(spell(words, "mm"))
    return int(any(result.doubt is not None for result in results) or bool(centre and centre.left))


def with_kept(options: argparse.Namespace, plan: Plan) -> Job:
    """The job with what was found of a rotary axis, which is called by its name or its word."""
    from datetime import date

    from ledgecliff.command_line.rotary import axis_named
    from ledgecliff.core.edits.rotary import with_centre
    from ledgecliff.core.touchoff.hand_tape import centre_result
    from ledgecliff.store.touch_files import read_hand_readings

    found = centre_result(read_hand_readings(options.readings))
    if found is None:
        raise InvalidValueError(str(options.readings), "nothing of a rotary axis was read there; give a centre")
    machine, axis = axis_named(plan, options.keep, "--keep")
    return with_centre(plan.job, machine, axis.id, found, date.today().isoformat())


def print_lines(lines: Iterable[TapeLine]) -> None:
    from ledgecliff.core.quantities import spell

    for line in lines:
        number = "" if line.mm is None else f"{line.mm:+12.3f}"
        print(f"  {spell(line.text, 'mm'):<44}{number}")


def centre_data(found: CentreFound) -> dict[str, Any]:
    return {
        "centre": {axis: rounded(value) for axis, value in found.centre},
        "uncertainty": rounded(found.uncertainty),
        "origin": found.origin,
        "flat_deg": None if found.flat_deg is None else round(found.flat_deg, 6),
        "height": None if found.height is None else rounded(found.height),
        "off": None if found.off is None else rounded(found.off),
        "left": found.left or None,
        "lines": [{"text": line.text, "mm": None if line.mm is None else rounded(line.mm)} for line in found.lines],
    }


def _to_type(readings: HandReadings, results: tuple[AxisResult, ...], plan: Plan) -> tuple[str, ...]:
    """The lines for the offset page of the machine, from what the offset held before."""
    from ledgecliff.core.touchoff.typing_in import lines_to_type

    per_unit = mm_per(readings.unit)
    held = {axis: getattr(readings.before, axis) for axis in AXES}
    now = {axis: None if value is None else value * per_unit for axis, value in held.items()}
    wanted = {result.axis: result.offset for result in results}
    return lines_to_type(plan.job.machine.offset_entry, readings.offset, now, wanted)


def _expected(readings: HandReadings, plan: Plan | None) -> Expected | None:
    """Where the job has the offset: of the setup that the readings name, else of the one that keeps its zero there."""
    from ledgecliff.core.touchoff.draft import expected_of

    if plan is None or (readings.x, readings.y, readings.z) == (None, None, None):
        return None
    setups = [setup for setup in plan.setups if readings.setup in (None, setup.setup.name)]
    setups = [setup for setup in setups if setup.setup.offset == readings.offset]
    if not setups:
        raise InvalidValueError("offset", f"no setup of the job keeps its zero in {readings.offset}; name another")
    if len(setups) > 1:
        names = ", ".join(setup.setup.name for setup in setups)
        raise InvalidValueError("setup", f"{readings.offset} is found again in {names}; say which of them is meant")
    machine = plan.job.machine
    if readings.z is not None and readings.lengths_from != machine.lengths_from:
        raise InvalidValueError(
            "lengths_from",
            f"tool lengths of {machine.name} count from the {machine.lengths_from}, not from the "
            f"{readings.lengths_from}; the two cannot be mixed",
        )
    return expected_of(setups[0])
