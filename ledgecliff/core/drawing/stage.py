"""The stage's drawings: plan and front view of a scene with its dimensions, to one scale.

Setup scenes are drawn in their WCS, so what is read off is what the control shows.  In the front
view the moving jaw, which would hide the part, is cut away and only outlined.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import Literal, assert_never

import numpy as np

from ..frames import Array
from ..holding.holding import Block
from ..holding.second_blank import NAME as SECOND_BLANK
from ..holding.supports import is_support
from ..lenses import LensKey, lenses_of
from ..look import Look
from ..model.holding import BoardHold
from ..probing.proposals import opens_upward
from ..probing.touches import Step
from ..setup_plan import SetupPlan
from ..touchoff.surfaces import rounds_of, surfaces_of
from .bench_views import bench_views
from .bodies import KINDS, Solid, holding_solids, setup_solids, stock_solid
from .items import (
    Ball,
    Dimension,
    Drawing,
    Fill,
    Item,
    Label,
    Ladder,
    Lines,
    Point2,
    Rung,
    Spot,
    Stroke,
    Touchable,
    Zero,
)
from .line_work import SECOND_VIEWS, VIEW_NAMES, LineWork, Views, both_works, bounds_of, fills, flat, point2, rectangle
from .part_views import finished_views, part_views, stock_views
from .parting_line import parting_line
from .projection import (
    PLAN,
    buffer_of,
    drawn_edges,
    nearest_edges,
    regions,
    split_each_by_sight,
    unhidden,
    without_doubles,
)
from .taken import taken
from .turn_views import turn_views

#: Words on the drawing stand this far in from an edge (mm).
_LABEL_DROP = 3.0
#: More touches than this are drawn step by step.
_MANY_TOUCHES = 24
#: Names of pins and clamps stand this far above or below them (mm).
_LABEL_OFF = 6.0
#: Screens narrower than this show the stock with little of what holds it (pixels).
_CUT_BELOW, _HOLD_CUT_BELOW = 900.0, 560.0


def _source(solid: Solid) -> str:
    return "parallels" if "parallel" in solid.name else solid.name


@lru_cache(maxsize=64)
def _setup_base(setup: SetupPlan, operation: int | None) -> tuple[tuple[Item, ...], tuple[Item, ...]]:
    """Line work of both views, shared by all lenses of a setup; before and after one operation, or all.

    In front of the part only the jaw nearest to the eye would hide it, so that one is cut away.
    """
    orientation, origin = setup.setup.orientation, setup.wcs.u_origin
    cutting = setup.cutting
    first, last = (
        (setup.before, setup.after) if operation is None else (cutting.before(operation), cutting.after(operation))
    )
    blocks = list(holding_solids(setup))
    spindle = setup.machine.spindle
    second = SECOND_VIEWS[spindle]
    stocks = (both_works(stock_solid(each, orientation), spindle) for each in (first, last))
    works = zip(*stocks, strict=True)
    items: list[tuple[Item, ...]] = []
    cut_away = jaw_in_front(setup)
    standing_in_front = [block for block in blocks if block.name != cut_away]
    for (view, standing), (before, after) in zip(((PLAN, blocks), (second, standing_in_front)), works, strict=True):
        shift = -(view @ origin)[:2]
        items.append(tuple(_held_items(before, after, standing, view, shift)))
    if cut_away is None:
        return items[0], items[1]
    moving = next(block for block in blocks if block.name == cut_away)
    low, high = (np.array(corner) - (second @ origin)[:2] for corner in bounds_of([moving], second))
    outline = Stroke(rectangle(point2(low), point2(high)), "center", cut_away)
    words = Label((float(low[0]) + _LABEL_DROP, float(low[1]) + _LABEL_DROP), f"{cut_away} cut away", source=cut_away)
    return items[0], (*items[1], outline, words)


def jaw_in_front(setup: SetupPlan) -> str | None:
    """The jaw that stands between the eye and the part in the second view, which is from the front, or from above."""
    jaws = setup.holding.jaws
    if jaws is None or jaws.axis != 1:
        return None
    fixed_is_behind = (jaws.toward > 0) == (setup.machine.spindle == "vertical")
    return jaws.names[1 if fixed_is_behind else 0]


def _held_items(before: LineWork, after: LineWork, blocks: list[Solid], view: Array, shift: Array) -> Iterable[Item]:
    """Stock and holding together: each hides what of the other lies behind it."""
    visible, hidden = before.visible, before.hidden
    if blocks:
        regions_of_blocks = [region for block in blocks for region in regions(block.mesh, block.kinds, KINDS, view)]
        yield from fills([*before.regions, *regions_of_blocks], shift)
        among = buffer_of([block.mesh for block in blocks], view, 2.0 * before.buffer.pitch)
        split = split_each_by_sight([nearest_edges(*drawn_edges(block.mesh, view)) for block in blocks], among)
        again = split_each_by_sight([(own[:, 0], own[:, 1]) for own, _ in split], before.buffer)
        for block, (_, behind), (seen, covered_too) in zip(blocks, split, again, strict=True):
            behind = without_doubles(np.concatenate([behind, covered_too]), seen)
            yield Lines(flat(behind) + shift, "hidden_holding", _source(block))
            yield Lines(flat(seen) + shift, "holding", _source(block))
        visible, covered = unhidden(before.visible, among)
        hidden = without_doubles(np.concatenate([before.hidden, covered]), visible)
    else:
        yield from fills(before.regions, shift)
    yield Lines(flat(hidden) + shift, "hidden")
    yield Lines(flat(after.visible) + shift, "phantom")
    yield Lines(flat(visible) + shift, "visible", "stock")


def setup_views(setup: SetupPlan, lens: LensKey, operation: int = 0) -> Views:
    """Plan and front of a setup; through the cut lens before and after the operation of that number, through the
    probe lens with the step of that number."""
    count = len(setup.setup.operations)
    shown = min(operation, count - 1) if lens == "cut" and count else None
    step = min(operation, len(setup.probing.steps) - 1) if lens == "probe" else -1
    if step >= 0 and (after := setup.probing.steps[step].cycle.after) is not None:
        # The stock as it is once that operation is done.
        names = [each.name for each in setup.setup.operations]
        shown = min(names.index(after) + 1, count - 1)
    plan_items, front_items = (list(items) for items in _setup_base(setup, shown))
    if lens == "cut" and shown is not None:
        for items, fill in zip((plan_items, front_items), taken(setup, shown), strict=True):
            # Over all faces, under all lines.
            items.insert(sum(isinstance(item, Fill) for item in items), fill)
    plan_items += [*_block_labels(setup), *_zero_mark(setup)]
    second = SECOND_VIEWS[setup.machine.spindle]
    for items, view, up in ((plan_items, PLAN, 1), (front_items, second, 2)):
        ends = _heart(setup, up)
        zero = float(setup.wcs.u_origin[0]), float(setup.wcs.u_origin[up])
        lies = setup.setup.orientation
        told = setup.parting is not None and setup.parting.height(lies) is not None
        items += parting_line(setup.parting, lies, view, *ends, zero, told=told)
    more_plan, more_front = _overlay(setup, lens, step)
    solids = setup_solids(setup, after=False)
    low, high = _w_bounds(setup, solids, second)
    # Where it is held the ends of jaws count, as long as there is room for them.
    cut_below = _HOLD_CUT_BELOW if lens == "hold" else _CUT_BELOW
    if lens in ("hold", "cut", "probe", "rehearse"):
        high = (high[0], max(high[1], setup.w_clearance))
    plan, front = VIEW_NAMES[setup.machine.spindle]
    return (
        Drawing(
            f"{plan} · dash-dotted: {_cut_words(setup, shown)}",
            tuple(plan_items + more_plan),
            *_w_bounds(setup, solids, PLAN),
            heart=_heart(setup, 1),
            cut_below=cut_below,
        ),
        Drawing(
            front,
            tuple(front_items + more_front),
            low,
            high,
            heart=_heart(setup, 2),
            cut_below=cut_below,
            points_down=setup.machine.spindle == "horizontal",
        ),
    )


def _overlay(setup: SetupPlan, lens: LensKey, step: int) -> tuple[list[Item], list[Item]]:
    """What a lens adds to both views of a setup."""
    match lens:
        case "hold":
            return _hold_overlay(setup)
        case "cut":
            return _cut_overlay(setup)
        case "datum":
            return _datum_overlay(setup)
        case "probe":
            return _probe_overlay(setup, step)
        case "hand":
            return _hand_overlay(setup)
        case "coordinates" | "budget" | "rehearse" | "release":
            return _zero_overlay(setup)
        case "part" | "stock" | "sides" | "bench" | "turn" | "finished":
            raise ValueError(f"no setup is seen through the lens '{lens}'")
        case _:
            assert_never(lens)


def _cut_words(setup: SetupPlan, operation: int | None) -> str:
    return "cut here" if operation is None else f"after {setup.setup.operations[operation].name}"


def _w_bounds(setup: SetupPlan, solids: Iterable[Solid], view: Array) -> tuple[Point2, Point2]:
    """Bounds in the view of the setup's WCS."""
    shift = -(view @ setup.wcs.u_origin)[:2]
    low, high = bounds_of(solids, view)
    return point2(np.array(low) + shift), point2(np.array(high) + shift)


def _w_box(setup: SetupPlan, which: Literal["stock", "part"]) -> tuple[Array, Array]:
    low, high = setup.holding.u_stock if which == "stock" else setup.holding.u_part
    return low - setup.wcs.u_origin, high - setup.wcs.u_origin


def _heart(setup: SetupPlan, upright: int) -> tuple[Point2, Point2]:
    """The stock in a view across X and that axis."""
    low, high = _w_box(setup, "stock")
    return (float(low[0]), float(low[upright])), (float(high[0]), float(high[upright]))


def _block_labels(setup: SetupPlan) -> list[Item]:
    """Names in the plan: of jaws and supports on them, of pins and clamps on the side away from the stock."""
    origin = setup.wcs.u_origin
    middle = (setup.holding.u_stock[0] + setup.holding.u_stock[1]) / 2.0
    labels: list[Item] = []
    for block in setup.holding.blocks:
        low, high = np.array(block.low) - origin, np.array(block.high) - origin
        if block.kind in ("parallel", "base") and not is_support(block):
            continue
        if _lies_under_another(block, setup.holding.blocks):
            continue
        if block.kind == "jaw":
            labels.append(Label((float(low[0]) + 4.0, float(low[1] + high[1]) / 2.0), block.name, source=block.name))
            continue
        if block.name == SECOND_BLANK or is_support(block):
            x, y = ((low + high) / 2.0)[:2].tolist()
            labels.append(Label((x, y), block.name, "centre", block.name))
            continue
        away = (low + high) / 2.0 - (middle - origin)
        if abs(away[0]) >= abs(away[1]):
            x = float(low[0]) - 2.0 if away[0] < 0 else float(high[0]) + 2.0
            at, anchor = (x, float(low[1] + high[1]) / 2.0), "right" if away[0] < 0 else "left"
        else:
            y = float(low[1]) - _LABEL_OFF if away[1] < 0 else float(high[1]) + _LABEL_OFF
            at, anchor = (float(low[0] + high[0]) / 2.0, y), "centre"
        labels.append(Label(at, block.name, anchor, block.name))  # type: ignore[arg-type]
    return labels


def _lies_under_another(block: Block, blocks: Sequence[Block]) -> bool:
    """Whether another covers its middle from above, as one jaw the other where an index stands them up."""
    x, y = ((block.low[k] + block.high[k]) / 2.0 for k in (0, 1))
    return any(
        other.low[0] < x < other.high[0] and other.low[1] < y < other.high[1] and other.low[2] > block.high[2]
        for other in blocks
    )


def _zero_mark(setup: SetupPlan) -> list[Item]:
    """The cross in the board, which the stock may cover."""
    hold = setup.setup.hold
    if not isinstance(hold, BoardHold) or hold.mark is None:
        return []
    arm = hold.mark.arm
    ways = (((-arm, 0.0), (arm, 0.0)), ((0.0, -arm), (0.0, arm)))
    return [Stroke(way, "phantom", "zero mark") for way in ways]


def _zero_overlay(_setup: SetupPlan) -> tuple[list[Item], list[Item]]:
    return [Zero((0.0, 0.0), ("X", "Y"))], [Zero((0.0, 0.0), ("X", "Z"))]


def _ladder(setup: SetupPlan) -> Ladder:
    z_zero = float(setup.wcs.u_origin[2])
    return Ladder(tuple(Rung(rung.u_z - z_zero, rung.u_z - z_zero, rung.name, rung.key) for rung in setup.heights()))


def _all_heights(setup: SetupPlan) -> Ladder:
    """With the height at which the probe travels."""
    clearance = setup.w_clearance
    return Ladder((*_ladder(setup).rungs, Rung(clearance, clearance, "clearance plane", "clearance")))


def _hold_overlay(setup: SetupPlan) -> tuple[list[Item], list[Item]]:
    """Overall size, jaw opening, lift off the bed and grip."""
    holding, origin = setup.holding, setup.wcs.u_origin
    low, high = _w_box(setup, "stock")
    plan, front = _zero_overlay(setup)
    # A stock that stands nowhere near its plate has nothing about it but itself.
    ends = [
        (float(solid.mesh.vertices[:, 0].min()), float(solid.mesh.vertices[:, 0].max()))
        for solid in holding_solids(setup) or setup_solids(setup, after=False)
    ]
    left = min(end[0] for end in ends) - float(origin[0])
    right = max(end[1] for end in ends) - float(origin[0])
    plan.append(
        Dimension((float(low[0]), float(low[1])), (float(high[0]), float(low[1])), float(high[0] - low[0]), "below")
    )
    jaws = holding.jaws
    if jaws is not None and jaws.axis == 1:
        near, far = sorted((jaws.face - float(origin[1]), jaws.moving_face - float(origin[1])))
        plan.append(Dimension((right, near), (right, far), jaws.opening, "right", 1, jaws.names[0]))
    elif jaws is not None:
        near, far = sorted((jaws.face - float(origin[0]), jaws.moving_face - float(origin[0])))
        bottom = float(low[1])
        plan.append(Dimension((near, bottom), (far, bottom), jaws.opening, "below", 2, jaws.names[0]))
    else:
        plan.append(
            Dimension(
                (float(low[0]), float(low[1])), (float(low[0]), float(high[1])), float(high[1] - low[1]), "left", 2
            )
        )
    front.append(_all_heights(setup))
    axis = holding.rotary_axis()
    seat, foot = holding.seat - float(origin[2]), holding.foot - float(origin[2])
    carried = seat if axis is None else axis[1] - float(origin[2])
    # The upper one first: where there is no room between arrows its number stands over it, the other's under that.
    if jaws is not None:
        front.append(Dimension((left, seat), (left, seat + holding.grip), holding.grip, "left", 1, "jaw-top"))
    if not holding.tilted:
        front.append(Dimension((left, foot), (left, carried), carried - foot, "left", 1, "parallels"))
    return plan, front


def _cut_overlay(setup: SetupPlan) -> tuple[list[Item], list[Item]]:
    """Overall size and heights."""
    low, high = (corner.tolist() for corner in _w_box(setup, "stock"))
    plan, front = _zero_overlay(setup)
    plan.append(Dimension((low[0], low[1]), (high[0], low[1]), high[0] - low[0], "below"))
    plan.append(Dimension((high[0], low[1]), (high[0], high[1]), high[1] - low[1], "right"))
    front.append(_all_heights(setup))
    return plan, front


def _datum_overlay(setup: SetupPlan) -> tuple[list[Item], list[Item]]:
    """Signed distances from the zero to the part's sides, and the heights."""
    low, high = _w_box(setup, "part")
    plan, front = _zero_overlay(setup)
    below = (0.0, float(low[1]))
    beside = (float(low[0]), 0.0)
    for k, end in ((0, low), (0, high)):
        if abs(float(end[k])) > 1e-6:
            plan.append(Dimension(below, (float(end[0]), below[1]), float(end[0]), "below", 1, "wcs", signed=True))
    for end in (low, high):
        if abs(float(end[1])) > 1e-6:
            plan.append(Dimension(beside, (beside[0], float(end[1])), float(end[1]), "left", 1, "wcs", signed=True))
    front.append(_ladder(setup))
    return plan, front


def _probe_overlay(setup: SetupPlan, chosen: int) -> tuple[list[Item], list[Item]]:
    """The chosen step's touches as the ball at contact with its way, its route, and what can be picked to be probed.

    Where there are few touches in all they are shown together.
    """
    plan, front = _zero_overlay(setup)
    steps = setup.probing.steps
    if len(setup.probing.touches) > _MANY_TOUCHES:
        steps = steps[chosen : chosen + 1]
    for step in steps:
        for line, route in (("plan", plan), ("front", front)):
            route.append(Stroke(_route(step, line), "thin"))
    for touch in (touch for step in steps for touch in step.touches):
        key = f"touch-{touch.number}"
        for items, (i, j) in ((plan, (0, 1)), (front, (0, 2))):
            at, start, end = ((p[i], p[j]) for p in (touch.at_contact, touch.start, touch.end))
            items.append(Ball(at, touch.ball_radius, touch.number, start, end, key))
    for feature, reading in zip(setup.features, setup.readings, strict=True):
        if opens_upward(setup.setup, feature) and feature.kind not in ("edge break", "chamfer", "face"):
            plan.append(Spot((reading.x, reading.y), feature.name))
    clearance = setup.w_clearance
    low, high = _w_box(setup, "stock")
    front.append(
        Stroke(((float(low[0]) - 15.0, clearance), (float(high[0]) + 15.0, clearance)), "approach", "clearance")
    )
    front.append(Ladder((*_ladder(setup).rungs, Rung(clearance, clearance, "clearance plane", "clearance"))))
    return plan, front


def _hand_overlay(setup: SetupPlan) -> tuple[list[Item], list[Item]]:
    """What can be touched by hand, each to be picked: upright faces and rounds on the plan, level ones on the front."""
    plan, front = _zero_overlay(setup)
    for surface in surfaces_of(setup):
        view = front if surface.axis == "z" else plan
        view.append(Touchable(*surface.line, surface.way, surface.source))
    plan += [Spot(thing.centre, thing.source) for thing in rounds_of(setup)]
    front.append(_ladder(setup))
    return plan, front


def _route(step: Step, view: str) -> tuple[Point2, ...]:
    """The way of the ball's centre through a step: over, down, to the contact, back and up, or straight across."""
    points: list[tuple[float, float, float]] = []
    over = step.w_clearance + (step.touches[0].ball_radius if step.touches else 0.0)
    within = step.w_centre is not None and step.crossing == "straight"
    for touch in step.touches:
        x, y, _ = touch.start
        if within and step.w_centre is not None:
            middle = (*step.w_centre, touch.start[2])
            points += [(*step.w_centre, over)] if not points else []
            points += [middle, touch.at_contact, middle]
        elif step.crossing == "straight" and points:
            points += [touch.start, touch.at_contact, touch.start]
        else:
            points += [(x, y, over), touch.start, touch.at_contact, touch.start, (x, y, over)]
    if points and step.crossing == "straight":
        points.append((points[-1][0], points[-1][1], over))
    i, j = (0, 1) if view == "plan" else (0, 2)
    return tuple((point[i], point[j]) for point in points)


def scene_views(look: Look, lens: LensKey) -> Views:
    """The two drawings of what is looked at through a lens; coordinates, which hide them, have the first lens's."""
    match lens:
        case "part" | "sides":
            return part_views(look.plan, look.picked)
        case "stock":
            return stock_views(look.plan)
        case "turn":
            return turn_views(look.plan, look.setup.index, look.picked)
        case "bench":
            return bench_views(look.plan, look.scene.step)
        case "finished":
            return finished_views(look.plan)
        case "hold" | "cut" | "datum" | "probe" | "hand" | "rehearse" | "release":
            return setup_views(look.setup, lens, look.number)
        case "coordinates" | "budget":
            return scene_views(look, lenses_of(look.scene.kind)[0].key)
        case _:
            assert_never(lens)
