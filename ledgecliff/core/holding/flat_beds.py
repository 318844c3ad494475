"""Stock on a plate, on a spoilboard, and in a V-block."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TypeAlias

import manifold3d
import numpy as np

from ..blanks import box, transformed
from ..frames import Array, rotation
from ..model.holding import BoardHold, Clamp, Fence, Plate, PlateHold, Spoilboard, VBlock, VBlockHold
from .holding import Block, shaped_block

#: Lowest and highest corner (3,) of the stock in ``u``, of round ends those of the true round.
Corners: TypeAlias = tuple[Array, Array]
#: How far a clamp's bar goes on beyond the stock, and how thick its heel is (mm).
_CLAMP_LONG, _HEEL = 45.0, 12.0
#: What the strip is called that stock on a board is pushed against.
FENCE = "fence"
#: How thick a strap over a V-block is (mm), and how wide a screw's shank against its head.
_STRAP_THICK, _SHANK = 6.0, 0.5
_FAR = 10_000.0


@dataclass(frozen=True, eq=False)
class OnBed:
    """How stock sits on a flat bed or in a V: see ``Holding`` for the names; ``s_shift`` takes ``u`` to ``s``."""

    seat: float
    seat_name: str
    reference: float
    foot: float
    foot_name: str
    blocks: tuple[Block, ...]
    s_shift: Array


def hold_on_plate(plate: Plate, hold: PlateHold, u_stock: manifold3d.Manifold, corners: Corners) -> OnBed:
    low, high, middle = _with_middle(corners)
    seat = float(low[2])
    centre = middle[:2] - (hold.x, hold.y)
    blocks = [_slab(plate, centre, seat)]
    for number, dowel in enumerate(hold.dowels, start=1):
        pin = manifold3d.Manifold.cylinder(dowel.height, dowel.diameter / 2.0, circular_segments=48)
        at = (float(low[0]) + dowel.x, float(low[1]) + dowel.y, seat)
        blocks.append(shaped_block(f"dowel {number}", "clamp", pin.translate(at)))
    for number, clamp in enumerate(hold.clamps, start=1):
        blocks.append(clamp_block(number, clamp, u_stock, low, high))
    shift = -np.array([centre[0], centre[1], seat])
    return OnBed(seat, "plate top", seat, seat - plate.thickness, "table", tuple(blocks), shift)


def hold_on_board(board: Spoilboard, hold: BoardHold, u_stock: manifold3d.Manifold, corners: Corners) -> OnBed:
    low, high, middle = _with_middle(corners)
    seat = float(low[2])
    tape = hold.tape or 0.0
    top = seat - tape
    centre = middle[:2] - (hold.x, hold.y)
    blocks = [_slab(board, centre, top)]
    if tape:
        blocks.append(Block("tape", (*low[:2].tolist(), top), (*high[:2].tolist(), seat), "parallel", None, tape))
    if hold.fence is not None:
        blocks.append(_fence_block(hold.fence, corners, top))
    for number, screw in enumerate(hold.screws, start=1):
        x, y = float(low[0]) + screw.x, float(low[1]) + screw.y
        height = top_at(u_stock, x, y)
        head = height if height is not None else seat
        shank = manifold3d.Manifold.cylinder(head - top + 0.1, _SHANK * screw.head_diameter / 2.0, circular_segments=32)
        cap = manifold3d.Manifold.cylinder(max(screw.head_height, 0.1), screw.head_diameter / 2.0, circular_segments=32)
        solid = shank.translate((x, y, top - 0.1)) + cap.translate((x, y, head))
        blocks.append(shaped_block(f"screw {number}", "clamp", solid))
    shift = -np.array([centre[0], centre[1], top])
    name = "tape on the spoilboard" if tape else "spoilboard"
    return OnBed(seat, name, seat, top - board.thickness, "table", tuple(blocks), shift)


def _fence_block(fence: Fence, corners: Corners, top: float) -> Block:
    """The strip as it is left, its cut edge at the stock's side and its middle at the middle of that."""
    low, high, middle = _with_middle(corners)
    k = fence.axis
    edge = float(low[k] if fence.sign < 0 else high[k])
    ends = sorted((edge, edge + fence.sign * fence.width))
    (from_x, from_y), (to_x, to_y) = middle[:2] - fence.length / 2.0, middle[:2] + fence.length / 2.0
    if k == 0:
        from_x, to_x = ends
    else:
        from_y, to_y = ends
    foot, head = (float(from_x), float(from_y), top), (float(to_x), float(to_y), top + fence.height)
    return Block(FENCE, foot, head, "clamp")


def hold_in_v_block(block: VBlock, hold: VBlockHold, corners: Corners) -> OnBed:
    """A bar of radius R rests on both flanks: its axis is R / sin(a/2) over the groove's apex."""
    turn = rotation("z", -90.0) if block.along == "y" else np.eye(3)
    both = np.array(corners) @ turn.T
    low, high, middle = _with_middle((both.min(axis=0), both.max(axis=0)))
    radius = float(high[1] - low[1]) / 2.0
    half = math.radians(block.angle_deg / 2.0)
    apex_below_top = block.groove / 2.0 / math.tan(half)
    seat = float(low[2])
    apex = seat - radius * (1.0 / math.sin(half) - 1.0)
    top = apex + apex_below_top
    foot = top - block.height
    x, y = float(middle[0]) - hold.beside, float(middle[1])
    half_length, half_width = block.length / 2.0, block.width / 2.0
    body = box((x - half_length, y - half_width, foot), (x + half_length, y + half_width, top))
    wide = block.groove / 2.0
    groove = [(0.0, apex), (wide, top), (wide, top + 1.0), (-wide, top + 1.0), (-wide, top)]
    # The section lies in (Y, Z) and is drawn out along X.
    prism = manifold3d.Manifold.extrude(manifold3d.CrossSection([np.array(groove)]), block.length + 2.0)
    prism = transformed(prism, np.array([[0.0, 0.0, 1.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]]))
    blocks = [("V-block", "base", body - prism.translate((x - half_length - 1.0, y, 0.0)))]
    if hold.strap is not None:
        peak, across = float(high[2]), hold.strap / 2.0
        bar = box((x - across, y - half_width, peak), (x + across, y + half_width, peak + _STRAP_THICK))
        blocks.append(("strap", "clamp", bar))
    back = turn.T
    shift = -back @ np.array([x, y, top])
    made = tuple(shaped_block(name, kind, transformed(solid, back)) for name, kind, solid in blocks)  # type: ignore[arg-type]
    return OnBed(seat, "V-groove", top, foot, "table", made, shift)


def top_at(u_stock: manifold3d.Manifold, x: float, y: float) -> float | None:
    """Height of the stock's top over a place, or None beside it."""
    hits = u_stock.ray_cast((x, y, _FAR), (x, y, -_FAR))
    return float(hits[0].position[2]) if hits else None


def _with_middle(corners: Corners) -> tuple[Array, Array, Array]:
    low, high = corners
    return low, high, (low + high) / 2.0


def _slab(bed: Plate | Spoilboard, centre: Array, top: float) -> Block:
    """The bed as a block about its centre (2,), its top at a height."""
    (x, y), half_length, half_width = (float(value) for value in centre), bed.length / 2.0, bed.width / 2.0
    low, high = (x - half_length, y - half_width, top - bed.thickness), (x + half_length, y + half_width, top)
    if isinstance(bed, Plate):
        return Block("plate", low, high, "base")
    return Block("spoilboard", low, high, "base", may_cut=bed.may_cut, cuttable=True)


def clamp_block(number: int, clamp: Clamp, u_stock: manifold3d.Manifold, low: Array, high: Array) -> Block:
    """A bar from its nose on the stock outward, on a heel beside the stock."""
    x, y = float(low[0]) + clamp.x, float(low[1]) + clamp.y
    pressed = top_at(u_stock, x, y)
    bottom = pressed if pressed is not None else float(high[2])
    # Built coming in from the right, then turned about its nose.
    degrees = {"right": 0.0, "back": 90.0, "left": 180.0, "front": -90.0}[clamp.side]
    beyond = {
        "right": float(high[0]) - x,
        "left": x - float(low[0]),
        "back": float(high[1]) - y,
        "front": y - float(low[1]),
    }
    out = max(beyond[clamp.side] + 2.0, 0.0)  # a nose beyond the stock presses on nothing
    half = clamp.width / 2.0
    bar = box((-min(clamp.reach, out), -half, 0.0), (out + _CLAMP_LONG, half, clamp.height))
    heel = box((out + _CLAMP_LONG - _HEEL, -half, float(low[2]) - bottom), (out + _CLAMP_LONG, half, 0.0))
    solid = bar + heel if heel.volume() > 0 and bottom > float(low[2]) else bar
    return shaped_block(
        f"clamp {number}", "clamp", transformed(solid, rotation("z", degrees), np.array([x, y, bottom]))
    )
