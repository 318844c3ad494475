"""The blank the part is cut from: block, round bar, tube, extrusion, or a model such as a casting.

Every size has what the label says (``nominal``), what the caliper says (``measured``, which the plan
uses), and how far other blanks of the batch may differ from it (``varies``, plus or minus).
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from ..frames import AXES, Axis
from ..scatter import Scatter
from .base import Length, Model, Name, NonNegativeLength, Point, PositiveLength, Size, Spread
from .batch import BlankBatch
from .figure import FromRecord, as_scatter
from .orientation import Orientation, PartDirection
from .part import ModelReference

#: A cosine this near to one is of no angle.
_SQUARE = 1e-9


class Allowance(Model):
    """How the stock stands out over the part on each side (mm, in P).

    Along an axis at most one side is given, and the other follows from the sizes; where neither is
    given the part lies in the middle.
    """

    minus_x: Length | None = None
    plus_x: Length | None = None
    minus_y: Length | None = None
    plus_y: Length | None = None
    minus_z: Length | None = None
    plus_z: Length | None = None

    @model_validator(mode="after")
    def _one_side_an_axis(self) -> Allowance:
        for axis in AXES:
            if None not in self.sides(axis):
                raise ValueError(
                    f"both sides along {axis.upper()} are given, but the stock's size leaves only one free; clear one"
                )
        return self

    def sides(self, axis: Axis) -> tuple[float | None, float | None]:
        """The allowance on the minus and on the plus side of an axis."""
        return {
            "x": (self.minus_x, self.plus_x),
            "y": (self.minus_y, self.plus_y),
            "z": (self.minus_z, self.plus_z),
        }[axis]


class Measure(Model):
    """One size of the stock (mm)."""

    nominal: PositiveLength
    measured: PositiveLength
    varies: NonNegativeLength = 0.0


class _StockBase(Model):
    """``grain`` is the part axis along which the fibres run; None where the material has none.

    ``is_measured`` says that somebody has held a caliper to this blank, whatever its sizes are.  ``prepared`` are the
    faces that come planed, ground or drawn true, so that a zero may be taken from them.  ``batch`` is what was measured
    of the blanks that come together, ``lot`` which delivery they are from, as the record calls it.  ``expansion`` is
    by how much it is longer for each kelvin (millionths), None where nobody has said.
    """

    material: Name
    allowance: Allowance = Allowance()
    grain: Axis | None = None
    is_measured: bool = False
    prepared: Annotated[tuple[PartDirection, ...], Field(max_length=6)] = ()
    batch: BlankBatch | None = None
    lot: Annotated[str, Field(max_length=80)] = ""
    varies_from: FromRecord | None = None
    expansion: Annotated[float, Field(ge=0, le=300)] | None = None


class BlockStock(_StockBase):
    """A rectangular block, its sizes along the part's own X, Y and Z (mm)."""

    form: Literal["block"] = "block"
    nominal: Size
    measured: Size
    varies: Spread = Spread()

    def size(self) -> tuple[float, float, float]:
        return self.measured.as_tuple()

    def nominal_size(self) -> tuple[float, float, float]:
        return self.nominal.as_tuple()

    def spread(self) -> tuple[float, float, float]:
        return self.varies.as_tuple()


def _along(axis: Axis, length: float, across: float) -> tuple[float, float, float]:
    return (
        length if axis == "x" else across,
        length if axis == "y" else across,
        length if axis == "z" else across,
    )


class BarStock(_StockBase):
    """A round bar lying along one part axis."""

    form: Literal["round bar"] = "round bar"
    along: Axis
    diameter: Measure
    length: Measure

    def size(self) -> tuple[float, float, float]:
        return _along(self.along, self.length.measured, self.diameter.measured)

    def nominal_size(self) -> tuple[float, float, float]:
        return _along(self.along, self.length.nominal, self.diameter.nominal)

    def spread(self) -> tuple[float, float, float]:
        return _along(self.along, self.length.varies, self.diameter.varies)


class TubeStock(BarStock):
    """A round bar with a hole of ``bore`` diameter all along its axis."""

    form: Literal["tube"] = "tube"  # type: ignore[assignment]
    bore: Measure

    @model_validator(mode="after")
    def _has_a_wall(self) -> TubeStock:
        if self.bore.measured >= self.diameter.measured or self.bore.nominal >= self.diameter.nominal:
            raise ValueError("the tube's bore is not smaller than its diameter; correct one of them")
        return self


class ExtrusionStock(_StockBase):
    """A bar of any section: the corners of the section in mm, in the two part axes across ``along``.

    Section coordinates are (Y, Z), (Z, X) or (X, Y) for a bar along X, Y or Z; only the section's
    shape counts, its place follows from the allowance.  ``across`` is how far the section varies.
    """

    form: Literal["extrusion"] = "extrusion"
    along: Axis
    section: Annotated[tuple[tuple[Length, Length], ...], Field(min_length=3, max_length=500)]
    length: Measure
    across: NonNegativeLength = 0.0

    @model_validator(mode="after")
    def _has_area(self) -> ExtrusionStock:
        points = self.section
        area = sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(points, (*points[1:], points[0]), strict=True))
        if abs(area) < 1e-3:
            raise ValueError("the extrusion's section has no area; enter its corners in order round the outline")
        return self

    def _extent(self, length: float) -> tuple[float, float, float]:
        first, second = (max(p[k] for p in self.section) - min(p[k] for p in self.section) for k in (0, 1))
        return {"x": (length, first, second), "y": (second, length, first), "z": (first, second, length)}[self.along]

    def size(self) -> tuple[float, float, float]:
        return self._extent(self.length.measured)

    def nominal_size(self) -> tuple[float, float, float]:
        return self._extent(self.length.nominal)

    def spread(self) -> tuple[float, float, float]:
        return _along(self.along, self.length.varies, self.across)


class ModelStock(_StockBase):
    """Stock that is a model itself, such as a casting; ``at`` is where the model's zero lies in P."""

    form: Literal["model"] = "model"
    model: ModelReference
    at: Point = Point(x=0.0, y=0.0, z=0.0)
    varies: Spread = Spread()

    def spread(self) -> tuple[float, float, float]:
        return self.varies.as_tuple()


Stock = Annotated[BlockStock | BarStock | TubeStock | ExtrusionStock | ModelStock, Field(discriminator="form")]


def measured_along(stock: Stock) -> tuple[bool, bool, bool]:
    """Whether the size along part X, Y and Z was measured: ticked, or typed as something else than the label says."""
    if stock.is_measured or stock.form == "model":
        return (stock.is_measured,) * 3
    nominal, measured = stock.nominal_size(), stock.size()
    x, y, z = (abs(a - b) > 1e-9 for a, b in zip(nominal, measured, strict=True))
    return x, y, z


def size_scatter(stock: Stock) -> tuple[Scatter, ...]:
    """How far the size of one blank of the batch may be off along part X, Y and Z (mm); the largest of them tells
    whether they are still those of the record."""
    spread = stock.spread()
    found = stock.varies_from if stock.varies_from is not None and stock.varies_from.is_still(max(spread)) else None
    return tuple(as_scatter("even", mm, found) for mm in spread)


def stands_round(stock: Stock, orientation: Orientation) -> bool:
    """Whether stock is a round that stands upright as it lies."""
    if not isinstance(stock, BarStock | TubeStock):
        return False
    upright = float(orientation.matrix()[2, AXES.index(stock.along)])
    return abs(abs(upright) - 1.0) < _SQUARE
