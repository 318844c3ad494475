"""What all parts of a job share: immutable, closed to unknown fields, finite numbers only."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from ..quantities import LARGEST_MM


class Model(BaseModel):
    """A frozen value; editing makes another one (see ``core.edits`` and ``core.changing``)."""

    # Checks are built when first used, so that the window is up before them.
    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)


Length = Annotated[float, Field(ge=-LARGEST_MM, le=LARGEST_MM, allow_inf_nan=False)]
PositiveLength = Annotated[float, Field(gt=0, le=LARGEST_MM, allow_inf_nan=False)]
NonNegativeLength = Annotated[float, Field(ge=0, le=LARGEST_MM, allow_inf_nan=False)]
Feed = Annotated[float, Field(gt=0, le=LARGEST_MM, allow_inf_nan=False)]
Spindle = Annotated[int, Field(ge=1, le=200_000)]
Name = Annotated[str, Field(min_length=1, max_length=80)]
Text = Annotated[str, Field(max_length=4000)]


class Point(Model):
    """A place or a direction: three lengths in mm, in the frame its field names."""

    x: Length
    y: Length
    z: Length

    def as_tuple(self) -> tuple[float, float, float]:
        return (self.x, self.y, self.z)


class Size(Model):
    """Overall sizes in mm along X, Y and Z of the frame its field names."""

    x: PositiveLength
    y: PositiveLength
    z: PositiveLength

    def as_tuple(self) -> tuple[float, float, float]:
        return (self.x, self.y, self.z)


class Spread(Model):
    """A plus-or-minus in mm along X, Y and Z; nought where a size does not vary."""

    x: NonNegativeLength = 0.0
    y: NonNegativeLength = 0.0
    z: NonNegativeLength = 0.0

    def as_tuple(self) -> tuple[float, float, float]:
        return (self.x, self.y, self.z)
