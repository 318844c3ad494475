"""From a cycle to a step: the touches of each kind of cycle, what they find, and what they set."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import assert_never

import numpy as np

from ..blanks import moved
from ..feature_places import gives
from ..frames import AXES, Axis, about_x
from ..model.cycles import CycleKind, ProbeCycle
from .extents import Extent, extent_of
from .landing import Span, face_span
from .needs import NOTHING_TURNS, not_as_it_lies, too_narrow
from .own_faces import fixture_face_step
from .proposals import AXIS_OF, both_sides, wall_side
from .round_steps import round_step
from .side_touches import Approach, UprightSide, free_along, free_places, side_approach, too_near, wall_touch
from .slanted_steps import slanted_step
from .step_context import Known, StepContext
from .surface_steps import fixture_side_step, jaw_step, top_step
from .touches import AxisSetting, Problem, Quantity, Step, Touch

#: A found width may differ from the expected one by this much, and what the stock varies, before the program stops.
_SIZE_TOLERANCE = 0.5
#: Between two walls the ball begins this far beside the middle, so that the way across is no shorter than controls take
#: (mm); it must have as much before it to search in.
_HALF_CROSSING = 0.2
#: A face this near to where the part ends is its outermost (mm).
_OUTERMOST = 0.01
#: From a corner along its edges to the first touch, and the share of an edge between two touches (mm).
_INSET = 12.0
_SPREAD = 0.6
#: Of a short edge whose direction is wanted, the share to the first touch.
_NEAR = 0.2
#: The middle of a bar, found from both sides, is known to this or better where its top is touched (mm).
_MIDDLE_FOUND = 0.05
#: The axis of rotation is touched from two places this far apart.
_HALF_TURN_DEG = 180.0
Build = Callable[[StepContext, ProbeCycle, Known, int], Step]


def build_step(context: StepContext, cycle: ProbeCycle, known: Known, number: int) -> Step:
    """The step of one cycle, its first touch numbered ``number``, with each touch's needs tested against ``known``."""
    step = _build(cycle.kind)(context, cycle, known, number)
    if cycle.action == "measure":
        step = replace(step, sets=(), sets_skew=False)
    return replace(step, into=cycle.into or "")


def _surface(context: StepContext, cycle: ProbeCycle, known: Known, number: int) -> Step:
    if cycle.on == "fixed jaw":
        return jaw_step(context, cycle, known, number)
    if cycle.on == "fixture face" and not _looks_up(context, cycle):
        return fixture_face_step(context, cycle, known, number)
    if cycle.on in ("parallels", "fixture face") or cycle.side == "top":
        return top_step(context, cycle, known, number)
    if cycle.on in ("stop", "jaw end"):
        return fixture_side_step(context, cycle, known, number)
    assert cycle.side is not None, "the model asks for a side"
    axis = AXIS_OF[cycle.side]
    extent = extent_of(context, cycle)
    lower = cycle.side in ("left", "front")
    place = extent.low(axis) if lower else extent.high(axis)
    # A wall inside is met moving to the side on which it stands.
    side = UprightSide(axis, 1 if lower != extent.inside else -1, place)
    side = replace(side, within=_meant(context, cycle, side, extent))
    middle = extent.middle_across(axis) if cycle.on == "feature" else middle_across(context, axis)
    along = free_along(context, cycle, known, [side], middle)
    approach = side_approach(context, cycle, side, along)
    if extent.inside:
        approach = _within(context, approach, _room(context, extent, axis))
    elif cycle.on == "feature":
        approach = _amid(context, cycle, approach)
    touch, problems = wall_touch(context, cycle, approach, known, number)
    if cycle.on == "feature" and not _has_wall(context, cycle, axis):
        problems = [not_as_it_lies(touch)]
    at = place - float(context.wcs.u_origin[AXES.index(axis)])
    finds = (Quantity(axis, f"{touch.surface} in {axis.upper()}", at),)
    return Step(
        "surface", f"{axis.upper()} from {touch.surface}", cycle, (touch,), (_sets(cycle, axis, at),), finds,
        tuple(problems),
    )  # fmt: skip


def _looks_up(context: StepContext, cycle: ProbeCycle) -> bool:
    face = context.holding.face(cycle.face)
    return face is not None and face.axis == 2


def _has_wall(context: StepContext, cycle: ProbeCycle, axis: Axis) -> bool:
    """Whether a feature has, as the part lies, a wall along an axis; of a face, whether it looks to the side named."""
    feature, orientation = context.feature(cycle.feature), context.setup.orientation
    given = gives(feature, axis, orientation)
    if feature.kind == "face":
        return bool(given) and wall_side(axis, "feature", orientation, feature) == cycle.side
    return "feature minus side" in given


def _meant(context: StepContext, cycle: ProbeCycle, side: UprightSide, extent: Extent) -> Span | None:
    """From where to where along it a feature's wall goes: another wall may stand in the same plane."""
    if cycle.on != "feature":
        return None
    feature, other = context.feature(cycle.feature), 1 - AXES.index(side.axis)
    if feature.kind != "face":
        return extent.lows[other], extent.highs[other]
    u_at = context.setup.orientation.matrix() @ np.array(feature.at.as_tuple())
    wall = (side.place, side.direction)
    return face_span(context, side.axis, wall, float(u_at[other]), float(u_at[2]))


def _amid(context: StepContext, cycle: ProbeCycle, approach: Approach) -> Approach:
    """The same of a face or a web's wall, called by its feature; the jaws cover it only where it is the part's
    outermost."""
    k, feature = AXES.index(approach.axis), context.feature(cycle.feature)
    low, high = context.holding.u_part
    outermost = min(abs(approach.at[k] - float(low[k])), abs(approach.at[k] - float(high[k]))) < _OUTERMOST
    floor = approach.floor if outermost else context.holding.seat
    surface = feature.name if feature.kind == "face" else f"{feature.name}, {cycle.side} wall"
    return replace(approach, floor=floor, surface=surface)


def _room(context: StepContext, extent: Extent, axis: Axis) -> float:
    """From the middle between two walls to where the ball meets one (mm)."""
    return (extent.high(axis) - extent.low(axis)) / 2.0 - context.probe.ball_radius


def middle_across(context: StepContext, axis: Axis) -> float:
    """The middle of the stock across a move along ``axis``."""
    other = 1 - AXES.index(axis)
    low, high = context.holding.u_stock
    return float(low[other] + high[other]) / 2.0


def _pair(
    context: StepContext, cycle: ProbeCycle, known: Known, number: int, axis: Axis, extent: Extent
) -> tuple[list[Touch], list[Problem], float]:
    """Two opposite touches along one axis and their middle in the WCS."""
    low, high = extent.low(axis), extent.high(axis)
    inside = extent.inside
    into = -1 if inside else 1
    sides = [UprightSide(axis, into, low), UprightSide(axis, -into, high)]
    sides = [replace(side, within=_meant(context, cycle, side, extent)) for side in sides]
    middle = extent.middle_across(axis) if cycle.on == "feature" else middle_across(context, axis)
    along = free_along(context, cycle, known, sides, middle)
    room = _room(context, extent, axis) - _HALF_CROSSING
    touches, problems = [], []
    for k, side in enumerate(sides):
        approach = side_approach(context, cycle, side, along)
        if inside:
            approach = _within(context, approach, room)
        approach = replace(approach, opposite=sides[1 - k].place)
        touch, found = wall_touch(context, cycle, approach, known, number + k)
        if inside and room < _HALF_CROSSING - 1e-9:
            found = [*found, too_narrow(touch, high - low, context.probe)]
        touches.append(touch)
        problems += found
    return touches, problems, (low + high) / 2.0 - float(context.wcs.u_origin[AXES.index(axis)])


def _within(context: StepContext, approach: Approach, room: float) -> Approach:
    """The same of a wall inside, with ``room`` to it from the middle; moving left one meets the left one."""
    name = approach.surface.rsplit(" ", 2)[0]
    met = {("x", -1): "left", ("x", 1): "right", ("y", -1): "front", ("y", 1): "back"}
    surface = f"{name}, {met[approach.axis, approach.direction]} side"
    return replace(approach, room=room, floor=context.holding.seat, surface=surface)


def _width(context: StepContext, cycle: ProbeCycle, known: Known, number: int) -> Step:
    """A width, from outside or inside: the centre of one axis, and the width."""
    axis = cycle.axis
    assert axis is not None, "the model asks for an axis"
    extent = extent_of(context, cycle)
    touches, problems, centre = _pair(context, cycle, known, number, axis, extent)
    size = extent.high(axis) - extent.low(axis)
    letter = axis.upper()
    varies = context.varies(axis) if cycle.on == "stock" else 0.0
    return Step(
        kind=cycle.kind,
        title=both_sides(cycle.feature or cycle.on, axis),
        cycle=cycle,
        touches=tuple(touches),
        sets=(_sets(cycle, axis, centre),),
        finds=(Quantity(axis, f"centre {letter}", centre), Quantity(f"size {axis}", f"width along {letter}", size)),
        problems=tuple(problems),
        size=size,
        size_tolerance=varies + _SIZE_TOLERANCE,
        inside=extent.inside,
        crossing=cycle.crossing or ("straight" if extent.inside else "over"),
    )


def _rectangle(context: StepContext, cycle: ProbeCycle, known: Known, number: int) -> Step:
    extent = extent_of(context, cycle)
    touches: list[Touch] = []
    problems: list[Problem] = []
    sets, finds = [], []
    axes: tuple[Axis, Axis] = ("x", "y")
    for axis in axes:
        pair, found, centre = _pair(context, cycle, known, number + len(touches), axis, extent)
        touches += pair
        problems += found
        sets.append(AxisSetting(axis, centre, centre))
        finds += [
            Quantity(axis, f"centre {axis.upper()}", centre),
            Quantity(f"size {axis}", f"width along {axis.upper()}", extent.high(axis) - extent.low(axis)),
        ]
    varies = max(context.varies(axis) for axis in axes) if cycle.on == "stock" else 0.0
    return Step(
        kind="rectangle",
        title=f"X and Y of {cycle.feature or cycle.on}",
        cycle=cycle,
        touches=tuple(touches),
        sets=tuple(sets),
        finds=tuple(finds),
        problems=tuple(problems),
        size=0.0,
        size_tolerance=varies + _SIZE_TOLERANCE,
        inside=extent.inside,
        crossing=cycle.crossing or ("straight" if extent.inside else "over"),
    )


def _edge(
    context: StepContext, cycle: ProbeCycle, known: Known, number: int, approaches: Sequence[Approach]
) -> tuple[list[Touch], list[Problem]]:
    """One touch or two of an edge."""
    touches: list[Touch] = []
    problems: list[Problem] = []
    for k, approach in enumerate(approaches):
        touch, found = wall_touch(context, cycle, approach, known, number + k)
        touches.append(touch)
        problems += found
    if len(touches) == 2:
        problems += too_near(touches, problems)
    return touches, problems


def _edge_angle(context: StepContext, cycle: ProbeCycle, known: Known, number: int) -> Step:
    assert cycle.side is not None, "the model asks for a side"
    axis, extent = AXIS_OF[cycle.side], extent_of(context, cycle)
    direction = 1 if cycle.side in ("left", "front") else -1
    place = extent.low(axis) if direction > 0 else extent.high(axis)
    other: Axis = "y" if axis == "x" else "x"
    length = extent.high(other) - extent.low(other)
    half = (cycle.spacing or _SPREAD * length) / 2.0
    middle = extent.middle_across(axis) + (cycle.moved or 0.0)
    side = UprightSide(axis, direction, place)
    along = free_places(context, cycle, known, [side], [middle - half, middle + half])
    approaches = [side_approach(context, cycle, side, at) for at in along]
    touches, problems = _edge(context, cycle, known, number, approaches)
    return Step(
        "edge angle", f"skew from {touches[0].surface}", cycle, tuple(touches), (),
        (Quantity("skew", "turned about Z", 0.0, is_angle=True),), tuple(problems), sets_skew=True,
    )  # fmt: skip


def _corner(context: StepContext, cycle: ProbeCycle, known: Known, number: int) -> Step:
    assert cycle.corner is not None, "the model asks for a corner"
    extent = extent_of(context, cycle)
    inside = extent.inside
    signs: dict[Axis, int] = {"x": 1 if "left" in cycle.corner else -1, "y": 1 if "front" in cycle.corner else -1}
    touches: list[Touch] = []
    problems: list[Problem] = []
    sets, finds = [], []
    axes: tuple[Axis, Axis] = ("y", "x")
    for axis in axes:
        other: Axis = "x" if axis == "y" else "y"
        into = signs[axis]
        place = extent.low(axis) if into > 0 else extent.high(axis)
        edge = extent.high(other) - extent.low(other)
        inset = min(_INSET + context.unsure(known, other, "stock"), edge * (_NEAR if cycle.skew else 0.5))
        start = extent.low(other) if signs[other] > 0 else extent.high(other)
        wanted = [start + signs[other] * inset]
        if cycle.skew:
            wanted.append(wanted[0] + signs[other] * (cycle.spacing or _SPREAD * edge))
        side = UprightSide(axis, -into if inside else into, place)
        side = replace(side, within=_meant(context, cycle, side, extent))
        along = free_places(context, cycle, known, [side], wanted)
        if axis == "x" and not cycle.skew and cycle.moved is not None:
            along = [wanted[0] + cycle.moved]
        approaches = [side_approach(context, cycle, side, at) for at in along]
        if inside:
            room = _room(context, extent, axis)
            approaches = [_within(context, approach, room) for approach in approaches]
        pair, found = _edge(context, cycle, known, number + len(touches), approaches)
        touches += pair
        problems += found
        at = place - float(context.wcs.u_origin[AXES.index(axis)])
        sets.append(AxisSetting(axis, at, at))
        finds.append(Quantity(axis, f"corner in {axis.upper()}", at))
    if cycle.skew:
        finds.append(Quantity("skew", "turned about Z", 0.0, is_angle=True))
    return Step(
        "corner", f"{cycle.corner} corner of {cycle.feature or cycle.on}", cycle, tuple(touches), tuple(sets),
        tuple(finds), tuple(problems), inside=inside, sets_skew=cycle.skew,
        crossing=cycle.crossing or ("straight" if inside else "over"),
    )  # fmt: skip


def _bar(context: StepContext, cycle: ProbeCycle, known: Known, number: int) -> Step:
    """Round stock lying on its side: first its middle across, then its top there (docs/methods/cycles.md)."""
    axis: Axis = cycle.axis or "y"
    k, origin = AXES.index(axis), context.wcs.u_origin
    low, high = context.holding.u_stock
    size = float(high[k] - low[k])
    axis_height = (float(low[2]) + context.stock_top()) / 2.0
    depth = context.stock_top() - axis_height
    at_middle = context.for_cycle(cycle, context.u_solid)
    at_middle = replace(at_middle, routine=at_middle.routine.model_copy(update={"depth": depth}))
    touches: list[Touch] = []
    problems: list[Problem] = []
    for place, direction in ((float(low[k]), 1), (float(high[k]), -1)):
        side = UprightSide(axis, direction, place)
        approach = side_approach(at_middle, cycle, side, middle_across(context, axis) + (cycle.moved or 0.0))
        touch, found = wall_touch(at_middle, cycle, approach, known, number + len(touches))
        # A round side is as high as a line, so that the needs of a wall say nothing; its way is tested as any other.
        problems += [problem for problem in found if problem.need == 1]
        touches.append(touch)
    # The top is touched at the middle that both sides have just given.
    middle_known = known | {axis: replace(known[axis], uncertainty=_MIDDLE_FOUND)}
    top = top_step(context, cycle.model_copy(update={"side": "top"}), middle_known, number + 2)
    centre = (float(low[k]) + float(high[k])) / 2.0 - float(origin[k])
    w_axis = axis_height - float(origin[2])
    finds = (
        Quantity(axis, f"axis in {axis.upper()}", centre),
        Quantity(f"size {axis}", "diameter", size),
        Quantity("z", "axis in Z", w_axis),
    )
    sets = (AxisSetting(axis, centre, centre), AxisSetting("z", w_axis, w_axis))
    return Step(
        kind="bar",
        title=f"{axis.upper()} and Z of the bar",
        cycle=cycle,
        touches=(*touches, *top.touches),
        sets=sets,
        finds=finds,
        problems=(*problems, *top.problems),
        size=size,
        size_tolerance=context.varies(axis) + _SIZE_TOLERANCE,
    )


def _rotary_axis(context: StepContext, cycle: ProbeCycle, known: Known, number: int) -> Step:
    """The same bar touched at 0 and at 180 degrees: half-way between both middles lies the axis, and half their
    distance is how far off it the bar turns (docs/methods/cycles.md)."""
    first, title = _bar(context, cycle, known, number), "Y and Z of the rotary axis"
    axis = context.holding.rotary_axis()
    if axis is None:
        return replace(first, title=title, sets=(), problems=(NOTHING_TURNS,))
    over = moved(context.u_solid, about_x(*axis, _HALF_TURN_DEG))
    second = _bar(replace(context, u_solid=over), cycle, known, number + len(first.touches))
    turned = (
        replace(touch, turned_deg=_HALF_TURN_DEG, surface=f"{touch.surface} at {_HALF_TURN_DEG:g}°")
        for touch in second.touches
    )
    touches = (*first.touches, *turned)
    _, y, z = (float(value) for value in context.wcs.u_origin)
    w_axis: tuple[tuple[Axis, float], ...] = (("y", axis[0] - y), ("z", axis[1] - z))
    finds = (
        *(Quantity(letter, f"axis in {letter.upper()}", at) for letter, at in w_axis),
        Quantity("size y", "diameter", first.size),
        Quantity("off", "bar off the axis", 0.0),
    )
    sets = tuple(AxisSetting(letter, at, at) for letter, at in w_axis)
    return Step(
        kind="rotary axis",
        title=title,
        cycle=cycle,
        touches=touches,
        sets=sets,
        finds=finds,
        problems=(*first.problems, *second.problems),
        size=first.size,
        size_tolerance=first.size_tolerance,
    )


def _plane(context: StepContext, cycle: ProbeCycle, known: Known, number: int) -> Step:
    """Three touches of the top, spread out: level check, and Z."""
    touches: list[Touch] = []
    problems: list[Problem] = []
    for k, share in enumerate(((0.15, 0.2), (0.85, 0.2), (0.5, 0.8))):
        step = top_step(context, cycle.model_copy(update={"side": "top"}), known, number + k, share)
        touches += step.touches
        problems += step.problems
    at = touches[0].w_contact[2]
    finds = (Quantity("z", "height", at), Quantity("tilt", "rise over 100 mm", 0.0))
    return Step(
        "plane", f"level of {touches[0].surface}", cycle, tuple(touches), (_sets(cycle, "z", at),), finds,
        tuple(problems), size_tolerance=cycle.tilt,
    )  # fmt: skip


def _presence(context: StepContext, cycle: ProbeCycle, known: Known, number: int) -> Step:
    leans = cycle.kind == "consistency" and context.setup.orientation.square_up() is None
    step = top_step(context, cycle.model_copy(update={"side": "top"}), known, number)
    if leans and step.problems:
        step = slanted_step(context, cycle, known, number)
    title = "presence and seating" if cycle.kind == "presence" else "consistency of this index"
    window = (cycle.below, cycle.above) if cycle.kind == "presence" else None
    return replace(step, kind=cycle.kind, title=title, sets=(), cycle=cycle, window=window)


def _sets(cycle: ProbeCycle, axis: Axis, at: float) -> AxisSetting:
    return AxisSetting(axis, at if cycle.reads is None else cycle.reads, at)


def _build(kind: CycleKind) -> Build:
    match kind:
        case "surface":
            return _surface
        case "outside width" | "inside width":
            return _width
        case "rectangle":
            return _rectangle
        case "bore" | "boss":
            return round_step
        case "corner":
            return _corner
        case "edge angle":
            return _edge_angle
        case "plane":
            return _plane
        case "bar":
            return _bar
        case "rotary axis":
            return _rotary_axis
        case "presence" | "consistency":
            return _presence
        case _:
            assert_never(kind)
