"""The whole route at once: what it comes to when every setup takes what is best for it, one after another."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from ..budget.budget import budget_of
from ..plan import Plan, make_plan
from .ranked import Alternative, alternatives, cost_of, nearest_of, worst_of

Choose = Callable[[Sequence[Alternative]], Alternative]


def routes(plan: Plan, cancelled: Callable[[], bool] = lambda: False) -> tuple[Alternative, ...]:
    """How it is, with the cheapest that keeps the tolerance in every setup, and with the nearest in every setup; the
    best first.

    Each setup chooses with what those before it have chosen already.  Raises CancelledError once ``cancelled``.
    """
    found = [of_route(plan, plan)]
    for choose in (_best, nearest_of):
        after, changes, makes = _chosen(plan, choose, cancelled)
        if changes and all(after.job != each.job for each in found):
            found.append(of_route(plan, after, "; ".join(changes), "; ".join(filter(None, makes))))
    return tuple(sorted(found, key=lambda each: each.rank))


def _best(ranked: Sequence[Alternative]) -> Alternative:
    return ranked[0]


def _chosen(plan: Plan, choose: Choose, cancelled: Callable[[], bool]) -> tuple[Plan, list[str], list[str]]:
    changes, makes = [], []
    for index, setup in enumerate(plan.job.setups):
        chosen = choose(alternatives(plan, index, cancelled))
        if chosen.is_now:
            continue
        changes.append(f"{setup.name}: {chosen.change}")
        makes.append(chosen.cost.makes)
        plan = make_plan(chosen.job, plan.models)
    return plan, changes, makes


def of_route(before: Plan, plan: Plan, change: str = "", makes: str = "") -> Alternative:
    """A whole route as it is planned, beside the plan ``before``: the worst of all pairs, and what all setups cost."""
    pairs = [pair for pair in budget_of(plan).pairs if pair.asked.what != "size"]
    shares = [pair.share for pair in pairs if pair.share is not None]
    keeps = max(shares) <= plan.job.tolerance_share if shares else None
    cost = replace(cost_of(before, plan, plan.setups), makes=makes)
    return Alternative(None, change, plan.job, worst_of(pairs), cost, keeps)
