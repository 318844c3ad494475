"""Rules about turns: pins, frames, and surfaces that a reference moves to."""

from __future__ import annotations

from collections.abc import Iterator

from ..plan import Plan
from ..quantities import said, said_bare
from ..registration.clearances import cut_at_pins, held_at_pins, part_at_pins, pins_near_edge
from ..registration.turning import TurnPlan
from .base import Finding, Fix

#: A frame's border is at least this wide (mm), and a pin stands at least this share of its diameter in the board.
_BORDER, _IN_BOARD = 4.0, 0.5


def _turns(plan: Plan) -> Iterator[tuple[TurnPlan, str]]:
    for turn in plan.turns:
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
                Fix("Place it by hand", ("setups", turn.index, "hold", "registered"), False),
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
                Fix(
                    f"Frame for a turn about {turn.axis.upper()}",
                    ("setups", turn.before.index, "operations", slot, "turn"),
                    turn.axis,
                ),
            )


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


def pins_in_the_way(plan: Plan) -> Iterator[Finding]:
    for turn, name in _turns(plan):
        if turn.way != "dowel pins":
            continue
        for hit in (*cut_at_pins(turn), *held_at_pins(turn)):
            yield Finding(
                "PIN_IN_TOOLPATH" if hit.what.startswith("'") else "PIN_IN_CLAMP",
                "hazard",
                name,
                f"{name}: pin {hit.number} (Ø{said_bare(hit.pin.diameter)}) stands in {hit.what}. "
                + ("The cutter runs into steel." if hit.what.startswith("'") else "Both do not find room."),
                "Move the pin out of it, or make the blank larger.",
            )
        for hit in part_at_pins(turn):
            yield Finding(
                "PIN_IN_PART",
                "error",
                name,
                f"{name}: the bore of pin {hit.number} (Ø{said_bare(hit.pin.diameter)}) goes into the finished part.",
                "Move the pin outside of the part's outline.",
            )
        for number, pin, lacking in pins_near_edge(turn):
            yield Finding(
                "PIN_NEAR_EDGE",
                "error",
                name,
                f"{name}: the bore of pin {number} (Ø{said_bare(pin.diameter)}) lacks {said(lacking)} of wall to the "
                "blank's edge and can break out.",
                "Move the pin inward, make the blank larger, or use a thinner pin.",
            )


def pins_in_board(plan: Plan) -> Iterator[Finding]:
    """Bores go through the blank into a board that is there, deep enough to hold a pin, and not through it."""
    for setup in plan.setups:
        for k, made in enumerate(setup.setup.operations):
            if made.removes != "pin bores":
                continue
            name, path = setup.setup.name, ("setups", setup.index, "operations", k, "into_board")
            board = next((b for b in setup.holding.blocks if b.kind == "base" and b.shape is None), None)
            if board is None:
                yield Finding(
                    "PIN_NO_BOARD", "error", name,
                    f"{name}: '{made.name}' goes on into what lies under the blank, but that is no board or plate. "
                    "Pins find nothing to stand in.",
                    "Hold this side on a spoilboard or a plate.",
                )  # fmt: skip
                continue
            thick, thickest = board.high[2] - board.low[2], max(pin.diameter for pin in made.pins)
            gap = setup.holding.seat - board.high[2]
            if made.into_board > thick + gap + 1e-9:
                yield Finding(
                    "PIN_THROUGH_BOARD", "hazard", name,
                    f"{name}: '{made.name}' goes {said(made.into_board)} below the blank; the {board.name} is "
                    f"{said(thick + gap)} thick. The tool goes into the table.",
                    f"Bore at most {said(thick + gap)} deep, or use a thicker board.",
                    Fix(f"{said(0.75 * (thick + gap))} into the board", path, round(0.75 * (thick + gap), 3)),
                )  # fmt: skip
            elif made.into_board - gap < _IN_BOARD * thickest:
                wanted = round(thickest + gap, 3)
                yield Finding(
                    "PIN_NOT_IN_BOARD", "error", name,
                    f"{name}: '{made.name}' reaches only {said(max(made.into_board - gap, 0.0))} into the "
                    f"{board.name}; pins of Ø{said_bare(thickest)} do not stand in it.",
                    f"Bore at least {said(wanted)} below the blank.",
                    Fix(f"{said(wanted)} into the board", path, wanted),
                )  # fmt: skip
            cutter = plan.job.machine.cutter(made.tool)
            bore = min(pin.diameter for pin in made.pins) + made.clearance
            if cutter is not None and cutter.diameter > bore + 1e-9:
                yield Finding(
                    "PIN_TOOL_TOO_WIDE", "error", name,
                    f"{name}: '{made.name}' makes bores of {said(bore)} with T{cutter.tool} {cutter.name}, which is "
                    "wider.",
                    "Use a drill of the bore's size, or a thinner end mill.",
                )  # fmt: skip


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
            off = play.at(turn.arm_of(feature.name))
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


def frame_rules(plan: Plan) -> Iterator[Finding]:
    for turn, name in _turns(plan):
        slot, frame, checked = turn.frame_slot, turn.frame, turn.frame_check
        if slot is None or frame is None or checked is None:
            continue
        before = turn.before.setup.name
        cutter = turn.before.machine.cutter(slot.tool)
        index = turn.before.setup.operations.index(slot)
        if cutter is not None and cutter.diameter > slot.slot + 1e-9:
            yield Finding(
                "SLOT_NARROWER_THAN_CUTTER", "error", before,
                f"{before}: '{slot.name}' is {said(slot.slot)} wide, its cutter T{cutter.tool} "
                f"{said(cutter.diameter)}. The cutter takes the fit away.",
                f"Make the slot {said(cutter.diameter)} wide, or use a thinner cutter.",
                Fix(
                    f"Slot {said(cutter.diameter)}",
                    ("setups", turn.before.index, "operations", index, "slot"),
                    cutter.diameter,
                ),
            )  # fmt: skip
        if turn.axis is not None and slot.turn == turn.axis and not checked.locks:
            fits = "goes in but is not held on all sides" if checked.fits else "does not go into its border"
            yield Finding(
                "FRAME_DOES_NOT_LOCK" if checked.fits else "FRAME_DOES_NOT_FIT", "error", name,
                f"{name}: turned, the piece {fits}.",
                "Give the frame another fit or size; its sheet shows where it touches.",
            )  # fmt: skip
        border = turn.frame_border
        if border < _BORDER:
            yield Finding(
                "FRAME_BORDER_THIN", "error", before,
                f"{before}: outside of the frame's slot only {said(max(border, 0.0))} of blank are left; the border "
                "gives way or breaks.",
                f"Make the blank at least {said(2.0 * (_BORDER - border))} larger each way, or the frame smaller.",
            )  # fmt: skip


def reference_moves(plan: Plan) -> Iterator[Finding]:
    """Another surface than before, on stock that varies: its size goes into the error."""
    for turn, name in _turns(plan):
        size = next((part for part in turn.contributions if part.name.startswith("the blank's size")), None)
        if size is not None:
            yield Finding(
                "REFERENCE_MOVES",
                "warning",
                name,
                f"{name} takes a zero from another surface of the blank than {turn.before.setup.name}; how blanks "
                f"vary comes in between: ±{said(turn.expected)} at the far side (95 %).",
                "Probe a feature that was cut before, or use the same surface as before.",
            )


RULES = (
    nothing_registers,
    wrong_seat,
    pins_in_the_way,
    pins_in_board,
    play_too_large,
    frame_rules,
    reference_moves,
)


def about_turns(plan: Plan) -> tuple[Finding, ...]:
    """The findings of these rules alone."""
    return tuple(finding for rule in RULES for finding in rule(plan))
