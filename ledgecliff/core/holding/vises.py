"""Stock in a vise: on parallels, on stepped jaws, in soft jaws, or in the groove of V-jaws.

Worked out in vise coordinates ``v``: like ``u``, but turned about Z by quarters so that the fixed
jaw stands at the back (+Y).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import manifold3d
import numpy as np
from numpy.typing import NDArray

from ..blanks import box, transformed
from ..frames import Array, rotation
from ..model.holding import SoftJaws, StepJaws, Vise, ViseHold, VJaws
from ..model.orientation import Orientation
from ..solids.in_process_stock import InProcessStock
from .holding import JAW_TURN_DEG, Block, Jaws, jaw_names, shaped_block
from .v_jaws import InGroove, depth_of, fit_together, grooved, lies_in_groove

#: Without any grip the lowest sliver of stock stands in for what the jaws would meet (mm).
_SLIVER = 0.2
#: Soft jaws stand so far off each other in the middle, and so far out over the stock (mm).
JAW_GAP, _SOFT_RIM = 8.0, 12.0
#: A stop's size along and across the jaws (mm).
_STOP_WIDE, _STOP_DEEP = 10.0, 20.0


@dataclass(frozen=True, eq=False)
class InVise:
    """How stock sits in a vise: see ``Holding`` for the names; ``s_shift`` takes ``u`` to the vise's own frame."""

    seat: float
    seat_name: str
    bed: float
    jaws: Jaws
    blocks: tuple[Block, ...]
    s_shift: Array


def hold_in_vise(vise: Vise, hold: ViseHold, stock: InProcessStock, orientation: Orientation) -> InVise:
    turn = rotation("z", JAW_TURN_DEG[vise.fixed_jaw])
    matrix = orientation.matrix()
    v_points = stock.mesh.vertices @ (turn @ matrix).T
    seat = float(stock.truly(np.array([v_points.min(axis=0), v_points.max(axis=0)]), turn @ matrix)[0, 2])
    jaws = hold.jaws
    match jaws:
        case StepJaws():
            lift, name = jaws.height, "jaw steps"
        case SoftJaws():
            lift, name = vise.jaw_height - jaws.depth, "soft-jaw floor"
        case _:
            lift, name = hold.parallels_height, "parallels"
    bed = seat - lift
    top = bed + vise.jaw_height
    band = _gripped_band(v_points, stock.mesh.triangles, seat, top)
    # Where the band reaches as far as a round end does, it ends where that really does.
    low, high = stock.truly(np.array([band.min(axis=0), band.max(axis=0)]), turn @ matrix)
    part_x, face, front = float(low[0] + high[0]) / 2.0, float(high[1]), float(low[1])
    grooves: tuple[InGroove, ...] = ()
    if isinstance(jaws, VJaws):
        ways = (1, -1) if jaws.both else (1,)
        grooves = tuple(lies_in_groove(jaws, band[:, :2], way) for way in ways)
        part_x, face = float(grooves[0].bottom[0]), grooves[0].face
        front = grooves[1].face if jaws.both else front
    opening = face - front
    jaw_x = part_x - hold.beside
    if hold.stop is not None and hold.stop.at_jaw_end:
        half = vise.jaw_width / 2.0
        jaw_x = float(low[0]) + half if hold.stop.side == "left" else float(high[0]) - half
    frame = _Frame(vise=vise, jaw_x=jaw_x, part_x=part_x, back=face, front=front, bed=bed, top=top, seat=seat)
    match jaws:
        case StepJaws():
            blocks = frame.jaw_blocks() + frame.steps(jaws)
        case SoftJaws():
            blocks = frame.soft_jaws(jaws, transformed(stock.solid, turn @ matrix))
        case VJaws():
            blocks = frame.grooved_jaws(jaws, grooves) + frame.parallels(hold)
        case _:
            blocks = frame.jaw_blocks() + frame.parallels(hold)
    if hold.stop is not None and not hold.stop.at_jaw_end:
        side = float(low[0]) if hold.stop.side == "left" else float(high[0])
        blocks.append(frame.stop(hold.stop.side, side, hold.stop.height))
    back = turn.T
    axis = int(np.argmax(np.abs(back[:, 1])))
    toward = 1 if back[axis, 1] > 0 else -1
    anchor = back @ np.array([jaw_x, face - opening / 2.0 if vise.centring else face, bed])
    return InVise(
        seat,
        name,
        bed,
        Jaws(vise, axis, toward, toward * face, opening, top, bed, fits=fit_together(grooves)),
        tuple(_turned(block, back) for block in blocks),
        -anchor,
    )


def soft_outline(jaws: SoftJaws, stock: manifold3d.Manifold, top: float) -> manifold3d.CrossSection:
    """What is cut into soft jaws whose tops are at ``top``, from above: the outline of what stands between them."""
    outline = stock.trim_by_plane((0.0, 0.0, -1.0), -top).project()
    if jaws.clearance > 0.0:
        outline = outline.offset(jaws.clearance, manifold3d.JoinType.Round, circular_segments=48)
    return outline


def _gripped_band(points: Array, triangles: NDArray[np.int64], seat: float, jaw_top: float) -> Array:
    """Corners (N, 3) of what of the stock is between seat and jaw top."""
    top = max(jaw_top, seat + _SLIVER)
    start, end = (points[triangles[:, k]].reshape(-1, 3) for k in ([0, 1, 2], [1, 2, 0]))
    crossing = (start[:, 2] - top) * (end[:, 2] - top) < 0.0
    start, end = start[crossing], end[crossing]
    share = (top - start[:, 2:]) / (end[:, 2:] - start[:, 2:])
    return np.concatenate([points[points[:, 2] <= top], start + share * (end - start)])


def _turned(block: Block, turn: Array) -> Block:
    """A block from ``v`` to ``u``; a plain one stays plain, since turns are by quarters."""
    if block.shape is not None:
        return shaped_block(block.name, block.kind, transformed(block.shape, turn), block.may_cut)
    corners = np.array([block.low, block.high]) @ turn.T
    a, b, c = corners.min(axis=0).tolist()
    d, e, f = corners.max(axis=0).tolist()
    return replace(block, low=(a, b, c), high=(d, e, f))


@dataclass(frozen=True)
class _Frame:
    """The vise's own places in ``v``."""

    vise: Vise
    jaw_x: float
    part_x: float
    back: float
    front: float
    bed: float
    top: float
    seat: float

    @property
    def names(self) -> tuple[str, str]:
        return jaw_names(self.vise)

    def jaw_blocks(self) -> list[Block]:
        left, right = self.jaw_x - self.vise.jaw_width / 2.0, self.jaw_x + self.vise.jaw_width / 2.0
        thick = self.vise.jaw_thickness
        return [
            Block(self.names[0], (left, self.back, self.bed), (right, self.back + thick, self.top)),
            Block(self.names[1], (left, self.front - thick, self.bed), (right, self.front, self.top)),
        ]

    def parallels(self, hold: ViseHold) -> list[Block]:
        left, right = self.part_x - hold.parallels_length / 2.0, self.part_x + hold.parallels_length / 2.0
        thick = hold.parallels_thickness
        return [
            Block("back parallel", (left, self.back - thick, self.bed), (right, self.back, self.seat), "parallel"),
            Block("front parallel", (left, self.front, self.bed), (right, self.front + thick, self.seat), "parallel"),
        ]

    def steps(self, jaws: StepJaws) -> list[Block]:
        left, right = self.jaw_x - self.vise.jaw_width / 2.0, self.jaw_x + self.vise.jaw_width / 2.0
        return [
            Block(
                f"{self.names[0]} step",
                (left, self.back - jaws.depth, self.bed),
                (right, self.back, self.seat),
                "parallel",
            ),
            Block(
                f"{self.names[1]} step",
                (left, self.front, self.bed),
                (right, self.front + jaws.depth, self.seat),
                "parallel",
            ),
        ]

    def soft_jaws(self, jaws: SoftJaws, v_stock: manifold3d.Manifold) -> list[Block]:
        """Two blocks with the outline of the stock's lowest ``depth`` cut into them."""
        outline = soft_outline(jaws, v_stock, self.top)
        sunk = manifold3d.Manifold.extrude(outline, jaws.depth + 1.0).translate((0.0, 0.0, self.seat))
        left, right = self.jaw_x - self.vise.jaw_width / 2.0, self.jaw_x + self.vise.jaw_width / 2.0
        middle = (self.back + self.front) / 2.0
        thick = max(self.vise.jaw_thickness, _SOFT_RIM)
        # The cut is as deep as clamping closes it: at the jaws' faces the clearance is gone.
        fixed = box((left, middle + JAW_GAP / 2.0, self.bed), (right, self.back + thick, self.top))
        moving = box((left, self.front - thick, self.bed), (right, middle - JAW_GAP / 2.0, self.top))
        fixed, moving = fixed - sunk, moving - sunk
        if jaws.bore is not None:
            hole = manifold3d.Manifold.cylinder(jaws.bore.depth + 1.0, jaws.bore.diameter / 2.0, circular_segments=64)
            place = (self.jaw_x + jaws.bore.beside, self.back + jaws.bore.behind, self.top - jaws.bore.depth)
            fixed -= hole.translate(place)
        return [shaped_block(self.names[0], "jaw", fixed), shaped_block(self.names[1], "jaw", moving)]

    def grooved_jaws(self, jaws: VJaws, grooves: Sequence[InGroove]) -> list[Block]:
        """The jaws with their grooves, thick enough to be whole behind them."""
        thick = max(self.vise.jaw_thickness, depth_of(jaws) + _SOFT_RIM)
        left, right = self.jaw_x - self.vise.jaw_width / 2.0, self.jaw_x + self.vise.jaw_width / 2.0
        fixed = box((left, self.back, self.bed), (right, self.back + thick, self.top))
        moving = box((left, self.front - thick, self.bed), (right, self.front, self.top))
        fixed = grooved(fixed, jaws, grooves[0].bottom, 1, self.bed, self.top)
        if jaws.both:
            moving = grooved(moving, jaws, grooves[1].bottom, -1, self.bed, self.top)
        return [shaped_block(self.names[0], "jaw", fixed), shaped_block(self.names[1], "jaw", moving)]

    def stop(self, side: str, at: float, height: float) -> Block:
        low, high = (at - _STOP_WIDE, at) if side == "left" else (at, at + _STOP_WIDE)
        middle = (self.back + self.front) / 2.0
        return Block(
            "stop",
            (low, middle - _STOP_DEEP / 2.0, self.bed),
            (high, middle + _STOP_DEEP / 2.0, self.bed + height),
            "clamp",
        )
