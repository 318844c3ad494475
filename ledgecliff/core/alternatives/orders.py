"""Proposed orders of sides, as the error budget sees what each comes to when the setups are planned so."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

from ..errors import CancelledError, LedgecliffError
from ..model.shop import Shop
from ..new_job import with_order
from ..plan import Plan, make_plan
from ..quantities import said
from ..sides.order import Order
from .ranked import Alternative
from .route import of_route


@dataclass(frozen=True, eq=False)
class WeighedOrder:
    """``planned`` is the whole route in this order, which ``brings`` the worst of what cannot be made so; None where
    it cannot be planned at all, and ``why_not``."""

    order: Order
    planned: Alternative | None
    why_not: str = ""

    def words(self) -> str:
        """In sentences, with lengths to be spelled."""
        if self.planned is None:
            return f"It cannot be planned so: {self.why_not}"
        pair, cost = self.planned.pair, self.planned.cost
        effort = f"{cost.minutes:.1f} min of probing, {cost.touches} touches, {cost.codes} offsets"
        if pair is None:
            told = f"Planned so: no pair to tell; {effort}."
        else:
            seen = f" from {pair.asked.to}" if pair.asked.to else ""
            share = "" if pair.share is None else f", {100.0 * pair.share:.0f} % of its tolerance"
            told = f"Planned so: {pair.asked.feature}{seen} within {said(pair.expanded)}{share}; {effort}."
        worst = self.planned.brings
        return told if worst is None else f"{told} Not all can be run as it stands: {worst.fact}"


def best_of(weighed: Iterable[WeighedOrder]) -> str:
    """Which is the best of those that can be run as they stand, in a sentence with lengths to be spelled; empty where
    there are not two to choose from."""
    runs = [each.planned for each in weighed if each.planned is not None and each.planned.brings is None]
    told = [each for each in runs if each.expanded is not None]
    if len(told) < 2:
        return ""
    best = min(told, key=lambda each: each.rank)
    what = "Cheapest that keeps the tolerance" if best.keeps else "Nearest"
    return f"{what}: part {best.change}, within {said(best.expanded or 0.0)}."


def weighed_orders(
    plan: Plan, orders: Sequence[Order], shop: Shop, cancelled: Callable[[], bool] = lambda: False
) -> Iterator[WeighedOrder]:
    """Each as its setups would be made anew on the job's own machine, with what lies on the ``shop``'s shelf.

    Takes a second or so for each.  Raises CancelledError once ``cancelled``.
    """
    for order in orders:
        yield _weighed(plan, order, shop, cancelled)


def _weighed(plan: Plan, order: Order, shop: Shop, cancelled: Callable[[], bool]) -> WeighedOrder:
    try:
        made = with_order(plan.job, order, plan.geometry, plan.models, shop, cancelled)
        if cancelled():
            raise CancelledError  # what is there so far is none that anybody asked for
        found = of_route(plan, make_plan(made.job, plan.models), order.in_words())
    except CancelledError:
        raise
    except LedgecliffError as error:
        return WeighedOrder(order, None, str(error))
    return WeighedOrder(order, replace(found, brings=next(iter(made.cannot), None)))
