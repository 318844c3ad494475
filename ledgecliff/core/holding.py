"""How the stock sits in the vise: seat, grip, jaw opening and the ladder of heights.

Everything is in table-aligned part coordinates ``u`` of the setup (mm, Z up); ``m_shift`` takes
``u`` to nominal machine coordinates (``m = u + m_shift``).  The fixed jaw is at the back (+Y).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .frames import Array, Orientation, shown
from .model.machine import Machine, Vise
from .model.setup import Setup, ViseHold
from .solids.geometry import PartGeometry
from .stock import InProcessStock

#: Without any grip the lowest sliver of stock stands in for what the jaws would meet (mm).
_SLIVER = 0.2


@dataclass(frozen=True)
class Block:
    """An upright block of the holding: its name and corners (3,) in ``u``."""

    name: str
    low: tuple[float, float, float]
    high: tuple[float, float, float]


@dataclass(frozen=True)
class Height:
    """One rung of the height ladder; ``key`` is what the drawing and the tape link by."""

    key: str
    name: str
    u_z: float


@dataclass(frozen=True, eq=False)
class Holding:
    """What follows from putting ``stock`` into the vise in this orientation."""

    vise: Vise
    hold: ViseHold
    orientation: Orientation
    stock: InProcessStock
    u_stock: tuple[Array, Array]
    u_part: tuple[Array, Array]
    seat: float
    jaw_top: float
    jaw_face: float
    opening: float
    blocks: tuple[Block, ...]
    m_shift: Array

    @property
    def grip(self) -> float:
        """Depth of stock between the jaws, from the seat up; negative when the jaws end below it."""
        return min(self.jaw_top, float(self.u_stock[1][2])) - self.seat

    def heights(self) -> tuple[Height, ...]:
        """The ladder, highest first: stock, part, jaws, seat, bed."""
        up = self.orientation.up
        down = ("−" if up[0] == "+" else "+") + up[1]
        rungs = [
            Height("stock-top", "stock top", float(self.u_stock[1][2])),
            Height("part-top", f"part top ({shown(up)})", float(self.u_part[1][2])),
            Height("jaw-top", "jaw top", self.jaw_top),
            Height("part-underside", f"part bottom ({down})", float(self.u_part[0][2])),
            Height("parallels", "parallels", self.seat),
            Height("bed", "vise bed", self.seat - self.hold.parallels_height),
        ]
        return tuple(sorted(rungs, key=lambda rung: -rung.u_z))


def hold_part(machine: Machine, setup: Setup, stock: InProcessStock, geometry: PartGeometry) -> Holding:
    """Seats ``stock`` on the parallels, its widest gripped place against the fixed jaw."""
    vise = machine.vise(setup.hold.vise)
    assert vise is not None, "the job's own validation keeps vise names true"
    hold, orientation = setup.hold, setup.orientation
    u_low, u_high = stock.u_corners(orientation)
    corners = np.array([geometry.low, geometry.high]) @ orientation.matrix().T
    seat = float(u_low[2])
    jaw_top = seat + vise.jaw_height - hold.parallels_height
    band_low, band_high = _gripped_band(stock, orientation, seat, jaw_top)
    jaw_face, opening = float(band_high[1]), float(band_high[1] - band_low[1])
    middle_x = float(band_low[0] + band_high[0]) / 2.0
    m_shift = np.array(
        [
            vise.at.x + hold.beside - middle_x,
            vise.at.y - jaw_face,
            vise.at.z + hold.parallels_height - seat,
        ]
    )
    jaw_middle_x = middle_x - hold.beside
    blocks = _blocks(vise, hold, jaw_middle_x, middle_x, jaw_face, opening, seat)
    return Holding(
        vise=vise,
        hold=hold,
        orientation=orientation,
        stock=stock,
        u_stock=(u_low, u_high),
        u_part=(corners.min(axis=0), corners.max(axis=0)),
        seat=seat,
        jaw_top=jaw_top,
        jaw_face=jaw_face,
        opening=opening,
        blocks=blocks,
        m_shift=m_shift,
    )


def _gripped_band(stock: InProcessStock, orientation: Orientation, seat: float, jaw_top: float) -> tuple[Array, Array]:
    """Corners of the stock between seat and jaw top."""
    mesh = stock.mesh
    points = mesh.vertices @ orientation.matrix().T
    top = max(jaw_top, seat + _SLIVER)
    start, end = (points[mesh.triangles[:, k]].reshape(-1, 3) for k in ([0, 1, 2], [1, 2, 0]))
    crossing = (start[:, 2] - top) * (end[:, 2] - top) < 0.0
    start, end = start[crossing], end[crossing]
    share = (top - start[:, 2:]) / (end[:, 2:] - start[:, 2:])
    band = np.concatenate([points[points[:, 2] <= top], start + share * (end - start)])
    return band.min(axis=0), band.max(axis=0)


def _blocks(
    vise: Vise, hold: ViseHold, jaw_x: float, part_x: float, jaw_face: float, opening: float, seat: float
) -> tuple[Block, ...]:
    bed = seat - hold.parallels_height
    half_jaw, half_parallel = vise.jaw_width / 2.0, hold.parallels_length / 2.0
    front = jaw_face - opening
    left, right = jaw_x - half_jaw, jaw_x + half_jaw
    jaw_top = bed + vise.jaw_height
    return (
        Block("fixed jaw", (left, jaw_face, bed), (right, jaw_face + vise.jaw_thickness, jaw_top)),
        Block("moving jaw", (left, front - vise.jaw_thickness, bed), (right, front, jaw_top)),
        Block(
            "back parallel",
            (part_x - half_parallel, jaw_face - hold.parallels_thickness, bed),
            (part_x + half_parallel, jaw_face, seat),
        ),
        Block(
            "front parallel",
            (part_x - half_parallel, front, bed),
            (part_x + half_parallel, front + hold.parallels_thickness, seat),
        ),
    )
