"""The stage's drawings: plan and front view of a scene with its dimensions, to one scale.

Setup scenes are drawn in their WCS, so what is read off is what the control shows.  In the front
view the moving jaw, which would hide the part, is cut away and only outlined.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Literal

import numpy as np

from ..frames import Array, Turn
from ..plan import Plan, Scene, SetupPlan
from .bodies import KINDS, Solid, part_solid, setup_solids, stock_solid
from .items import Ball, Dimension, Drawing, Fill, Item, Label, Ladder, Line, Lines, Point2, Rung, Stroke, Zero
from .projection import FRONT, PLAN, Region, buffer_of, drawn_edges, regions, split_by_sight, without_doubles
from .raster import DepthBuffer

Lens = Literal["hold", "datum", "probe", "rehearse", "release"]
Views = tuple[Drawing, Drawing]
#: Pixel of the sight test (mm) for a scene of ordinary size; larger scenes take a coarser one.
_PITCH = 0.45
_PIXELS = 500.0
#: A hole's name stands this far below its edge (mm).
_LABEL_DROP = 3.0


@dataclass(frozen=True, eq=False)
class LineWork:
    """One body by itself in one view, in view coordinates of ``u``: faces, lines and depth."""

    solid: Solid
    view: Array
    visible: Array
    hidden: Array
    buffer: DepthBuffer

    @cached_property
    def regions(self) -> list[Region]:
        return regions(self.solid.mesh, self.solid.kinds, KINDS, self.view)


def line_work(solid: Solid, view: Array) -> LineWork:
    low, high = _bounds([solid], view)
    pitch = max(_PITCH, max(high[0] - low[0], high[1] - low[1]) / _PIXELS)
    buffer = buffer_of([solid.mesh], view, pitch)
    visible, hidden = split_by_sight(*drawn_edges(solid.mesh, view), buffer)
    return LineWork(solid, view, visible, without_doubles(hidden, visible), buffer)


@lru_cache(maxsize=64)
def _both_works(solid: Solid) -> tuple[LineWork, LineWork]:
    """Plan and front of a body: does not depend on how it is held or where the zero is."""
    return line_work(solid, PLAN), line_work(solid, FRONT)


def body_items(work: LineWork, shift: Array) -> list[Item]:
    """A body alone, moved by ``shift`` (2,) in the view: faces, then hidden, then visible lines."""
    return [
        *_fills(work.regions, shift),
        Lines(work.hidden + shift, "hidden"),
        Lines(work.visible + shift, "visible", "stock"),
    ]


def _fills(painted: Iterable[Region], shift: Array) -> list[Item]:
    dx, dy = float(shift[0]), float(shift[1])
    return [
        Fill(tuple(tuple((x + dx, y + dy) for x, y in ring) for ring in region.rings), region.kind)
        for region in sorted(painted, key=lambda region: region.depth)
    ]


def _source(solid: Solid) -> str:
    return "parallels" if "parallel" in solid.name else solid.name


def _bounds(solids: Iterable[Solid], view: Array) -> tuple[Point2, Point2]:
    points = np.concatenate([solid.mesh.vertices for solid in solids]) @ view.T
    low, high = points.min(axis=0), points.max(axis=0)
    return (float(low[0]), float(low[1])), (float(high[0]), float(high[1]))


@lru_cache(maxsize=64)
def _setup_base(setup: SetupPlan) -> tuple[tuple[Item, ...], tuple[Item, ...]]:
    """Line work of both views, shared by all lenses of a setup.

    Holding never hides the stock in these two views once the moving jaw is cut away; the stock
    hides the holding.
    """
    orientation, origin = setup.setup.orientation, setup.wcs.u_origin
    stock, *blocks = setup_solids(setup, after=False)
    works = zip(_both_works(stock), _both_works(stock_solid(setup.after, orientation)), strict=True)
    items: list[tuple[Item, ...]] = []
    # In front of the part only the jaw nearest to the eye would hide it.
    cut_away = _jaw_in_front(setup)
    standing_in_front = [block for block in blocks if block.name != cut_away]
    for (view, standing), (before, after) in zip(((PLAN, blocks), (FRONT, standing_in_front)), works, strict=True):
        shift = -(view @ origin)[:2]
        items.append(tuple(_held_items(before, after, standing, view, shift)))
    if cut_away is None:
        return items[0], items[1]
    moving = next(block for block in blocks if block.name == cut_away)
    low, high = (np.array(corner) - (FRONT @ origin)[:2] for corner in _bounds([moving], FRONT))
    outline = Stroke(_rectangle(_point(low), _point(high)), "center", cut_away)
    words = Label((float(low[0]) + _LABEL_DROP, float(low[1]) + _LABEL_DROP), f"{cut_away} cut away", source=cut_away)
    return items[0], (*items[1], outline, words)


def _jaw_in_front(setup: SetupPlan) -> str | None:
    """The jaw that stands between the eye and the part in the front view."""
    jaws = setup.holding.jaws
    if jaws is None or jaws.axis != 1:
        return None
    return "moving jaw" if jaws.toward > 0 else "fixed jaw"


def _held_items(before: LineWork, after: LineWork, blocks: list[Solid], view: Array, shift: Array) -> Iterable[Item]:
    if not blocks:
        yield from _fills(before.regions, shift)
        yield Lines(before.hidden + shift, "hidden")
        yield Lines(after.visible + shift, "phantom")
        yield Lines(before.visible + shift, "visible", "stock")
        return
    regions_of_blocks = [region for block in blocks for region in regions(block.mesh, block.kinds, KINDS, view)]
    yield from _fills([*before.regions, *regions_of_blocks], shift)
    among = buffer_of([block.mesh for block in blocks], view, 2.0 * before.buffer.pitch)
    for block in blocks:
        unhidden, _ = split_by_sight(*drawn_edges(block.mesh, view), among)
        yield Lines(_outside(unhidden, block, view, before.buffer) + shift, "holding", _source(block))
    yield Lines(before.hidden + shift, "hidden")
    yield Lines(after.visible + shift, "phantom")
    yield Lines(before.visible + shift, "visible", "stock")


def _outside(segments: Array, block: Solid, view: Array, stock: DepthBuffer) -> Array:
    """What of a block's lines the stock does not cover; each line is taken at the block's nearest depth."""
    nearest = float((block.mesh.vertices @ view.T)[:, 2].max())
    depth = np.full((len(segments), 1), nearest)
    visible, _ = split_by_sight(
        np.concatenate([segments[:, 0], depth], axis=1), np.concatenate([segments[:, 1], depth], axis=1), stock
    )
    return visible


def _point(place: Array) -> Point2:
    return (float(place[0]), float(place[1]))


def _rectangle(low: Point2, high: Point2) -> tuple[Point2, ...]:
    return (low, (high[0], low[1]), high, (low[0], high[1]), low)


def setup_views(setup: SetupPlan, lens: Lens) -> Views:
    plan_items, front_items = (list(items) for items in _setup_base(setup))
    plan_items += _jaw_labels(setup)
    overlay = {"hold": _hold_overlay, "datum": _datum_overlay, "probe": _probe_overlay}.get(lens, _zero_overlay)
    more_plan, more_front = overlay(setup)
    solids = setup_solids(setup, after=False)
    low, high = _w_bounds(setup, solids, FRONT)
    if lens == "probe":
        high = (high[0], max(high[1], setup.probing.w_clearance))
    return (
        Drawing("Plan · dash-dotted: cut here", tuple(plan_items + more_plan), *_w_bounds(setup, solids, PLAN)),
        Drawing("Front", tuple(front_items + more_front), low, high),
    )


def _w_bounds(setup: SetupPlan, solids: Iterable[Solid], view: Array) -> tuple[Point2, Point2]:
    """Bounds in the view of the setup's WCS."""
    shift = -(view @ setup.wcs.u_origin)[:2]
    low, high = _bounds(solids, view)
    return _point(np.array(low) + shift), _point(np.array(high) + shift)


def _w_box(setup: SetupPlan, which: Literal["stock", "part"]) -> tuple[Array, Array]:
    low, high = setup.holding.u_stock if which == "stock" else setup.holding.u_part
    return low - setup.wcs.u_origin, high - setup.wcs.u_origin


def _jaw_labels(setup: SetupPlan) -> list[Item]:
    origin = setup.wcs.u_origin
    labels: list[Item] = []
    for block in setup.holding.blocks:
        if block.kind == "parallel":
            continue
        y = (block.low[1] + block.high[1]) / 2.0 - float(origin[1])
        labels.append(Label((block.low[0] - float(origin[0]) + 4.0, y), block.name, source=block.name))
    return labels


def _zero_overlay(_setup: SetupPlan) -> tuple[list[Item], list[Item]]:
    return [Zero((0.0, 0.0), ("X", "Y"))], [Zero((0.0, 0.0), ("X", "Z"))]


def _ladder(setup: SetupPlan) -> Ladder:
    z_zero = float(setup.wcs.u_origin[2])
    return Ladder(
        tuple(Rung(rung.u_z - z_zero, rung.u_z - z_zero, rung.name, rung.key) for rung in setup.holding.heights())
    )


def _hold_overlay(setup: SetupPlan) -> tuple[list[Item], list[Item]]:
    """Overall size, jaw opening, lift off the bed and grip."""
    holding, origin = setup.holding, setup.wcs.u_origin
    low, high = _w_box(setup, "stock")
    plan, front = _zero_overlay(setup)
    ends = [
        (block.low[k] - float(origin[k]), block.high[k] - float(origin[k])) for block in holding.blocks for k in (0,)
    ]
    left, right = min(end[0] for end in ends), max(end[1] for end in ends)
    plan.append(
        Dimension((float(low[0]), float(low[1])), (float(high[0]), float(low[1])), float(high[0] - low[0]), "below")
    )
    jaws = holding.jaws
    if jaws is not None and jaws.axis == 1:
        near, far = sorted((jaws.face - float(origin[1]), jaws.moving_face - float(origin[1])))
        plan.append(Dimension((right, near), (right, far), jaws.opening, "right", 1, "fixed jaw"))
    elif jaws is not None:
        near, far = sorted((jaws.face - float(origin[0]), jaws.moving_face - float(origin[0])))
        bottom = float(low[1])
        plan.append(Dimension((near, bottom), (far, bottom), jaws.opening, "below", 2, "fixed jaw"))
    else:
        plan.append(
            Dimension((float(low[0]), float(low[1])), (float(low[0]), float(high[1])), float(high[1] - low[1]), "left")
        )
    front.append(_ladder(setup))
    seat, foot = holding.seat - float(origin[2]), holding.foot - float(origin[2])
    front.append(Dimension((left, foot), (left, seat), seat - foot, "left", 2, "parallels"))
    if jaws is not None:
        front.append(Dimension((left, seat), (left, seat + holding.grip), holding.grip, "left", 1, "jaw-top"))
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


def _probe_overlay(setup: SetupPlan) -> tuple[list[Item], list[Item]]:
    """Every touch as its ball at contact, with the way from stand-off to the end of overtravel."""
    plan, front = _zero_overlay(setup)
    for touch in setup.probing.touches:
        key = f"touch-{touch.number}"
        for items, (i, j) in ((plan, (0, 1)), (front, (0, 2))):
            at, start, end = ((p[i], p[j]) for p in (touch.at_contact, touch.start, touch.end))
            items.append(Ball(at, touch.ball_radius, touch.number, start, end, key))
    clearance = setup.probing.w_clearance
    low, high = _w_box(setup, "stock")
    front.append(
        Stroke(((float(low[0]) - 15.0, clearance), (float(high[0]) + 15.0, clearance)), "approach", "clearance")
    )
    front.append(Ladder((*_ladder(setup).rungs, Rung(clearance, clearance, "clearance height", "clearance"))))
    return plan, front


def stock_views(plan: Plan) -> Views:
    """The blank with the finished part inside it, in the first setup's orientation, P zero as origin."""
    orientation = plan.job.setups[0].orientation
    stock, part = stock_solid(plan.blank, orientation), part_solid(plan.geometry.coarse, orientation)
    items = [
        [*body_items(work, np.zeros(2)), Lines(inner.visible, "phantom", "part")]
        for work, inner in zip(_both_works(stock), _both_works(part), strict=True)
    ]
    for k, view in enumerate((PLAN, FRONT)):
        items[k] += _size_dimensions(stock, view, "stock", lane=2) + _size_dimensions(part, view, "part", lane=1)
    (part_low, part_high), (low, high) = _bounds([part], FRONT), _bounds([stock], FRONT)
    for start, end, key in ((part_high[1], high[1], "part-top"), (low[1], part_low[1], "part-underside")):
        if end - start > 1e-6:
            items[1].append(Dimension((high[0], start), (high[0], end), end - start, "right", 1, key))
    return _two_views(items, stock, "Plan · dash-dotted: the finished part")


def finished_views(plan: Plan) -> Views:
    orientation = plan.job.setups[0].orientation
    part = part_solid(plan.geometry.coarse, orientation)
    items = [
        body_items(work, np.zeros(2)) + _size_dimensions(part, view, "part", lane=1)
        for work, view in zip(_both_works(part), (PLAN, FRONT), strict=True)
    ]
    return _two_views(items, part, "Plan")


def _two_views(items: list[list[Item]], outer: Solid, plan_name: str) -> Views:
    return (
        Drawing(plan_name, tuple(items[0]), *_bounds([outer], PLAN)),
        Drawing("Front", tuple(items[1]), *_bounds([outer], FRONT)),
    )


def _size_dimensions(solid: Solid, view: Array, source: str, lane: int) -> list[Item]:
    """Overall width under the plan, overall height beside each view."""
    low, high = _bounds([solid], view)
    height = Dimension(low, (low[0], high[1]), high[1] - low[1], "left", lane, source)
    if view is FRONT:
        return [height]
    return [height, Dimension(low, (high[0], low[1]), high[0] - low[0], "below", lane, source)]


def turn_views(plan: Plan, index: int) -> Views:
    """The part from above before and after the turn that leads to setup ``index``, with the turn's axis."""
    before, after = plan.setups[index - 1], plan.setups[index]
    turn = Turn(before.setup.orientation, after.setup.orientation)
    drawings = []
    for name, setup in ((f"{before.setup.name}, as cut", before), (f"{after.setup.name}, as it comes in", after)):
        orientation = setup.setup.orientation
        items = body_items(_both_works(stock_solid(before.after, orientation))[0], np.zeros(2))
        both = np.array(before.after.u_corners(orientation))
        low, high = _point(both[0]), _point(both[1])
        items += _turn_axis(turn, low, high)
        for feature in plan.job.part.features:
            if feature.is_round() and feature.opens_to[1] == orientation.up[1] and not feature.partner:
                at = orientation.matrix() @ np.array(feature.at.as_tuple())
                beside = (float(at[0]), float(at[1]) - (feature.diameter or 0.0) / 2.0 - _LABEL_DROP)
                items.append(Label(beside, feature.name, "centre", feature.name))
        drawings.append(Drawing(name, tuple(items), low, high))
    return drawings[0], drawings[1]


def _turn_axis(turn: Turn, low: Point2, high: Point2) -> Iterable[Item]:
    """The axis where it lies in the view; its letter at the end."""
    axis = turn.axis()
    middle = ((low[0] + high[0]) / 2.0, (low[1] + high[1]) / 2.0)
    line: Line = "center"
    if abs(axis[0]) > 0.999:
        yield Stroke(((low[0] - 10.0, middle[1]), (high[0] + 10.0, middle[1])), line, "turn-axis")
        yield Label((high[0] + 12.0, middle[1]), "X")
    elif abs(axis[1]) > 0.999:
        yield Stroke(((middle[0], low[1] - 10.0), (middle[0], high[1] + 10.0)), line, "turn-axis")
        yield Label((middle[0] + 2.0, high[1] + 10.0), "Y")


def scene_views(plan: Plan, scene: Scene, lens: Lens) -> Views:
    """The two drawings of a scene; ``lens`` matters to setups only."""
    if scene.kind == "setup" and scene.setup is not None:
        return setup_views(plan.setups[scene.setup], lens)
    if scene.kind == "turn" and scene.setup is not None:
        return turn_views(plan, scene.setup)
    return stock_views(plan) if scene.kind == "stock" else finished_views(plan)
