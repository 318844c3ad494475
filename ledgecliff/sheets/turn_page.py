"""What the setup sheet says of a turn: what registers it, bores, checklist and turn check."""

from __future__ import annotations

from typing import Any

from markupsafe import Markup

from ledgecliff.core.budget.sides import far_side
from ledgecliff.core.checklist.checks import checks_of_turn
from ledgecliff.core.drawing.turn_views import turn_views
from ledgecliff.core.model.holding import Jig, JigHold
from ledgecliff.core.plan import Plan
from ledgecliff.core.quantities import Unit, said_area
from ledgecliff.core.turns.clearances import bored_deep, bores_deep, protrusion
from ledgecliff.core.turns.jig_making import outline_reach
from ledgecliff.core.turns.parting import parting_of, tabs_of
from ledgecliff.core.turns.surface_words import surface_words
from ledgecliff.core.turns.turn_plan import TurnPlan, order_of_boring

from .svg import svg


def turn_page(plan: Plan, turn: TurnPlan, unit: Unit, width: float) -> dict[str, Any]:
    """Everything that ``turn_page.html`` shows."""
    before, after, made = turn.before, turn.after, turn.pin_bores
    return {
        "before": before.setup.name,
        "after": after.setup.name,
        "offset": before.setup.offset,
        "words": turn.turn.in_shop_words(),
        "way": turn.way,
        "views": [Markup(svg(drawing, unit, width, 180.0)) for drawing in turn_views(plan, turn.index)],
        "surfaces": [
            {"axis": axis.upper(), "before": surface_words(before, axis), "after": surface_words(after, axis)}
            for axis in ("x", "y")
        ],
        "farthest": turn.farthest.name,
        "expected": None if (pair := far_side(turn, plan)) is None else pair.expanded,
        "play": turn.play_at_farthest,
        "seats": _seats(turn),
        "jig": _jig(turn),
        "parting": parting.overlap if (parting := parting_of(turn)) is not None else None,
        "tabs": [
            {"count": len(tabs.tabs), "setup": setup.setup.name, "area": said_area(tabs.area)}
            for setup in (before, after)
            for tabs in tabs_of(setup)
        ],
        "pins": turn.bored if turn.way == "dowel pins" else (),
        "board": turn.board_pins,
        "clearance": made.clearance if made is not None else 0.0,
        "into_board": made.into_board if made is not None else 0.0,
        "pin_length": made.pin_length if made is not None else None,
        "stands_out": protrusion(made) if made is not None else None,
        "one_program": turn.one_program,
        "blind": bored_deep(turn),
        "deep": bores_deep(turn),
        "board_offset": made.board_offset if made is not None else None,
        "order": order_of_boring(turn),
        "checks": checks_of_turn(plan, turn),
    }


def _seats(turn: TurnPlan) -> list[str]:
    """Every way it goes in; of a frame the ways besides the wanted one."""
    if turn.way == "dowel pins":
        return [seat.name for seat in turn.seats if seat.seats]
    if turn.way == "interlocking frame" and turn.frame_check is not None:
        return ["as intended", *(f"{way.name} (loosely)" for way in turn.frame_check.others if way.seats)]
    return []


def _jig(turn: TurnPlan) -> dict[str, float] | None:
    hold, jig = turn.after.setup.hold, turn.after.holding.fixture
    if not isinstance(hold, JigHold) or not isinstance(jig, Jig):
        return None
    return {"sinks": jig.second.depth - (hold.tape or 0.0), "outline": outline_reach(jig)}
