"""Bodies of what carries fixtures: a trunnion's table and cheeks, a tombstone's column, a pallet.

Places are in the frame of what the body belongs to (mm): that of a mount, whose zero lies in its face with Z out of it;
of a rotary axis from the place of its ``centre``, the machine's directions and all axes at nought.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from ..frames import AXES, Axis
from .base import Model, Name, Point, PositiveLength


class BoxBody(Model):
    """A block between its lowest and its highest corner."""

    kind: Literal["box"] = "box"
    name: Name
    low: Point
    high: Point

    @model_validator(mode="after")
    def _has_room(self) -> BoxBody:
        for axis in AXES:
            if getattr(self.low, axis) >= getattr(self.high, axis):
                raise ValueError(f"'{self.name}' ends before it begins along {axis.upper()}; swap its two ends")
        return self


class RoundBody(Model):
    """A round that begins ``at`` the middle of its lower end and goes ``length`` toward plus ``along`` an axis."""

    kind: Literal["round"] = "round"
    name: Name
    at: Point
    along: Axis
    length: PositiveLength
    diameter: PositiveLength


class ColumnBody(Model):
    """A column with so many flat ``faces``, each ``distance`` from its middle; else as ``RoundBody``.

    The first face looks to plus Z, of an upright column to minus Y, toward the operator.
    """

    kind: Literal["column"] = "column"
    name: Name
    at: Point
    along: Axis
    length: PositiveLength
    faces: Annotated[int, Field(ge=3, le=24)]
    distance: PositiveLength


CarrierBody = Annotated[BoxBody | RoundBody | ColumnBody, Field(discriminator="kind")]
