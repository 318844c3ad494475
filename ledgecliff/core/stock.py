"""In-process stock: what is left of the blank after every setup, as a real solid.

The solid lives in P.  Each operation becomes a *cut volume* (what it removes), computed in its
setup's orientation from the part itself; the stock after a setup is the stock before it less the
volumes of its operations.  Triangles that still come from the blank are known as raw.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property, lru_cache

import manifold3d
import numpy as np

from .frames import Array, Orientation, direction_vector
from .model.part import Feature
from .model.setup import Bore, Face, Operation, Outline, Seen, Setup
from .model.stock import Stock
from .solids.geometry import FINE_DEFLECTION, Mesh, PartGeometry
from .solids.shadow import outline, shadow

#: How far cut volumes stand out over the stock, so that no two faces coincide (mm).
_PROUD = 2.0


def transformed(solid: manifold3d.Manifold, matrix: Array, shift: Array | None = None) -> manifold3d.Manifold:
    """``x -> matrix x + shift`` with ``matrix`` (3, 3) a rotation and ``shift`` (3,) in mm."""
    return solid.transform(np.column_stack([matrix, np.zeros(3) if shift is None else shift]))


def box(low: Iterable[float], high: Iterable[float]) -> manifold3d.Manifold:
    """The block between two corners (3,)."""
    low, high = np.array(list(low), dtype=float), np.array(list(high), dtype=float)
    return manifold3d.Manifold.cube(tuple(high - low)).translate(tuple(low))


@dataclass(frozen=True, eq=False)
class InProcessStock:
    """The stock at one moment, in P; ``raw_id`` marks the triangles of the original blank."""

    solid: manifold3d.Manifold
    raw_id: int

    @cached_property
    def _arrays(self) -> tuple[Mesh, Array]:
        mesh = self.solid.to_mesh64()
        triangles = np.asarray(mesh.tri_verts, dtype=np.int64)
        raw = np.zeros(len(triangles), dtype=bool)
        bounds = np.asarray(mesh.run_index, dtype=np.int64) // 3
        for k, original in enumerate(mesh.run_original_id):
            if original == self.raw_id:
                raw[bounds[k] : bounds[k + 1]] = True
        return Mesh(np.asarray(mesh.vert_properties, dtype=float)[:, :3], triangles), raw

    @property
    def mesh(self) -> Mesh:
        return self._arrays[0]

    @property
    def raw(self) -> Array:
        """(M,) bool per triangle: still the blank's own surface."""
        return self._arrays[1]

    @cached_property
    def corners(self) -> tuple[Array, Array]:
        """Lowest and highest corner in P."""
        bounds = np.array(self.solid.bounding_box())
        return bounds[:3], bounds[3:]

    def u_corners(self, orientation: Orientation) -> tuple[Array, Array]:
        """Lowest and highest corner in table-aligned part coordinates."""
        both = np.array(self.corners) @ orientation.matrix().T
        return both.min(axis=0), both.max(axis=0)

    @property
    def volume(self) -> float:
        return float(self.solid.volume())


def blank_corners(stock: Stock, geometry: PartGeometry, first: Orientation) -> tuple[Array, Array]:
    """Where the measured blank lies round the part, in P: centred, ``facing`` above the top."""
    size = np.array(stock.measured.as_tuple())
    low = (geometry.low + geometry.high - size) / 2.0
    up = direction_vector(first.up)
    axis = int(np.argmax(np.abs(up)))
    if up[axis] > 0:
        low[axis] = geometry.high[axis] + stock.facing - size[axis]
    else:
        low[axis] = geometry.low[axis] - stock.facing
    return low, low + size


@lru_cache(maxsize=32)
def blank(stock: Stock, geometry: PartGeometry, first: Orientation) -> InProcessStock:
    solid = box(*blank_corners(stock, geometry, first)).as_original()
    return InProcessStock(solid, solid.original_id())


@lru_cache(maxsize=128)
def stock_after(
    stock: Stock,
    geometry: PartGeometry,
    features: tuple[Feature, ...],
    cuts: tuple[tuple[Orientation, tuple[Operation, ...]], ...],
) -> InProcessStock:
    """The stock after the setups whose orientation and operations are ``cuts`` (at least one)."""
    first = cuts[0][0]
    before = stock_after(stock, geometry, features, cuts[:-1]) if len(cuts) > 1 else blank(stock, geometry, first)
    orientation, operations = cuts[-1]
    low, high = before.u_corners(orientation)
    volumes = [
        cut_volume(geometry.coarse, geometry.solid, orientation, operation, features, low, high)
        for operation in operations
    ]
    return cut(before, [volume for volume in volumes if volume is not None])


def cuts_of(setups: Iterable[Setup]) -> tuple[tuple[Orientation, tuple[Operation, ...]], ...]:
    return tuple((setup.orientation, setup.operations) for setup in setups)


def cut(before: InProcessStock, volumes: list[manifold3d.Manifold]) -> InProcessStock:
    if not volumes:
        return before
    tools = manifold3d.Manifold.batch_boolean(volumes, manifold3d.OpType.Add)
    return InProcessStock(before.solid - tools, before.raw_id)


def cut_volume(
    mesh: Mesh,
    part: manifold3d.Manifold,
    orientation: Orientation,
    operation: Operation,
    features: tuple[Feature, ...],
    u_low: Array,
    u_high: Array,
) -> manifold3d.Manifold | None:
    """What one operation removes, in P, over stock between ``u_low`` and ``u_high`` (3,).

    ``mesh`` and ``part`` are the finished part, coarse or fine.  None when a bore's axis is not
    upright in this setup, so that it cannot be cut (a finding says so).
    """
    matrix = orientation.matrix()
    if isinstance(operation, Bore):
        volume = _bore_volume(operation, orientation, features, u_low, u_high)
        return None if volume is None else volume - part
    return transformed(_u_volume(mesh, part, orientation, operation, u_low, u_high), matrix.T)


def _u_volume(
    mesh: Mesh,
    part: manifold3d.Manifold,
    orientation: Orientation,
    operation: Face | Outline | Seen,
    u_low: Array,
    u_high: Array,
) -> manifold3d.Manifold:
    u_part = mesh.vertices @ orientation.matrix().T
    top, bottom = float(u_part[:, 2].max()), float(u_part[:, 2].min())
    ceiling = max(float(u_high[2]), top) + _PROUD
    floor = top + operation.leave if isinstance(operation, Face) else bottom - operation.below
    wide_low = np.minimum(u_low, u_part.min(axis=0)) - _PROUD
    wide_high = np.maximum(u_high, u_part.max(axis=0)) + _PROUD
    slab = box((wide_low[0], wide_low[1], floor), (wide_high[0], wide_high[1], ceiling))
    if isinstance(operation, Face):
        return slab
    if isinstance(operation, Outline):
        return slab - outline(transformed(part, orientation.matrix()), floor - _PROUD, ceiling + _PROUD)
    return slab - _shadow(mesh, orientation, min(floor, bottom) - _PROUD)


@lru_cache(maxsize=64)
def _shadow(mesh: Mesh, orientation: Orientation, bottom: float) -> manifold3d.Manifold:
    return shadow(Mesh(mesh.vertices @ orientation.matrix().T, mesh.triangles), bottom)


def bore_is_upright(feature: Feature, orientation: Orientation) -> bool:
    return feature.opens_to[1] == orientation.up[1]


def _bore_volume(
    operation: Bore, orientation: Orientation, features: tuple[Feature, ...], u_low: Array, u_high: Array
) -> manifold3d.Manifold | None:
    feature = next(feature for feature in features if feature.name == operation.on)
    if feature.diameter is None or not bore_is_upright(feature, orientation):
        return None
    radius = feature.diameter / 2.0
    facets = math.ceil(math.pi / math.acos(1.0 - FINE_DEFLECTION / radius) / 4.0) * 4
    low, high = float(u_low[2]) - operation.beyond, float(u_high[2]) + _PROUD
    u_at = orientation.matrix() @ np.array(feature.at.as_tuple())
    u_cylinder = manifold3d.Manifold.cylinder(high - low, radius, radius, facets).translate((u_at[0], u_at[1], low))
    return transformed(u_cylinder, orientation.matrix().T)
