"""What a new part is cut from: a round bar, a sheet screwed to the board, or a block with a hat to be held by."""

from __future__ import annotations

import math

import numpy as np

from ..frames import AXES, Array
from ..holding.least_grip import least_grip
from ..model.base import Size, Spread
from ..model.holding import ParallelsSet, Vise
from ..model.machine import Machine
from ..model.orientation import PartDirection, axis_of
from ..model.shop import Shop
from ..model.stock import Allowance, BarStock, BlockStock, Measure
from ..solids.geometry import PartGeometry

#: Stock comes in whole steps of this (mm), and saw cuts vary by that.
STEP, _SAW_CUT = 0.5, 0.5
#: A part this many times as long as thick, and round all along, is turned from a bar.
_BAR_LONG = 1.2
#: A cylinder is the part's own outside where its diameter is the part's size within this (mm), and its length a share.
_SAME_SIZE, _ROUND_SHARE = 0.02, 0.4
#: Round a part that is cut out of a sheet stay so much for screws and the slot (mm).
SHEET_BORDER = 32.0
#: Less than so many times what a vise must grip is thin, more than so many times as wide as thick is flat.
_THIN, _FLAT = 2.0, 6.0
#: Jaws stay this far below what is cut beside them (mm).
CLEAR = 0.5
#: A tool reaches this much deeper than it must go (mm).
REACH_SPARE = 0.5


def blanks_for(geometry: PartGeometry, shop: Shop) -> tuple[BlockStock | BarStock, ...]:
    """What a part may be cut from, the best first: a round bar, a sheet of its thickness, a block."""
    bar = _bar(geometry, shop)
    found: list[BlockStock | BarStock] = [] if bar is None else [bar]
    if _too_large_for_vises(geometry, shop) or _too_thin_for_vises(geometry, shop):
        found.append(_sheet(geometry, shop))
    return (*found, stock_round(geometry, shop))


def stock_round(geometry: PartGeometry, shop: Shop, up: PartDirection = "+Z") -> BlockStock:
    """A block that stands out as far as the shop likes, with a hat under ``up`` that holds it well enough."""
    axis = axis_of(up)
    over = np.full(3, 2.0 * shop.side_allowance)
    size = geometry.high - geometry.low
    over[axis] = shop.top_allowance + hat_for(float(size[axis]), shop)
    x, y, z = (math.ceil(round(float(v) / STEP, 6)) * STEP for v in size + over)
    whole = Size(x=x, y=y, z=z)
    longest = AXES[int(np.argmax(size + over))]
    side = ("plus_" if up[0] == "+" else "minus_") + up[1].lower()
    return BlockStock(
        material=shop.material,
        nominal=whole,
        measured=whole,
        varies=Spread(**{longest: _SAW_CUT}),
        allowance=Allowance(**{side: shop.top_allowance}),
    )


def hat_for(height: float, shop: Shop) -> float:
    """How high the hat under a part of ``height`` must be, for the shop's first vise and parallels (mm)."""
    _, vise = shop.machine.standing(Vise)[0]
    wanted = least_grip(vise, height + shop.top_allowance + CLEAR)
    return max(shop.hat, parallels_for(vise, wanted, shop.parallels)[0] + CLEAR)


def parallels_for(vise: Vise, grip: float, sets: tuple[ParallelsSet, ...]) -> tuple[float, float, ParallelsSet | None]:
    """The grip that parallels of the shop give that comes nearest to what is wanted without being less, with their
    height and their set; where the shop has none that do, the grip as wanted and no set."""
    heights = [(vise.jaw_height - h, h, s) for s in sets for h in s.heights if h < vise.jaw_height]
    fitting = [each for each in heights if each[0] >= grip - 1e-9]
    if not fitting:
        return grip, max(vise.jaw_height - grip, 1.0), None
    return min(fitting, key=lambda each: (each[0], each[2].thickness))


def reach_of_end_mills(machine: Machine) -> float:
    """How deep the machine's longest flat end mill goes (mm)."""
    return max((c.depth for c in machine.cutters if c.shape == "flat"), default=0.0)


def _bar(geometry: PartGeometry, shop: Shop) -> BarStock | None:
    """A bar of the part's own diameter and length, where the part is round along an axis and long enough."""
    size = geometry.high - geometry.low
    for axis, name in enumerate(AXES):
        across = float(np.delete(size, axis).max())
        if float(np.ptp(np.delete(size, axis))) > _SAME_SIZE or float(size[axis]) < _BAR_LONG * across:
            continue
        if _round_length(geometry, axis, across) < _ROUND_SHARE * float(size[axis]):
            continue
        diameter, length = round(across, 4), round(float(size[axis]), 4)
        return BarStock(
            material=shop.material,
            along=name,
            diameter=Measure(nominal=diameter, measured=diameter),
            length=Measure(nominal=length, measured=length),
        )
    return None


def _round_length(geometry: PartGeometry, axis: int, diameter: float) -> float:
    """How much of an axis outer rounds of that diameter about the part's middle run along (mm)."""
    middle = (geometry.low + geometry.high) / 2.0
    spans = []
    for face in geometry.cylinders:
        off = np.delete(np.array(face.point) - middle, axis)
        along = np.array(face.axis)
        if face.inside or abs(along[axis]) < 1.0 - 1e-6 or float(np.abs(off).max()) > _SAME_SIZE:
            continue
        if abs(2.0 * face.radius - diameter) <= _SAME_SIZE:
            ends = sorted(face.point[axis] + float(along[axis]) * v for v in (face.start, face.end))
            spans.append((ends[0], ends[1]))
    covered, reached = 0.0, -math.inf
    for start, end in sorted(spans):
        covered += max(end - max(start, reached), 0.0)
        reached = max(reached, end)
    return covered


def _too_large_for_vises(geometry: PartGeometry, shop: Shop) -> bool:
    """Whether no jaws open wide enough for the part lying flat."""
    size: Array = geometry.high - geometry.low
    narrow = float(min(size[0], size[1])) + 2.0 * shop.side_allowance
    return narrow > max(vise.opening_max for _, vise in shop.machine.standing(Vise))


def _too_thin_for_vises(geometry: PartGeometry, shop: Shop) -> bool:
    """Whether jaws that hold it leave next to nothing of a flat part standing over them."""
    size = geometry.high - geometry.low
    return float(size[2]) < _THIN * shop.machine.standing(Vise)[0][1].grip_min and float(
        size[:2].min()
    ) > _FLAT * float(size[2])


def _sheet(geometry: PartGeometry, shop: Shop) -> BlockStock:
    """Sheet of the part's own thickness, with a border for screws and a slot all round."""
    x, y, z = (float(v) for v in geometry.high - geometry.low)
    border = 2.0 * SHEET_BORDER
    wide, long = (math.ceil((v + border) / STEP) * STEP for v in (x, y))
    size = Size(x=wide, y=long, z=round(z, 4))
    return BlockStock(material=shop.material, nominal=size, measured=size)
