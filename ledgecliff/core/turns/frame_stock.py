"""An interlocking frame judged on the stock as it really is: what of piece and border faces each other, whether the
whole slot is cut, what else is cut into it, and where tabs leave stubs.

Both lie on the same board.  Turned over, a wall that stood at height ``z`` stands at ``low + high - z`` of the piece,
so that piece and border hold each other where one's wall at ``z`` and the other's at that height are both whole.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import manifold3d
import numpy as np

from ..blanks import transformed
from ..cutting.outlines import tab_places
from ..frames import Array
from ..model.operations import FrameSlot
from ..registration.removed import frame_of, part_middle, piece_area, section_of, slot_area
from ..setup_plan import SetupPlan
from ..solids.meshes import mesh_of

#: A wall is looked for this far within the material (mm), and may lack this much of its band (mm²).
_WITHIN, _LACKS = 0.3, 0.05
#: Volumes and areas smaller than this are rounding (mm³, mm²).
_CRUMB = 0.5
#: Heights nearer than this are one (mm), and a place is in touch with a wall nearer than this beyond the fit (mm).
_SAME, _TOUCHES = 1e-3, 1.0
#: Arcs are followed to within this (mm).
_ARC = 0.01


@dataclass(frozen=True)
class FrameStock:
    """``engaged`` is the height over which piece and border hold each other, of ``thickness`` (mm); ``left`` is what
    stays in the slot besides tabs (mm³), ``in_part`` what the slot takes of the finished part (mm³).

    ``cut_away`` names the first operation after the turn that leaves less than half of the engaged height, with what
    it leaves; ``tabs_in_touch`` are tabs by their number from 1 whose stubs come where piece and border touch.
    """

    engaged: float
    thickness: float
    left: float
    in_part: float
    cut_away: tuple[str, float] | None
    tabs_in_touch: tuple[int, ...]


@lru_cache(maxsize=32)
def frame_stock(before: SetupPlan, after: SetupPlan, slot: FrameSlot) -> FrameStock:
    """The frame that ``slot`` of the setup before cuts, for a part that is turned over about X or Y."""
    middle = part_middle(before.geometry, before.setup.orientation)
    index = before.setup.operations.index(slot)
    left_behind = transformed(before.after.solid, before.setup.orientation.matrix())
    piece = transformed(after.before.solid, before.setup.orientation.matrix())
    border = left_behind - piece
    bands = _bands(slot, middle)
    low, high = (float(piece.bounding_box()[k]) for k in (2, 5))

    def engaged_with(what: manifold3d.Manifold) -> float:
        return _engaged(what, border, bands, low, high)

    engaged = engaged_with(piece)
    return FrameStock(
        engaged,
        high - low,
        _left(slot, middle, left_behind, low, high),
        float((transformed(before.geometry.solid, before.setup.orientation.matrix()) ^ _cut(before, index)).volume()),
        _cut_away(before, after, engaged_with, engaged),
        _tabs_in_touch(slot, middle),
    )


def _cut(before: SetupPlan, index: int) -> manifold3d.Manifold:
    return transformed(before.cutting.removed(index), before.setup.orientation.matrix())


@dataclass(frozen=True, eq=False)
class _Bands:
    """Just within the piece all round its outline, and just within the border all round its hole."""

    piece: manifold3d.CrossSection
    border: manifold3d.CrossSection


def _bands(slot: FrameSlot, middle: Array) -> _Bands:
    at = (float(middle[0]), float(middle[1]))
    inner = piece_area(slot, middle)
    hole = section_of(frame_of(slot).hole).translate(at)
    join = manifold3d.JoinType.Round
    return _Bands(inner - inner.offset(-_WITHIN, join), hole.offset(_WITHIN, join) - hole)


def _engaged(
    piece: manifold3d.Manifold, border: manifold3d.Manifold, bands: _Bands, low: float, high: float
) -> float:  # fmt: skip
    """Over how much height the turned piece's wall faces the border's."""
    if piece.is_empty() or border.is_empty():
        return 0.0
    heights = [mesh_of(solid).vertices[:, 2] for solid in (piece, border)]
    mirrored = low + high - heights[0]
    levels = np.unique(np.concatenate([mirrored, heights[1]]).round(4))
    levels = levels[(levels >= low - _SAME) & (levels <= high + _SAME)]
    engaged = 0.0
    for a, b in itertools.pairwise(levels):
        if b - a > _SAME:
            at = float(a + b) / 2.0
            whole = _whole(border, bands.border, at) and _whole(piece, bands.piece, low + high - at)
            engaged += float(b - a) if whole else 0.0
    return engaged


def _whole(solid: manifold3d.Manifold, band: manifold3d.CrossSection, height: float) -> bool:
    return bool((band - solid.slice(height)).area() <= _LACKS + 0.002 * band.area())


def _left(slot: FrameSlot, middle: Array, solid: manifold3d.Manifold, low: float, high: float) -> float:
    """What stands in the slot that is no tab."""
    area = slot_area(slot, middle).offset(-0.05, manifold3d.JoinType.Round)
    ring = area.extrude(high - low).translate((0.0, 0.0, low))
    tabs = tab_places(piece_area(slot, middle), slot)
    if tabs:
        bridges = [_bridge(at, out, slot) for at, out in tabs]
        ring -= manifold3d.CrossSection.batch_boolean(bridges, manifold3d.OpType.Add).extrude(
            high - low + 2.0
        ).translate((0.0, 0.0, low - 1.0))  # fmt: skip
    return float((ring ^ solid).volume())


def _bridge(at: Array, out: Array, slot: FrameSlot) -> manifold3d.CrossSection:
    """A tab seen from above, with a hair round it."""
    side = (slot.tab_width / 2.0 + 0.1) * np.array([-out[1], out[0]])
    far, near = at + (2.0 * slot.slot) * out, at - slot.slot * out
    return manifold3d.CrossSection([[near - side, far - side, far + side, near + side]])


def _cut_away(
    before: SetupPlan, after: SetupPlan, engaged_with: Callable[[manifold3d.Manifold], float], engaged: float
) -> tuple[str, float] | None:
    """The first operation after the turn that takes the walls away which hold the piece."""
    matrix = before.setup.orientation.matrix()
    for k, operation in enumerate(after.setup.operations):
        left = engaged_with(transformed(after.cutting.after(k).solid, matrix))
        if left < engaged / 2.0 - _SAME:
            return operation.name, left
    return None


def _tabs_in_touch(slot: FrameSlot, middle: Array) -> tuple[int, ...]:
    """Tabs whose stub on the piece, turned over, or on the border comes where both touch."""
    from shapely import LineString, Point  # it takes its time to import, and only frames need it

    frame = frame_of(slot)
    outlines = (frame.hole.points(_ARC), frame.turned.points(_ARC))
    hole, turned = (LineString([*outline, outline[0]]) for outline in outlines)
    mirror = np.array([1.0, -1.0] if slot.turn == "x" else [-1.0, 1.0])
    touching = []
    for number, (at, out) in enumerate(tab_places(piece_area(slot, middle), slot), start=1):
        here = at - middle
        stub_on_piece, stub_on_border = here * mirror, here + out * slot.slot
        near = slot.fit + _TOUCHES
        if hole.distance(Point(stub_on_piece)) < near or turned.distance(Point(stub_on_border)) < near:
            touching.append(number)
    return tuple(touching)
