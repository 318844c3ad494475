"""What stands on a machine, from above and from the front, to scale in machine coordinates."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

import manifold3d
import numpy as np

from ..carrier_bodies import StandingBody, standing_bodies, vise_bodies
from ..frames import Array
from ..model.machine import Machine
from ..model.stations import IndexAngle
from ..on_table import OnTable, on_table, placed, shown_index
from ..plan import Plan
from ..quantities import said_bare
from .bodies import KINDS, setup_solids
from .items import Drawing, Item, Label, Point2, Stroke, Surface, Zero
from .seen_areas import View, filled, seen
from .table_instances import instance_items

#: Air round everything that is drawn, as a share of its size, and at least so much (mm).
_AIR_SHARE, _AIR = 0.05, 20.0
#: A name stands so far beside what it names, as a share of the travel.
_LABEL_SHARE = 0.03


#: On a horizontal machine the second view is from above, where Z is drawn down, toward the spindle.
FIRST: View = (0, 1)
_SECOND: View = (0, 2)


def table_views(
    plan: Plan, machine: Machine, picked: str = "", places: frozenset[str] = frozenset()
) -> tuple[Drawing, Drawing]:
    """The machine's table from above and from the front; ``picked`` is the source of a station, ``places`` the keys of
    its instances that are picked."""
    index = shown_index(plan, machine, picked.removeprefix("station-"))
    stations = on_table(plan, machine, index)
    carriers = (*standing_bodies(machine, index), *vise_bodies(machine, index))
    horizontal = machine.spindle == "horizontal"
    first, second = (_view(machine, stations, carriers, view, picked, places) for view in (FIRST, _SECOND))
    return (
        Drawing(first_name(machine, index), *first),
        Drawing("from above, the spindle below" if horizontal else "from the front", *second, points_down=horizontal),
    )


def first_name(machine: Machine, index: tuple[IndexAngle, ...]) -> str:
    """What is seen in the first view, and where the rotary axes stand."""
    stand = " ".join(f"{angle.word}{angle.degrees:g}" for angle in index)
    way = "along the spindle" if machine.spindle == "horizontal" else "from above"
    return f"{machine.name}, {way}{f' at {stand}' if stand else ''}"


def carried(machine: Machine, bodies: Iterable[StandingBody], view: View) -> list[Item]:
    """What stands on the machine by itself."""
    items: list[Item] = []
    for body in bodies:
        is_carrier = any(each.id == body.owner for each in machine.carriers)
        items += _shadow(body.m_solid, view, "parallel", f"{'carrier' if is_carrier else 'station'}-{body.owner}")
    return items


def table_edge(machine: Machine, view: View = FIRST) -> list[Item]:
    """The table from above, where it is entered."""
    top = machine.table
    if top is None:
        return []
    ends = np.array([top.left, top.front, 0.0]), np.array([top.right, top.back, 0.0])
    return [rectangle(*ends, view, "thin", "table")]


def _view(
    machine: Machine,
    stations: tuple[OnTable, ...],
    carriers: tuple[StandingBody, ...],
    view: View,
    picked: str,
    places: frozenset[str],
) -> tuple[tuple[Item, ...], Point2, Point2]:
    i, j = view
    points_down = view == _SECOND and machine.spindle == "horizontal"
    items = [*carried(machine, carriers, view), *(table_edge(machine) if view == FIRST else [])]
    for each in stations:
        if each.patterned is not None:
            items += instance_items(each, view, places if each.source == picked else frozenset())
        else:
            items += bodies_of(each, view) if each.setups else [_outline(each, view)]
    travel = np.array([machine.travel_min.as_tuple(), machine.travel_max.as_tuple()])
    limit = travel if view == FIRST else _reach(machine, travel)
    items += [rectangle(limit[0], limit[1], view, "phantom", "travel"), _limit_words(machine, limit, view)]
    away = _LABEL_SHARE * float((limit[1] - limit[0]).max())
    for each in stations:
        if each.source == picked:
            items.append(rectangle(each.m_low, each.m_high, view, "zero", each.source))
        for setup, tf_shown in each.drawn if each.patterned is None else ():
            x, y = seen(tf_shown(setup.located.m_offset), view).tolist()
            items.append(Zero((x, y), ("XYZ"[i], "XYZ"[j])))
        low, high = seen(each.m_low, view), seen(each.m_high, view)
        # Below it, since the letters of its zero stand above.
        foot = float(high[1]) + away if points_down else float(low[1]) - away
        items.append(Label((float(low[0] + high[0]) / 2.0, foot), each.short_words, "centre", each.source))
    bodies = np.array([body.m_solid.bounding_box() for body in carriers]).reshape(-1, 2, 3)
    low = seen(np.min([limit[0], *(each.m_low for each in stations), *bodies[:, 0]], axis=0), view)
    high = seen(np.max([limit[1], *(each.m_high for each in stations), *bodies[:, 1]], axis=0), view)
    air = max(_AIR, _AIR_SHARE * float((high - low).max()))
    return (
        tuple(items),
        (float(low[0]) - air, float(low[1]) - air),
        (float(high[0]) + air, float(high[1]) + air),
    )


#: The part before it is cut, after that, or not there yet.
Shown = Literal["before", "after", "not there"]


def bodies_of(each: OnTable, view: View, part: Shown = "before") -> list[Item]:
    """What is clamped at a station without a pattern."""
    items: list[Item] = []
    for setup, tf_shown in each.drawn:
        tf_m_u = tf_shown.after(setup.located.tf_m_u)
        # What carries first, the stock on top.
        solids = setup_solids(setup, after=part == "after")
        for solid in reversed(solids[1:] if part == "not there" else solids):
            corners = placed(tf_m_u, solid.mesh.vertices)[solid.mesh.triangles]
            items += filled(corners, view, KINDS[int(np.bincount(solid.kinds).argmax())], each.source)
    return items


def _shadow(solid: manifold3d.Manifold, view: View, surface: Surface, source: str) -> list[Item]:
    mesh = solid.to_mesh64()
    corners = np.asarray(mesh.vert_properties, dtype=float)[:, :3][np.asarray(mesh.tri_verts)]
    return filled(corners, view, surface, source)


def _outline(each: OnTable, view: View) -> Stroke:
    return rectangle(each.m_low, each.m_high, view, "hidden_holding", each.source)


def rectangle(low: Array, high: Array, view: View, line: str, source: str) -> Stroke:
    """The box between two corners (3,) of the machine."""
    (a, b), (c, d) = (seen(corner, view).tolist() for corner in (low, high))
    return Stroke(((a, b), (c, b), (c, d), (a, d), (a, b)), line, source)  # type: ignore[arg-type]


def _longest(machine: Machine) -> tuple[int, float]:
    """Number and length of the longest tool."""
    cutter = max(machine.cutters, key=lambda each: each.tip_length)
    return cutter.tool, cutter.tip_length


def _reach(machine: Machine, travel: Array) -> Array:
    """Where the tip of the longest tool comes to, lowest and highest (mm)."""
    reach: Array = travel - np.array([0.0, 0.0, _longest(machine)[1]])
    return reach


def _limit_words(machine: Machine, limit: Array, view: View) -> Label:
    low, high = seen(limit[0], view), seen(limit[1], view)
    at = (float(low[0]), float(low[1] if view == _SECOND and machine.spindle == "horizontal" else high[1]))
    if view == FIRST:
        return Label(at, "travel", "left", "travel")
    tool, length = _longest(machine)
    return Label(at, f"reach of T{tool}, {said_bare(length)} long", "left", "travel")
