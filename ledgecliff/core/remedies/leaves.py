"""What a remedy leaves: the figure that its finding is about, in the plan as it is then."""

from __future__ import annotations

from ..finding import Finding
from ..findings.stock_rules import CRUMBS
from ..plan import Plan
from ..quantities import said_unsigned, said_volume
from ..setup_plan import SetupPlan


def leaves(plan: Plan, finding: Finding) -> str:
    """In words with lengths to be spelled; empty where the finding has no figure of its own."""
    setup = next((each for each in plan.setups if each.setup.name == finding.setup), None)
    match finding.code:
        case "GRIP_ABOVE_UNDERSIDE" | "GRIP_TOO_SMALL" | "PARALLELS_TALLER_THAN_JAWS" if setup is not None:
            return f"grip {said_unsigned(setup.holding.grip)}"
        case "TOOL_TOO_SHORT" if setup is not None:
            return _reach_to_spare(setup, finding.about)
        case "OFFSET_SHARED" | "OFFSET_UNKNOWN" | "OFFSET_TAKEN" | "CARRIED_SHIFT_ADDS_UP" if setup is not None:
            return f"{setup.setup.name} in {setup.setup.offset}"
        case "FEATURE_NOT_REACHED" | "NOT_FINISHED":
            uncut = _uncut(plan)
            return f"{said_volume(uncut)} uncut" if uncut > CRUMBS else "nothing uncut"
        case _:
            return ""


def _reach_to_spare(setup: SetupPlan, operation: str) -> str:
    use = next(use for use in setup.tool_uses if setup.setup.operations[use.operation].name == operation)
    return "" if use.cutter.reach is None else f"{said_unsigned(use.cutter.reach - use.depth)} of reach to spare"


def _uncut(plan: Plan) -> float:
    """What stays on the part (mm³)."""
    return max(float(plan.finished_inside.volume) - float(plan.geometry.solid.volume()), 0.0)
