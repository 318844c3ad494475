"""Rules about double-sided tape."""

from __future__ import annotations

from collections.abc import Iterator

from ..finding import Finding
from ..holding.taped import bears, side_force
from ..model.holding import BoardHold
from ..plan import Plan
from ..quantities import said_area
from ..setup_plan import SetupPlan


def tape_too_small(plan: Plan) -> Iterator[Finding]:
    """Where tape alone holds the part, what is left of it must bear the cut."""
    for setup in plan.setups:
        for k, operation in enumerate(setup.setup.operations):
            hold, name = setup.setup.hold, setup.setup.name
            area = setup.taped_alone(k)
            if area is None or not isinstance(hold, BoardHold):
                continue
            force = pushes(setup, k)
            if force is None and drilled(setup, k):
                continue
            if force is None:
                yield Finding(
                    "TAPE_NOT_JUDGED",
                    "note",
                    name,
                    f"{name}: tape alone holds the part while '{operation.name}' cuts, and how strongly that pushes in "
                    f"{setup.stock.material} is not known.",
                    "State the operation's side force.",
                    about=operation.name,
                )
            elif bears(area, hold.tape_holds) < force:
                origin = "" if operation.side_force is not None else ", as estimated from material and cutter"
                yield Finding(
                    "TAPE_TOO_SMALL",
                    "warning",
                    name,
                    f"{name}: once '{operation.name}' is done tape alone holds the part, on {said_area(area)}. A third "
                    f"of what that bears is {bears(area, hold.tape_holds):.0f} N; the cut pushes with about "
                    f"{force:.0f} N{origin}.",
                    "Leave tabs to the border, screw or clamp it, cut with a smaller cutter, or state what the tape "
                    "bears and the cut pushes.",
                    about=operation.name,
                )


def pushes(setup: SetupPlan, k: int) -> float | None:
    """How strongly an operation pushes sideways (N), as stated or estimated; None where that is not known."""
    operation, use = setup.setup.operations[k], setup.tool_uses[k]
    if operation.side_force is not None:
        return float(operation.side_force)
    return None if drilled(setup, k) else side_force(setup.stock.material, use.cutter, use.depth)


def drilled(setup: SetupPlan, k: int) -> bool:
    """A drill pushes down, and what it turns is not estimated."""
    return setup.setup.operations[k].removes in ("hole", "pin bores")


RULES = (tape_too_small,)
