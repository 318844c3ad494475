"""The solids of a scene as triangles with kinds, ready to be projected or pictured."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ..frames import Array
from ..holding import Block, Holding
from ..holding.second_blank import NAME as SECOND_BLANK
from ..model.orientation import Orientation
from ..setup_plan import SetupPlan
from ..solids.in_process_stock import InProcessStock
from ..solids.meshes import Mesh
from ..solids.welding import with_owners
from .items import Surface

#: Kinds of faces by number, as in ``Solid.kinds``.
KINDS: tuple[Surface, ...] = ("finished", "raw", "jaw", "parallel", "section")

#: A plate or board is shown this share of the scene's width round the rest.
_RIM_SHARE = 0.12
#: Corners this near to a section plane lie in it (mm).
_ON_PLANE = 1e-4
_NO_LINES: NDArray[np.float64] = np.empty((0, 2, 3))


@dataclass(frozen=True, eq=False)
class Solid:
    """A named body: its mesh in ``u`` and the kind of every triangle (M,).

    ``u`` is table-aligned part coordinates, so a body does not change when the zero moves, and what
    is derived from its mesh (edges, normals) is derived once.
    """

    name: str
    mesh: Mesh
    kinds: NDArray[np.int64]
    #: Lines (N, 2, 3) in which the parting plane goes through it.
    parting: NDArray[np.float64] = field(default_factory=lambda: _NO_LINES)


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
    looks: Surface = "parallel" if block.kind in ("parallel", "base") else "jaw"
    kind = KINDS.index("raw" if block.name == SECOND_BLANK else looks)
    return Solid(block.name, mesh, np.full(len(mesh.triangles), kind))


def setup_solids(setup: SetupPlan, after: bool) -> tuple[Solid, ...]:
    """Stock before or after the cut, then jaws and parallels."""
    stock = setup.after if after else setup.before
    return (stock_solid(stock, setup.setup.orientation), *holding_solids(setup))


def holding_solids(setup: SetupPlan) -> tuple[Solid, ...]:
    """What stands about the stock; of a wide plate or board only what lies near it or is touched, so that all else
    has room."""
    if not any(_may_be_cropped(block) for block in setup.holding.blocks):
        return _holding_solids(setup.holding, ())  # without working out the touches
    origin = setup.wcs.u_origin
    touches = ((np.array(touch.w_contact) + origin).tolist() for step in setup.probing.steps for touch in step.touches)
    return _holding_solids(setup.holding, tuple((round(x, 3), round(y, 3), round(z, 3)) for x, y, z in touches))


@lru_cache(maxsize=64)
def _holding_solids(holding: Holding, u_touched: tuple[tuple[float, float, float], ...]) -> tuple[Solid, ...]:
    near = [block for block in holding.blocks if block.kind != "base"]
    places = [np.array(place) for place in (*(b.low for b in near), *(b.high for b in near), *u_touched)]
    low = np.min([holding.u_stock[0], *places], axis=0)
    high = np.max([holding.u_stock[1], *places], axis=0)
    rim = _RIM_SHARE * float((high - low)[:2].max())
    cropped = (_cropped(block, low - rim, high + rim) for block in holding.blocks)
    return tuple(block_solid(block) for block in cropped if block is not None)


def _may_be_cropped(block: Block) -> bool:
    return block.kind == "base" and block.shape is None


def _cropped(block: Block, low: Array, high: Array) -> Block | None:
    """A plain base block no wider than from ``low`` to ``high`` in plan, none where it lies beside that; any other as
    it is."""
    if not _may_be_cropped(block):
        return block
    a, b, c = block.low
    d, e, f = block.high
    left, front, right, back = (
        max(a, float(low[0])),
        max(b, float(low[1])),
        min(d, float(high[0])),
        min(e, float(high[1])),
    )
    if left >= right or front >= back:
        return None
    return replace(block, low=(left, front, c), high=(right, back, f))


def sectioned(solids: tuple[Solid, ...], axis: int, offset: float) -> tuple[Solid, ...]:
    """What of the bodies lies on the far side of a plane across ``axis`` (0 to 2), cut faces closed.

    Far is the plus side along X and Y as looked at from the front, and what lies below along Z.
    """
    normal = np.eye(3)[axis] if axis < 2 else -np.eye(3)[2]
    result = []
    for solid in solids:
        cut = solid.mesh.solid(solid.kinds).trim_by_plane(tuple(normal), offset if axis < 2 else -offset)
        if cut.is_empty():
            continue
        mesh, kinds = with_owners(cut)
        on_plane = np.abs(mesh.vertices[:, axis] - offset) < _ON_PLANE
        kinds = np.where(on_plane[mesh.triangles].all(axis=1), KINDS.index("section"), kinds)
        far = ((solid.parting[:, :, axis] - offset) * (1.0 if axis < 2 else -1.0) >= 0.0).all(axis=1)
        result.append(Solid(solid.name, mesh, kinds, solid.parting[far]))
    return tuple(result)
