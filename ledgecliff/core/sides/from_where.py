"""From where features can be cut, against the six directions, and which of these a plan already has up."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from ..model.orientation import DIRECTIONS, PartDirection, shown
from .reach import Coverage, Reach

#: All of it is reached by a setup that is planned, by one that there could be, some of it by either.
PLANNED, POSSIBLE, PARTLY = "✓", "○", "½"


@dataclass(frozen=True)
class SideRow:
    """A feature and its mark for each of the six directions, empty where nothing of it is cut from there.

    ``words`` say the same; ``is_made`` says whether the planned setups reach all of it together.
    """

    name: str
    marks: tuple[str, ...]
    words: str
    is_made: bool


def side_rows(covered: Coverage, planned: Collection[PartDirection]) -> tuple[SideRow, ...]:
    """Features that the setups with these sides up do not make first, then by the fewest sides that reach them."""
    rows = [(_row(reach, planned), reach) for reach in covered.features]
    rows.sort(key=lambda pair: (pair[0].is_made, len(pair[1].sides), pair[1].sides))
    return tuple(row for row, _ in rows)


def _row(reach: Reach, planned: Collection[PartDirection]) -> SideRow:
    marks, ways = [], []
    for side in DIRECTIONS:
        whole, there = side in reach.sides, f"{shown(side)} up" + (", planned" if side in planned else "")
        if whole or side in reach.partly:
            ways.append(there if whole else f"in part {there}")
        marks.append((PLANNED if side in planned else POSSIBLE) if whole else PARTLY if side in reach.partly else "")
    if not ways:
        ways = ["no square side; a tilted setup reaches it" if reach.skew is not None else "no square side"]
    return SideRow(reach.name, tuple(marks), f"{reach.name}: {'; '.join(ways)}", reach.is_made_by(planned))
