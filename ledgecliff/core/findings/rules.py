"""All rules together, and the order in which their findings are shown."""

from __future__ import annotations

from ..finding import SEVERITIES, Finding
from ..once import once_each
from ..plan import Plan
from . import (
    cycle_rules,
    datum_rules,
    grip_rules,
    holding_rules,
    jig_rules,
    parting_rules,
    probing_rules,
    side_rules,
    stock_rules,
    tool_table_rules,
    tooling_rules,
    turn_rules,
)

#: Every rule takes a plan and yields findings; the codes a rule may yield are stable.
RULES = (
    *stock_rules.RULES,
    *side_rules.RULES,
    *holding_rules.RULES,
    *grip_rules.RULES,
    *tooling_rules.RULES,
    *tool_table_rules.RULES,
    *datum_rules.RULES,
    *jig_rules.RULES,
    *turn_rules.RULES,
    *parting_rules.RULES,
    *probing_rules.RULES,
    *cycle_rules.RULES,
)


@once_each
def findings_of(plan: Plan) -> tuple[Finding, ...]:
    """All findings of ``plan``, hazards first, in the order of the setups within a severity."""
    found = [finding for rule in RULES for finding in rule(plan)]
    order = {setup.name: k for k, setup in enumerate(plan.job.setups)}
    return tuple(sorted(found, key=lambda f: (SEVERITIES.index(f.severity), order.get(f.setup, -1))))
