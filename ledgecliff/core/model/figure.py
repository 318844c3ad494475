"""Where a figure of the budget comes from, when it is the scatter of what was recorded."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from ..scatter import Kind, Scatter
from .base import Day, Model, Name, NonNegativeLength


class FromRecord(Model):
    """The figure is that of ``values`` values of a ``number`` of the record, the newest of the day ``newest``; as long
    as what stands beside it is still ``figure`` (mm): typed over it is somebody's own."""

    number: Name
    values: Annotated[int, Field(ge=2, le=1_000_000)]
    newest: Day
    figure: NonNegativeLength

    def is_still(self, figure: float) -> bool:
        return abs(figure - self.figure) <= 1e-9


def as_scatter(kind: Kind, size: float, found: FromRecord | None) -> Scatter:
    """With its origin; a standard deviation of so many values has one degree of freedom less."""
    if found is None:
        return Scatter(kind, size)
    return Scatter(kind, size, float(found.values - 1), "from the record")


def own_scatter(kind: Kind, size: float, found: FromRecord | None) -> Scatter:
    """The same, where the figure beside it was not typed over."""
    return as_scatter(kind, size, found if found is not None and found.is_still(size) else None)
