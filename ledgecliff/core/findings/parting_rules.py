"""Rules about outlines cut from both sides, and the tabs that hold the part meanwhile."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from ..finding import Finding, fix
from ..plan import Plan
from ..quantities import said
from ..setup_plan import SetupPlan
from ..turns.parting import Tab, Tabs, parting_of, tabs_of
from ..turns.turn_plan import turns_of

#: Ridges thinner than this come off with sandpaper (mm).
_RIDGE = 0.05


def floor_left(plan: Plan) -> Iterator[Finding]:
    """Through-cuts from both sides must meet."""
    for turn in turns_of(plan):
        parting = parting_of(turn)
        if parting is None:
            continue
        name = turn.after.setup.name
        if parting.overlap < -1e-6:
            thick = -parting.overlap
            k = next(k for k, one in enumerate(turn.after.setup.operations) if one.removes == "outline")
            below = turn.after.setup.operations[k].below  # type: ignore[union-attr]
            wanted = round(below + thick + 0.5, 3)
            yield Finding(
                "FLOOR_LEFT",
                "warning",
                name,
                f"{name}: the outlines of both sides end {said(thick)} apart; a floor so thick ties the part to its "
                "border.",
                f"Cut the outline at least {said(thick)} deeper from one side.",
                (fix(f"Outline {said(thick + 0.5)} deeper", ("setups", turn.index, "operations", k, "below"), wanted),),
            )
        elif parting.ridge > _RIDGE:
            yield Finding(
                "RIDGE_LEFT",
                "note",
                name,
                f"{name}: round-nosed tools leave a ridge of {said(parting.ridge)} at the parting line.",
                "Let both outlines pass each other by the tool's diameter, or use a flat end mill.",
            )


def tabs_in_the_way(plan: Plan) -> Iterator[Finding]:
    """A tab is broken out in the end, and what it stands on suffers; under a clamp it cannot be cut at all."""
    for setup in plan.setups:
        name = setup.setup.name
        for tabs in tabs_of(setup):
            words = f"'{setup.setup.operations[tabs.operation].name}'"
            for number, tab in enumerate(tabs.tabs, start=1):
                feature = _feature_at(plan, setup, tabs, tab)
                if feature is not None:
                    yield Finding(
                        "TAB_ON_FEATURE",
                        "warning",
                        name,
                        f"{name}: tab {number} of {words} stands on '{feature}'; breaking it out spoils the feature.",
                        "Give the tabs places of their own beside it.",
                    )
                clamp = _clamp_at(setup, tabs, tab)
                if clamp is not None:
                    yield Finding(
                        "TAB_UNDER_CLAMP",
                        "error",
                        name,
                        f"{name}: tab {number} of {words} lies under {clamp}; the slot cannot be cut beside it.",
                        "Move the clamp or the tab.",
                    )


def _feature_at(plan: Plan, setup: SetupPlan, tabs: Tabs, tab: Tab) -> str | None:
    """A named feature that reaches out to a tab's place on the outline, at the tab's height."""
    matrix = setup.setup.orientation.matrix()
    for feature in plan.job.part.features:
        size = max(feature.diameter or 0.0, feature.length or 0.0, feature.width or 0.0) / 2.0
        if feature.kind == "face" or size == 0.0:
            continue
        at, deep = matrix @ np.array(feature.at.as_tuple()), matrix @ feature.direction() * (feature.depth or 0.0)
        low, high = sorted((float(at[2]), float(at[2] + (deep[2] if feature.kind == "pocket" else -deep[2]))))
        x, y = at[:2] - setup.wcs.u_origin[:2]
        near = math.hypot(float(x) - tab.x, float(y) - tab.y) < size + tabs.width / 2.0
        if near and low < tabs.high and high > tabs.low:
            return feature.name
    return None


def _clamp_at(setup: SetupPlan, tabs: Tabs, tab: Tab) -> str | None:
    place, half = np.array([tab.x, tab.y]) + setup.wcs.u_origin[:2], tabs.width / 2.0
    for block in setup.holding.blocks:
        inside = np.all(place > np.array(block.low[:2]) - half) and np.all(place < np.array(block.high[:2]) + half)
        if block.kind == "clamp" and inside:
            return block.name
    return None


RULES = (floor_left, tabs_in_the_way)
