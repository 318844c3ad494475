"""How far off a feature may be by the error budget, and what makes it so."""

from __future__ import annotations

from collections.abc import Iterator

from ..budget.budget import budget_of
from ..plan import Plan
from ..tape_lines import TapeLine, heading, note

#: So many of what enters are told.
_MOST = 3


def may_be_off(plan: Plan, feature: str) -> Iterator[TapeLine]:
    """For each pair of a feature: what 95 % are within, and the largest of what enters, one standard
    deviation each."""
    for pair in budget_of(plan).pairs:
        asked = pair.asked
        if asked.feature != feature:
            continue
        yield heading(f"May be off, {asked.what}")
        if asked.to:
            yield note(f"{asked.direction}, seen from {asked.to}")
        yield TapeLine("95 % within" if asked.is_circle else "95 % ±", pair.expanded, "sum", signed=False)
        for each in pair.enters[:_MOST]:
            yield note(each.source.name)
            yield TapeLine(f"{100.0 * each.share:.0f} % of it", each.u, signed=False)
