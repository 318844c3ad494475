"""Drawings of the part and of its blank: sizes, and the feature that is picked."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..feature_list import FeatureRow, feature_list
from ..frames import Array
from ..model.orientation import Orientation, PartDirection, direction_name, shown
from ..plan import Plan
from ..sides.left import side_up
from .bodies import Solid, part_solid, stock_solid
from .items import Dimension, Drawing, Item, Label, Lines, Point2, Spot, Zero
from .line_work import Views, body_items, both_works, bounds_of, flat
from .parting_line import parting_line
from .projection import FRONT, PLAN


def stock_views(plan: Plan) -> Views:
    """The blank with the finished part inside it, in the first setup's orientation, P zero as origin."""
    orientation = plan.setups[0].setup.orientation
    stock, part = stock_solid(plan.blank, orientation), part_solid(plan.geometry.coarse, orientation)
    items = [
        [*body_items(work, np.zeros(2)), Lines(flat(inner.visible), "phantom", "part")]
        for work, inner in zip(both_works(stock), both_works(part), strict=True)
    ]
    for k, view in enumerate((PLAN, FRONT)):
        items[k] += size_dimensions(_blank_ends(plan, orientation), view, "stock", lane=2)
        items[k] += size_dimensions(_part_ends(plan, orientation), view, "part", lane=1)
        items[k] += _parting(plan, orientation, view)
    (part_low, part_high) = _seen(_part_ends(plan, orientation), FRONT)
    (low, high) = _seen(_blank_ends(plan, orientation), FRONT)
    for start, end, key in ((part_high[1], high[1], "part-top"), (low[1], part_low[1], "part-underside")):
        if end - start > 1e-6:
            items[1].append(Dimension((high[0], start), (high[0], end), end - start, "right", 1, key))
    return _two_views(items, stock, "Plan · dash-dotted: the finished part")


def finished_views(plan: Plan) -> Views:
    orientation = plan.setups[0].setup.orientation
    part = part_solid(plan.geometry.coarse, orientation)
    items = [
        body_items(work, np.zeros(2))
        + size_dimensions(_part_ends(plan, orientation), view, "part", lane=1)
        + _parting(plan, orientation, view)
        for work, view in zip(both_works(part), (PLAN, FRONT), strict=True)
    ]
    return _two_views(items, part, "Plan")


def _parting(plan: Plan, orientation: Orientation, view: Array) -> list[Item]:
    ends = _seen(_part_ends(plan, orientation), view)
    return parting_line(plan.job.parting, orientation, view, *ends, (0.0, 0.0))


def _two_views(items: list[list[Item]], outer: Solid, plan_name: str) -> Views:
    return (
        Drawing(plan_name, tuple(items[0]), *bounds_of([outer], PLAN)),
        Drawing("Front", tuple(items[1]), *bounds_of([outer], FRONT)),
    )


def _blank_ends(plan: Plan, orientation: Orientation) -> Array:
    """Lowest and highest corner (2, 3) in ``u``: sizes are those of the true body, not of its facets."""
    return np.array(plan.blank.u_corners(orientation))


def _part_ends(plan: Plan, orientation: Orientation) -> Array:
    return np.array(plan.geometry.u_corners(orientation))


def _seen(ends: Array, view: Array) -> tuple[Point2, Point2]:
    low, high = np.sort((ends @ view.T)[:, :2], axis=0)
    return (float(low[0]), float(low[1])), (float(high[0]), float(high[1]))


def size_dimensions(ends: Array, view: Array, source: str, lane: int) -> list[Item]:
    """Overall width under the plan, overall height beside each view; ``ends`` (2, 3) in ``u``."""
    low, high = _seen(ends, view)
    height = Dimension(low, (low[0], high[1]), high[1] - low[1], "left", lane, source)
    if view is FRONT:
        return [height]
    return [height, Dimension(low, (high[0], low[1]), high[0] - low[0], "below", lane, source)]


def part_views(plan: Plan, picked: str) -> Views:
    """The finished part with a spot on every feature that looks at the eye, the picked one made out.

    Square to part coordinates; when the picked feature opens another way, that way is up.
    """
    rows = feature_list(plan)
    row = next((row for row in rows if row.name == picked), None)
    orientation = Orientation()
    if row is not None and abs(row.direction[2]) < 1.0 - 1e-3:
        orientation = side_up(direction_name(np.array(row.direction)), plan.geometry)
    elif row is not None and row.direction[2] < 0.0:
        orientation = side_up("-Z", plan.geometry)
    matrix = orientation.matrix()
    part = part_solid(plan.geometry.coarse, orientation)
    drawings = []
    names = (f"Part from {shown(orientation.up)}", f"Part from {shown(_toward(orientation, FRONT))}")
    for name, work, view in zip(names, both_works(part), (PLAN, FRONT), strict=True):
        turn = view @ matrix
        items = body_items(work, np.zeros(2))
        items += size_dimensions(_part_ends(plan, orientation), view, "part", lane=2)
        items += _parting(plan, orientation, view)
        items += _spots(rows, turn)
        if row is not None:
            items += _made_out(plan, row, turn, view)
        letters = (_letter(turn[0]), _letter(turn[1]))
        items.append(Zero((0.0, 0.0), letters))
        drawings.append(Drawing(name, tuple(items), *bounds_of([part], view)))
    return drawings[0], drawings[1]


def _toward(orientation: Orientation, view: Array) -> PartDirection:
    """The part direction that looks at the eye in a view."""
    return direction_name((view @ orientation.matrix())[2])


def _letter(way: Array) -> str:
    name = direction_name(way)
    return name[1] if name[0] == "+" else shown(name)


def _spots(rows: tuple[FeatureRow, ...], turn: Array) -> list[Item]:
    """Where features lie that are seen face on; faces and widths have no one place to point at."""
    spots: list[Item] = []
    for row in rows:
        if row.kind in ("face", "web") or abs(float(turn[2] @ np.array(row.direction))) < 1.0 - 1e-3:
            continue
        at = turn @ np.array(row.at)
        spots.append(Spot((float(at[0]), float(at[1])), row.name))
    return spots


def _made_out(plan: Plan, row: FeatureRow, turn: Array, view: Array) -> list[Item]:
    """The outlines of the picked feature's faces, its place from the part's zero, and its name."""
    geometry, items = plan.geometry, list[Item]()
    if row.found is not None:
        chosen = np.isin(geometry.face_of, row.found.faces)
        borders = _borders(geometry.coarse.triangles[chosen])
        segments = geometry.coarse.vertices[borders] @ turn.T
        items.append(Lines(flat(segments), "visible", row.name))
    x, y, _ = (float(value) for value in turn @ np.array(row.at))
    if abs(x) > 1e-6:
        items.append(Dimension((0.0, y), (x, y), x, "below", 1, row.name, signed=True))
    if abs(y) > 1e-6:
        items.append(Dimension((x, 0.0), (x, y), y, "left", 1, row.name, signed=True))
    if view is PLAN:
        items.append(Label((x, y - (dict(row.sizes).get("diameter", 6.0)) / 2.0 - 4.0), row.name, "centre", row.name))
    return items


def _borders(triangles: NDArray[np.int64]) -> NDArray[np.int64]:
    """Edges (N, 2) that belong to one of the triangles only."""
    edges = np.sort(triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2), axis=1)
    unique, count = np.unique(edges, axis=0, return_counts=True)
    once: NDArray[np.int64] = unique[count == 1]
    return once
