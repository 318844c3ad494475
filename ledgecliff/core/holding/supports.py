"""Supports: blocks that stand under the stock, cut in place to its underside.

A block is left as high as what of the stock lies over it lets it: under the convex hull of that, so that it follows
level and sloping faces and does not stand up into bores and pockets, and down to the lowest of it where nothing of the
stock is above.  What it carries is where the two bodies really meet (docs/methods/made-fixtures.md).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import manifold3d
import numpy as np

from ..blanks import box, transformed
from ..frames import Array
from ..model.holding import Fixture, Hold, Plate, Spoilboard, Support, VBlock, Vise, supports_of
from .holding import Block, Holding, Jaws, shaped_block

#: Less room under the stock for a block (mm), or less of the stock over it (mm²), is none.
LEAST_ROOM, _OVER = 0.5, 1.0
#: Bodies this near above one another touch, and tops that differ by less are level (mm).
_MEETS, _LEVEL = 0.01, 1e-4
#: Stock is cut off so far beyond what lies over a block (mm).
_BEYOND = 1.0


@dataclass(frozen=True)
class Floor:
    """What a block stands on: its name and height (``u``), and whether that height is known."""

    name: str
    u_z: float
    known: bool = True


@dataclass(frozen=True, eq=False)
class SupportSeat:
    """A support as it stands: its block, None where there is no room or nothing above it; what it stands on; ``room``,
    how high the stock's lowest over it is above that (mm, None where nothing is); the highest and lowest place of its
    cut top (``u``); the area of its top, and ``meets``, where that touches the stock, both from above."""

    name: str
    support: Support
    floor: Floor
    block: Block | None
    room: float | None
    high: float
    low: float
    top: float
    meets: manifold3d.CrossSection

    @property
    def is_level(self) -> bool:
        return self.high - self.low < _LEVEL

    @property
    def area(self) -> float:
        return float(self.meets.area())

    @property
    def share(self) -> float:
        """Of its top, how much carries."""
        return self.area / max(self.top, 1e-9)

    @property
    def height(self) -> float:
        """How high its top stands over what it stands on (mm)."""
        return self.high - self.floor.u_z


def support_name(number: int) -> str:
    """From 1 on."""
    return f"support {number}"


def is_support(block: Block) -> bool:
    return block.name.startswith("support ")


def support_blocks(
    fixture: Fixture,
    hold: Hold,
    u_stock: manifold3d.Manifold,
    corner: Array,
    about: tuple[Sequence[Block], Jaws | None, float],
) -> tuple[Block, ...]:
    """The supports of a hold that have room and something to carry.

    ``corner`` (3,) is the stock's lowest one in ``u``; ``about`` are the blocks that hold it besides, its jaws, and the
    foot of all that.
    """
    found = []
    for number, support in enumerate(supports_of(hold), start=1):
        low, high = _rectangle(support, corner)
        floor = _floor(fixture, low, high, *about)
        body = support_body(u_stock, low, high, floor.u_z)
        if body is not None:
            found.append(shaped_block(support_name(number), "parallel", body))
    return tuple(found)


def support_body(u_stock: manifold3d.Manifold, low: Array, high: Array, floor: float) -> manifold3d.Manifold | None:
    """A block over a rectangle (its corners (2,) in ``u``) as it is left once it is cut to the stock; None where there
    is no room, or nothing of the stock above it."""
    over = _over(u_stock, low, high)
    if over is None:
        return None
    lowest, highest = _ends(over)
    if lowest - floor < LEAST_ROOM:
        return None
    down, up = floor - highest - _BEYOND, highest - lowest + _BEYOND
    below, above = (manifold3d.Manifold.batch_hull([over, over.translate((0.0, 0.0, way))]) for way in (down, up))
    foot = box((*low, floor), (*high, lowest))
    return foot + (below - above).trim_by_plane((0.0, 0.0, 1.0), floor)


def support_seats(level: Holding) -> tuple[SupportSeat, ...]:
    """Every support of a clamping with its station level, and where it carries the stock as it is there now."""
    if not supports_of(level.hold):
        return ()
    u_stock = transformed(level.stock.solid, level.orientation.matrix())
    about = [block for block in level.blocks if not is_support(block)]
    found = []
    for number, support in enumerate(supports_of(level.hold), start=1):
        block = level.block(support_name(number))
        low, high = _rectangle(support, level.u_stock[0])
        if block is not None:  # it stays where it is when the stock's corner is cut meanwhile
            low, high = np.array(block.low[:2]), np.array(block.high[:2])
        floor = _floor(level.fixture, low, high, about, level.jaws, level.foot)
        over = _over(u_stock, low, high)
        room = None if over is None else _ends(over)[0] - floor.u_z
        found.append(_seat(support_name(number), support, floor, block, room, u_stock))
    return tuple(found)


def touched_by(block: Block, u_stock: manifold3d.Manifold) -> manifold3d.CrossSection:
    """Where a block carries the stock, from above: a hair higher it would go into it there."""
    return (block.solid().translate((0.0, 0.0, _MEETS)) ^ u_stock).project()


def _seat(
    name: str, support: Support, floor: Floor, block: Block | None, room: float | None, u_stock: manifold3d.Manifold
) -> SupportSeat:
    if block is None:
        return SupportSeat(name, support, floor, None, room, floor.u_z, floor.u_z, 0.0, manifold3d.CrossSection())
    solid = block.solid()
    top, low = float(solid.project().area()), _lowest_of_top(solid)
    return SupportSeat(name, support, floor, block, room, block.high[2], low, top, touched_by(block, u_stock))


def _lowest_of_top(solid: manifold3d.Manifold) -> float:
    """The lowest corner of those faces of a block that look up."""
    mesh = solid.to_mesh64()
    corners = np.array(mesh.vert_properties, dtype=float)[:, :3][np.array(mesh.tri_verts, dtype=np.int64)]
    looks = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    up = looks[:, 2] > 1e-6 * np.maximum(np.linalg.norm(looks, axis=1), 1e-12)
    return float(corners[up][:, :, 2].min())


def _over(u_stock: manifold3d.Manifold, low: Array, high: Array) -> manifold3d.Manifold | None:
    """What of the stock lies over a rectangle; None where that is as good as nothing."""
    bottom, top = _ends(u_stock)
    over = u_stock ^ box((*low, bottom - _BEYOND), (*high, top + _BEYOND))
    return None if over.is_empty() or float(over.project().area()) < _OVER else over


def _rectangle(support: Support, corner: Array) -> tuple[Array, Array]:
    middle = np.add(corner[:2], (support.x, support.y))
    half = np.array([support.length, support.width]) / 2.0
    return middle - half, middle + half


def _floor(fixture: Fixture, low: Array, high: Array, blocks: Sequence[Block], jaws: Jaws | None, foot: float) -> Floor:
    """A block stands on the bed where that is under all of it, else beside it on what the bed stands on."""
    if isinstance(fixture, Plate | Spoilboard):
        slab = next(block for block in blocks if block.kind == "base" and block.shape is None)
        on = f"{slab.name} top" if isinstance(fixture, Plate) else "board top"
        return Floor(on, slab.high[2]) if _within(low, high, slab.low, slab.high) else Floor("table", foot)
    if isinstance(fixture, Vise):
        assert jaws is not None, "a vise has jaws"
        ends = sorted((jaws.face, jaws.moving_face))
        fixed = next(block for block in blocks if block.name == jaws.names[0])
        between = np.array([fixed.low[:2], fixed.high[:2]])
        between[:, jaws.axis] = ends
        if _within(low, high, between[0], between[1]):
            return Floor("vise bed", foot)
        return Floor("table", foot - fixture.bed_height, known=fixture.bed_height > 0.0)
    assert isinstance(fixture, VBlock), "what else holds stock has no supports"
    return Floor("table", foot)


def _within(low: Array, high: Array, bed_low: Sequence[float] | Array, bed_high: Sequence[float] | Array) -> bool:
    return all(
        float(bed_low[k]) - 1e-9 <= float(low[k]) and float(high[k]) <= float(bed_high[k]) + 1e-9 for k in (0, 1)
    )


def _ends(solid: manifold3d.Manifold) -> tuple[float, float]:
    """Its lowest and highest height."""
    bounds = np.array(solid.bounding_box()).reshape(2, 3)[:, 2]
    return float(bounds[0]), float(bounds[1])
