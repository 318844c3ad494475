"""The blank as a solid, and where it lies round the part."""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache

import manifold3d
import numpy as np

from .errors import PlanError
from .frames import AXES, Array, Axis, Placement
from .model.base import Size
from .model.stock import Allowance, BarStock, ExtrusionStock, Measure, ModelStock, Stock, TubeStock
from .solids.facets import facets_for
from .solids.found_holes import less_found
from .solids.geometry import COARSE_DEFLECTION, PartGeometry
from .solids.in_process_stock import InProcessStock, TrueEnds, ends_of

#: A tube's bore is cut so far beyond its ends (mm).
_PROUD = 1.0


def transformed(solid: manifold3d.Manifold, matrix: Array, shift: Array | None = None) -> manifold3d.Manifold:
    """``x -> matrix x + shift`` with ``matrix`` (3, 3) a rotation and ``shift`` (3,) in mm."""
    return solid.transform(np.column_stack([matrix, np.zeros(3) if shift is None else shift]))


def turned_bounds(corners: Array, matrix: Array) -> tuple[Array, Array]:
    """Lowest and highest corner (3,) of a box, given by two of its corners (2, 3), turned by ``matrix`` (3, 3).

    Two corners turned by themselves bound nothing but by quarters: a box's half sizes add up along each axis.
    """
    middle, half = matrix @ (corners[0] + corners[1]) / 2.0, np.abs(matrix) @ np.abs(corners[1] - corners[0]) / 2.0
    return middle - half, middle + half


def moved(solid: manifold3d.Manifold, placement: Placement) -> manifold3d.Manifold:
    """The solid where a placement takes it."""
    return transformed(solid, placement.turn, placement.shift)


def box(low: Iterable[float], high: Iterable[float]) -> manifold3d.Manifold:
    """The block between two corners (3,)."""
    low, high = np.array(list(low), dtype=float), np.array(list(high), dtype=float)
    return manifold3d.Manifold.cube(tuple(high - low)).translate(tuple(low))


def rod(radius: float, length: float, along: Axis, deflection: float = COARSE_DEFLECTION) -> manifold3d.Manifold:
    """A cylinder from P zero along an axis, its corners on the true circle."""
    upright = manifold3d.Manifold.cylinder(length, radius, radius, facets_for(radius, deflection))
    return transformed(upright, axis_frame(along))


def axis_frame(along: Axis) -> Array:
    """The rotation (3, 3) that takes Z to ``along`` and (X, Y) to the two axes after it in order."""
    k = AXES.index(along)
    frame: Array = np.eye(3)[:, [(k + 1) % 3, (k + 2) % 3, k]]
    return frame


def off_size(stock: Stock, off: Array) -> Stock:
    """``stock`` with its measured sizes along P's axes off by ``off`` (3,) mm; what cannot vary stays."""
    if isinstance(stock, BarStock):
        k = AXES.index(stock.along)
        across = float(off[(k + 1) % 3])
        return stock.model_copy(
            update={"diameter": _off(stock.diameter, across), "length": _off(stock.length, float(off[k]))}
        )
    if isinstance(stock, ExtrusionStock):
        return stock.model_copy(update={"length": _off(stock.length, float(off[AXES.index(stock.along)]))})
    if isinstance(stock, ModelStock):
        return stock
    x, y, z = (float(value) for value in np.array(stock.measured.as_tuple()) + off)
    return stock.model_copy(update={"measured": Size(x=x, y=y, z=z)})


def _off(measure: Measure, by: float) -> Measure:
    return measure.model_copy(update={"measured": measure.measured + by})


def stock_size(stock: Stock, casting: PartGeometry | None) -> Array:
    """Overall measured sizes (3,) along P's axes, mm."""
    if isinstance(stock, ModelStock):
        shape = _casting(casting)
        return shape.high - shape.low
    return np.array(stock.size())


def blank_corners(stock: Stock, geometry: PartGeometry, casting: PartGeometry | None = None) -> tuple[Array, Array]:
    """Where the measured blank lies round the part, in P: lowest and highest corner (3,)."""
    if isinstance(stock, ModelStock):
        shape, at = _casting(casting), np.array(stock.at.as_tuple())
        return shape.low + at, shape.high + at
    size = np.array(stock.size())
    low = np.array([_low_side(stock.allowance, axis, size[k], geometry, k) for k, axis in enumerate(AXES)])
    return low, low + size


def _low_side(allowance: Allowance, axis: Axis, size: float, geometry: PartGeometry, k: int) -> float:
    minus, plus = allowance.sides(axis)
    if minus is not None:
        return float(geometry.low[k]) - minus
    if plus is not None:
        return float(geometry.high[k]) + plus - size
    return float(geometry.low[k] + geometry.high[k] - size) / 2.0


def _casting(casting: PartGeometry | None) -> PartGeometry:
    if casting is None:
        raise PlanError("The stock is a model, but its file has not been read; open the job again.")
    return casting


@lru_cache(maxsize=32)
def blank(stock: Stock, geometry: PartGeometry, casting: PartGeometry | None = None) -> InProcessStock:
    """The whole blank, in P, raw all over; kept, so that equal blanks are one object."""
    return make_blank(stock, geometry, casting)


def make_blank(
    stock: Stock, geometry: PartGeometry, casting: PartGeometry | None = None, deflection: float = COARSE_DEFLECTION
) -> InProcessStock:
    """A blank that nobody will ask for again, such as one of a rehearsal; rounds stay within ``deflection`` (mm)."""
    low, _ = blank_corners(stock, geometry, casting)
    ends: tuple[TrueEnds, ...] = (ends_of(geometry),)
    if isinstance(stock, ModelStock):
        shape, at = _casting(casting), np.array(stock.at.as_tuple())
        solid = shape.solid.translate(tuple(at))
        ends = (*ends, ends_of(shape).moved(at))
    else:
        solid = _standing_at_nought(stock, deflection).translate(tuple(low))
    solid = less_found(solid, geometry.found, deflection).as_original()
    return InProcessStock(solid, solid.original_id(), ends=ends)


def _standing_at_nought(stock: Stock, deflection: float) -> manifold3d.Manifold:
    """The blank with its lowest corner at P zero."""
    if isinstance(stock, BarStock):
        radius, length = stock.diameter.measured / 2.0, stock.length.measured
        solid = rod(radius, length, stock.along, deflection)
        if isinstance(stock, TubeStock):
            hole = rod(stock.bore.measured / 2.0, length + 2.0 * _PROUD, stock.along, deflection)
            solid -= hole.translate(tuple(-_PROUD * np.eye(3)[AXES.index(stock.along)]))
        shift = np.full(3, radius)
        shift[AXES.index(stock.along)] = 0.0
        return solid.translate(tuple(shift))
    if isinstance(stock, ExtrusionStock):
        section = manifold3d.CrossSection([np.array(stock.section)], manifold3d.FillRule.EvenOdd)
        solid = transformed(manifold3d.Manifold.extrude(section, stock.length.measured), axis_frame(stock.along))
        return solid.translate(tuple(-np.array(solid.bounding_box())[:3]))
    return box(np.zeros(3), np.array(stock.size()))  # type: ignore[union-attr]
