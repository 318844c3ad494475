"""Rules about interlocking frames: how they are made, and what is left of them when they must hold."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Finding, fix
from ..plan import Plan
from ..quantities import said
from ..turns.turn_plan import turns_of

#: A frame's border is at least this wide (mm), and holds over at least this height and share of the piece's thickness.
_BORDER, _ENGAGED, _ENGAGED_SHARE = 4.0, 2.0, 0.2
#: What the slot may take of the part, or leave of itself, before it is told (mm³).
_CRUMB = 1.0


def made(plan: Plan) -> Iterator[Finding]:
    for turn in turns_of(plan):
        name = turn.after.setup.name
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
                (
                    fix(
                        f"Slot {said(cutter.diameter)}",
                        ("setups", turn.before.index, "operations", index, "slot"),
                        cutter.diameter,
                    ),
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


def holds(plan: Plan) -> Iterator[Finding]:
    """On the stock as it is: both walls face each other high enough, the slot is free, the part is whole."""
    for turn in turns_of(plan):
        slot, stock = turn.frame_slot, turn.frame_stock
        if slot is None or stock is None or turn.way != "interlocking frame":
            continue
        before, after = turn.before.setup.name, turn.after.setup.name
        if stock.engaged < max(_ENGAGED, _ENGAGED_SHARE * stock.thickness):
            yield Finding(
                "FRAME_DOES_NOT_LOCK", "error", after,
                f"{after}: turned, piece and border face each other over only {said(stock.engaged)} of the "
                f"{said(stock.thickness)} that the piece is thick. Nothing holds it to its place.",
                f"Leave the border and the piece's rim standing in {before}: no outline without a slot, and nothing "
                "faced off them on one side only.",
            )  # fmt: skip
        elif stock.cut_away is not None:
            operation, left = stock.cut_away
            yield Finding(
                "FRAME_CUT_AWAY", "hazard", after,
                f"{after}: '{operation}' leaves only {said(left)} of the height over which the frame holds the piece. "
                "The piece comes loose while it is cut.",
                "Let the operation stay clear of the frame, hold the piece down as well, or cut that last.",
            )  # fmt: skip
        if stock.in_part > _CRUMB:
            yield Finding(
                "FRAME_IN_PART", "error", before,
                f"{before}: '{slot.name}' goes through the finished part.",
                "Make the rectangle that it stays outside of larger.",
            )  # fmt: skip
        if stock.left > _CRUMB:
            yield Finding(
                "FRAME_SLOT_BLOCKED", "error", before,
                f"{before}: not all of the slot of '{slot.name}' is cut through; what stands in it keeps the turned "
                "piece from going in.",
                "Cut the slot through the stock, and take out what is left in it before the turn.",
            )  # fmt: skip
        if stock.tabs_in_touch:
            numbers = ", ".join(str(number) for number in stock.tabs_in_touch)
            leave = "tabs {} leave stubs" if len(stock.tabs_in_touch) > 1 else "tab {} leaves a stub"
            yield Finding(
                "TAB_IN_FRAME", "error", before,
                f"{before}: of '{slot.name}' {leave.format(numbers)} where the turned piece touches its border. It "
                "does not go down, or not straight.",
                "Use another number of tabs, or clean the stubs off flush before the turn.",
            )  # fmt: skip


RULES = (made, holds)
