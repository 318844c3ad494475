"""Solids that are hard on whatever works with shadows and cuts: each has something that touches, hangs or nearly is.

All stand on Z nought or above and are closed triangle meshes made without a CAD kernel.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable

import manifold3d
import numpy as np

from ledgecliff.core.frames import Array

Solid = manifold3d.Manifold


def block(low: tuple[float, ...], high: tuple[float, ...]) -> Solid:
    return Solid.cube(tuple(np.subtract(high, low))).translate(low)


def hull(*corners: tuple[float, ...]) -> Solid:
    return Solid.hull_points(np.array(corners, dtype=float))


def prism_of(corners: list[tuple[float, float]], low: float, high: float) -> Solid:
    section = manifold3d.CrossSection([np.array(corners, dtype=float)], manifold3d.FillRule.NonZero)
    return Solid.extrude(section, high - low).translate((0.0, 0.0, low))


def wedge(low: tuple[float, ...], high: tuple[float, ...], way: int) -> Solid:
    """Full height at one of four ends, nothing at the other."""
    (x0, y0, z0), (x1, y1, z1) = low, high
    edge = [[(x0, y0), (x0, y1)], [(x0, y0), (x1, y0)], [(x1, y0), (x1, y1)], [(x0, y1), (x1, y1)]][way]
    return hull((x0, y0, z0), (x1, y0, z0), (x0, y1, z0), (x1, y1, z0), *((x, y, z1) for x, y in edge))


def ledges_and_slope() -> Solid:
    """Two high ledges, a lower one between them, and a slope that meets a ledge's corner."""
    base = block((0, 0, 0), (60, 40, 6))
    high = block((0, 0, 6), (20, 20, 22)) + block((40, 0, 6), (60, 20, 22))
    slope = hull((20, 20, 6), (40, 20, 6), (20, 40, 6), (20, 20, 14), (40, 20, 14), (20, 40, 14), (40, 40, 6))
    return base + high + block((20, 0, 6), (40, 20, 14)) + slope + wedge((0, 20, 6), (20, 40, 22), 1)


def terrain(lot: int) -> Solid:
    """Ledges and slopes on a grid, by lot: corners and edges of one patch meet those of others."""
    draw = random.Random(lot)
    solid = block((0, 0, 0), (40, 40, 4))
    for _ in range(draw.randint(4, 14)):
        x, y = draw.randrange(0, 40, 5), draw.randrange(0, 40, 5)
        x1, y1 = min(x + draw.choice((5, 10, 15)), 40), min(y + draw.choice((5, 10, 15)), 40)
        low = draw.choice((4, 4, 4, 8))
        corners = ((x, y, low), (x1, y1, low + draw.choice((4, 8, 12))))
        more = wedge(*corners, draw.randrange(4)) if draw.random() < 0.5 else block(*corners)
        solid = solid + more if draw.random() < 0.8 else solid - more
    # What hangs in the air by itself is no part.
    return max(solid.decompose(), key=lambda piece: piece.volume())


def slope_under_a_ledge() -> Solid:
    return block((0, 0, 0), (50, 30, 5)) + block((0, 0, 20), (30, 30, 26)) + wedge((0, 0, 5), (40, 30, 20), 0)


def undercut_slot() -> Solid:
    return block((0, 0, 0), (60, 40, 30)) - block((25, -1, 18), (35, 41, 31)) - block((15, -1, 10), (45, 41, 18))


def thin_sheet() -> Solid:
    return block((0, 0, 0), (80, 60, 0.3)) - Solid.cylinder(2, 4, circular_segments=40).translate((20, 20, -1))


def upright_sheet() -> Solid:
    return block((0, 0, 0), (80, 60, 1)) + block((20, 0, 1), (20.05, 60, 30))


def touching_edges() -> Solid:
    """Two blocks on a plate that touch in one upright edge, and a third that touches one in a level edge."""
    return (
        block((0, 0, 0), (60, 60, 4))
        + block((10, 10, 4), (30, 30, 14))
        + block((30, 30, 4), (50, 50, 20))
        + (hull((10, 10, 14), (30, 10, 14), (10, 10, 24), (30, 10, 24), (10, 2, 20), (30, 2, 20)))
    )


def many_faces() -> Solid:
    """More than seven hundred flat faces: rows of square pockets of different depths."""
    pockets = [
        block((3 + 8 * i, 3 + 8 * j, 5 + (3 * i + 5 * j) % 11), (8 + 8 * i, 8 + 8 * j, 30))
        for i in range(12) for j in range(12)
    ]  # fmt: skip
    return Solid.batch_boolean([block((0, 0, 0), (100, 100, 20)), *pockets], manifold3d.OpType.Subtract)


def spiral_ramp() -> Solid:
    """A ramp that goes round more than twice: its top is one patch that lies over itself."""
    pieces = []
    for k in range(28):
        a, b = (2.0 * math.pi * n / 12.0 for n in (k, k + 1))
        corners = [(r * math.cos(t), r * math.sin(t), z + h * (t - a) / (b - a)) for t in (a, b) for r in (10, 20)
                   for z, h in ((1.5 * k, 1.5), (1.5 * k + 3, 1.5))]  # fmt: skip
        pieces.append(hull(*corners))
    return Solid.batch_boolean([*pieces, block((-4, -25, -3), (25, 25, 0.5))], manifold3d.OpType.Add).translate(
        (0, 0, 3)
    )


def ball_on_a_stem() -> Solid:
    stem = Solid.cylinder(20, 4, circular_segments=24)
    return stem + Solid.sphere(10, 40).translate((0, 0, 25)) + block((-15, -15, 0), (15, 15, 3))


def dovetail() -> Solid:
    return block((0, 0, 0), (70, 40, 25)) - prism_of([(25, -1), (45, -1), (38, 15), (32, 15)], -1, 60).rotate(
        (90, 0, 0)
    ).translate((0, 41, 12))


def lattice() -> Solid:
    """Bars across bars: every column goes in and out several times."""
    bars = [block((0, 8 * k, 10 * n), (50, 8 * k + 4, 10 * n + 4)) for k in range(6) for n in range(3)]
    bars += [block((8 * k, 0, 10 * n + 4), (8 * k + 4, 44, 10 * n + 10)) for k in range(6) for n in range(2)]
    return Solid.batch_boolean(bars, manifold3d.OpType.Add)


def sliver_pyramid() -> Solid:
    """A pyramid with a facet a ten-millionth wide, as coarse meshes have them."""
    return hull((0, 0, 0), (40, 0, 0), (40, 30, 0), (0, 30, 0), (20, 15, 20), (20 + 1e-7, 15, 20)) + block(
        (-5, -5, 0), (45, 35, 2)
    )


HARD: dict[str, Callable[[], Solid]] = {
    made.__name__.replace("_", " "): made
    for made in (
        ledges_and_slope, slope_under_a_ledge, undercut_slot, thin_sheet, upright_sheet, touching_edges, many_faces,
        spiral_ramp, ball_on_a_stem, dovetail, lattice, sliver_pyramid,
    )
}  # fmt: skip


def turned(solid: Solid, turn: Array) -> Solid:
    return solid.transform(np.column_stack([turn, np.zeros(3)]))
