"""The solids of a scene as triangles with kinds, ready to be projected or pictured."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..frames import Array
from ..holding import Block
from ..plan import SetupPlan
from ..solids.geometry import Mesh
from ..stock import InProcessStock, box
from .items import Surface

#: Kinds of faces by number, as in ``Solid.kinds``.
KINDS: tuple[Surface, ...] = ("finished", "raw", "jaw", "parallel")


@dataclass(frozen=True, eq=False)
class Solid:
    """A named body: its mesh in the scene's coordinates, and the kind of every triangle (M,)."""

    name: str
    mesh: Mesh
    kinds: NDArray[np.int64]


def stock_solid(stock: InProcessStock, matrix: Array, origin: Array) -> Solid:
    """The stock in table-aligned coordinates less ``origin``: ``R p - origin``."""
    mesh = stock.mesh
    return Solid("stock", Mesh(mesh.vertices @ matrix.T - origin, mesh.triangles), stock.raw.astype(np.int64))


def part_solid(mesh: Mesh, matrix: Array, origin: Array) -> Solid:
    moved = Mesh(mesh.vertices @ matrix.T - origin, mesh.triangles)
    return Solid("part", moved, np.zeros(len(mesh.triangles), dtype=np.int64))


def block_solid(block: Block, origin: Array) -> Solid:
    mesh64 = box(block.low, block.high).to_mesh64()
    vertices = np.asarray(mesh64.vert_properties, dtype=float)[:, :3] - origin
    triangles = np.asarray(mesh64.tri_verts, dtype=np.int64)
    kind = KINDS.index("parallel" if "parallel" in block.name else "jaw")
    return Solid(block.name, Mesh(vertices, triangles), np.full(len(triangles), kind))


@lru_cache(maxsize=64)
def setup_solids(setup: SetupPlan, after: bool) -> tuple[Solid, ...]:
    """Stock before or after the cut, jaws and parallels, in the WCS of the setup."""
    stock = setup.after if after else setup.before
    matrix, origin = setup.setup.orientation.matrix(), setup.wcs.u_origin
    return (
        stock_solid(stock, matrix, origin),
        *(block_solid(block, origin) for block in setup.holding.blocks),
    )
