"""Where in a control's printed or logged report the results of a probing step stand, as it was shown on an example."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from .base import Model, Name


class ReportSlot(Model):
    """A number of a line: ``line`` is the line's words with its numbers taken out, ``place`` which of them counts (from
    0), ``key`` the result that it is, such as ``x`` or ``size y``."""

    line: Annotated[str, Field(max_length=400)]
    place: Annotated[int, Field(ge=0, le=99)]
    key: Name


class ReportPattern(Model):
    """How one kind of report is read; ``unit`` is that of its lengths."""

    name: Name
    unit: Literal["mm", "in"] = "mm"
    slots: Annotated[tuple[ReportSlot, ...], Field(min_length=1, max_length=400)]

    @model_validator(mode="after")
    def _each_once(self) -> ReportPattern:
        seen = [(slot.line, slot.place, slot.key) for slot in self.slots]
        if len(set(seen)) < len(seen):
            raise ValueError("a number of a line stands for the same result twice; take one of them out")
        return self
