"""All rules together, and the order in which their findings are shown."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from weakref import WeakKeyDictionary

from ..errors import CancelledError
from ..finding import SEVERITIES, Finding, Severity
from ..plan import Plan
from . import (
    bench_rules,
    board_rules,
    budget_rules,
    cycle_rules,
    datum_rules,
    grip_rules,
    holding_rules,
    index_rules,
    jig_rules,
    own_fixture_rules,
    pair_rules,
    parting_rules,
    probing_rules,
    rotary_rules,
    several_rules,
    side_rules,
    station_rules,
    stock_rules,
    support_rules,
    tape_rules,
    thin_rules,
    tool_table_rules,
    tooling_rules,
    turn_rules,
)

#: Every rule takes a plan and yields findings; the codes a rule may yield are stable.
RULES = (
    *stock_rules.RULES,
    *bench_rules.RULES,
    *board_rules.RULES,
    *side_rules.RULES,
    *holding_rules.RULES,
    *grip_rules.RULES,
    *support_rules.RULES,
    *tape_rules.RULES,
    *thin_rules.RULES,
    *tooling_rules.RULES,
    *tool_table_rules.RULES,
    *datum_rules.RULES,
    *jig_rules.RULES,
    *own_fixture_rules.RULES,
    *pair_rules.RULES,
    *several_rules.RULES,
    *station_rules.RULES,
    *rotary_rules.RULES,
    *index_rules.RULES,
    *turn_rules.RULES,
    *parting_rules.RULES,
    *budget_rules.RULES,
    *probing_rules.RULES,
    *cycle_rules.RULES,
)


#: Of each plan, as long as it lives.
_known: WeakKeyDictionary[Plan, tuple[Finding, ...]] = WeakKeyDictionary()


def findings_of(plan: Plan, cancelled: Callable[[], bool] = lambda: False) -> tuple[Finding, ...]:
    """All findings of ``plan``, hazards first, in the order of the setups within a severity.

    Raises CancelledError between two rules when ``cancelled`` becomes true, and InternalError where a setup's stock
    lacks some of the part: of such a plan nothing can be found.
    """
    if plan not in _known:
        plan.check_part_is_left()
        found: list[Finding] = []
        for rule in RULES:
            if cancelled():
                raise CancelledError
            found += rule(plan)
        _known[plan] = in_order(plan, found)
    return _known[plan]


def in_order(plan: Plan, found: Iterable[Finding]) -> tuple[Finding, ...]:
    """Hazards first, in the order of the setups within a severity."""
    order = {setup.name: k for k, setup in enumerate(plan.job.setups)}
    return tuple(sorted(found, key=lambda f: (SEVERITIES.index(f.severity), order.get(f.setup, -1))))


def worst_of(findings: Iterable[Finding], setup: str) -> Severity | None:
    """How bad the worst is that was found against a setup, or with ``""`` against the stock; None where nothing was."""
    return next((finding.severity for finding in findings if finding.setup == setup), None)
