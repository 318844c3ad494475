"""What a rehearsal tells: rows and sentences, with lengths to be spelled."""

from __future__ import annotations

from dataclasses import dataclass

from ..frames import AXES, Array
from ..plan import Plan
from ..quantities import said_signed
from .results import Rehearsal, RehearsedSetup


@dataclass(frozen=True)
class OffsetRow:
    """A row of the offset list: X, Y and Z (mm) as the control's table shows them, or a difference of two."""

    words: str
    values: tuple[float, float, float]


def offset_rows(plan: Plan, rehearsal: Rehearsal | None) -> tuple[OffsetRow, ...]:
    """Of every setup what is planned, and what was found where its program came to its end."""
    rows: list[OffsetRow] = []
    for setup in plan.setups:
        rows.append(_row(f"{setup.setup.offset} planned", setup.planned_offset))
        result = None if rehearsal is None else rehearsal.setups[setup.index]
        if result is not None and not result.stopped:
            # The machine's own readings count lengths from the gauge line, the table perhaps from a reference plane.
            rows.append(_row("found", result.found - (setup.located.m_offset - setup.planned_offset)))
            rows.append(_row("found − true", result.difference))
    return tuple(rows)


def _row(words: str, values: Array) -> OffsetRow:
    x, y, z = (float(value) for value in values)
    return OffsetRow(words, (x, y, z))


def said_of(result: RehearsedSetup) -> str:
    """How the programs of a setup ran, a line for each thing to be said."""
    lines = [f"{result.name}: {result.counted} touches, " + ("; ".join(result.alarms) or "no alarm")]
    lines += [f"⚠ {words}" for words in result.amiss]
    if result.hover_gap is not None:
        lines.append(f"hover check: {said_signed(result.hover_gap)} over the block")
    return "\n".join(lines)


def said_of_pairs(rehearsal: Rehearsal) -> str:
    """Far side against near side: where each feature came to lie, less where the model has it."""
    lines = []
    for pair in rehearsal.pairs:
        off = (f"{axis.upper()} {said_signed(value)}" for axis, value in zip(AXES, pair.p_deviation, strict=True))
        lines.append(f"{pair.feature} to {pair.partner}\n    " + "  ".join(off))
    return "\n".join(lines) or "No feature is cut against a near-side partner."
