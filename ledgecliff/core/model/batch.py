"""What was measured of a batch of blanks that differ, and how they are to be shared out."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ..frames import Axis
from .base import Model, NonNegativeLength, PositiveLength

AllowanceRule = Literal["equal load", "equal least"]
OddsFrom = Literal["as measured", "uniform", "normal"]


class BlankBatch(Model):
    """``sizes`` are those of the blanks along one part axis (mm), in the order in which they were measured.

    Each lies with its ``stop`` side, the one towards minus or plus of that axis, against a stop.  Blanks of one group
    differ by at most ``spread``; at least ``least`` must come off everywhere.  ``odds`` is what tells how many do.
    """

    along: Axis = "x"
    stop: Literal["minus", "plus"] = "minus"
    sizes: Annotated[tuple[PositiveLength, ...], Field(max_length=2000)] = ()
    spread: NonNegativeLength = 0.4
    least: NonNegativeLength = 0.3
    rule: AllowanceRule = "equal load"
    odds: OddsFrom = "as measured"
