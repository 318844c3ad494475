"""What each school of work offsets keeps at an index, side by side, and what a toolpath system must be told for it."""

from __future__ import annotations

from ..budget.sides import left_by_axes
from ..frames import AXES
from ..plan import Plan
from ..rotary_schools import School, axes_miss, indexed, model_placement
from ..setup_plan import SetupPlan
from ..tape_lines import TapeLine, heading, note

_WORDS: dict[School, str] = {
    "centre": "One at the centre of rotation",
    "computed": "One an index, worked out",
    "probed": "One an index, probed",
}


def school_lines(plan: Plan, setup: SetupPlan) -> tuple[TapeLine, ...]:
    """Of a setup on rotary axes; none of any other."""
    row = next((each for each in indexed(plan) if each.setup is setup), None)
    if row is None:
        return ()
    lines: list[TapeLine] = []
    turned = setup.clamping.turned
    for school, offset in row.offsets:
        if offset is None:
            continue
        lines.append(heading(_WORDS[school]))
        lines += [TapeLine(axis.upper(), value, source="wcs") for axis, value in zip(AXES, offset, strict=True)]
        if school == "computed" and turned:
            lines.append(
                TapeLine("the axes' centres leave ±", left_by_axes(plan, setup.index).expanded, "note", signed=False)
            )
    lines.append(heading("Where the control follows by itself"))
    lines.append(note(f"Enter that of {row.first.setup.name}; here it must then read as worked out."))
    placed, miss = model_placement(row.first), axes_miss(setup)
    if placed is not None:
        lines.append(heading("The model from the centre of rotation"))
        lines += [TapeLine(axis.upper(), value) for axis, value in zip(AXES, placed.zero, strict=True)]
        turns = ", ".join(f"{turn:.4f}° about {axis.upper()}" for axis, turn in zip(AXES, placed.turns, strict=True))
        lines.append(note(f"turned {turns}".replace("-", "−")))
    if miss is not None:
        lines.append(TapeLine("both axes miss each other by", miss, "note", signed=False))
    return tuple(lines)
