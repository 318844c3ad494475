"""What all parts of a job share: immutable, closed to unknown fields, finite numbers only."""

from __future__ import annotations

import re
from calendar import monthrange
from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

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


def _day(text: str) -> str:
    year, month, day = map(int, text.split("-")) if re.fullmatch(r"\d{4}-\d{2}-\d{2}", text) else (0, 0, 0)
    if year < 1 or not 1 <= month <= 12 or not 1 <= day <= monthrange(year, month)[1]:
        raise ValueError(f"'{text}' is no day; write it as year-month-day, such as 2026-03-09")
    return text


#: A day of the calendar, such as 2026-03-09; as text, days sort as they follow each other.
Day = Annotated[str, Field(max_length=10), AfterValidator(_day)]


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
