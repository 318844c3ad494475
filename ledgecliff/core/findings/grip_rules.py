"""Rules about what the holding touches: gripped faces, seat, thin places, and pieces that come loose."""

from __future__ import annotations

import math
from collections.abc import Iterator

from ..blanks import transformed
from ..finding import Finding, Fix, fix
from ..holding.giving_place import BY_HAND
from ..holding.stops import SAME, dowel_contacts, stop_contact
from ..holding.v_jaws import v_jaws_for
from ..model.holding import JigHold, OwnHold, PlateHold, ViseHold, VJaws
from ..model.stock import BarStock
from ..plan import Plan
from ..quantities import said, said_area, said_volume
from ..setup_plan import SetupPlan

#: Cutting away more than this share of a gripped face loosens the part.
_CUT_SHARE = 0.02
#: Lying on less than this share of its outline the stock stands badly.
_SEAT_SHARE = 0.05
#: The centre of gravity must lie this far inside of what carries the stock (mm).
_STEADY = 1.0
#: A clamp that is pressed down so far (mm) goes into what it holds, over more than so much of it (mm²).
_PRESSED, _PAD = 0.05, 1.0
#: A lower stop ends so far below what it must not meet, and stands so far up a wall (mm).
_STOP_BELOW, _STOP_ON_WALL = 0.5, 1.0


def grip_not_parallel(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        grip = setup_plan.grip
        if grip is None or grip.parallel or grip.band <= 0.0 or setup_plan.holding.in_groove:
            continue
        name = setup_plan.setup.name
        yield Finding(
            "GRIP_NOT_PARALLEL",
            "hazard",
            name,
            f"{name}: the jaws find only {said_area(grip.opposite)} of flat faces opposite each other in a band of "
            f"{said_area(grip.band)}. They hold an edge or a round, and the part can twist or jump out.",
            "Grip two flat, parallel faces, or use soft jaws cut to the outline, V-jaws, or a V-block.",
            _v_jaws_fix(setup_plan),
        )


def _v_jaws_fix(setup_plan: SetupPlan) -> tuple[Fix, ...]:
    """Round stock that stands upright goes into a groove."""
    hold, stock, up = setup_plan.setup.hold, setup_plan.stock, setup_plan.setup.orientation.matrix()[2]
    if not isinstance(hold, ViseHold) or hold.stop is not None or not isinstance(stock, BarStock):
        return ()
    if abs(up["xyz".index(stock.along)]) < 1.0:
        return ()
    jaws = v_jaws_for(stock.diameter.measured)
    path = ("setups", setup_plan.index, "hold", "jaws")
    return (fix(f"V-jaws, groove {said(jaws.width)}", path, jaws.model_dump()),)


def groove_misfit(plan: Plan) -> Iterator[Finding]:
    """A round must lie on both flanks of the groove, and stand out of it."""
    for setup_plan in plan.setups:
        jaws, hold, name = setup_plan.holding.jaws, setup_plan.setup.hold, setup_plan.setup.name
        if jaws is None or jaws.fits or not isinstance(hold, ViseHold) or not isinstance(hold.jaws, VJaws):
            continue
        size = float((setup_plan.holding.u_stock[1] - setup_plan.holding.u_stock[0])[1 - jaws.axis])
        wanted = v_jaws_for(size, hold.jaws.angle_deg).width
        path = ("setups", setup_plan.index, "hold", "jaws", "width")
        yield Finding(
            "V_JAW_MISFIT",
            "error",
            name,
            f"{name}: the stock does not lie on both flanks of the groove {said(hold.jaws.width)} wide, or sinks into "
            "it down to the jaw's face. Where it comes to lie is not known.",
            "Use jaws with another groove, or hold it otherwise.",
            (fix(f"Groove {said(wanted)} wide", path, wanted),),
        )


def grip_cut_away(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        grip = setup_plan.grip
        if grip is None or grip.cut_share <= _CUT_SHARE or (grip.holds_round and not setup_plan.holding.in_groove):
            continue
        name = setup_plan.setup.name
        yield Finding(
            "GRIP_CUT_AWAY",
            "hazard",
            name,
            f"{name} cuts away {grip.cut_share:.0%} of a face that the jaws hold meanwhile. The part comes loose "
            "under the cutter.",
            "Grip lower down or on other faces, or make that cut in another setup.",
        )


def seat_too_small(plan: Plan) -> Iterator[Finding]:
    for setup_plan in plan.setups:
        seat, name = setup_plan.seat, setup_plan.setup.name
        on = setup_plan.holding.seat_name
        if setup_plan.setup.hold.by != "v-block" and seat.share < _SEAT_SHARE:
            yield Finding(
                "SEAT_TOO_SMALL",
                "error",
                name,
                f"{name}: the stock lies on only {said_area(seat.area)} of the {on}, {seat.share:.0%} of its outline. "
                "It does not lie flat, and Z is unsure.",
                "Lay it on a face that is flat where it is carried, or move or change what carries it.",
            )
        elif seat.steady < _STEADY:
            yield Finding(
                "SEAT_TIPS",
                "error",
                name,
                f"{name}: the stock's weight lies {said(max(-seat.steady, 0.0))} outside of what carries it "
                f"({on}); unclamped it tips, and clamping may keep it so.",
                "Put support under its middle, or lay it another way.",
            )


def laid_too_close(plan: Plan) -> Iterator[Finding]:
    """What a hand lays must have as much room as a hand leaves it off."""
    for setup_plan in plan.setups:
        by_eye, name = setup_plan.laid_by_eye, setup_plan.setup.name
        if by_eye is None or by_eye.within >= BY_HAND.size:
            continue
        lacks = (
            "the part does not clean up at the blank's edge"
            if by_eye.limit == "edge"
            else "bores for pins come too near to the blank's edge"
        )
        yield Finding(
            "LAID_TOO_CLOSE",
            "warning",
            name,
            f"{name}: the blank is laid by eye, and must lie within ±{said(max(by_eye.within, 0.0))} of its place, or "
            f"{lacks}; a hand leaves it {said(BY_HAND.size)} off.",
            "Use a larger blank, lay it against dowels or a stop, or take the zero from the blank itself.",
        )


def clamp_beside_stock(plan: Plan) -> Iterator[Finding]:
    """Every clamp must come down on the stock: pressed a little further it would go into it."""
    for setup_plan in plan.setups:
        hold, holding = setup_plan.setup.hold, setup_plan.holding
        if not isinstance(hold, PlateHold | JigHold | OwnHold) or not hold.clamps:
            continue
        stock = transformed(setup_plan.before.solid, setup_plan.setup.orientation.matrix())
        down = holding.tf_s_u.turn.T @ (0.0, 0.0, -_PRESSED)
        for number in range(1, len(hold.clamps) + 1):
            clamp = holding.block(f"clamp {number}")
            assert clamp is not None, "each clamp of a hold is a block"
            if float((clamp.solid().translate(tuple(down)) ^ stock).volume()) > _PRESSED * _PAD:
                continue
            name = setup_plan.setup.name
            yield Finding(
                "CLAMP_BESIDE_STOCK",
                "hazard",
                name,
                f"{name}: clamp {number} comes down beside the stock and holds nothing.",
                "Put its nose over the stock, or take it away and see that the others hold.",
            )


def pieces_freed(plan: Plan) -> Iterator[Finding]:
    """The last stock of a setup tells whether something came loose; the operation that did it is then looked up."""
    for setup_plan in plan.setups:
        count = len(setup_plan.setup.operations)
        if count == 0:
            continue
        for is_part in (True, False):
            if _loose(setup_plan, count - 1, is_part):
                first = next(k for k in range(count) if _loose(setup_plan, k, is_part))
                yield _freed(setup_plan, first, is_part)


def _loose(setup_plan: SetupPlan, operation: int, is_part: bool) -> float:
    """Volume of the pieces that nothing holds after an operation (mm³)."""
    found = setup_plan.pieces_after(operation)
    return sum(piece.volume for piece in found if not piece.held_by and piece.is_part == is_part)


def _freed(setup_plan: SetupPlan, operation: int, is_part: bool) -> Finding:
    name, cut = setup_plan.setup.name, setup_plan.setup.operations[operation].name
    if is_part:
        return Finding(
            "PART_FREED",
            "hazard",
            name,
            f"{name}: after '{cut}' nothing holds the part any more. It is thrown or spoiled by the same cut.",
            "Leave tabs or a hat, or hold the part itself with clamps, screws or tape.",
        )
    volume = _loose(setup_plan, operation, is_part)
    return Finding(
        "OFFCUT_LOOSE",
        "warning",
        name,
        f"{name}: '{cut}' frees {said_volume(volume)} of offcut that nothing holds. It can jam or fly.",
        "Hold the offcut too, leave it on tabs, or cut it to chips.",
    )


def stop_contacts(plan: Plan) -> Iterator[Finding]:
    """A stop meets what is gripped, and nothing else first."""
    for setup_plan in plan.setups:
        hold, name = setup_plan.setup.hold, setup_plan.setup.name
        contact = stop_contact(setup_plan.holding)
        if contact is None or not isinstance(hold, ViseHold) or hold.stop is None:
            continue
        height = ("setups", setup_plan.index, "hold", "stop", "height")
        if contact.beyond > SAME:
            lower = math.floor((contact.clear_height - _STOP_BELOW) * 10.0) / 10.0
            fits = lower >= setup_plan.holding.seat - setup_plan.holding.foot + _STOP_ON_WALL
            yield Finding(
                "STOP_MEETS_HAT",
                "error",
                name,
                f"{name}: the stop reaches {said(hold.stop.height)} over the vise's bed, and from "
                f"{said(contact.clear_height)} the stock stands {said(contact.beyond)} further out than where it is "
                "gripped. That meets the stop first, and the part comes to lie so far off.",
                "Lower the stop, so that it meets the finished wall."
                if fits
                else "Put the stop at the other side, or take the zero from a side that is touched.",
                (fix(f"Stop {said(lower)} high", height, lower),) if fits else (),
            )
        elif contact.beyond < -SAME:
            back = "nothing of the stock is beside it"
            if math.isfinite(contact.beyond):
                back = f"the stock stands back from it by {said(-contact.beyond)} there"
            yield Finding(
                "STOP_MEETS_NOTHING",
                "error",
                name,
                f"{name}: the stop, {said(hold.stop.height)} over the vise's bed, does not meet the part: {back}.",
                "Make it as high as the wall it is to meet, or put it at the other side.",
            )


def dowels_met(plan: Plan) -> Iterator[Finding]:
    """A dowel touches the side it gives a place to: a hat may meet it first, and a wall under a hat stands back."""
    for setup_plan in plan.setups:
        name = setup_plan.setup.name
        for contact in dowel_contacts(setup_plan.holding):
            path = ("setups", setup_plan.index, "hold", "dowels", contact.number - 1, "height")
            lower = math.floor((contact.clear_height - _STOP_BELOW) * 10.0) / 10.0
            if contact.into:
                fits = lower >= _STOP_ON_WALL
                yield Finding(
                    "DOWEL_IN_STOCK",
                    "error",
                    name,
                    f"{name}: dowel {contact.number} stands in the stock from {said(contact.clear_height)} over the "
                    "plate: a hat or a side meets it first, and the part comes to lie further off.",
                    "Make it lower, so that it meets the finished wall." if fits else "Put it beside the stock.",
                    (fix(f"Dowel {said(lower)} high", path, lower),) if fits else (),
                    about=f"dowel {contact.number}",
                )
            elif contact.gap > SAME:
                yield Finding(
                    "DOWEL_MEETS_NOTHING",
                    "warning",
                    name,
                    f"{name}: dowel {contact.number} does not touch the stock as it is planned: nothing gives the part "
                    "its place there.",
                    "Move it against the stock, or make it as high as the wall it is to meet.",
                    about=f"dowel {contact.number}",
                )


RULES = (
    laid_too_close,
    stop_contacts,
    dowels_met,
    grip_not_parallel,
    groove_misfit,
    grip_cut_away,
    seat_too_small,
    clamp_beside_stock,
    pieces_freed,
)
