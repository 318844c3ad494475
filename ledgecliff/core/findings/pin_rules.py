"""Rules about dowel pins: what they hold, what they stand in, and what is in their way."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Finding, Fix, fix
from ..model.job import fixture_words
from ..plan import Plan
from ..programs.targets import free_code
from ..quantities import said, said_bare
from ..registration.pins import holds_the_turn
from ..turns.clearances import (
    LEAST_HELD,
    board_top,
    bores_deep,
    bores_that_meet,
    cut_at_pins,
    fitting_length,
    held_at_pins,
    lowest_cut_at_pins,
    part_at_pins,
    pins_near_edge,
    protrusion,
    walls_cut,
)
from ..turns.turn_plan import TurnPlan, turns_of

#: So far below the floor of a blind bore pins end (mm).
_UNDER_FLOOR = 0.5
#: A pin stands at least this share of its diameter in the board; a drill makes its own size to within this (mm).
_IN_BOARD, _OWN_SIZE = 0.5, 0.005


def pins_hold(plan: Plan) -> Iterator[Finding]:
    """One pin lets the part turn about it; pins stand in one board."""
    for turn in turns_of(plan):
        if turn.way != "dowel pins" or turn.pin_bores is None:
            continue
        name, before = turn.after.setup.name, turn.before.setup.name
        if not holds_the_turn(turn.bored):
            yield Finding(
                "PINS_LET_IT_TURN", "hazard", name,
                f"{name}: all pins stand at one place, so that the part turns about it. It comes loose in the cut, and "
                "no error can be told.",
                "Set two pins as far apart as the blank allows.",
            )  # fmt: skip
        if turn.before.setup.station != turn.after.setup.station:
            lies, stands = (fixture_words(setup.machine, setup.setup) for setup in (turn.after, turn.before))
            yield Finding(
                "PINS_IN_ANOTHER_BOARD", "error", name,
                f"{name} is held by {_called(lies)}, but {before} sets the pins in {_called(stands)}.",
                "Hold both sides on the board that the pins stand in.",
            )  # fmt: skip


def _called(fixture: tuple[str, str]) -> str:
    kind, name = fixture
    return f"{kind} '{name}'"


def shift_adds_up(plan: Plan) -> Iterator[Finding]:
    """A zero that is carried over into its own code with a shift goes further by it at each run."""
    for turn in turns_of(plan):
        before, after = turn.before.setup, turn.after.setup
        shifted = [
            axis.upper()
            for axis in ("x", "y", "z")
            if getattr(after.datum, axis).source == "carried over" and abs(getattr(after.datum, axis).shift) > 1e-9
        ]
        if not shifted or before.offset != after.offset:
            continue
        free = free_code(plan.job, turn.after.machine)
        fixes = () if free is None else (fix(f"{free} for {after.name}", ("setups", turn.index, "offset"), free),)
        yield Finding(
            "CARRIED_SHIFT_ADDS_UP", "error", after.name,
            f"{after.name}: {' and '.join(shifted)} of {after.offset} is carried over from {before.name} in the same "
            "code and shifted. Run a second time, the program shifts it once more.",
            f"Keep the zero of {after.name} in a code of its own.",
            fixes,
        )  # fmt: skip


def cutters_fit(plan: Plan) -> Iterator[Finding]:
    """Drills make bores of their own size and nothing else."""
    for setup in plan.setups:
        for k, made in enumerate(setup.setup.operations):
            cutter = setup.machine.cutter(made.tool)
            if cutter is None or cutter.shape != "drill":
                continue
            name, path = setup.setup.name, ("setups", setup.index, "operations", k, "tool")
            mills = (c for c in setup.machine.cutters if c.shape == "flat" and c.diameter <= cutter.diameter)
            mill = next(mills, None)
            fixes = () if mill is None else (fix(f"T{mill.tool} {mill.name}", path, mill.tool),)
            if made.removes == "frame slot":
                yield Finding(
                    "DRILL_CANNOT_MILL", "hazard", name,
                    f"{name}: '{made.name}' is cut sideways, but T{cutter.tool} {cutter.name} is a drill. It breaks.",
                    "Use an end mill.", fixes, about=made.name,
                )  # fmt: skip
            elif made.removes == "pin bores":
                bores = sorted({round(pin.diameter + made.clearance, 4) for pin in made.pins})
                closer, looser = "pins do not go in", "pins are loose in them"
                other = [bore for bore in bores if abs(bore - cutter.diameter) > _OWN_SIZE]
                if other:
                    yield Finding(
                        "DRILL_OF_ANOTHER_SIZE", "error", name,
                        f"{name}: '{made.name}' asks for bores of {said(other[0])}; the drill T{cutter.tool} makes "
                        f"them {said(cutter.diameter)}: {closer if other[0] > cutter.diameter else looser}.",
                        "Use a drill of the bore's size, or a thinner end mill.", fixes, about=made.name,
                    )  # fmt: skip


def pins_in_the_way(plan: Plan) -> Iterator[Finding]:
    for turn in turns_of(plan):
        name = turn.after.setup.name
        if turn.way != "dowel pins":
            continue
        for hit in cut_at_pins(turn):
            unsaid = turn.pin_bores is not None and turn.pin_bores.pin_length is None
            yield Finding(
                "PIN_IN_TOOLPATH", "hazard", name,
                f"{name}: pin {hit.number} (Ø{said_bare(hit.pin.diameter)}) stands in {hit.what}. "
                + ("How long it is is not stated: the cutter may run into steel." if unsaid else
                   "The cutter runs into steel."),
                "Move the pin out of it, make the blank larger, or use a pin that ends below the cut.",
                _shorter(turn), about=f"pin {hit.number} {hit.what}",
            )  # fmt: skip
        for hit in walls_cut(turn):
            yield Finding(
                "PIN_WALL_CUT", "error", name,
                f"{name}: {hit.what} cuts into the wall round the bore of pin {hit.number} "
                f"(Ø{said_bare(hit.pin.diameter)}), so that it no longer holds the blank.",
                "Move the pin out of it, make the blank larger, or ask for less wall.",
            )  # fmt: skip
        for hit in held_at_pins(turn):
            yield Finding(
                "PIN_IN_CLAMP", "hazard", name,
                f"{name}: pin {hit.number} (Ø{said_bare(hit.pin.diameter)}) stands in {hit.what}. Both do not find "
                "room.",
                "Move the pin out of it, or make the blank larger.",
            )  # fmt: skip
        for one, other, between in bores_that_meet(turn):
            meets = "run into each other" if between <= 0.0 else f"have only {said(between)} between them"
            yield Finding(
                "PIN_BORES_MEET", "error", name,
                f"{name}: the bores of pins {one} and {other} {meets}.",
                "Move one of the pins away, or take it out.",
            )  # fmt: skip
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


def pins_are_long_enough(plan: Plan) -> Iterator[Finding]:
    """Pins hold the blank by half their diameter at least, and stand out of it nowhere."""
    for turn in turns_of(plan):
        made = turn.pin_bores
        out = protrusion(made) if made is not None else None
        if turn.way != "dowel pins" or made is None or out is None:
            continue
        name, thickest = turn.after.setup.name, max(pin.diameter for pin in made.pins)
        stock = turn.after.holding.u_stock
        if out - (float(stock[0][2]) - board_top(turn)) < LEAST_HELD * thickest - 1e-9:
            yield Finding(
                "PIN_TOO_SHORT", "error", name,
                f"{name}: pins {said(made.pin_length or 0.0)} long stand only {said(max(out, 0.0))} out of the board; "
                f"pins of Ø{said_bare(thickest)} do not hold the blank by that.",
                f"Use pins that stand out at least {said(LEAST_HELD * thickest)}.",
                _shorter(turn),
            )  # fmt: skip
        top = float(stock[1][2]) - board_top(turn)
        if out > top + 1e-9:
            yield Finding(
                "PIN_STANDS_OUT", "warning", name,
                f"{name}: pins {said(made.pin_length or 0.0)} long stand {said(out - top)} out of the blank, in "
                "the way of tools, probe and clamps.",
                "Use shorter pins.",
                _shorter(turn),
            )  # fmt: skip


def blind_bores(plan: Plan) -> Iterator[Finding]:
    """Pins must not stand on the floor of blind bores, or the blank does not lie on the board."""
    for turn in turns_of(plan):
        made, deep = turn.pin_bores, bores_deep(turn)
        if turn.way != "dowel pins" or made is None or deep is None:
            continue
        out, name = protrusion(made), turn.after.setup.name
        # Over the board, under the blank, tape may lie.
        room = deep + float(turn.after.holding.u_stock[0][2]) - board_top(turn)
        if out is not None and out <= room - _UNDER_FLOOR + 1e-9:
            continue
        lacks = "how long pins are is not stated" if out is None else f"pins stand {said(out)} out of the board"
        yield Finding(
            "PIN_BORE_SHALLOW", "hazard", name,
            f"{name}: the blind bores are {said(deep)} deep at the turn, and {lacks}: the blank may come to lie on "
            "the pins instead of the board.",
            f"Use pins that end {said(_UNDER_FLOOR)} below the bores' floor, or bore deeper.",
            _shorter(turn),
        )  # fmt: skip


def _shorter(turn: TurnPlan) -> tuple[Fix, ...]:
    """The longest pins that end below every cut, where another length does that."""
    made = turn.pin_bores
    length = None if made is None else fitting_length(made, lowest_cut_at_pins(turn))
    if made is None or length is None or length == made.pin_length:
        return ()
    k = turn.before.setup.operations.index(made)
    path = ("setups", turn.before.index, "operations", k, "pin_length")
    return (fix(f"Pins {said(length)} long", path, length),)


def one_set_of_bores(plan: Plan) -> Iterator[Finding]:
    """A turn goes by the first bores for pins of the setup before it; a second set means nothing to it."""
    for setup in plan.setups:
        made = [each.name for each in setup.setup.operations if each.removes == "pin bores"]
        for name in made[1:]:
            yield Finding(
                "PIN_BORES_TWICE", "error", setup.setup.name,
                f"{setup.setup.name}: '{name}' bores for pins a second time. The turn goes by '{made[0]}' "
                "alone, and so do its programs and its error.",
                f"Put all pins into '{made[0]}' and take '{name}' out.",
            )  # fmt: skip


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
                    (fix(f"{said(0.75 * (thick + gap))} into the board", path, round(0.75 * (thick + gap), 3)),),
                    about=made.name,
                )  # fmt: skip
            elif made.into_board - gap < _IN_BOARD * thickest:
                wanted = round(thickest + gap, 3)
                yield Finding(
                    "PIN_NOT_IN_BOARD", "error", name,
                    f"{name}: '{made.name}' reaches only {said(max(made.into_board - gap, 0.0))} into the "
                    f"{board.name}; pins of Ø{said_bare(thickest)} do not stand in it.",
                    f"Bore at least {said(wanted)} below the blank.",
                    (fix(f"{said(wanted)} into the board", path, wanted),),
                    about=made.name,
                )  # fmt: skip
            cutter = setup.machine.cutter(made.tool)
            bore = min(pin.diameter for pin in made.pins) + made.clearance
            if cutter is not None and cutter.diameter > bore + 1e-9:
                yield Finding(
                    "PIN_TOOL_TOO_WIDE", "error", name,
                    f"{name}: '{made.name}' makes bores of {said(bore)} with T{cutter.tool} {cutter.name}, which is "
                    "wider.",
                    "Use a drill of the bore's size, or a thinner end mill.",
                )  # fmt: skip


RULES = (
    pins_hold,
    shift_adds_up,
    cutters_fit,
    pins_in_the_way,
    pins_are_long_enough,
    blind_bores,
    one_set_of_bores,
    pins_in_board,
)
