"""The solids of a scene as triangles with kinds, ready to be projected or pictured."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..frames import Orientation
from ..holding import Block
from ..plan import SetupPlan
from ..solids.geometry import Mesh
from ..solids.tracked import InProcessStock
from .items import Surface

#: Kinds of faces by number, as in ``Solid.kinds``.
KINDS: tuple[Surface, ...] = ("finished", "raw", "jaw", "parallel")


@dataclass(frozen=True, eq=False)
class Solid:
    """A named body: its mesh in ``u`` and the kind of every triangle (M,).

    ``u`` is table-aligned part coordinates, so a body does not change when the zero moves, and what
    is derived from its mesh (edges, normals) is derived once.
    """

    name: str
    mesh: Mesh
    kinds: NDArray[np.int64]


@lru_cache(maxsize=64)
def stock_solid(stock: InProcessStock, orientation: Orientation) -> Solid:
    mesh = stock.mesh
    moved = Mesh(mesh.vertices @ orientation.matrix().T, mesh.triangles)
    return Solid("stock", moved, stock.raw.astype(np.int64))


@lru_cache(maxsize=16)
def part_solid(mesh: Mesh, orientation: Orientation) -> Solid:
    moved = Mesh(mesh.vertices @ orientation.matrix().T, mesh.triangles)
    return Solid("part", moved, np.zeros(len(mesh.triangles), dtype=np.int64))


@lru_cache(maxsize=256)
def block_solid(block: Block) -> Solid:
    mesh = InProcessStock(block.solid(), -1).mesh
    kind = KINDS.index("parallel" if block.kind in ("parallel", "base") else "jaw")
    return Solid(block.name, mesh, np.full(len(mesh.triangles), kind))


def setup_solids(setup: SetupPlan, after: bool) -> tuple[Solid, ...]:
    """Stock before or after the cut, then jaws and parallels."""
    stock = setup.after if after else setup.before
    return (
        stock_solid(stock, setup.setup.orientation),
        *(block_solid(block) for block in setup.holding.blocks),
    )
