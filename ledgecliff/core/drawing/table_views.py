"""What stands on a machine, from above and from the front, to scale in machine coordinates."""

from __future__ import annotations

import manifold3d
import numpy as np

from ..frames import Array
from ..model.machine import Machine
from ..on_table import OnTable, on_table, placed
from ..plan import Plan
from ..quantities import said_bare
from ..setup_plan import SetupPlan
from .bodies import KINDS, Solid, setup_solids
from .items import Drawing, Fill, Item, Label, Point2, Stroke, Zero

#: Air round everything that is drawn, as a share of its size, and at least so much (mm).
_AIR_SHARE, _AIR = 0.05, 20.0
#: A name stands so far beside what it names, as a share of the travel.
_LABEL_SHARE = 0.03
#: Which machine axes lie to the right and up in a view.
_ABOVE, _FRONT = (0, 1), (0, 2)


def _m_vertices(setup: SetupPlan, solid: Solid) -> Array:
    return placed(setup.located.tf_m_u, solid.mesh.vertices)


def table_views(plan: Plan, machine: Machine, picked: str = "") -> tuple[Drawing, Drawing]:
    """The machine's table from above and from the front; ``picked`` is the source of a station."""
    stations = on_table(plan, machine)
    travel = np.array([machine.travel_min.as_tuple(), machine.travel_max.as_tuple()])
    above, front = (_view(machine, stations, travel, axes, picked) for axes in (_ABOVE, _FRONT))
    horizontal = machine.spindle == "horizontal"
    return (
        Drawing(f"{machine.name}, {'along the spindle' if horizontal else 'from above'}", *above),
        Drawing("from below" if horizontal else "from the front", *front),
    )


def _view(
    machine: Machine, stations: tuple[OnTable, ...], travel: Array, axes: tuple[int, int], picked: str
) -> tuple[tuple[Item, ...], Point2, Point2]:
    i, j = axes
    items: list[Item] = []
    for each in stations:
        items += _bodies(each, axes) if each.setups else [_outline(each, axes)]
    limit = travel if axes == _ABOVE else _reach(machine, travel)
    items += [_rectangle(limit[0], limit[1], axes, "phantom", "travel"), _limit_words(machine, limit, axes)]
    for each in stations:
        if each.source == picked:
            items.append(_rectangle(each.m_low, each.m_high, axes, "zero", each.source))
        for setup in each.drawn:
            at = setup.located.m_offset
            items.append(Zero((float(at[i]), float(at[j])), ("XYZ"[i], "XYZ"[j])))
        middle = (each.m_low + each.m_high) / 2.0
        away = _LABEL_SHARE * float((limit[1] - limit[0]).max())
        # Below it, since the letters of its zero stand above.
        items.append(Label((float(middle[i]), float(each.m_low[j]) - away), each.words, "centre", each.source))
    low = np.min([limit[0], *(each.m_low for each in stations)], axis=0)
    high = np.max([limit[1], *(each.m_high for each in stations)], axis=0)
    air = max(_AIR, _AIR_SHARE * float((high - low).max()))
    return (
        tuple(items),
        (float(low[i]) - air, float(low[j]) - air),
        (float(high[i]) + air, float(high[j]) + air),
    )


def _bodies(each: OnTable, axes: tuple[int, int]) -> list[Item]:
    items: list[Item] = []
    for setup in each.drawn:
        # What carries first, the stock on top.
        for solid in reversed(setup_solids(setup, after=False)):
            corners = _m_vertices(setup, solid)[solid.mesh.triangles][:, :, list(axes)]
            area = manifold3d.CrossSection(list(_turned_left(corners)), manifold3d.FillRule.NonZero)
            rings = tuple(tuple((float(x), float(y)) for x, y in ring) for ring in area.to_polygons())
            items.append(Fill(rings, KINDS[int(np.bincount(solid.kinds).argmax())]))
            items += [Stroke((*ring, ring[0]), "visible", each.source) for ring in rings]
    return items


def _turned_left(corners: Array) -> Array:
    """Triangles (N, 3, 2) all the same way round, without those that are seen from the side."""
    (x0, y0), (x1, y1), (x2, y2) = (corners[:, k].T for k in range(3))
    area = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0)
    left = np.where((area < 0.0)[:, None, None], corners[:, ::-1], corners)
    kept: Array = left[np.abs(area) > 1e-9]
    return kept


def _outline(each: OnTable, axes: tuple[int, int]) -> Stroke:
    return _rectangle(each.m_low, each.m_high, axes, "hidden_holding", each.source)


def _rectangle(low: Array, high: Array, axes: tuple[int, int], line: str, source: str) -> Stroke:
    (a, b), (c, d) = ((float(corner[axes[0]]), float(corner[axes[1]])) for corner in (low, high))
    return Stroke(((a, b), (c, b), (c, d), (a, d), (a, b)), line, source)  # type: ignore[arg-type]


def _longest(machine: Machine) -> tuple[int, float]:
    """Number and length of the longest tool."""
    cutter = max(machine.cutters, key=lambda each: each.tip_length)
    return cutter.tool, cutter.tip_length


def _reach(machine: Machine, travel: Array) -> Array:
    """Where the tip of the longest tool comes to, lowest and highest (mm)."""
    reach: Array = travel - np.array([0.0, 0.0, _longest(machine)[1]])
    return reach


def _limit_words(machine: Machine, limit: Array, axes: tuple[int, int]) -> Label:
    at = (float(limit[0][axes[0]]), float(limit[1][axes[1]]))
    if axes == _ABOVE:
        return Label(at, "travel", "left", "travel")
    tool, length = _longest(machine)
    return Label(at, f"reach of T{tool}, {said_bare(length)} long", "left", "travel")
