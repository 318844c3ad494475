"""What is put together before a setup's stock is clamped: fixture, jaws, parallels, stops, screws, with their sizes."""

from __future__ import annotations

from ..frames import AXES
from ..holding.second_blank import second_shift
from ..model.holding import (
    BoardHold,
    ChuckHold,
    JigHold,
    OwnHold,
    PlateHold,
    SoftJaws,
    StepJaws,
    ViseHold,
    VJaws,
)
from ..model.own_fixture import OwnFixture
from ..model.stations import Mount
from ..places import distance_of, rotaries_under, stands_at, station_of
from ..plan import Plan
from ..quantities import said
from ..rotary_schools import indexed, model_placement
from ..setup_plan import SetupPlan


def _own_rows(setup: SetupPlan) -> list[tuple[str, float | None]]:
    """What a fixture of the shop's own is laid against and closed by: how far each part of it moves."""
    hold, holding = setup.setup.hold, setup.holding
    if not isinstance(hold, OwnHold) or not isinstance(holding.fixture, OwnFixture) or holding.own is None:
        return []
    rows: list[tuple[str, float | None]] = []
    if hold.over is not None:
        rows.append((f"{hold.over.feature} over the spigot {hold.over.spigot}", None))
    else:
        faces = (*holding.fixture.against(0), *holding.fixture.against(1))
        rows += [(f"pushed against {face.name}", None) for face in faces]
    rows += [(f"{name} moves to the stock by", way) for name, way in holding.own.ways if way is not None]
    rows += [(f"screw {k}, head Ø{said(s.head_diameter)}", None) for k, s in enumerate(holding.fixture.screws, 1)]
    rows += [(f"clamp {k} on the {clamp.side}", None) for k, clamp in enumerate(hold.clamps, 1)]
    return rows


def placed_rows(plan: Plan, setup: SetupPlan) -> list[tuple[str, float | None]]:
    """What a toolpath system must be told where one offset at the centre of rotation is used; with the first index."""
    first = next((each.first for each in indexed(plan) if each.setup is setup), None)
    placed = None if first is not setup else model_placement(setup)
    if placed is None:
        return []
    rows: list[tuple[str, float | None]] = [
        (f"model from the centre of rotation, {axis.upper()}", value)
        for axis, value in zip(AXES, placed.zero, strict=True)
    ]
    turns = ", ".join(f"{turn:.4f}° about {axis.upper()}" for axis, turn in zip(AXES, placed.turns, strict=True))
    return [*rows, (f"and turned {turns}", None)]


def _carrier_rows(setup: SetupPlan) -> list[tuple[str, float | None]]:
    """The pallets and faces that its fixture stands on, as they measure."""
    rows: list[tuple[str, float | None]] = []
    for each in setup.machine.carried_by(station_of(setup.machine, setup.setup)):
        if not isinstance(each, Mount):
            continue
        day = f", measured on {each.measured_on}" if each.measured_on else ""
        distance = distance_of(setup.machine, each)
        rows.append((f"stands on {each.name}{'' if distance is None else ', from the axis'}{day}", distance))
        for axis, tilt in (("X", each.tilt_x_deg), ("Y", each.tilt_y_deg)):
            if tilt:
                rows.append((f"which stands out of square by {tilt:+.4f}° about its {axis}", None))
    return rows


def put_together(setup: SetupPlan) -> list[tuple[str, float | None]]:
    """What has to be put together before the stock is clamped, each with its size (mm) where it has one."""
    # As it is with its station level: an index may have stood all of it up.
    hold, holding = setup.setup.hold, setup.clamping.level
    under = reversed(rotaries_under(setup.machine, setup.setup))
    rows: list[tuple[str, float | None]] = [
        (f"{each.word} ({each.name}) stands at {stands_at(each, setup.setup.index):g}°", None) for each in under
    ]
    rows += _carrier_rows(setup)
    if setup.clamping.still:
        return [*rows, ("clamped as in the setup before, and not taken out", None)]
    shift = second_shift(holding.fixture, hold)
    if shift is not None:
        rows += [(f"second blank from the first, {'XY'[k]}", float(shift[k])) for k in (0, 1) if shift[k]]
    if setup.laid_by_eye is not None:
        rows.append(("laid by eye, to within ±", setup.laid_by_eye.within))
    match hold:
        case ViseHold():
            match hold.jaws:
                case StepJaws():
                    rows.append(("jaw step over the bed", hold.jaws.height))
                case SoftJaws():
                    rows.append(("soft jaws, cut below their tops", hold.jaws.depth))
                case VJaws(width=width, angle_deg=angle, both=both):
                    which = "both jaws" if both else f"the {holding.jaws.names[0]}" if holding.jaws else ""
                    rows.append((f"upright groove of {angle:g}° in {which}, wide", width))
                    rows.append(("parallels", hold.parallels_height))
                case _:
                    rows.append(("parallels", hold.parallels_height))
            assert holding.jaws is not None, "a vise has jaws"
            rows.append(("jaw opening", holding.opening))
            rows.append((f"grip (least {said(holding.jaws.vise.grip_min)})", holding.grip))
            if hold.stop is not None:
                across = f"block across the jaws' {hold.stop.side} end until clamped, height over the bed"
                stop = across if hold.stop.at_jaw_end else f"stop on the {hold.stop.side}, height over the bed"
                rows.append((stop, hold.stop.height))
        case PlateHold():
            rows += [(f"dowel {k}, Ø{said(dowel.diameter)}", dowel.height) for k, dowel in enumerate(hold.dowels, 1)]
            rows += [(f"clamp {k} on the {clamp.side}", None) for k, clamp in enumerate(hold.clamps, 1)]
        case BoardHold():
            rows += [(f"screw {k}, head Ø{said(screw.head_diameter)}", None) for k, screw in enumerate(hold.screws, 1)]
            if hold.tape is not None:
                rows.append(("tape, thick", hold.tape))
            if hold.fence is not None:
                rows.append((f"pushed against the fence at its {hold.fence.side}, long", hold.fence.length))
            if hold.mark is not None:
                rows.append((f"zero mark cut into the bare board at X0 Y0, T{hold.mark.tool}, arms", hold.mark.arm))
        case JigHold():
            rows.append((f"the jig's {hold.pocket} pocket, grip", holding.pocket_grip()))
            rows += [(f"clamp {k} on the {clamp.side}", None) for k, clamp in enumerate(hold.clamps, 1)]
            if hold.tape is not None:
                rows.append(("tape, thick", hold.tape))
        case OwnHold():
            rows += _own_rows(setup)
        case ChuckHold():
            rows.append(("in the chuck's jaws, deep", hold.grip))
        case _:
            rows.append(("strap over it, wide" if hold.strap else "no strap", hold.strap))
    return [*rows, *_support_rows(setup)]


def _support_rows(setup: SetupPlan) -> list[tuple[str, float | None]]:
    """Blocks cut in place, with how high they are left."""
    rows: list[tuple[str, float | None]] = []
    for each in setup.supports:
        size = f"{said(each.support.length)} × {said(each.support.width)}"
        left = "left high" if each.is_level else "left high, sloping, at most"
        words = f"{each.name} on the {each.floor.name}, {size}, {left}"
        rows.append((words, each.height if each.block is not None else None))
    return rows
