"""The tape of every scene: the arithmetic behind what the stage shows."""

from __future__ import annotations

import itertools
from dataclasses import replace
from typing import assert_never

from ..blanks import blank_corners, stock_size
from ..datums import coordinate_tape, datum_words
from ..feature_list import feature_list
from ..frames import AXES, Axis
from ..holding import Holding, Jaws
from ..holding.contact import Grip, overhangs
from ..holding.holding import origin_words
from ..holding.second_blank import second_shift
from ..lenses import LensKey, SceneKind
from ..look import Look
from ..model.holding import BoardHold, OwnHold, Vise, block_away
from ..model.orientation import exact_direction, opposite, shown
from ..model.own_fixture import OwnFixture
from ..model.setup import Setup
from ..model.stock import measured_along
from ..places import tf_m_s
from ..plan import Plan
from ..programs.rotation import turned_words
from ..quantities import said, said_area, said_bare, said_volume
from ..setup_plan import SetupPlan
from ..several_parts import cut_apart_in, names_of
from ..tape_lines import Tape, TapeLine, heading, note
from ..turns.turn_plan import turns_of
from .bench import bench_tape
from .budget import may_be_off
from .by_school import school_lines
from .probing import probing_tape, rehearsed_tape
from .turns import turn_tape

#: Beside the coordinates of another scene than a setup.
_OF_COORDINATES: dict[SceneKind, LensKey] = {
    "stock": "stock", "bench": "bench", "turn": "turn", "finished": "finished",
}  # fmt: skip
#: A fit closer than this is exact (mm); a share of a direction smaller than this is nothing.
_WORTH_SAYING, _STRAIGHT = 5e-4, 1e-6
#: Gaps of the ladder that have a name in the trade.
_GAPS = {
    ("table", "bed"): "height of the bed",
    ("parallels", "part-underside"): "hat under the part",
    ("part-top", "stock-top"): "to cut off the top",
    ("part-underside", "part-top"): "the finished part",
}


def stock_tape(plan: Plan) -> Tape:
    """Stock less part, per part axis: what stands over on each side, and what the first side leaves below."""
    part = plan.geometry.high - plan.geometry.low
    up = plan.setups[0].setup.orientation.square_up()
    stock = plan.job.stock
    size, spread = stock_size(stock, plan.models.stock), stock.spread()
    low, high = blank_corners(stock, plan.geometry, plan.models.stock)
    words = ["measured" if each else "assumed" for each in measured_along(stock)]
    lines: list[TapeLine] = []
    for k, axis in enumerate(AXES):
        over = float(size[k] - part[k])
        lines += [
            heading(f"Part {axis.upper()}"),
            TapeLine(f"stock, {words[k]}", float(size[k]), source="stock", signed=False),
            TapeLine("part", -float(part[k]), source="part"),
            TapeLine("over", over, "sum"),
        ]
        above, under = float(high[k] - plan.geometry.high[k]), float(plan.geometry.low[k] - low[k])
        if up is not None and up[1] == "XYZ"[k]:
            above, under = (above, under) if up[0] == "+" else (under, above)
            lines += [
                TapeLine("faced off the top", -above, source="part-top"),
                TapeLine("hat, left below to hold by", under, "total", "part-underside"),
            ]
        elif abs(above - under) < 1e-9:
            lines.append(TapeLine("each side, centred", over / 2.0, "total"))
        else:
            lines += [TapeLine("on the minus side", under), TapeLine("on the plus side", above, "total")]
        if spread[k]:
            lines.append(TapeLine("blanks vary by ±", spread[k], "note", signed=False))
    return Tape("Stock", stock.material, tuple(lines))


def finished_tape(plan: Plan) -> Tape:
    solid = plan.geometry.solid
    size = plan.geometry.high - plan.geometry.low
    lines = [heading("Finished part")]
    lines += [TapeLine(f"part {axis.upper()}", float(size[k]), signed=False) for k, axis in enumerate(AXES)]
    lines += [
        heading("Volumes"),
        note(f"finished part {said_volume(float(solid.volume()))}"),
        note(f"stock left after {plan.job.setups[-1].name} {said_volume(plan.finished.volume)}"),
        note(f"blank {said_volume(plan.blank.volume)}"),
    ]
    if plan.job.part.copies:
        lines.append(heading("Parts from one blank"))
        lines += [note(f"part {name}") for name in names_of(plan)]
        where = cut_apart_in(plan)
        lines.append(note(f"joined until {where}" if where else "never cut apart"))
    return Tape("Finished", plan.job.part.name, tuple(lines))


def _height(setup: SetupPlan, key: str, name: str, u_z: float) -> TapeLine:
    return TapeLine(name, u_z - float(setup.wcs.u_origin[2]), source=key)


def holding_tape(setup: SetupPlan, *, whole: bool = True) -> Tape:
    """Heights from Z zero with every gap named, grip, seat and hat of one setup; what all of its tools and touches
    must be worked out for stands at the end, or is said to be coming where not the ``whole`` is wanted at once."""
    holding = setup.holding
    hat = float(holding.u_part[0][2] - holding.u_stock[0][2])
    above = float(holding.u_stock[1][2] - holding.u_part[1][2])
    lines = [
        heading("Heights from Z zero"),
        TapeLine("clearance plane", setup.w_clearance, source="clearance"),
    ]
    lines += [_height(setup, rung.key, rung.name, rung.u_z) for rung in setup.heights()]
    on_ladder = len(lines)
    if holding.jaws is not None:
        lines += _grip_lines(holding, holding.jaws)
    if hat > 1e-9:
        lines.append(TapeLine("hat, left below to hold by", hat, "item", "part-underside", signed=False))
        if holding.jaws is not None:
            lines.append(TapeLine("jaws to part underside", hat - holding.grip, "total"))
    if above > 1e-9:
        lines.append(TapeLine("to cut off the top", above, "item", "part-top", signed=False))
    if holding.jaws is not None:
        lines += [
            heading("Vise"),
            TapeLine("jaw opening", holding.opening, "total", holding.jaws.names[0], signed=False),
        ]
    lines += _contact_lines(setup)
    lines += _gap_lines(setup)
    lines += (
        [*_thin_lines(setup), *_reach_lines(setup)] if whole else [heading("Reach to spare"), note("being measured…")]
    )
    return Tape(f"{setup.setup.offset} · {setup.setup.name}", "how it is held", tuple(lines), on_ladder=on_ladder)


def _gripped(setup: SetupPlan, grip: Grip) -> str:
    """What kind of faces the jaws hold: raw ones that the blank came prepared on are said to be."""
    jaws = setup.holding.jaws
    across = None if jaws is None else exact_direction(setup.setup.orientation.matrix()[jaws.axis])
    prepared = across is not None and {across, opposite(across)} <= set(setup.stock.prepared)
    return "prepared" if prepared and grip.surface == "raw" else grip.surface


def _contact_lines(setup: SetupPlan) -> list[TapeLine]:
    """What is gripped, what it lies on and what stands out."""
    holding, seat, lines = setup.holding, setup.seat, list[TapeLine]()
    grip = setup.grip
    if grip is not None:
        lines.append(heading("What the jaws hold"))
        if holding.in_groove:
            fits = "on both flanks" if grip.parallel else "not on both flanks"
            lines.append(note(f"a {_gripped(setup, grip)} round in the groove, {fits}"))
        else:
            flat = "flat and parallel" if grip.parallel else "not flat and parallel"
            lines += [
                note(f"{_gripped(setup, grip)} faces, {flat}"),
                note(f"{said_area(grip.opposite)} of {said_area(grip.band)} opposite"),
            ]
        if grip.cut_share > 0.0:
            lines.append(note(f"{grip.cut_share:.0%} of it is cut away in this setup"))
    if setup.setup.hold.by != "chuck":
        lines.append(heading("What it lies on"))
        if setup.setup.hold.by != "v-block":
            also = " and supports" if any(each.area for each in setup.supports) else ""
            lines.append(note(f"{said_area(seat.area)} of {holding.seat_name}{also}, {seat.share:.0%} of it"))
        lines.append(TapeLine("weight inside of the seat by", seat.steady, source="parallels"))
    lines += [*_support_lines(setup), *_own_lines(holding)]
    if side := block_away(setup.setup.hold):
        lines.append(note(f"pushed against a block across the jaws' {side} end, which is taken away"))
    by_eye = setup.laid_by_eye
    if by_eye is not None:
        limit = "the part's edge cleans up" if by_eye.limit == "edge" else "pin bores stay in the blank"
        lines += [
            heading("Laid by eye"),
            TapeLine("to within ±", by_eye.within, "total", signed=False),
            note(f"so that {limit}"),
        ]
    lines += [*_second_lines(holding), *_mark_lines(setup)]
    if setup.grain_words:
        lines += [heading("How it is laid"), note(setup.grain_words)]
    beyond = overhangs(holding)
    if beyond:
        lines.append(heading("Stands out over it"))
        lines += [TapeLine(f"to {way}", mm, signed=False) for way, mm in beyond.items()]
    return lines


def _support_lines(setup: SetupPlan) -> list[TapeLine]:
    """How high each block is left, and what it carries."""
    lines: list[TapeLine] = []
    for each in setup.supports:
        lines.append(heading(f"{each.name.capitalize()}, on the {each.floor.name}"))
        if each.block is None:
            lines.append(note("carries nothing"))
            continue
        rises = "" if each.is_level else ", highest"
        lines.append(TapeLine(f"left high{rises}", each.height, "total", each.name, signed=False))
        if not each.is_level:
            lines.append(TapeLine("left high, lowest", each.low - each.floor.u_z, source=each.name, signed=False))
        lines.append(TapeLine("block before it is cut", each.height + each.support.cut, source=each.name, signed=False))
        lines.append(note(f"carries on {said_area(each.area)}, {each.share:.0%} of its top, seen from above"))
    return lines


def _mark_lines(setup: SetupPlan) -> list[TapeLine]:
    hold = setup.setup.hold
    mark = hold.mark if isinstance(hold, BoardHold) else None
    if mark is None:
        return []
    where = f"Z0 of {mark.offset} on the bare board" if mark.offset else "with the setup's own zero"
    return [
        heading("Zero mark in the board, cut first"),
        TapeLine("each arm", mark.arm, signed=False),
        TapeLine("deep", mark.depth, signed=False),
        note(f"at X0 Y0, T{mark.tool}, {where}"),
    ]


def _second_lines(holding: Holding) -> list[TapeLine]:
    shift = second_shift(holding.fixture, holding.hold)
    if shift is None:
        return []
    return [
        heading("Second blank, under the same clamp"),
        *(TapeLine(f"from the first, {'XY'[k]}", float(shift[k])) for k in (0, 1) if shift[k]),
        note("both are there whenever it is clamped, or a piece as large in the place of one"),
    ]


def _own_lines(holding: Holding) -> list[TapeLine]:
    """In a fixture of the shop's own: what the part lies against, its play over a spigot, what moves how far."""
    own, fixture, hold = holding.own, holding.fixture, holding.hold
    if own is None or not isinstance(fixture, OwnFixture) or not isinstance(hold, OwnHold):
        return []
    lines = [heading(f"In {fixture.name}")]
    if hold.over is not None:
        lines.append(note(f"{hold.over.feature} over {hold.over.spigot}"))
        if own.play is not None:
            lines.append(TapeLine("play to either side", own.play, signed=False))
    else:
        against = (*fixture.against(0), *fixture.against(1))
        lines += [note(f"pushed against {face.name}") for face in against if face.name not in own.missed]
    for name, way in own.ways:
        if way is None:
            lines.append(note(f"{name} never meets the stock"))
        else:
            lines.append(TapeLine(f"{name} moves to the stock", way, signed=False))
    return lines


def _thin_lines(setup: SetupPlan) -> list[TapeLine]:
    thin = setup.thinnest
    if thin is None:
        return []
    return [
        heading("Thinnest once it is cut"),
        TapeLine(f"{thin.kind}{', squeezed' if thin.squeezed else ''}", thin.mm, signed=False),
        TapeLine("stated least", setup.setup.least_wall, "note", signed=False),
    ]


def _reach_lines(setup: SetupPlan) -> list[TapeLine]:
    """How far each tool and the stylus could still go before what follows them meets something."""
    lines = [heading("Reach to spare")]
    spare: dict[str, float] = {}
    for use in setup.tool_uses:
        if use.cutter.reach is not None:
            short = max((clash.by for clash in use.clashes if clash.holder), default=0.0)
            left = -short if short else use.cutter.reach - use.depth
            words = f"T{use.cutter.tool} {use.cutter.name}"
            spare[words] = min(left, spare.get(words, left))
    lines += [TapeLine(words, mm, source="tool") for words, mm in spare.items()]
    probe, top = setup.machine.probe, float((setup.holding.u_stock[1] - setup.wcs.u_origin)[2])
    depths = [top - (touch.w_contact[2] - touch.ball_radius) for touch in setup.probing.touches if touch.axis != "z"]
    if depths:
        lines.append(TapeLine("stylus, deepest touch", probe.reach - max(depths)))
    return lines


def _grip_lines(holding: Holding, jaws: Jaws) -> list[TapeLine]:
    return [
        heading("Grip"),
        TapeLine("jaw height over the bed", jaws.vise.jaw_height, source="jaw-top"),
        TapeLine(holding.seat_name, -(holding.seat - jaws.bed), source="parallels"),
        TapeLine("grip", holding.grip, "total", "jaw-top"),
        TapeLine("least this vise needs", jaws.vise.grip_min, "note", signed=False),
    ]


def _gap_lines(setup: SetupPlan) -> list[TapeLine]:
    """The height ladder read as gaps, from the bed up, those by name that have one."""
    holding, rungs = setup.holding, setup.heights()[::-1]
    lines = [heading("Gaps, from below")]
    for lower, upper in itertools.pairwise(rungs):
        if upper.u_z - lower.u_z > 1e-6:
            words = _GAPS.get((lower.key, upper.key), f"{lower.name} to {upper.name}")
            lines.append(TapeLine(words, upper.u_z - lower.u_z, source=upper.key, signed=False))
    if isinstance(holding.fixture, Vise) and not holding.fixture.bed_height:
        lines.append(note("The bed's height over the table is not given."))
    return lines


def cut_tape(setup: SetupPlan, operation: int) -> Tape:
    """One operation: what it finds, takes and leaves, and what it asks of its tool."""
    operations = setup.setup.operations
    title = f"{setup.setup.offset} · {setup.setup.name}"
    if not operations:
        return Tape(title, "what is cut", (note("Nothing is cut in this setup yet."),))
    k = min(operation, len(operations) - 1)
    chosen, use, z_zero = operations[k], setup.tool_uses[k], float(setup.wcs.u_origin[2])
    before, removed = setup.cutting.before(k), setup.cutting.removed(k)
    lines = [heading(chosen.name)]
    if words := turned_words(setup):
        lines.append(note(f"its program turns itself: {words}"))
    if not removed.is_empty():
        low, high = setup.orient(removed)
        lines += [
            TapeLine("from, Z", float(high[2]) - z_zero),
            TapeLine("down to, Z", float(low[2]) - z_zero, "total"),
            TapeLine("wide, X", float(high[0] - low[0]), signed=False),
            TapeLine("wide, Y", float(high[1] - low[1]), signed=False),
        ]
    lines += [
        heading("Volumes"),
        note(f"finds {said_volume(before.volume)}"),
        note(f"takes {said_volume(removed.volume())}"),
        note(f"leaves {said_volume(setup.cutting.after(k).volume)}"),
        *_left_lines(setup, k),
        heading(f"T{use.cutter.tool} {use.cutter.name}"),
        TapeLine("depth of cut", use.depth, signed=False),
    ]
    for words, mm in (("flute length", use.cutter.flute), ("reach", use.cutter.reach)):
        lines.append(TapeLine(words, mm, signed=False) if mm is not None else note(f"{words} not known, not checked"))
    if use.cutter.reach is not None:
        lines.append(TapeLine("reach to spare", use.cutter.reach - use.depth, "total"))
    lines += [note(f"{c.part} meets {c.with_what} by {said(c.by)}") for c in use.clashes]
    return Tape(title, "what is cut", tuple(lines))


def _left_lines(setup: SetupPlan, k: int) -> list[TapeLine]:
    """Overall sizes of what an operation leaves, its tabs, and the pieces it falls into."""
    after, operation = setup.cutting.after(k), setup.setup.operations[k]
    low, high = after.u_corners(setup.setup.orientation)
    lines = [heading("Left after it")]
    lines += [TapeLine(f"{axis.upper()} overall", float(high[n] - low[n]), signed=False) for n, axis in enumerate(AXES)]
    if operation.removes == "outline" and operation.tabs:
        across = said_bare(operation.tab_width)
        lines.append(note(f"{operation.tabs} tabs, {across} wide and {said_bare(operation.tab_height)} high"))
    area = setup.taped_alone(k)
    if area is not None:
        lines.append(note(f"on {said_area(area)} of tape, which alone holds the part"))
    pieces = setup.pieces_after(k)
    if len(pieces) > 1:
        held = sum(bool(piece.held_by) for piece in pieces)
        lines.append(note(f"{len(pieces)} pieces, of which {held} are held"))
    return lines


def part_tape(plan: Plan, picked: str) -> Tape:
    """The part's sizes, or all that is known of the picked feature."""
    row = next((row for row in feature_list(plan) if row.name == picked), None)
    if row is None:
        return finished_tape(plan)
    lines = [heading(f"{row.kind}, {row.surface}")]
    lines += [TapeLine(f"part {axis.upper()}", row.at[k], source=row.name) for k, axis in enumerate(AXES)]
    lines.append(heading("Sizes"))
    lines += [TapeLine(name, mm, signed=False) for name, mm in row.sizes]
    lines += [TapeLine(f"step Ø{said_bare(d)} down to", far, signed=False) for d, far in row.steps]
    if row.through is not None:
        lines.append(note("through" if row.through else "blind"))
    lines.append(heading("Direction"))
    lines.append(note(f"opens to {_way(row.direction)}"))
    lines.append(note("seen from " + (" ".join(shown(side) for side in row.sides) or "no square side")))
    if row.residual > _WORTH_SAYING:
        lines.append(TapeLine("fit, worst corner off", row.residual, signed=False))
    feature = plan.job.part.feature(row.name)
    if feature is not None and feature.tolerance is not None:
        lines.append(heading("The drawing asks"))
        for name in ("position", "distance", "wall", "size", "even"):
            mm = getattr(feature.tolerance, name)
            if mm is not None:
                lines.append(TapeLine(f"{name} ±", mm, signed=False))
        if feature.tolerance.to:
            lines.append(note(f"seen from {feature.tolerance.to}"))
    lines += may_be_off(plan, row.name)
    return Tape(row.name, plan.job.part.name, tuple(lines))


def _way(direction: tuple[float, float, float]) -> str:
    """A direction by its letter where it lies along an axis, else by its share of each."""
    for k, share in enumerate(direction):
        if abs(abs(share) - 1.0) < _STRAIGHT:
            return ("+" if share > 0.0 else "−") + "XYZ"[k]
    shares = (f"{'XYZ'[k]} {share:+.4f}" for k, share in enumerate(direction) if abs(share) > _STRAIGHT)
    return " ".join(shares).replace("-", "−")


def datum_tape(setup: SetupPlan, held: Setup | None = None, before: SetupPlan | None = None) -> Tape:
    """The planned work offset: where the zero should be on the machine, axis by axis; until it is found there, the
    offset still holds the zero of another setup, ``held``.  ``before`` is the setup from which axes may take one along.
    """
    lines: list[TapeLine] = []
    if held is not None:
        lines.append(note(f"{setup.setup.offset} holds the zero of {held.name} until this one is found"))
    fixture = setup.holding.fixture
    origin = origin_words(fixture)
    keys = tuple("fixed jaw" if words == "fixed jaw" else "" for words in origin[:2])
    for k, axis in enumerate(AXES):
        base = float(setup.located.tf_m_u(setup.holding.u_zero)[k])
        lines.append(heading(f"{axis.upper()} from {_source(setup, axis)}"))
        if setup.setup.datum.axis(axis).source == "rotary index" and before is not None:
            lines += _taken_along(setup, before, k)
        else:
            lines += [
                TapeLine(f"{origin[k]}, machine", base, source=(*keys, "bed")[k]),
                TapeLine(f"to {axis.upper()} zero", float(setup.located.m_offset[k]) - base, source="wcs"),
            ]
        shift = setup.machine.length_shift() if axis == "z" else 0.0
        if shift:
            lines.append(TapeLine("less where the tools' plane stands", -shift))
        planned = float(setup.planned_offset[k])
        lines.append(TapeLine(f"{setup.setup.offset} {axis.upper()} planned", planned, "total", "wcs"))
    if turn := setup.located.turn_deg:
        lines += [heading("Its turn"), note(f"{turn:+.4f}° about Z, as its station is turned")]
    p = setup.wcs.p_origin
    lines += [heading("The zero in part coordinates")]
    lines += [TapeLine(f"part {axis.upper()}", float(p[k]), source="wcs") for k, axis in enumerate(AXES)]
    return Tape(f"{setup.setup.offset} · {setup.setup.name}", "planned", tuple(lines))


def _taken_along(setup: SetupPlan, before: SetupPlan, k: int) -> list[TapeLine]:
    """Where the axes take the zero before along X, Y or Z (0 to 2): its shares, what the centres add, the shift."""
    moved = tf_m_s(setup.machine, setup.setup).after(tf_m_s(before.machine, before.setup).inverse())
    lines, code = [], before.setup.offset
    for letter, share, value in zip("XYZ", moved.turn[k], before.located.m_offset, strict=True):
        if abs(share) > _STRAIGHT:
            turned = f", times {share:.6f}".replace("-", "−")
            if abs(abs(share) - 1.0) < _STRAIGHT:
                turned = "" if share > 0.0 else ", the other way"
            lines.append(TapeLine(f"{letter} of {before.setup.name}, {code}{turned}", float(share * value)))
    lines.append(TapeLine("the axes' centres add", float(moved.shift[k])))
    shift = setup.setup.datum.axis(AXES[k]).shift
    return [*lines, TapeLine("zero lies from there by", shift, source="wcs")] if shift else lines


def _source(setup: SetupPlan, axis: Axis) -> str:
    return datum_words(axis, setup.setup.datum.axis(axis))


def scene_tape(look: Look, lens: LensKey) -> Tape:
    """The tape that goes with what the stage shows; a picked feature shows its coordinates instead."""
    match lens:
        case "turn":
            return turn_tape(look.plan, turns_of(look.plan)[look.setup.index - 1], look.picked)
        case "part":
            return part_tape(look.plan, look.picked)
        case "stock" | "sides":
            return stock_tape(look.plan)
        case "bench":
            return bench_tape(look.plan, look.scene.step)
        case "finished":
            return finished_tape(look.plan)
        case "hold" | "cut" | "datum" | "probe" | "hand" | "rehearse" | "release":
            return _setup_tape(look, lens)
        case "budget" if look.picked:
            return part_tape(look.plan, look.picked)
        case "coordinates" | "budget":
            kind = look.scene.kind
            return _setup_tape(look, lens) if kind == "setup" else scene_tape(look, _OF_COORDINATES[kind])
        case _:
            assert_never(lens)


def _setup_tape(look: Look, lens: LensKey) -> Tape:
    setup = look.setup
    feature = look.plan.job.part.feature(look.picked)
    if feature is not None and lens != "probe":
        return coordinate_tape(feature, setup.wcs, setup.setup.name)
    match lens:
        case "hold":
            return holding_tape(setup, whole=look.whole)
        case "cut":
            return cut_tape(setup, look.number)
        case "probe":
            return probing_tape(setup, setup.machine.probe, look.number)
        case "rehearse" if look.rehearsal is not None:
            rehearsed = look.rehearsal.setups[setup.index]
            return rehearsed_tape(setup, rehearsed, setup.machine.probe, look.rehearsal.seed)
        case _:
            before = look.plan.setups[setup.index - 1] if setup.index else None
            tape = datum_tape(setup, look.plan.job.held_before(setup.index), before)
            return replace(tape, lines=(*tape.lines, *school_lines(look.plan, setup)))
