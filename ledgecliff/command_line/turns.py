"""The command line's answers about turns."""

from __future__ import annotations

import math
from typing import Any

from ledgecliff.command_line.output import print_json, rounded
from ledgecliff.core.budget.sides import far_side
from ledgecliff.core.edits.turns import with_layout, with_way
from ledgecliff.core.errors import InvalidValueError
from ledgecliff.core.findings.turn_rules import about_turns
from ledgecliff.core.model.holding import Jig, JigHold
from ledgecliff.core.model.job import Job
from ledgecliff.core.plan import Plan, make_plan
from ledgecliff.core.registration.pins import PinLayout
from ledgecliff.core.turns.clearances import bored_deep, bores_deep, protrusion
from ledgecliff.core.turns.jig_making import outline_reach
from ledgecliff.core.turns.parting import tabs_of
from ledgecliff.core.turns.surface_words import surface_words
from ledgecliff.core.turns.turn_check import turn_check
from ledgecliff.core.turns.turn_plan import TurnPlan, Way, turns_of


def print_turns(plan: Plan, *, as_json: bool) -> int:
    """Every turn, with the findings that are about it; 1 when one of those is a hazard or an error."""
    rows = [_row(plan, turn) for turn in turns_of(plan)]
    if as_json:
        print_json({"turns": rows})
    else:
        for row in rows:
            _print_row(row)
    worst = {finding["severity"] for row in rows for finding in row["findings"]}
    return int(bool(worst & {"hazard", "error"}))


def _row(plan: Plan, turn: TurnPlan) -> dict[str, Any]:
    before, after = turn.before.setup.name, turn.after.setup.name
    play, pair = turn.play, far_side(turn, plan)
    return {
        "before": before,
        "after": after,
        "turn": turn.turn.in_shop_words(),
        "way": turn.way,
        "surfaces": [
            {
                "axis": axis,
                "before": surface_words(turn.before, axis),
                "after": surface_words(turn.after, axis),
            }
            for axis in ("x", "y")
        ],
        "expected_error": None if pair is None else rounded(pair.expanded),
        "farthest": {"feature": turn.farthest.name, "distance": rounded(turn.farthest.arm)},
        "contributions": [
            {"name": each.source.name, "standard": rounded(each.u)} for each in (() if pair is None else pair.enters)
        ],
        "play": None
        if play is None
        else {
            "shift": rounded(play.shift),
            "turn_deg": rounded(math.degrees(play.turn_rad)),
            "at_farthest": rounded(play.worst_at(turn.farthest.place)),
        },
        "seats": [
            {
                "name": seat.name,
                "turned": seat.turned,
                "spin_deg": rounded(seat.spin_deg),
                "shift": [rounded(value) for value in seat.shift],
                "miss": rounded(max(seat.miss, 0.0)),
                "seats": seat.seats,
            }
            for seat in turn.seats
        ],
        "one_program": turn.one_program if turn.way == "dowel pins" else None,
        "board_pins": [
            {"x": rounded(p.x), "y": rounded(p.y), "diameter": rounded(p.diameter)} for p in turn.board_pins
        ],
        "pins": _pins(turn),
        "frame": _frame(turn),
        "jig": _jig(turn),
        "tabs": _tabs(turn),
        "check": _check(turn),
        "findings": [
            {"code": f.code, "severity": f.severity, "message": f.message(), "remedy": f.remedy()}
            for f in about_turns(plan)
            if f.setup in (before, after)
        ],
    }


def _pins(turn: TurnPlan) -> dict[str, Any] | None:
    """What pins and bores are like (mm); ``stands_out`` is over the board, null where no length is stated."""
    made = turn.pin_bores
    if turn.way != "dowel pins" or made is None:
        return None
    out, bored, deep = protrusion(made), bored_deep(turn), bores_deep(turn)
    return {
        "clearance": rounded(made.clearance),
        "into_board": rounded(made.into_board),
        "blind": None if bored is None else rounded(bored),
        "deep": None if deep is None else rounded(deep),
        "board_offset": made.board_offset,
        "board_first": made.board_offset is not None and turn.board_first,
        "length": None if made.pin_length is None else rounded(made.pin_length),
        "stands_out": None if out is None else rounded(out),
    }


def _jig(turn: TurnPlan) -> dict[str, Any] | None:
    """How far the part sinks into the second pocket, and what the first side's outline must reach."""
    hold, jig = turn.after.setup.hold, turn.after.holding.fixture
    if not isinstance(hold, JigHold) or not isinstance(jig, Jig):
        return None
    return {
        "sinks": rounded(jig.second.depth - (hold.tape or 0.0)),
        "z_shift": rounded(-(jig.second.depth - (hold.tape or 0.0))),
        "outline_reach": rounded(outline_reach(jig)),
    }


def _tabs(turn: TurnPlan) -> list[dict[str, Any]]:
    """The tabs that each outline and frame on both sides leaves, in the WCS of their setup."""
    rows = []
    for setup in (turn.before, turn.after):
        for tabs in tabs_of(setup):
            zero = float(setup.wcs.u_origin[2])
            rows.append(
                {
                    "setup": setup.setup.name,
                    "operation": setup.setup.operations[tabs.operation].name,
                    "places": [{"x": rounded(tab.x), "y": rounded(tab.y)} for tab in tabs.tabs],
                    "width": rounded(tabs.width),
                    "from_z": rounded(tabs.low - zero),
                    "to_z": rounded(tabs.high - zero),
                    "area_each": rounded(tabs.each),
                }
            )
    return rows


def _check(turn: TurnPlan) -> dict[str, Any]:
    """The touches that tell a right turn from wrong ones, what none tells, and how a chip shows."""
    check = turn_check(turn)
    return {
        "touches": [
            {
                "x": rounded(touch.x),
                "y": rounded(touch.y),
                "z": rounded(touch.z),
                "threshold": rounded(touch.threshold),
                "tells": [{"way": way, "z": None if z is None else rounded(z)} for way, z in touch.tells],
            }
            for touch in check.touches
        ],
        "cannot_tell": list(check.cannot_tell),
        "offers": list(check.offers),
        "chip": {
            "touches": [[rounded(value) for value in place] for place in check.chip_touches],
            "thickness": rounded(check.chip),
            "shows": rounded(check.chip_shows),
        },
    }


def choose(plan: Plan, way: Way | None, layout: PinLayout | None, to: str | None) -> Job:
    """The job with a turn registered another way, and its pins laid out.

    ``to`` names the setup that the turn leads to; the only turn, where there is but one.  Raises InvalidValueError
    where it does not fit.
    """
    names = [turn.after.setup.name for turn in turns_of(plan)]
    if not names:
        raise InvalidValueError("turn", "this job has one setup, so that nothing is turned over; add a setup first")
    if to is None and len(names) > 1:
        raise InvalidValueError("turn", f"there are turns to {', '.join(names)}; say which with --to")
    if to is not None and to not in names:
        raise InvalidValueError("turn", f"no turn leads to '{to}'; there are turns to {', '.join(names)}")
    index = turns_of(plan)[names.index(to) if to is not None else 0].index
    job = plan.job
    if way is not None:
        job = with_way(job, index, way, plan)
    if layout is not None:
        job = with_layout(job, index, layout, plan if way is None else make_plan(job, plan.models))
    return job


def _frame(turn: TurnPlan) -> dict[str, Any] | None:
    checked = turn.frame_check
    if checked is None or turn.way != "interlocking frame":
        return None
    return {
        "fits": checked.fits,
        "locks": checked.locks,
        "play": {way: _finite(value) for way, value in zip(("+x", "-x", "+y", "-y"), checked.play, strict=True)},
        "turn_deg": [_finite(value) for value in checked.turn_deg],
        "other_ways": [{"name": way.name, "seats": way.seats, "play": _finite(way.play)} for way in checked.others],
        "least_slot": rounded(checked.slot),
        "border": rounded(turn.frame_border),
    }


def _finite(value: float) -> float | None:
    """None where nothing stops it: JSON has no infinity."""
    return rounded(value) if math.isfinite(value) else None


def _print_row(row: dict[str, Any]) -> None:
    print(f"{row['before']} to {row['after']}: {row['turn']}, registered by {row['way']}")
    for surface in row["surfaces"]:
        print(f"  {surface['axis'].upper()} by {surface['after']}, before by {surface['before']}")
    farthest = row["farthest"]
    expected = "not held" if row["expected_error"] is None else f"{row['expected_error']:.3f} (95 %)"
    print(f"  expected error at {farthest['feature']}: {expected}")
    for part in row["contributions"]:
        print(f"    {part['standard']:.4f}  {part['name']}")
    if row["play"] is not None:
        play = row["play"]
        print(f"  play {play['shift']:.3f} and {play['turn_deg']:.4f} deg, {play['at_farthest']:.3f} there")
    for seat in row["seats"]:
        print(f"  seats {seat['name']}" if seat["seats"] else f"  misses by {seat['miss']:.3f}: {seat['name']}")
    if row["frame"] is not None:
        ways = [way["name"] for way in row["frame"]["other_ways"] if way["seats"]]
        print(f"  frame {'locks' if row['frame']['locks'] else 'does not lock'}; also goes in {', '.join(ways)}")
    for touch in row["check"]["touches"]:
        told = ", ".join(each["way"] for each in touch["tells"])
        place = f"X {touch['x']:+.3f} Y {touch['y']:+.3f}, right at Z {touch['z']:+.3f} ± {touch['threshold']:.3f}"
        print(f"  turn check: touch {place}; tells {told}")
    for offer in row["check"]["offers"]:
        print(f"  no touch tells: {offer}")
    if row["jig"] is not None:
        print(f"  sinks {row['jig']['sinks']:.3f}; the first outline must reach {row['jig']['outline_reach']:.3f} deep")
    for finding in row["findings"]:
        print(f"  {finding['severity']}: {finding['message']} {finding['remedy']} [{finding['code']}]")
