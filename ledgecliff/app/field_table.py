"""What a field of the stage is: where its value is in the job, what kind, and why it matters.

The tables themselves are beside: ``stock_fields``, ``part_fields``, ``hold_fields``, ``cut_fields`` and
``probe_fields``.  Their functions give the sections that fit what the job holds at that place, such as
the fields of a round bar instead of those of a block.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

from ledgecliff.core.changing import Path

#: A scatter is a length that is so small that it is shown with one more decimal.
FieldKind = Literal["length", "scatter", "feed", "angle", "seconds", "minutes", "number", "count", "text", "tool"]


@dataclass(frozen=True)
class FieldSpec:
    """``optional`` lets the entry be blank, for a value that follows from others.

    ``change`` puts the value into the job (or shop) where that takes more than setting it at ``path``, ``show``
    writes it where its own text will not do.
    """

    label: str
    path: Path
    kind: FieldKind
    why: str
    optional: bool = False
    change: Callable[[Any, Any], Any] | None = None
    show: Callable[[Any], str] | None = None


@dataclass(frozen=True)
class Section:
    title: str
    fields: tuple[FieldSpec, ...]


def length(label: str, why: str, *path: str | int, optional: bool = False) -> FieldSpec:
    return FieldSpec(label, path, "length", why, optional)
