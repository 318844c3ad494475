"""Every way to register a turn, as the error budget sees what it would come to."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from ..budget.chain import chain_of
from ..budget.pair import Pair
from ..budget.sides import far_side
from ..edits.turns import with_way
from ..errors import CancelledError, LedgecliffError
from ..model.job import Job
from ..plan import Plan, make_plan
from ..turns.offers import WayOffer, way_offers
from ..turns.turn_plan import turns_of


@dataclass(frozen=True, eq=False)
class WeighedWay:
    """A way that fits, the ``job`` registered so, and how far the far side may then lie off the near one at the feature
    farthest from what registers it; None where that cannot be planned, or does not hold it."""

    offer: WayOffer
    job: Job
    pair: Pair | None


def weighed_ways(plan: Plan, index: int, cancelled: Callable[[], bool] = lambda: False) -> Iterator[WeighedWay]:
    """Those that fit the turn to a setup, the present one first.  Raises CancelledError once ``cancelled``."""
    turn = turns_of(plan)[index - 1]
    offers = sorted(way_offers(plan, turn), key=lambda each: not each.current)
    for offer in offers:
        if cancelled():
            raise CancelledError
        if offer.current:
            yield WeighedWay(offer, plan.job, far_side(turn, plan))
        elif offer.fits:
            yield from _tried(plan, index, offer)


def _tried(plan: Plan, index: int, offer: WayOffer) -> Iterator[WeighedWay]:
    try:
        job = with_way(plan.job, index, offer.way, plan)
    except LedgecliffError:
        return
    try:
        after = make_plan(job, plan.models)
        chain_of(after, begins=plan)
        pair = far_side(turns_of(after)[index - 1], after)
    except CancelledError:
        raise
    except LedgecliffError:
        pair = None
    yield WeighedWay(offer, job, pair)
