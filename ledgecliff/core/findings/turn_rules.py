"""Rules about turns: pins, frames, and surfaces that a reference moves to."""

from __future__ import annotations

from collections.abc import Iterator

from ..budget.sides import far_side
from ..finding import Finding, fix
from ..model.setup import AxisDatum, DatumSource, Setup
from ..plan import Plan
from ..quantities import said
from ..turns.turn_plan import TurnPlan, turns_of
from . import frame_rules, pin_rules


def _turns(plan: Plan) -> Iterator[tuple[TurnPlan, str]]:
    for turn in turns_of(plan):
        yield turn, turn.after.setup.name


def nothing_registers(plan: Plan) -> Iterator[Finding]:
    """A place that follows from the turn needs pins or a frame that were cut before, and half a turn."""
    for turn, name in _turns(plan):
        if not getattr(turn.after.setup.hold, "registered", False):
            continue
        if turn.pin_bores is None and turn.frame_slot is None:
            yield Finding(
                "NOTHING_REGISTERS",
                "error",
                name,
                f"{name} takes the stock's place from the turn, but {turn.before.setup.name} bores no pins and cuts no "
                "frame. Nothing brings the second side in line with the first.",
                f"Add bores for pins or a frame slot to {turn.before.setup.name}, or place the stock by hand.",
                (fix("Place it by hand", ("setups", turn.index), _placed_by_hand(turn)),),
            )
        elif turn.axis is None:
            yield Finding(
                "TURN_NOT_REGISTERED",
                "error",
                name,
                f"{name}: pins and frames register half a turn about X or Y, but this turn is "
                f"{turn.turn.in_shop_words()}.",
                "Turn the part over about X or Y, or register it another way.",
            )
        elif turn.frame_slot is not None and turn.frame_slot.turn != turn.axis:
            slot = turn.before.setup.operations.index(turn.frame_slot)
            yield Finding(
                "TURN_NOT_REGISTERED",
                "error",
                name,
                f"{name}: the frame is made for a turn about {turn.frame_slot.turn.upper()}, but the part is turned "
                f"about {turn.axis.upper()}. It does not go in.",
                "Make the frame for the turn that is made.",
                (
                    fix(
                        f"Frame for a turn about {turn.axis.upper()}",
                        ("setups", turn.before.index, "operations", slot, "turn"),
                        turn.axis,
                    ),
                ),
            )


def _placed_by_hand(turn: TurnPlan) -> Setup:
    """The setup with its stock placed by hand: then no zero can be carried over either, and each is the stock's own."""
    setup = turn.after.setup
    sources: dict[str, DatumSource] = {"x": "stock centre", "y": "stock centre", "z": "parallels"}
    axes = {
        axis: AxisDatum(source=source)
        for axis, source in sources.items()
        if getattr(setup.datum, axis).source == "carried over"
    }
    hold = setup.hold.model_copy(update={"registered": False})
    return setup.model_copy(update={"hold": hold, "datum": setup.datum.model_copy(update=axes)})


def wrong_seat(plan: Plan) -> Iterator[Finding]:
    """Turned, the blank must go down in one way only.  Not turned, its unfinished face shows."""
    for turn, name in _turns(plan):
        wrong = [seat for seat in turn.seats if seat.turned and not seat.intended]
        seated = [seat.name for seat in wrong if seat.seats]
        nearly = [seat for seat in wrong if not seat.seats]
        if turn.frame_check is not None and turn.way == "interlocking frame":
            seated += [way.removeprefix("turned ") for way in turn.frame_check.wrong_ways]
        if seated:
            yield Finding(
                "WRONG_SEAT",
                "error",
                name,
                f"{name}: turned, it also goes in {', '.join(seated)}. Every feature of this side would be cut in the "
                "wrong place.",
                "Use the frame's notches."
                if turn.way == "interlocking frame"
                else "Add a pin off the others' symmetry, move one, or use two diameters.",
            )
        elif nearly:
            seat = nearly[0]
            yield Finding(
                "WRONG_SEAT_NEARLY",
                "warning",
                name,
                f"{name}: {seat.name} the blank misses its pins by only {said(seat.miss)}; with some force it goes "
                "down.",
                "Move a pin further off the others' symmetry, or use two diameters.",
            )


def play_too_large(plan: Plan) -> Iterator[Finding]:
    """Play at a feature against the tolerance that ties it to something cut before the turn."""
    made_in = {
        name: k for k, setup in enumerate(plan.job.setups) for each in setup.operations for name in each.features
    }
    for turn, name in _turns(plan):
        play, worst = turn.play, None
        if play is None:
            continue
        for feature in plan.job.part.features:
            asked = feature.tolerance
            if asked is None or asked.position is None or asked.to is None:
                continue
            sides = {made_in.get(feature.name, -1) < turn.index, made_in.get(asked.to, -1) < turn.index}
            if len(sides) < 2 or -1 in (made_in.get(feature.name, -1), made_in.get(asked.to, -1)):
                continue
            off = play.worst_at(turn.place_of(feature.name))
            if off > asked.position and (worst is None or off - asked.position > worst[0]):
                worst = (off - asked.position, feature.name, off, asked.position)
        if worst is not None:
            _, feature_name, off, allowed = worst
            yield Finding(
                "PLAY_TOO_LARGE",
                "error",
                name,
                f"{name}: registered by {turn.way}, '{feature_name}' may be off by {said(off)}, but its place only by "
                f"{said(allowed)}.",
                "Make the fit closer, set pins further apart, or probe a feature after the turn.",
            )


def reference_moves(plan: Plan) -> Iterator[Finding]:
    """Another surface than before, on stock that varies: its size goes into the error."""
    for turn, name in _turns(plan):
        pair = far_side(turn, plan)
        if pair is not None and any(each.source.kind == "blank" for each in pair.enters):
            yield Finding(
                "REFERENCE_MOVES",
                "warning",
                name,
                f"{name} takes a zero from another surface of the blank than {turn.before.setup.name}; how blanks "
                f"vary comes in between: ±{said(pair.expanded)} at the far side (95 %).",
                "Probe a feature that was cut before, or use the same surface as before.",
            )


RULES = (
    nothing_registers,
    wrong_seat,
    play_too_large,
    reference_moves,
    *pin_rules.RULES,
    *frame_rules.RULES,
)


def about_turns(plan: Plan) -> tuple[Finding, ...]:
    """The findings of these rules alone."""
    return tuple(finding for rule in RULES for finding in rule(plan))
