"""Rules about outlines cut from both sides, and the tabs that hold the part meanwhile."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from ..budget.sides import in_height
from ..finding import Finding, fix
from ..model.job import made_on
from ..model.operations import Operation, goes_to_parting
from ..plan import Plan
from ..quantities import said, said_signed
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
            outline = turn.after.setup.operations[k]
            wanted = round(outline.below + thick + 0.5, 3)  # type: ignore[union-attr]
            deeper = fix(
                f"Outline {said(thick + 0.5)} deeper", ("setups", turn.index, "operations", k, "below"), wanted
            )
            yield Finding(
                "FLOOR_LEFT",
                "warning",
                name,
                f"{name}: the outlines of both sides end {said(thick)} apart; a floor so thick ties the part to its "
                "border.",
                f"Cut the outline at least {said(thick)} deeper from one side.",
                () if goes_to_parting(outline) else (deeper,),
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


def parting_plane(plan: Plan) -> Iterator[Finding]:
    """What goes to the parting plane must find it level, and be met there from the other side."""
    plane = plan.job.parting
    going = [
        (setup, k, one)
        for setup in plan.setups
        for k, one in enumerate(setup.setup.operations)
        if goes_to_parting(one)
    ]  # fmt: skip
    if plane is None or not going:
        return
    axis = "xyz".index(plane.along)
    low, high = float(plan.geometry.low[axis]), float(plan.geometry.high[axis])
    if not low < plane.at < high:
        yield Finding(
            "PARTING_OUTSIDE",
            "error",
            "",
            f"The parting plane lies at part {plane.along.upper()} {said_signed(plane.at)}, outside of the part, which "
            f"reaches from {said_signed(low)} to {said_signed(high)} there.",
            "Put it between both sides.",
        )
    for setup, k, one in going:
        name = setup.setup.name
        if plane.height(setup.setup.orientation) is None:
            yield Finding(
                "PARTING_NOT_LEVEL",
                "error",
                name,
                f"{name}: '{one.name}' goes to the parting plane, which does not lie level as the part lies: "
                "nothing is cut by it.",
                "Let it go its own way, or state another plane.",
                (fix("Its own way", ("setups", setup.index, "operations", k, "to_parting"), False),),
                about=one.name,
            )
        elif not any(_meets(one, setup, other, there) for there in plan.setups for other in there.setup.operations):
            yield Finding(
                "PARTING_ONE_SIDE",
                "warning",
                name,
                f"{name}: '{one.name}' stops at the parting plane, and nothing comes there from the other side: "
                "what is under it stays.",
                "Cut it from the other side too, or let it go all the way.",
                (fix("All the way", ("setups", setup.index, "operations", k, "to_parting"), False),),
                about=one.name,
            )


def _meets(one: Operation, setup: SetupPlan, other: Operation, there: SetupPlan) -> bool:
    """Whether another operation takes the same from the other side."""
    opposite = float(setup.setup.orientation.matrix()[2] @ there.setup.orientation.matrix()[2]) < -0.999
    if one.removes in ("outline", "seen"):
        return opposite and other.removes in ("outline", "seen")
    return opposite and made_on(other) == made_on(one)


def may_not_meet(plan: Plan) -> Iterator[Finding]:
    """Cuts from both sides pass each other by more than a turn may be off in height."""
    plane = plan.job.parting
    for turn in turns_of(plan) if plane is not None else ():
        both = [
            any(goes_to_parting(one) for one in side.setup.operations) for side in (turn.before, turn.after)
        ]  # fmt: skip
        if plane is None or not all(both) or turn.axis is None:
            continue
        off = in_height(plan)[turn.index - 1].expanded
        if 2.0 * plane.past < off:
            name = turn.after.setup.name
            yield Finding(
                "PARTING_MAY_NOT_MEET",
                "warning",
                name,
                f"{name}: cuts from both sides pass each other by {said(2.0 * plane.past)}, while the turn may be "
                f"{said(off)} off in height: a skin may be left between them.",
                f"Let each go {said(off / 2.0)} past the plane or more.",
                (fix("Past it by enough", ("parting", "past"), math.ceil(off * 50.0) / 100.0),),
            )


RULES = (floor_left, tabs_in_the_way, parting_plane, may_not_meet)
