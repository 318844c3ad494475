"""Where the outline is cut from both sides: the parting plane, what is left there, and the tabs.

Both cuts go to the parting plane and a little on; the plane moves with the part at the turn.  Heights are in the
table-aligned part coordinates of the setup before the turn.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import manifold3d
import numpy as np

from ..blanks import transformed
from ..cutting.cuts import cut_floor
from ..cutting.outlines import tab_places
from ..frames import Array
from ..model.operations import FrameSlot, Outline
from ..once import once_each
from ..registration.removed import part_middle, piece_area
from ..setup_plan import SetupPlan
from ..solids.shadow import outline_area
from .turn_plan import TurnPlan


@dataclass(frozen=True)
class Parting:
    """``first`` and ``second`` are the heights to which the outlines go; ``overlap`` how far they pass each other
    (mm), negative for a floor that is left; ``ridge`` is what round-nosed tools leave standing at the wall."""

    first: float
    second: float
    ridge: float

    @property
    def overlap(self) -> float:
        return self.second - self.first


def ridge_at(radius: float, overlap: float) -> float:
    """How thick a ridge two round-nosed tools of ``radius`` leave at the wall, with their lowest points ``overlap``
    past each other (mm).

    Half-way each stands overlap/2 above its lowest point, where a circle is r - sqrt(r² - (r - o/2)²) off the
    wall that it touches further up.
    """
    if overlap >= 2.0 * radius:
        return 0.0
    off = min(max(radius - overlap / 2.0, 0.0), radius)
    return radius - math.sqrt(max(radius**2 - off**2, 0.0))


@once_each
def parting_of(turn: TurnPlan) -> Parting | None:
    """Where outlines cut from both sides meet; None unless both setups cut the outline and the turn is one over."""
    first, second = (_outline_floor(setup) for setup in (turn.before, turn.after))
    if turn.axis is None or first is None or second is None:
        return None
    overlap = -second[0] - first[0]
    radius = max(first[1], second[1])
    return Parting(first[0], -second[0], ridge_at(radius, overlap) if radius > 0.0 else 0.0)


def _outline_floor(setup: SetupPlan) -> tuple[float, float] | None:
    """The lowest an outline goes in ``u`` of its setup, and the radius of its tool's nose."""
    floors = []
    for one in setup.cuts:
        if isinstance(one.operation, Outline):
            cutter = setup.machine.cutter(one.operation.tool)
            round_nosed = cutter is not None and cutter.shape == "ball"
            bottom = float(setup.before.u_corners(setup.setup.orientation)[0][2])
            floors.append((cut_floor(setup.geometry, one, bottom), cutter.diameter / 2.0 if round_nosed else 0.0))  # type: ignore[union-attr]
    return min(floors, default=None)


# --- tabs -----------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Tab:
    """A bridge between part and border: its place (x, y) on the outline in the WCS, and the direction outward."""

    x: float
    y: float
    out: tuple[float, float]


@dataclass(frozen=True)
class Tabs:
    """All tabs of one outline: their operation's place in the setup, their width, the heights in ``u`` between which
    they stand (mm), and the area that each keeps (mm²)."""

    operation: int
    tabs: tuple[Tab, ...]
    width: float
    low: float
    high: float
    each: float

    @property
    def area(self) -> float:
        return self.each * len(self.tabs)


def tabs_of(setup: SetupPlan) -> tuple[Tabs, ...]:
    """The tabs that every outline and frame of a setup leaves.  What a cut from the other side took already does not
    count as thickness."""
    found = []
    for k, one in enumerate(setup.cuts):
        operation = one.operation
        if isinstance(operation, FrameSlot) and operation.tabs:
            area = piece_area(operation, part_middle(setup.geometry, setup.setup.orientation))
        elif isinstance(operation, Outline) and (operation.tabs or operation.tabs_at):
            area = outline_area(transformed(setup.geometry.solid, setup.setup.orientation.matrix()))
        else:
            continue
        places = tab_places(area, operation)
        tabs = tuple(_tab(at, out, setup) for at, out in places)
        bottom = float(setup.before.u_corners(setup.setup.orientation)[0][2])
        floor = max(cut_floor(setup.geometry, one, bottom), bottom)
        base = floor if isinstance(operation, Outline) else float(setup.holding.u_part[0][2])
        each = operation.tab_width * _thickness(setup, k, places)
        found.append(Tabs(k, tabs, operation.tab_width, floor, base + operation.tab_height, each))
    return tuple(found)


def _tab(at: Array, out: Array, setup: SetupPlan) -> Tab:
    x, y = (float(value) for value in at - setup.wcs.u_origin[:2])
    return Tab(x, y, (float(out[0]), float(out[1])))


def _thickness(setup: SetupPlan, operation: int, places: list[tuple[Array, Array]]) -> float:
    """How thick the thinnest tab is, measured through the stock as the operation leaves it, beside the outline."""
    stock = transformed(setup.cutting.after(operation).solid, setup.setup.orientation.matrix())
    return min((_material(stock, at + 0.5 * out) for at, out in places), default=0.0)


def _material(stock: manifold3d.Manifold, at: Array) -> float:
    far = 10_000.0
    hits = stock.ray_cast((float(at[0]), float(at[1]), far), (float(at[0]), float(at[1]), -far))
    heights = np.array([float(hit.position[2]) for hit in hits])
    return float(np.sum(heights[0::2] - heights[1::2])) if len(heights) % 2 == 0 else 0.0
