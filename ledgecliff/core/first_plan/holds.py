"""What may hold a setup of a first plan, from what is best to what will do."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..holding.least_grip import least_grip
from ..model.holding import (
    BoardHold,
    Chuck,
    ChuckHold,
    Hold,
    ParallelsSet,
    Screw,
    SoftJaws,
    Spoilboard,
    VBlock,
    VBlockHold,
    Vise,
    ViseHold,
)
from ..model.orientation import DIRECTIONS, Orientation, PartDirection, axis_of
from ..model.shop import Shop
from ..model.stations import Station
from ..solids.geometry import PartGeometry
from ..solids.in_process_stock import InProcessStock
from .blanks import CLEAR, SHEET_BORDER

#: Shares of the height that jaws hold where nothing is cut beside them, and the most they need (mm).
_SHARES, _MOST = (0.4, 0.3, 0.2, 0.15), 20.0
#: Soft jaws are cut to the part so deep, as shares of its height, and at most and at least so (mm).
_SOFT_SHARES, _SOFT_MOST, _SOFT_LEAST = (0.4, 0.3, 0.2), 12.0, 2.0
#: A chuck grips a bar by so many diameters of its length.
_CHUCK_SHARES = (1.0, 0.7, 0.5)
#: Parallels where the shop has none that fit (mm).
_THICK, _LONG = 6.0, 150.0

#: A station, and how what stands there would hold.
HeldAt = tuple[Station, Hold]


def orientations(side: PartDirection, geometry: PartGeometry, before: Orientation | None) -> tuple[Orientation, ...]:
    """``side`` up, the longer level direction to the right first; where it can be as it lay, the end that was left
    stays left."""
    size = geometry.high - geometry.low
    level = [way for way in DIRECTIONS if way[0] == "+" and way[1] != side[1]]
    level.sort(key=lambda way: -round(float(size[axis_of(way)]), 6))
    stays = {} if before is None else {axis_of(before.right): before.right}
    return tuple(Orientation(up=side, right=stays.get(axis_of(way), way)) for way in level)


def jaw_holds(orientation: Orientation, before: InProcessStock, shop: Shop, cut_to: float | None) -> Iterator[HeldAt]:
    """Hard jaws on parallels, then soft jaws.  ``cut_to`` is the height (in ``u``) down to which it is cut beside the
    jaws; None where nothing is cut beside them."""
    low, high = before.u_corners(orientation)
    height = float(high[2] - low[2])
    for station, vise in shop.machine.standing(Vise)[:1]:
        for grip in _grips(vise, float(low[2]), height, cut_to):
            yield from _on_parallels(station, vise, grip, float((high - low)[1]), shop)
    for station, vise in shop.machine.standing(Vise)[:1]:
        for share in _SOFT_SHARES:
            deep = min(max(share * height, _SOFT_LEAST, vise.grip_min), _SOFT_MOST)
            if cut_to is not None:
                deep = min(deep, cut_to - float(low[2]) - CLEAR)
            if deep >= vise.grip_min - 1e-9:
                yield station, _vise_hold(_THICK, _LONG, vise.jaw_height / 2.0, SoftJaws(depth=round(deep, 3)))
        # Too low to be held so: it is planned all the same, and the rules say what is wrong with it.
        yield from _on_parallels(station, vise, vise.grip_min, float((high - low)[1]), shop)


def _grips(vise: Vise, low: float, height: float, cut_to: float | None) -> list[float]:
    """Depths of grip worth trying: as deep as the cut allows and no deeper than needed, then less."""
    if cut_to is not None:
        return [cut_to - low - CLEAR]
    needed = least_grip(vise, height)
    return sorted({min(max(share * height, needed), _MOST) for share in _SHARES}, reverse=True)


def _on_parallels(station: Station, vise: Vise, grip: float, opening: float, shop: Shop) -> Iterator[HeldAt]:
    """On the parallels that give the most grip up to what is wanted: two of them must fit between the jaws.

    Thick ones first, on which a ball lands although the place is known only by eye.
    """
    fitting = [
        (vise.jaw_height - h, s)
        for s in shop.parallels
        for h in s.heights
        if 2.0 * s.thickness <= opening and vise.grip_min - 1e-9 <= vise.jaw_height - h <= grip + 1e-9
    ]
    for thick in sorted({chosen.thickness for _, chosen in fitting}, reverse=True):
        given, chosen = max((pair for pair in fitting if pair[1].thickness == thick), key=lambda pair: pair[0])
        yield station, _vise_hold(thick, chosen.length, vise.jaw_height - given)
    if not fitting and grip >= vise.grip_min - 1e-9:
        spare = _bought(opening)
        yield station, _vise_hold(spare.thickness, spare.length, round(max(vise.jaw_height - grip, 1.0), 3))


def _bought(opening: float) -> ParallelsSet:
    thick = min(_THICK, max(opening / 2.5, 1.0))
    return ParallelsSet(name="parallels", heights=(20.0,), thickness=round(thick, 2), length=_LONG)


def _vise_hold(thick: float, long: float, height: float, jaws: SoftJaws | None = None) -> ViseHold:
    hold = ViseHold(
        parallels_height=round(height, 4), parallels_thickness=thick, parallels_length=long
    )  # fmt: skip
    return hold if jaws is None else hold.model_copy(update={"jaws": jaws})


def bar_holds(orientation: Orientation, before: InProcessStock, shop: Shop) -> Iterator[HeldAt]:
    """A round bar that lies level: in a V-block that is long enough, or in the chuck."""
    low, high = before.u_corners(orientation)
    length, diameter = (float(v) for v in (high - low)[:2])
    for station, block in shop.machine.standing(VBlock):
        if _lies_in(block, diameter, length):
            for beside in (0.0, length / 3.0, -length / 3.0):
                yield station, VBlockHold(beside=round(beside, 3), strap=20.0)
    for station, chuck in shop.machine.standing(Chuck):
        if diameter < chuck.diameter and not chuck.stands:
            for share in _CHUCK_SHARES:
                yield station, ChuckHold(grip=round(share * diameter, 3))


def _lies_in(block: VBlock, diameter: float, length: float) -> bool:
    """Its flanks touch the bar below its middle and within the groove, and it carries most of its length."""
    half = np.radians(block.angle_deg / 2.0)
    return diameter * np.cos(half) < block.groove and block.length > 0.5 * length


def sheet_holds(before: InProcessStock, orientation: Orientation, shop: Shop) -> Iterator[HeldAt]:
    """On the spoilboard, screws in the middle of the border, at the corners and along long sides."""
    low, high = before.u_corners(orientation)
    x, y = (float(v) for v in (high - low)[:2])
    inset = (SHEET_BORDER - 20.0) / 2.0 + 2.0
    for station, board in shop.machine.standing(Spoilboard):
        if x <= board.length and y <= board.width:
            places = [(px, py) for px in _along(x, inset) for py in (inset, y - inset)]
            yield station, BoardHold(screws=tuple(Screw(x=px, y=py) for px, py in places))


def _along(length: float, inset: float) -> list[float]:
    count = max(2, int(length // 150.0) + 1)
    return [round(inset + k * (length - 2.0 * inset) / (count - 1), 3) for k in range(count)]
