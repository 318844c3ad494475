"""In-process stock: what is left of the blank after every setup, as a real solid.

The solid lives in P.  What an operation removes follows from the part itself, seen in its setup's
orientation.  Triangles that still come from the blank are known as raw.
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
from .model.setup import Bore, Face, Operation, Outline, Setup
from .model.stock import Stock
from .solids.geometry import FINE_DEFLECTION, Mesh, PartGeometry
from .solids.shadow import outline, shadow

#: How far cut volumes stand out over the stock, so that no two faces coincide (mm).
_PROUD = 2.0
#: The block in which cuts are kept stands out over the blank at least so far, in whole steps (mm).
_ROUND_ABOUT, _ENVELOPE_STEP = 20.0, 100.0


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


Cuts = tuple[tuple[Orientation, tuple[Operation, ...]], ...]


@lru_cache(maxsize=128)
def stock_after(stock: Stock, geometry: PartGeometry, features: tuple[Feature, ...], cuts: Cuts) -> InProcessStock:
    """The stock after the setups whose orientation and operations are ``cuts`` (at least one).

    What the operations keep of a block far larger than the blank does not depend on the blank, so
    it is kept from edit to edit, and another blank costs one intersection.
    """
    start = blank(stock, geometry, cuts[0][0])
    low, high = start.corners
    wide_low = np.floor((low - _ROUND_ABOUT) / _ENVELOPE_STEP) * _ENVELOPE_STEP
    wide_high = np.ceil((high + _ROUND_ABOUT) / _ENVELOPE_STEP) * _ENVELOPE_STEP
    kept = _kept(geometry, features, cuts, (*wide_low.tolist(), *wide_high.tolist()))
    return InProcessStock(start.solid ^ kept.solid, start.raw_id)


@lru_cache(maxsize=64)
def _kept(
    geometry: PartGeometry, features: tuple[Feature, ...], cuts: Cuts, envelope: tuple[float, ...]
) -> InProcessStock:
    """The block between the corners in ``envelope`` (low and high, P) less what ``cuts`` remove."""
    if not cuts:
        return InProcessStock(box(envelope[:3], envelope[3:]), 0)
    before = _kept(geometry, features, cuts[:-1], envelope)
    orientation, operations = cuts[-1]
    after = cut(before, geometry.coarse, geometry.solid, orientation, operations, features)
    after.solid.status()  # worked out now, so that the cache keeps the result and not the recipe
    return after


def cuts_of(setups: Iterable[Setup]) -> Cuts:
    return tuple((setup.orientation, setup.operations) for setup in setups)


def cut(
    before: InProcessStock,
    mesh: Mesh,
    part: manifold3d.Manifold,
    orientation: Orientation,
    operations: Iterable[Operation],
    features: tuple[Feature, ...],
) -> InProcessStock:
    """``before`` less what the operations of one setup remove, in their order.

    ``mesh`` and ``part`` are the finished part, coarse or fine.  A bore whose axis is not upright
    in this setup cannot be cut and is left out (a finding says so).
    """
    matrix = orientation.matrix()
    solid = transformed(before.solid, matrix)
    for operation in operations:
        solid = _cut_one(solid, mesh, part, orientation, operation, features)
    return InProcessStock(transformed(solid, matrix.T), before.raw_id)


def _cut_one(
    u_solid: manifold3d.Manifold,
    mesh: Mesh,
    part: manifold3d.Manifold,
    orientation: Orientation,
    operation: Operation,
    features: tuple[Feature, ...],
) -> manifold3d.Manifold:
    """One operation in table-aligned part coordinates."""
    u_part = mesh.vertices @ orientation.matrix().T
    top, bottom = float(u_part[:, 2].max()), float(u_part[:, 2].min())
    if isinstance(operation, Face):
        return _below(u_solid, top + operation.leave)
    if isinstance(operation, Bore):
        low, high = np.array(u_solid.bounding_box()).reshape(2, 3)
        volume = _bore_volume(operation, mesh, orientation, features, bottom, low, high)
        return u_solid if volume is None else u_solid - volume
    floor = bottom - operation.below
    above = _above(u_solid, floor)
    if above.is_empty():
        return u_solid
    if isinstance(operation, Outline):
        ceiling = float(u_solid.bounding_box()[5]) + _PROUD
        kept = above ^ outline(transformed(part, orientation.matrix()), floor - _PROUD, ceiling)
    else:
        kept = above ^ _shadow(mesh, orientation, min(floor, bottom) - _PROUD)
    below = _below(u_solid, floor)
    return kept if below.is_empty() else kept + below


def _below(u_solid: manifold3d.Manifold, height: float) -> manifold3d.Manifold:
    return u_solid.trim_by_plane((0.0, 0.0, -1.0), -height)


def _above(u_solid: manifold3d.Manifold, height: float) -> manifold3d.Manifold:
    return u_solid.trim_by_plane((0.0, 0.0, 1.0), height)


@lru_cache(maxsize=64)
def _shadow(mesh: Mesh, orientation: Orientation, bottom: float) -> manifold3d.Manifold:
    solid = shadow(Mesh(mesh.vertices @ orientation.matrix().T, mesh.triangles), bottom)
    solid.status()  # solids are worked out when first asked; ask now, so that the cache keeps the result
    return solid


def bore_is_upright(feature: Feature, orientation: Orientation) -> bool:
    return feature.opens_to[1] == orientation.up[1]


def _bore_volume(
    operation: Bore,
    mesh: Mesh,
    orientation: Orientation,
    features: tuple[Feature, ...],
    bottom: float,
    u_low: Array,
    u_high: Array,
) -> manifold3d.Manifold | None:
    feature = next(feature for feature in features if feature.name == operation.on)
    if feature.diameter is None or not bore_is_upright(feature, orientation):
        return None
    u_at = orientation.matrix() @ np.array(feature.at.as_tuple())
    section = _hole_section(mesh, orientation, bottom, (float(u_at[0]), float(u_at[1])), feature.diameter / 2.0)
    low, high = float(u_low[2]) - operation.beyond, float(u_high[2]) + _PROUD
    return manifold3d.Manifold.extrude(section, high - low).translate((0.0, 0.0, low))


@lru_cache(maxsize=64)
def _hole_section(
    mesh: Mesh, orientation: Orientation, bottom: float, at: tuple[float, float], radius: float
) -> manifold3d.CrossSection:
    """The round hole as the part's own facets have it, so that no slivers stay between the two.

    Where the part has no such hole all the way down, a circle of as many facets as the radius asks for.
    """
    facets = math.ceil(math.pi / math.acos(1.0 - FINE_DEFLECTION / radius) / 4.0) * 4
    circle = manifold3d.CrossSection.circle(radius, facets).translate(at)
    material = _shadow(mesh, orientation, bottom - _PROUD).slice(bottom - _PROUD / 2.0)
    hole = manifold3d.CrossSection.circle(radius * 1.02, facets).translate(at) - material
    return hole if 0.9 * circle.area() < hole.area() < 1.01 * circle.area() else circle
