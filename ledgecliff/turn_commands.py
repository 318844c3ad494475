"""The command line's answers about turns."""

from __future__ import annotations

import math
from typing import Any

from ledgecliff.command_output import print_json, rounded
from ledgecliff.core.findings.turn_rules import about_turns
from ledgecliff.core.plan import Plan
from ledgecliff.core.registration.errors import surface_of
from ledgecliff.core.registration.turning import TurnPlan


def print_turns(plan: Plan, *, as_json: bool) -> int:
    """Every turn, with the findings that are about it; 1 when one of those is a hazard or an error."""
    rows = [_row(plan, turn) for turn in plan.turns]
    if as_json:
        print_json({"turns": rows})
    else:
        for row in rows:
            _print_row(row)
    worst = {finding["severity"] for row in rows for finding in row["findings"]}
    return int(bool(worst & {"hazard", "error"}))


def _row(plan: Plan, turn: TurnPlan) -> dict[str, Any]:
    before, after = turn.before.setup.name, turn.after.setup.name
    play = turn.play
    return {
        "before": before,
        "after": after,
        "turn": turn.turn.in_shop_words(),
        "way": turn.way,
        "surfaces": [
            {
                "axis": axis,
                "before": surface_of(turn.before, axis).words,
                "after": surface_of(turn.after, axis).words,
            }
            for axis in ("x", "y")
        ],
        "expected_error": rounded(turn.expected),
        "farthest": {"feature": turn.farthest.name, "distance": rounded(turn.farthest.arm)},
        "contributions": [{"name": c.name, "standard": rounded(c.standard)} for c in turn.contributions],
        "play": None
        if play is None
        else {
            "shift": rounded(play.shift),
            "turn_deg": rounded(math.degrees(play.turn_rad)),
            "at_farthest": rounded(play.at(turn.farthest.arm)),
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
        "frame": _frame(turn),
        "findings": [
            {"code": f.code, "severity": f.severity, "message": f.message(), "remedy": f.remedy()}
            for f in about_turns(plan)
            if f.setup in (before, after)
        ],
    }


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
    print(f"  expected error at {farthest['feature']}: {row['expected_error']:.3f} (95 %)")
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
    for finding in row["findings"]:
        print(f"  {finding['severity']}: {finding['message']} {finding['remedy']} [{finding['code']}]")
