"""Which work offsets a machine's control has, as its settings state them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Literal

from ..changing import set_value
from ..errors import InvalidValueError
from ..model.job import Job
from ..model.work_offsets import OffsetCode

_ONE = re.compile(r"(G[\d.]+(?:\s*P\s*\d+)?)(?:\s*=\s*(\d+))?", re.IGNORECASE)
ExtendedField = Literal["count", "word", "level", "first_parameter"]


def standard_said(offsets: Sequence[OffsetCode]) -> str:
    """As ``with_standard`` takes it in again: the number in G10 P where it is not the next one."""
    said = []
    for k, offset in enumerate(offsets, start=1):
        said.append(offset.code if offset.number == k else f"{offset.code} = {offset.number}")
    return ", ".join(said)


def with_standard(job: Job, machine: int, text: str) -> Job:
    """The standard offsets of a machine from words such as ``G54, G55, G59.1 = 7``; without a number one has that of
    its place.  Raises InvalidValueError."""
    found: list[OffsetCode] = []
    for k, each in enumerate((part.strip() for part in text.split(",")), start=1):
        match = _ONE.fullmatch(each)
        if match is None:
            raise InvalidValueError(
                "standard offsets", f"'{each}' is no work offset; write codes with commas between, such as G54, G55"
            )
        code = re.sub(r"\s*P\s*", " P", match[1].upper())
        try:
            found.append(OffsetCode(code=code, number=int(match[2] or k)))
        except ValueError as error:
            raise InvalidValueError(
                "standard offsets", f"'{each}' cannot be one; a code is G and two or three digits, its number 1 to 999"
            ) from error
    return set_value(job, ("machines", machine, "offsets"), tuple(found))


def with_extended(job: Job, machine: int, field: ExtendedField, value: object) -> Job:
    """One setting of the extended offsets; a count of 0 is a control that has none.  Raises InvalidValueError."""
    path, now = ("machines", machine, "extended"), job.machines[machine].extended
    if field == "count" and value in (0, None):
        return set_value(job, path, None)
    if now is None:
        if field != "count":
            raise InvalidValueError("extended offsets", "there are none; say first how many the control has")
        return set_value(job, path, {"count": value})
    return set_value(job, (*path, field), value.strip().upper() if isinstance(value, str) else value)
